"""Renderings: previews for the screen, finished files for places. Both come from the same `core.render`."""

import secrets
import threading
import time
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import timedelta
from pathlib import Path
from typing import Generic, TypeVar

import pyvips
from sqlalchemy import select, update
from sqlalchemy.exc import IntegrityError

from lucidex.core.attention import CANONICAL_EDGE, focal_point
from lucidex.core.cleaning import Cleaning
from lucidex.core.content import Raster
from lucidex.core.document import PictureDocument, shows_ground
from lucidex.core.encode import Encoding, FormatName, encode
from lucidex.core.errors import NotFoundError, OutOfRangeError, UnavailableError
from lucidex.core.frame import Frame
from lucidex.core.geometry import Placement, Point, Rule, Size, Window, check_output_size, fit
from lucidex.core.grounds import colour_of
from lucidex.core.keys import encoded_key, framed_key, pixels_key
from lucidex.core.levels import Source
from lucidex.core.naming import result_name
from lucidex.core.places import PlaceDemand
from lucidex.core.proofing import Flag, clear_flags, shape_flags, weight_flags
from lucidex.core.render import Plan, draw, finished, framed, plan
from lucidex.core.steps import StepEntry
from lucidex.records.models import Result, now
from lucidex.services.gather import open_source
from lucidex.services.prepare import PictureState
from lucidex.services.workshop import Workshop

MAX_PREVIEW_EDGE = 4_000
PREVIEW_QUALITY = 92
COMPRESSED_AGAIN_AT = 70  # what places that compress everything again commonly do
COMPARED = Size(560, 420)
LEASE = timedelta(seconds=120)
WAIT_BETWEEN_LOOKS_S = 0.05
PREVIEW_CACHE_BYTES = 96_000_000
PIXEL_CACHE_BYTES = 256_000_000
KEPT_UP_TO_PIXELS = 8_000_000

Cached = TypeVar("Cached")


class ByteCappedCache(Generic[Cached]):
    """The most recently used things, up to so many bytes."""

    def __init__(self, max_bytes: int, weigh: Callable[[Cached], int]) -> None:
        self._max_bytes, self._weigh = max_bytes, weigh
        self._held: OrderedDict[str, Cached] = OrderedDict()
        self._bytes = 0
        self._lock = threading.Lock()

    def get(self, key: str) -> Cached | None:
        """The thing under a key."""
        with self._lock:
            found = self._held.get(key)
            if found is not None:
                self._held.move_to_end(key)
            return found

    def put(self, key: str, thing: Cached) -> None:
        """Keep a thing; the least recently used make room."""
        with self._lock:
            if key in self._held:
                return
            self._held[key] = thing
            self._bytes += self._weigh(thing)
            while self._bytes > self._max_bytes and len(self._held) > 1:
                self._bytes -= self._weigh(self._held.popitem(last=False)[1])


def bytes_of(image: pyvips.Image) -> int:
    """How much memory the pixels of an image take."""
    return int(image.width * image.height * image.bands * {"uchar": 1, "ushort": 2}.get(image.format, 4))


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

    @property
    def framed_key(self) -> str:
        """The key of its framed pixels before their treatment."""
        return framed_key(self.original_sha256, self.cleanings, self.chosen)

    @property
    def pixels_key(self) -> str:
        """The key of its pixels."""
        return pixels_key(self.original_sha256, self.steps, self.chosen)

    @property
    def key(self) -> str:
        """The key of its bytes."""
        return encoded_key(self.pixels_key, self.format, self.encoding)

    @property
    def size(self) -> Size:
        """The size that comes out."""
        return self.chosen.placement.canvas


@dataclass(frozen=True)
class Finished:
    """Finished bytes in the store."""

    path: Path
    byte_count: int
    key: str


