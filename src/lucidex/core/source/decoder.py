"""Any supported file to pixels and facts.

Everything here may meet hostile bytes: callers run it in a process of its own with limits on time and memory. What
leaves that process are raw pixels, checked facts and a profile that was written here (`profiles`), never the
file's own structures.

A file is decoded strictly first: whatever the decoder complains of ends that. Then it is decoded once more as far as
it goes, and what is missing decides: much, and the file is refused; little or nothing, and it comes in marked.
"""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from io import BufferedReader

import numpy as np
import pyvips

from lucidex.core.encode.content import is_photograph
from lucidex.core.errors import TooLargeError, UnreadableFileError
from lucidex.core.geometry.sizes import Size
from lucidex.core.source.facts import INTAKE_REVISION, SourceFacts
from lucidex.core.source.formats import HEAD_BYTES, READABLE, Holds, Opened, Part, SourceFormat, format_of
from lucidex.core.source.formats.base import held
from lucidex.core.source.formats.png_chunks import PngColour
from lucidex.core.source.formats.strangers import advice_for, guess_contents
from lucidex.core.source.limits import USUAL_LIMITS, IntakeLimits
from lucidex.core.source.normalisation import Normalised, normalise
from lucidex.core.source.pyramid import LADDER, AnyPixels, levels_of, reduce_level
from lucidex.core.source.recorded import read_recorded
from lucidex.core.source.strips import in_strips
from lucidex.core.units import MAX_PIXELS_PER_INCH, MIN_PIXELS_PER_INCH

STRIP_PIXELS = 4_000_000
ROWS_SEEN, MOST_SEEN = 8, 4_096  # of each strip, and pixels of each, to tell photographs from drawings
USUAL_BYTES = 1_100_000_000  # of memory for one file
_INTERLACED_BYTES = 6  # a pixel: a progressive JPEG's coefficients, an interlaced PNG's lines
MAX_MISSING = 1 / 3  # of the picture: where more is missing, it is refused
BLOCK = 8

PutRows = Callable[[int, AnyPixels], None]
WHOLE = Part()
_CALLED = {"alternative": "alternative text", "caption": "caption", "credit": "credit", "rights": "licence"}


@dataclass(frozen=True)
class _Wanted:
    """A format, the part of the file, what decoding may take in bytes of memory, and the limits."""

    form: SourceFormat
    part: Part
    most_bytes: int
    limits: IntakeLimits


def _nothing() -> None:
    """Where nothing was put away, nothing has to be taken back."""


@dataclass
class _Loss:
    """What a file decoded as far as it goes lacks, counted in blocks that hold nothing but one colour.

    `known` are the rows at the bottom that are missing where the file itself says so: then nothing is guessed.
    """

    known: int | None = None
    blocks: int = 0
    blank: int = 0
    rows: int = 0
    filled_rows: int = 0

    def look(self, rows: AnyPixels) -> None:
        """Count the next rows, from the top."""
        if self.known is not None:
            self.rows += rows.shape[0]
            return
        whole = rows.reshape(rows.shape[0], -1, rows.shape[2])
        high, low = whole.max(axis=1).astype(np.int32), whole.min(axis=1).astype(np.int32)
        is_even = ((high - low) <= 1).all(axis=1)
        last_uneven = int(np.flatnonzero(~is_even)[-1]) + 1 if not is_even.all() else 0
        if last_uneven:
            self.filled_rows = self.rows + last_uneven
        self.rows += rows.shape[0]
        down, across = rows.shape[0] // BLOCK, rows.shape[1] // BLOCK
        if down and across:
            cells = whole[: down * BLOCK, : across * BLOCK].reshape(down, BLOCK, across, BLOCK, -1)
            self.blocks += down * across
            self.blank += int((cells.max(axis=(1, 3)) == 0).all(axis=-1).sum())

    @property
    def missing_rows(self) -> int:
        """Rows at the bottom that hold one colour each."""
        return self.rows - self.filled_rows if self.known is None else min(self.known, self.rows)

    @property
    def share(self) -> float:
        """The share of the picture that is missing, 0 to 1."""
        black = self.blank / self.blocks if self.blocks else 0.0
        return max(self.missing_rows / max(1, self.rows), black)


