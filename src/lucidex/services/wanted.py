"""What is asked for: a picture in a place, or on the screen, worked out and not yet rendered."""

from collections.abc import Hashable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property

from lucidex.core.cleaning import Cleaning
from lucidex.core.document import PictureDocument, shows_ground
from lucidex.core.encode import Encoding, FormatName
from lucidex.core.errors import NotFoundError, OutOfRangeError
from lucidex.core.frame import Frame
from lucidex.core.geometry import Placement, Rule, Size, Window, check_output_size, fit
from lucidex.core.grounds import colour_of
from lucidex.core.keys import encoded_key, pixels_key
from lucidex.core.levels import Source
from lucidex.core.naming import result_name
from lucidex.core.places import PlaceDemand
from lucidex.core.proofing import Flag, clear_flags, damage_flags, logo_flags, shape_flags, weight_flags
from lucidex.core.render import Plan, plan
from lucidex.core.steps import StepEntry
from lucidex.services.gather import open_source
from lucidex.services.logos import logo_source
from lucidex.services.prepare import PictureState
from lucidex.services.workshop import Workshop

MAX_PREVIEW_EDGE = 4_000
MOST_MAGNIFIED = 256  # shown pixels for each of the picture's
PREVIEW_QUALITY = 92


@dataclass(frozen=True)
class Wanted:
    """One result that is asked for, with everything that decides its bytes."""

    original_sha256: str
    steps: tuple[StepEntry, ...]
    source: Source
    chosen: Plan
    format: FormatName
    encoding: Encoding
    cleanings: tuple[Cleaning, ...] = ()
    logos: Mapping[str, Source] = field(default_factory=dict)

    @property
    def framed_key(self) -> Hashable:
        """All that decides its framed pixels before their treatment (`core.render.framed`), within one process."""
        wide, treatment = self.chosen.widened, self.chosen.treatment
        ready_for = (treatment.tone is not None, bool(treatment.clearings))
        return (self.original_sha256, self.cleanings, wide.total, wide.placement, wide.level, ready_for)

    @cached_property
    def pixels_key(self) -> str:
        """The key of its pixels."""
        return pixels_key(self.original_sha256, self.steps, self.chosen)

    @cached_property
    def key(self) -> str:
        """The key of its bytes."""
        return encoded_key(self.pixels_key, self.format, self.encoding)

    @property
    def size(self) -> Size:
        """The size that comes out."""
        return self.chosen.placement.canvas


@dataclass(frozen=True)
class PlacedPicture:
    """A picture in a place, worked out but not rendered. `first_format` is the one it has there alone."""

    wanted: Wanted
    demand: PlaceDemand
    flags: tuple[Flag, ...]
    file_name: str
    first_format: FormatName

    @property
    def placement(self) -> Placement:
        """Where the picture goes."""
        return self.wanted.chosen.placement

    @property
    def size(self) -> Size:
        """The size that comes out."""
        return self.wanted.size

    def flags_at(self, byte_count: int) -> tuple[Flag, ...]:
        """All warnings, once the weight is known."""
        return (*self.flags, *weight_flags(byte_count, self.demand))


def in_place(
    workshop: Workshop,
    state: PictureState,
    place_key: str,
    demand: PlaceDemand,
    as_format: FormatName | None = None,
) -> PlacedPicture:
    """Work out a picture in a place. `as_format` asks for another format than the document's first.

    Raises OutOfRangeError where the size exceeds the limits, or the format cannot hold it.
    """
    frame = state.frame
    asked = state.document.demand_for(place_key, demand)
    placement = state.document.placement(frame, place_key, asked)
    has_clear = state.facts.has_clear_areas or state.document.shows_clear(frame) or shows_ground(placement, asked)
    name, quality = state.document.output(place_key, asked, has_clear)
    first, also = name, as_format if as_format is not name else None
    demand = state.document.demand_for(place_key, demand, also)
    if also is not None:
        name, quality = state.document.output(place_key, demand, has_clear, also)
    ground = colour_of(demand.ground)
    finds_quality = state.document.finds_quality(place_key, demand, also)
    encoding = Encoding(
        quality,
        demand.pixels_per_inch,
        ground or (255, 255, 255),
        max_bytes=demand.max_bytes if finds_quality and quality is not None else None,
    )
    wanted = _finishing(
        workshop,
        state.document,
        place_key,
        _wanted(workshop, state, state.document, frame, placement, ground if _fills(placement) else None),
    )
    flags = (
        *damage_flags(state.facts.damage),
        *shape_flags(placement, demand.rule),
        *clear_flags(has_clear, name, demand.ground),
        *logo_flags(wanted.chosen.stamps, {sha256: logo.upright for sha256, logo in wanted.logos.items()}),
    )
    return PlacedPicture(
        replace(wanted, format=_holding(name, placement.canvas), encoding=encoding),
        demand,
        flags,
        result_name(state.file_name, placement.canvas, name),
        first,
    )