class Renderer:
    """Computes and keeps results.

    Previews have two slots of their own, so that slow files never hold them up; a key is computed by one holder
    at a time.
    """

    def __init__(self, workshop: Workshop) -> None:
        self._workshop = workshop
        self._preview_slots = threading.BoundedSemaphore(2)
        self._file_slots = threading.BoundedSemaphore(2)
        self._previews: ByteCappedCache[bytes] = ByteCappedCache(PREVIEW_CACHE_BYTES, len)
        self._pixels: ByteCappedCache[pyvips.Image] = ByteCappedCache(PIXEL_CACHE_BYTES, bytes_of)

    def preview(self, wanted: Wanted) -> bytes:
        """Encoded bytes for the screen, kept in memory only."""
        key = wanted.key
        held = self._previews.get(key)
        if held is None:
            with self._preview_slots:
                held = self._compute(wanted)
            self._previews.put(key, held)
        return held

    def finish(self, wanted: Wanted) -> Finished:
        """The finished file, computed unless it is in the store already."""
        key, holder = wanted.key, secrets.token_hex(16)
        while True:
            done = self._done(key)
            if done is not None:
                return done
            if self._take_lease(key, holder):
                return self._finish_as(holder, key, wanted)
            time.sleep(WAIT_BETWEEN_LOOKS_S)

    def known(self, wanted: Wanted) -> Finished | None:
        """The finished file where it is in the store already."""
        return self._done(wanted.key)

    def raster(self, state: PictureState, document: PictureDocument) -> Raster:
        """A document's picture on the canonical raster: what automatic steps look at."""
        canonical = Size(CANONICAL_EDGE, CANONICAL_EDGE)
        with self._preview_slots:
            image = self._drawn(for_screen(self._workshop, state, canonical, document))
        return Raster(image.numpy(), document.frame(state.facts.upright))

    def enlargement(self, wanted: Wanted, plainly: bool) -> bytes:
        """The middle of an enlarged result at actual pixels, as PNG; or the same enlarged plainly, to compare."""
        with self._preview_slots:
            image = self._drawn(wanted)
            if plainly:
                placement = wanted.chosen.placement
                own = Size(max(1, round(placement.window.width)), max(1, round(placement.window.height)))
                small = draw(
                    wanted.source, replace(wanted.chosen, placement=Placement(placement.window, own, 0, 0, own))
                )
                across, down = placement.drawn.width / own.width, placement.drawn.height / own.height
                image = small.affine((across, 0, 0, down), interpolate=pyvips.Interpolate.new("bilinear"))
            width, height = min(COMPARED.width, image.width), min(COMPARED.height, image.height)
            part = image.crop((image.width - width) // 2, (image.height - height) // 2, width, height)
            return encode(part, FormatName.PNG, Encoding(None))

    def compressed_again(self, wanted: Wanted) -> bytes:
        """The finished file as a place shows it that compresses everything once more, as JPEG; only to look at."""
        again = pyvips.Image.new_from_file(str(self.finish(wanted).path)).colourspace("srgb")
        flat = again.flatten(background=255) if again.hasalpha() else again
        with self._preview_slots:
            return encode(flat, FormatName.JPEG, Encoding(COMPRESSED_AGAIN_AT))

    def suggest_focal_point(self, state: PictureState) -> Point:
        """The content point of the prepared picture that draws attention."""
        raster = self.raster(state, state.document)
        found = focal_point(raster.pixels)
        frame = raster.frame
        return frame.held_content(Point(found.x * frame.size.width, found.y * frame.size.height))

    def _compute(self, wanted: Wanted) -> bytes:
        try:
            return encode(self._drawn(wanted), wanted.format, wanted.encoding)
        except pyvips.Error as error:
            raise UnavailableError(
                f"{wanted.size} could not be rendered as {wanted.format.label}. Try again, or choose another format."
            ) from error

    def _drawn(self, wanted: Wanted) -> pyvips.Image:
        key = wanted.pixels_key
        image = self._pixels.get(key)
        if image is None:
            image = finished(wanted.source, self._framed(wanted), wanted.chosen)
            self._pixels.put(key, image)
        return image

    def _framed(self, wanted: Wanted) -> pyvips.Image:
        """The framed part before its treatment, kept so that a moving slider does not frame it again."""
        key = wanted.framed_key
        part = self._pixels.get(key)
        if part is None:
            part = framed(wanted.source, wanted.chosen)
            if part.width * part.height <= KEPT_UP_TO_PIXELS:
                self._pixels.put(key, part)
        return part

    def _done(self, key: str) -> Finished | None:
        with self._workshop.database.begin() as session:
            row = session.scalar(select(Result).where(Result.key_sha256 == key, Result.blob_sha256.is_not(None)))
            if row is None or row.blob_sha256 is None:
                return None
            try:
                return Finished(self._workshop.results.path(row.blob_sha256), row.byte_count or 0, key)
            except FileNotFoundError:
                row.blob_sha256, row.lease_until = None, now()
                return None

    def _take_lease(self, key: str, holder: str) -> bool:
        try:
            with self._workshop.database.begin() as session:
                session.add(Result(key_sha256=key, holder=holder, lease_until=now() + LEASE))
            return True
        except IntegrityError:
            with self._workshop.database.begin() as session:
                taken = session.execute(
                    update(Result)
                    .where(Result.key_sha256 == key, Result.blob_sha256.is_(None), Result.lease_until <= now())
                    .values(holder=holder, lease_until=now() + LEASE)
                )
                return bool(taken.rowcount == 1)  # type: ignore[attr-defined]

    def _finish_as(self, holder: str, key: str, wanted: Wanted) -> Finished:
        try:
            with self._file_slots:
                content = self._compute(wanted)
            blob = self._workshop.results.put(content)
        except BaseException:
            self._record(holder, key, lease_until=now())
            raise
        self._record(holder, key, blob_sha256=blob, byte_count=len(content))
        return Finished(self._workshop.results.path(blob), len(content), key)

    def _record(self, holder: str, key: str, **values: object) -> None:
        with self._workshop.database.begin() as session:
            session.execute(update(Result).where(Result.key_sha256 == key, Result.holder == holder).values(**values))


def release_leases(workshop: Workshop) -> None:
    """After a restart nobody computes any more: what a killed process held is free at once."""
    with workshop.database.begin() as session:
        session.execute(update(Result).where(Result.blob_sha256.is_(None)).values(lease_until=now()))


@dataclass(frozen=True)
class PlacedPicture:
    """A picture in a place, worked out but not rendered."""

    wanted: Wanted
    demand: PlaceDemand
    flags: tuple[Flag, ...]
    file_name: str

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
    """Work out a picture in a place. `as_format` asks for another format than the document's.

    Raises OutOfRangeError where the size exceeds the limits, or the format cannot hold it.
    """
    frame = state.frame
    demand = state.document.demand_for(place_key, demand)
    placement = state.document.placement(frame, place_key, demand)
    has_clear = state.facts.has_clear_areas or state.document.shows_clear(frame) or shows_ground(placement, demand)
    name, quality = state.document.output(place_key, demand, has_clear)
    if as_format is not None and as_format is not name:
        name, quality = as_format, as_format.output.default_quality
    ground = colour_of(demand.ground)
    encoding = Encoding(quality, demand.pixels_per_inch, ground or (255, 255, 255))
    wanted = _wanted(workshop, state, state.document, frame, placement, ground if _fills(placement) else None)
    flags = (*shape_flags(placement, demand.rule), *clear_flags(has_clear, name, demand.ground))
    return PlacedPicture(
        replace(wanted, format=_holding(name, placement.canvas), encoding=encoding),
        demand,
        flags,
        result_name(state.file_name, placement.canvas, name),
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
        document.steps,
        source,
        plan(source, frame, placement, ground, document.treatment),
        suits,
        Encoding(PREVIEW_QUALITY if suits is FormatName.JPEG else None),
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
    drawn = check_output_size(Size(min(box.width, MAX_PREVIEW_EDGE), min(box.height, MAX_PREVIEW_EDGE)))
    placement = Placement(Window(left, top, width, height), drawn, 0, 0, drawn)
    return _wanted(workshop, state, document, frame, placement, None)