def take_in(
    file: BufferedReader,
    put_rows: PutRows,
    begin_again: Callable[[], None] = _nothing,
    most_bytes: int = USUAL_BYTES,
    part: Part = WHOLE,
    limits: IntakeLimits = USUAL_LIMITS,
) -> SourceFacts:
    """Check and decode a file; hand every level of its pixels to `put_rows`, from the top, in strips; its facts.

    Rows of a level are height × width × bands of 8 or 16 bits. `begin_again` is called where a file turns out to be
    damaged on the way: then all rows come once more from the top. `most_bytes` is what decoding may take; `part`
    chooses a page, and how densely a drawing is drawn; `limits` are those of bytes and pixels.

    Raises UnreadableFileError or TooLargeError with a sentence that says what and why. The sentence begins with
    “It …”, for the caller to put the file's name before.
    """
    form = _checked_format(file, limits)
    wanted = _Wanted(form, part, most_bytes, limits)
    _check_part(form, part)
    if form.refusal is not None and (sentence := form.refusal(file)) is not None:
        raise UnreadableFileError(sentence)
    declared = form.declares(file) if form.declares else None
    cause = None
    try:
        facts = _strictly(file, wanted, declared, put_rows)
    except pyvips.Error as error:
        facts, cause = None, error
    return facts or _as_far_as_it_goes(file, wanted, declared, put_rows, begin_again, cause)


def _strictly(
    file: BufferedReader, wanted: _Wanted, declared: PngColour | None, put_rows: PutRows
) -> SourceFacts | None:
    """The facts; None where a second look, taken meanwhile, finds a fault that the decoder passed over."""
    form, opened = wanted.form, _open(file, wanted, "warning")
    if form.is_sound is None:
        return _taken(opened, form, declared, put_rows)
    if _is_interlaced(opened.image):  # it is held in memory as a whole: one after the other
        facts = _taken(opened, form, declared, put_rows)
        del opened
        return facts if form.is_sound(held(file), wanted.part) else None
    with ThreadPoolExecutor(1) as pool:
        looked = pool.submit(form.is_sound, held(file), wanted.part)
        facts = _taken(opened, form, declared, put_rows)
    return facts if looked.result() else None


def _check_part(form: SourceFormat, part: Part) -> None:
    if part.page > 1 and form.holds is not Holds.PAGES:
        raise UnreadableFileError(f"It has no pages to choose from: it is a {form.name} file.")
    if part.density is not None and (form.drawn is None or not 1 <= part.density <= form.drawn.largest):
        most = f"at most {form.drawn.largest} {form.drawn.unit}" if form.drawn else "as it is stored"
        raise UnreadableFileError(f"It is a {form.name} file, which is read {most}.")


def _as_far_as_it_goes(
    file: BufferedReader,
    wanted: _Wanted,
    declared: PngColour | None,
    put_rows: PutRows,
    begin_again: Callable[[], None],
    cause: pyvips.Error | None,
) -> SourceFacts:
    form = wanted.form
    is_cut = form.ends_early(file, file.seek(0, 2))
    begin_again()
    known = form.missing_rows(held(file), wanted.part) if form.missing_rows else None
    loss = _Loss(known)
    try:
        opened = _open(file, wanted, "none")
        facts = _taken(opened, form, declared, put_rows, loss)
    except pyvips.Error as error:
        raise UnreadableFileError(_broken(form.name, is_cut)) from error
    if loss.share > MAX_MISSING:
        raise UnreadableFileError(_broken(form.name, is_cut, loss.share)) from cause
    is_coarse = is_cut and _is_interlaced(opened.image)
    return facts.model_copy(update={"damage": _damage(form.name, is_cut, is_coarse, loss)})


def _broken(name: str, is_cut: bool, share: float | None = None) -> str:
    part = "part of it" if share is None else f"about {round(share * 100)} % of the picture"
    if is_cut:
        return f"It ends too early: the {name} file is cut off and {part} is missing. Fetch or copy it again."
    return f"It is a damaged {name} file: {'its contents' if share is None else part} cannot be decoded."


def _damage(name: str, is_cut: bool, is_coarse: bool, loss: _Loss) -> str:
    begins = f"The {name} file is cut off" if is_cut else f"The {name} file is damaged"
    if loss.missing_rows > loss.rows * 0.002 + 1:
        return f"{begins}: the lowest {loss.missing_rows} of {loss.rows} rows are missing."
    if loss.share > 0.002:
        return f"{begins}: about {max(1, round(loss.share * 100))} % of the picture is missing."
    if is_coarse:  # what came first was the whole picture, coarsely
        return f"{begins}: its finer detail is missing, so that it is softer than it should be."
    return f"{begins}: parts of the picture may be wrong. Compare it with another copy."


