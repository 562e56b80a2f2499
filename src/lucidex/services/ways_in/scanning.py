"""From the scanner into a folio: a quick look at all of the glass, then the real scan of a part, with first steps.
steps.

What is done to a scan beside framing it (lightening, two tones, straightening) are steps of the picture, so that the
scan stays as it came, and the preview is drawn by the same code as the picture will be.
"""

import secrets
import threading
import time
from collections.abc import Iterator
from dataclasses import dataclass, field
from enum import StrEnum
from itertools import chain

import cv2
import numpy as np
import numpy.typing as npt

from lucidex.core.document import PictureDocument
from lucidex.core.encode import JPEG, PNG, Effort, Encoding, encode
from lucidex.core.errors import NotFoundError, OutOfRangeError, UnreadableFileError, UserError
from lucidex.core.gather.on_glass import PaperOnGlass, find_papers
from lucidex.core.geometry.fit import Placement
from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.geometry.sizes import Size, Window
from lucidex.core.picture.raster import Raster
from lucidex.core.render import draw, plan
from lucidex.core.source.formats import HEAD_BYTES, format_of
from lucidex.core.source.pyramid import PixelLayout, Source
from lucidex.core.steps import StepEntry, finding
from lucidex.core.steps.base import Step
from lucidex.core.steps.corners import Corners
from lucidex.core.steps.straighten import Straighten
from lucidex.core.steps.tone import Light
from lucidex.core.steps.two_tone import InkColour, Paper, TwoToneStep
from lucidex.services.bench.steps import add_all_begun, begun
from lucidex.services.house.caches import OwnCache
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.intake import BroughtIn, bring_in, check_target
from lucidex.services.intake.sources import decode_once
from lucidex.services.outside.scanner import Area, Glass, Tones, read_glass, scanned
from lucidex.services.outside.service import Service
from lucidex.services.people.people import Actor
from lucidex.services.pictures.documents import read_picture
from lucidex.services.rendering.renderer import Renderer

PREVIEW_DPI = 100
LEAST_MM = 4.0
STRAIGHT_WITHIN = 0.2  # degrees: nearer, nothing is turned
DPIS = (150, 200, 300, 400, 600, 1_200)
MOST_PIXELS = 150_000_000
Bytes = npt.NDArray[np.uint8]


class Looks(StrEnum):
    """How a scan is to come out."""

    INK = "ink"
    GREY = "grey"
    COLOUR = "colour"


@dataclass(frozen=True)
class Treated:
    """What is done to a scan once it is there; `lighter` from -100 to 100."""

    looks: Looks = Looks.COLOUR
    is_clear: bool = False
    keeps_ink: bool = True
    lighter: float = 0.0
    straighten_degrees: float = 0.0


@dataclass(frozen=True)
class Subject:
    """What somebody scans: what suits it, and advice in one or two sentences."""

    name: str
    words: str
    treated: Treated
    dpi: int
    intent: str
    frames_ink: bool
    advice: str


SUBJECTS = (
    Subject(
        "signature",
        "a signature or handwriting",
        Treated(Looks.INK, is_clear=True),
        600,
        "TextAndGraphic",
        True,
        "Dark ink on white paper, nothing behind it that shows through. Blue stays blue.",
    ),
    Subject(
        "drawing",
        "a drawing or logo",
        Treated(Looks.INK, keeps_ink=False),
        600,
        "TextAndGraphic",
        True,
        "Ask for the drawn original first, as SVG or PDF: no scan gets as sharp.",
    ),
    Subject(
        "print",
        "a photograph or print",
        Treated(Looks.COLOUR),
        300,
        "Photo",
        False,
        "Wipe the glass: dust shows. 300 dpi keeps its size in print, 600 is enough for twice that.",
    ),
    Subject(
        "page",
        "a page with text",
        Treated(Looks.GREY),
        300,
        "Document",
        False,
        "Press it flat. Grey reads best; choose ink where only the writing counts.",
    ),
)