def _finishing(workshop: Workshop, document: PictureDocument, place_key: str, wanted: Wanted) -> Wanted:
    """With what is done to the finished size in this place."""
    steps = [step for step in document.finish_steps(place_key) if step.logo_sha256]
    logos = {sha256: logo_source(workshop, sha256) for step in steps if (sha256 := step.logo_sha256)}
    stamps = [step.stamp(wanted.size, logos[step.logo_sha256 or ""].upright) for step in steps]
    return replace(
        wanted,
        steps=document.counting_in(place_key),
        chosen=replace(wanted.chosen, stamps=tuple(stamp for stamp in stamps if stamp is not None)),
        logos=logos,
    )


def _fills(placement: Placement) -> bool:
    return not placement.covers_canvas


def _holding(name: FormatName, size: Size) -> FormatName:
    if size.longest > name.output.max_edge:
        limit = f"{name.output.max_edge:,}".replace(",", " ")
        raise OutOfRangeError(f"{name.label} holds at most {limit} pixels along a side; {size} needs another format.")
    return name


def _wanted(
    workshop: Workshop,
    state: PictureState,
    document: PictureDocument,
    frame: Frame,
    placement: Placement,
    ground: tuple[int, int, int] | None,
) -> Wanted:
    cleanings = document.cleanings
    source = open_source(workshop, state.original_sha256, state.facts, cleanings)
    suits = FormatName.PNG if state.facts.has_alpha or document.shows_clear(frame) else FormatName.JPEG
    return Wanted(
        state.original_sha256,
        document.counting_in(None),
        source,
        plan(source, frame, placement, ground, document.treatment),
        suits,
        Encoding(PREVIEW_QUALITY if suits is FormatName.JPEG else None, hurried=True),
        cleanings,
    )


def up_to(document: PictureDocument, step_id: str | None) -> PictureDocument:
    """The document as it stood before a step. NotFoundError where the step is not in it; all steps for None."""
    if step_id is None:
        return document
    for index, entry in enumerate(document.steps):
        if entry.id == step_id:
            return document.model_copy(update={"steps": document.steps[:index]})
    raise NotFoundError("This step is no longer in the list.")


def without_steps(document: PictureDocument, ids: set[str]) -> PictureDocument:
    """The document as if some steps were left out."""
    kept = tuple(entry for entry in document.steps if entry.id not in ids)
    return document.model_copy(update={"steps": kept})


def on_screen(
    workshop: Workshop, state: PictureState, document: PictureDocument, box: Size, part: Window | None
) -> Wanted:
    """The whole prepared picture no larger than `box`, or a part of it drawn to exactly `box`."""
    if part is None:
        return for_screen(workshop, state, box, document)
    return part_for_screen(workshop, state, part, box, document)


def for_screen(workshop: Workshop, state: PictureState, box: Size, document: PictureDocument) -> Wanted:
    """The whole prepared picture, no larger than `box`."""
    check_output_size(box)
    frame = document.frame(state.facts.upright)
    placement = fit(
        frame.size, Size(min(box.width, MAX_PREVIEW_EDGE), min(box.height, MAX_PREVIEW_EDGE)), Rule.SCALE_DOWN
    )
    return _wanted(workshop, state, document, frame, placement, None)


def part_for_screen(
    workshop: Workshop, state: PictureState, part: Window, box: Size, document: PictureDocument
) -> Wanted:
    """A window of the prepared picture (its pixels), drawn to exactly `box`; for looking closer."""
    frame = document.frame(state.facts.upright)
    left, top = max(part.left, 0.0), max(part.top, 0.0)
    width = min(part.left + part.width, frame.size.width) - left
    height = min(part.top + part.height, frame.size.height) - top
    if width <= 0 or height <= 0:
        raise OutOfRangeError("This part lies outside the picture.")
    if max(box.width / width, box.height / height) > MOST_MAGNIFIED:
        raise OutOfRangeError(f"Nothing is shown more than {MOST_MAGNIFIED} times as large as it is.")
    drawn = check_output_size(Size(min(box.width, MAX_PREVIEW_EDGE), min(box.height, MAX_PREVIEW_EDGE)))
    placement = Placement(Window(left, top, width, height), drawn, 0, 0, drawn)
    return _wanted(workshop, state, document, frame, placement, None)