def _checked_format(file: BufferedReader, limits: IntakeLimits) -> SourceFormat:
    byte_count = file.seek(0, 2)
    file.seek(0)
    if byte_count == 0:
        raise UnreadableFileError("It is empty: it holds no bytes at all.")
    limits.check_file(byte_count)
    head = file.read(HEAD_BYTES)
    form = format_of(head)
    if form is not None:
        return form
    advice = advice_for(head)
    raise UnreadableFileError(
        f"It is {guess_contents(head)}, which is not read here. {advice}"
        if advice
        else f"It is no picture: inside is {guess_contents(head)}. {READABLE} can be read."
    )


def _open(file: BufferedReader, wanted: _Wanted, fail_on: str) -> Opened:
    form = wanted.form
    if form.measure is not None and (announced := form.measure(file, wanted.part)) is not None:
        _check_size(announced, wanted, form.bytes_at_once)
    opened = form.open(file, fail_on, wanted.part)
    image = opened.image
    whole = _INTERLACED_BYTES * (2 if image.format == "ushort" else 1) if _is_interlaced(image) else 0
    at_once = form.bytes_at_once if form.measure is None else 0
    _check_size(Size(image.width, image.height), wanted, at_once or whole, is_interlaced=bool(whole))
    return opened


def _is_interlaced(image: pyvips.Image) -> bool:
    return bool(image.get_typeof("interlaced") and image.get("interlaced"))


def _check_size(size: Size, wanted: _Wanted, at_once: int, is_interlaced: bool = False) -> None:
    """`at_once` are bytes of memory a pixel where the file cannot be decoded in strips."""
    wanted.limits.check_size(size)
    if size.width * size.height * at_once > wanted.most_bytes:
        raise TooLargeError(
            f"It measures {size.width} × {size.height} pixels and is stored so that it can only be decoded as a "
            "whole, which takes more memory than is allowed for one picture."
            + " Save it without “progressive” or “interlaced”."
            * is_interlaced
        )


def _taken(
    opened: Opened, form: SourceFormat, declared: PngColour | None, put_rows: PutRows, loss: _Loss | None = None
) -> SourceFacts:
    normalised = normalise(opened.image, declared)
    facts = _facts(opened, normalised, form, declared)
    return facts.model_copy(update=_put_levels(normalised.image, facts, put_rows, loss))


def _facts(opened: Opened, normalised: Normalised, form: SourceFormat, declared: PngColour | None) -> SourceFacts:
    image, recorded = opened.image, read_recorded(opened.exif, opened.xmp, opened.iptc)
    cut = [f"Its {_CALLED[name]} is longer than is kept here, and was cut." for name in recorded.cut]
    return SourceFacts(
        format=form.name,
        stored_width=image.width,
        stored_height=image.height,
        orientation=opened.orientation,
        bands=normalised.image.bands,
        pixel_format=normalised.image.format,
        bits=8 if image.format == "uchar" else 16,
        interpretation=normalised.image.interpretation,
        has_alpha=bool(normalised.image.hasalpha()),
        profile=normalised.profile,
        colour=normalised.words,
        pixels_per_inch=_density(opened.pixels_per_inch),
        pages=opened.pages if form.holds is Holds.PAGES else 1,
        frames=opened.pages if form.holds is Holds.FRAMES else declared.frames if declared else 1,
        notes=(*normalised.notes, *opened.notes, *cut),
        recorded=recorded,
        intake_revision=INTAKE_REVISION,
    )


def _put_levels(image: pyvips.Image, facts: SourceFacts, put_rows: PutRows, loss: _Loss | None) -> dict[str, bool]:
    """Hand over all levels; what its pixels say. A strip's rows fill whole blocks of every level."""
    clear: list[bool] = []
    seen: list[AnyPixels] = []

    def put(rows: AnyPixels) -> None:
        for number in levels_of(facts.stored):
            put_rows(number, rows if number == 1 else reduce_level(rows, number, facts.has_alpha))
        if loss is not None:
            loss.look(rows)
        beside = max(0, (rows.shape[1] - MOST_SEEN) // 2)
        seen.append(rows[:: max(1, len(rows) // ROWS_SEEN), beside : beside + MOST_SEEN].copy())
        clear.append(facts.has_alpha and bool(rows[..., -1].min() < np.iinfo(rows.dtype).max))

    in_strips(image, max(1, STRIP_PIXELS // image.width // max(LADDER)) * max(LADDER), put)
    return {"has_clear_areas": any(clear), "is_photograph": is_photograph(np.concatenate(seen))}


def _density(recorded: float | None) -> float | None:
    if recorded is None or not MIN_PIXELS_PER_INCH <= recorded <= MAX_PIXELS_PER_INCH:
        return None
    return round(recorded, 2)