@dataclass(frozen=True)
class Preview:
    """A quick look at all of the glass, in colour; pixels are height × width × 3."""

    id: str
    person_id: int
    service: Service
    glass: Glass
    pixels: Bytes
    papers: tuple[PaperOnGlass, ...]

    @property
    def per_mm(self) -> float:
        """Pixels of the preview for each millimetre."""
        return float(self.pixels.shape[1] / self.glass.width_mm)

    def straighten_degrees(self, number: int = 0) -> float:
        """By how much a paper would have to be turned to lie straight; 0 where it does."""
        askew = self.papers[number].askew_degrees if self.papers else 0.0
        return round(-askew, 1) if abs(askew) >= STRAIGHT_WITHIN else 0.0

    def proposed(self, subject: Subject, number: int = 0) -> Area:
        """The part that would be scanned of a paper: what is written, or all of it; all of an empty glass."""
        if not self.papers:
            return Area(0, 0, self.glass.width_mm, self.glass.height_mm)
        paper = self.papers[number]
        return self.area((paper.ink if subject.frames_ink else None) or paper.window)

    def area(self, window: Window) -> Area:
        """A window of the preview in millimetres."""
        k = self.per_mm
        return Area(window.left / k, window.top / k, window.width / k, window.height / k)


_previews: OwnCache[str, Preview] = OwnCache(96_000_000, lambda one: one.pixels.nbytes)


def subject_named(name: str) -> Subject:
    """One of what can be scanned. NotFoundError for any other name."""
    for subject in SUBJECTS:
        if subject.name == name:
            return subject
    raise NotFoundError("Nothing of this kind is scanned here.")


def look_at_glass(workshop: Workshop, actor: Actor, service: Service) -> Preview:
    """Look quickly at all of the glass, and find what lies on it."""
    glass = read_glass(service)
    dpi = min(glass.resolutions, key=lambda one: abs(one - PREVIEW_DPI))
    whole = Area(0, 0, glass.width_mm, glass.height_mm)
    tones = Tones.COLOUR if Tones.COLOUR in glass.tones else Tones.GREY
    most = 8 * whole.pixels(dpi)[0] * whole.pixels(dpi)[1]
    with scanned(service, glass, whole, dpi, tones, "Preview") as pieces:
        content = b""
        for piece in pieces:
            content += piece
            if len(content) > most:
                raise UnreadableFileError(f"“{service.name}” sends far more than a preview.")
    pixels = _decoded(workshop, content, service)
    preview = Preview(secrets.token_hex(8), actor.id, service, glass, pixels, find_papers(pixels))
    _previews.of(workshop).put_if_absent(preview.id, preview)
    return preview


def _decoded(workshop: Workshop, content: bytes, service: Service) -> Bytes:
    """The pixels of a preview, read like any file from outside."""
    with workshop.originals.receive([content], max(1, len(content))) as received:
        try:
            image = decode_once(workshop, received.path)
        except UserError as error:
            raise UnreadableFileError(f"“{service.name}” sent something that is no picture.") from error
    pixels: Bytes = np.ascontiguousarray(image.numpy()[..., :3])
    return pixels


def find_preview(workshop: Workshop, actor: Actor, preview_id: str) -> Preview:
    """A preview that somebody made a while ago. NotFoundError where it is gone."""
    found = _previews.of(workshop).get(preview_id)
    if found is None or found.person_id != actor.id:
        raise NotFoundError("This preview is gone. Look at the glass once more.")
    return found


def preview_file(preview: Preview, treated: Treated, number: int = 0) -> tuple[bytes, str]:
    """The preview as the scan of a paper will look, and its media type: what its ink is decides that paper alone."""
    pixels = preview.pixels
    if treated.looks is Looks.GREY:
        grey = cv2.cvtColor(pixels, cv2.COLOR_RGB2GRAY)
        pixels = np.repeat(np.asarray(grey, np.uint8)[..., None], 3, axis=2)
    size = Size(pixels.shape[1], pixels.shape[0])
    source = Source(size, 1, PixelLayout(3, "uchar", "srgb", False), None, {1: pixels}.__getitem__).of_pixels(pixels)
    geometry = PictureGeometry.of(size)
    around = preview.papers[number].window if number < len(preview.papers) else None
    own = pixels if around is None else np.ascontiguousarray(_inside(pixels, around))
    raster = Raster(own, PictureGeometry.of(Size(own.shape[1], own.shape[0])))
    found = (finding.found(step, lambda edge: raster) for step in _toned(treated))
    steps = [finding.lightened(step, treated.lighter) for step in found]
    document = PictureDocument(steps=tuple(StepEntry(id=f"s{i}", step=step) for i, step in enumerate(steps)))
    whole = Placement(Window(0, 0, size.width, size.height), size, 0, 0, size)
    image = draw(source, plan(source, geometry, whole, None, document.treatment))
    name = PNG if image.hasalpha() else JPEG
    return encode(image, name, Encoding(88 if name == JPEG else None, effort=Effort.DRAFT)), name.output.media_type


def _inside(pixels: Bytes, window: Window) -> Bytes:
    left, top, right, bottom = (
        round(one) for one in (window.left, window.top, window.left + window.width, window.top + window.height)
    )
    return pixels[top:bottom, left:right]


def _toned(treated: Treated) -> list[Step]:
    """The steps that decide tones, before they have found anything."""
    if treated.looks is Looks.INK:
        paper = Paper.CLEAR if treated.is_clear else Paper.WHITE
        ink = InkColour.OWN if treated.keeps_ink else InkColour.BLACK
        return [TwoToneStep(paper=paper, ink=ink, softness_percent=20)]
    return [Light(brightness=treated.lighter)] if treated.lighter else []


@dataclass
class Progress:
    """How far a scan is; written by whoever scans, read by whoever waits."""

    began: float = field(default_factory=time.monotonic)
    byte_count: int = 0
    is_reading: bool = False
    gone: threading.Event = field(default_factory=threading.Event)

    @property
    def words(self) -> str:
        """In words."""
        seconds = round(time.monotonic() - self.began)
        if self.is_reading:
            return "The scan is here and is being read …"
        if self.byte_count:
            return f"{self.byte_count / 1e6:.1f} MB arrived, {seconds} s"
        return f"The scanner is moving, {seconds} s"


def check_scan(preview: Preview, area: Area, dpi: int) -> None:
    """Refuse in words what cannot be scanned."""
    glass = preview.glass
    if dpi not in glass.resolutions:
        raise OutOfRangeError(f"“{preview.service.name}” does not scan at {dpi} dpi.")
    if min(area.width, area.height) < LEAST_MM:
        raise OutOfRangeError(f"A part of the glass is at least {LEAST_MM:g} mm wide and high.")
    inside = area.left >= -0.1 and area.top >= -0.1
    fits = area.left + area.width <= glass.width_mm + 0.1 and area.top + area.height <= glass.height_mm + 0.1
    if not (inside and fits):
        raise OutOfRangeError("This part goes beyond the glass.")
    width, height = area.pixels(dpi)
    if width * height > MOST_PIXELS:
        raise OutOfRangeError(
            f"That would be {width} × {height} pixels. Choose a smaller part, or fewer dots per inch."
        )


def scan_into(
    workshop: Workshop,
    renderer: Renderer,
    actor: Actor,
    folio_id: int,
    preview: Preview,
    subject: Subject,
    area: Area,
    dpi: int,
    treated: Treated,
    progress: Progress,
) -> BroughtIn:
    """Scan a part of the glass and take it into a folio, with its first steps as one change."""
    check_scan(preview, area, dpi)
    check_target(workshop, actor, folio_id)
    wants_colour = treated.looks is Looks.COLOUR or (treated.looks is Looks.INK and treated.keeps_ink)
    tones = Tones.COLOUR if wants_colour and Tones.COLOUR in preview.glass.tones else Tones.GREY

    def counted(pieces: Iterator[bytes]) -> Iterator[bytes]:
        for piece in pieces:
            progress.byte_count += len(piece)
            yield piece
        progress.is_reading = True

    with scanned(preview.service, preview.glass, area, dpi, tones, subject.intent) as pieces:
        suffix, whole = _named(counted(pieces))
        taken = bring_in(workshop, actor, folio_id, f"{subject.name}-scan{suffix}", whole)
    steps = [*_straightened(treated), *_toned(treated)]
    if steps:
        state = read_picture(workshop, actor, taken.picture_id)
        lit = [finding.lightened(begun(renderer, state, step), treated.lighter) for step in steps]
        add_all_begun(renderer, workshop, actor, state, lit)
    return taken


def _named(pieces: Iterator[bytes]) -> tuple[str, Iterator[bytes]]:
    """The suffix of what a scanner sends, by its first bytes, and all of its pieces."""
    head = b""
    while len(head) < HEAD_BYTES and (piece := next(pieces, b"")):
        head += piece
    form = format_of(head[:HEAD_BYTES])
    return form.suffixes[0] if form else "", chain([head], pieces)


def _straightened(treated: Treated) -> list[Step]:
    if not treated.straighten_degrees:
        return []
    corners = Corners.CUT
    if treated.looks is Looks.INK:  # nothing is cut off that was framed closely: paper goes on
        corners = Corners.CLEAR if treated.is_clear else Corners.COLOURED
    return [Straighten(angle_degrees=treated.straighten_degrees, corners=corners)]
