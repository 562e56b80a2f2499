"""Renderings: previews for the screen, finished files for places. Both come from the same `core.render`."""

import threading
import time
from collections.abc import Callable, Hashable
from dataclasses import asdict, dataclass, replace
from datetime import timedelta
from pathlib import Path

import pyvips
from sqlalchemy import ColumnElement, Update, select, update
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from lucidex.core.cancellation import check_wanted
from lucidex.core.document import PictureDocument
from lucidex.core.encode import JPEG, PNG, Encoding, encode, jpeg
from lucidex.core.errors import UnavailableError
from lucidex.core.geometry.fit import Placement
from lucidex.core.geometry.sizes import Point, Size
from lucidex.core.picture.content import Raster
from lucidex.core.picture.saliency import CANONICAL_EDGE, focal_point
from lucidex.core.picture.tone.clipping import marked
from lucidex.core.proof.statistics import PixelStatistics, statistics_of
from lucidex.core.render import composed, draw, draw_finish, resampled_window
from lucidex.core.source.pyramid import AnyPixels
from lucidex.records.database import database_clock, from_now
from lucidex.records.models import Result, now
from lucidex.services.caches import CappedCache, bytes_of
from lucidex.services.documents import PictureState
from lucidex.services.render_requests import RenderRequest, for_screen
from lucidex.services.workshop import Workshop

COMPRESSED_AGAIN_AT = 70  # what places that compress everything again commonly do
OVERLAY_EDGE = 1_600
DRAFT_QUALITY = 86  # while a control moves; the picture that stays has a preview's quality
COMPARED = Size(560, 420)
LEASE = timedelta(seconds=120)
MAX_WAITED_S = 150.0
USED_EVERY = timedelta(hours=12)  # how finely it is known when a result was used last
FIRST_WAIT_S, LONGEST_WAIT_S = 0.03, 0.5
PREVIEW_CACHE_BYTES = 96_000_000
PIXEL_CACHE_BYTES = 256_000_000
KEPT_UP_TO_PIXELS = 8_000_000


@dataclass(frozen=True)
class StoredResult:
    """Finished bytes in the store."""

    path: Path
    byte_count: int
    key: str
    statistics: PixelStatistics | None = None


OnStored = Callable[[Session, StoredResult], None]


class Renderer:
    """Computes and keeps results.

    Previews have two slots of their own, so that slow files never hold them up; a key is computed by one holder
    at a time.
    """

    def __init__(self, workshop: Workshop, files_at_once: int = 2, kept_bytes: int = PIXEL_CACHE_BYTES) -> None:
        self._workshop = workshop
        self._preview_slots = threading.BoundedSemaphore(2)
        self._file_slots = threading.BoundedSemaphore(files_at_once)
        self._underway: dict[str, threading.Event] = {}  # files that this process computes, by their keys
        self._previews: CappedCache[str, bytes] = CappedCache(PREVIEW_CACHE_BYTES, len)
        self._pixels: CappedCache[Hashable, pyvips.Image] = CappedCache(kept_bytes, bytes_of)

    def preview(self, rendering: RenderRequest) -> bytes:
        """Encoded bytes for the screen, kept in memory only."""
        key = rendering.key
        held = self._previews.get(key)
        if held is None:
            with self._preview_slots, self._workshop.heavy(rendering.chosen.placement.canvas.pixels):
                held = _encoded(self._drawn(rendering), rendering)
            self._previews.put(key, held)
        return held

    def draft(self, rendering: RenderRequest) -> tuple[bytes, AnyPixels]:
        """Encoded bytes and pixels of what a moving control asks for; kept nowhere, as the next ones follow."""
        with self._preview_slots:
            image = composed(rendering.source, self._resampled_window(rendering), rendering.chosen, rendering.assets)
            pixels: AnyPixels = image.numpy()
            if rendering.format == JPEG:
                return jpeg.draft(pixels[..., :3], DRAFT_QUALITY), pixels
            return encode(image, rendering.format, rendering.encoding), pixels

    def pixels(self, rendering: RenderRequest) -> AnyPixels:
        """The pixels of what is asked for: height × width × 3 or 4 bytes."""
        with self._preview_slots:
            pixels: AnyPixels = self._drawn(rendering).numpy()
        return pixels

    def marked_preview(self, rendering: RenderRequest) -> bytes:
        """A preview on which clipped ends are marked."""
        image = pyvips.Image.new_from_array(marked(self.pixels(rendering)), interpretation="srgb")
        return encode(image, PNG, Encoding(None))

    def render_file(
        self, rendering: RenderRequest, on_stored: OnStored | None = None, holder: str = ""
    ) -> StoredResult:
        """The finished file, computed unless it is in the store already.

        `note` writes down what it was made for, in the transaction that says it is there. `holder` names who computes
        it, so that others can free what it held where it is gone.
        """
        key, holder = rendering.key, holder or self._workshop.new_holder()
        deadline, looks = time.monotonic() + MAX_WAITED_S, 0
        while True:
            check_wanted()
            if time.monotonic() > deadline:
                raise UnavailableError("Somebody else's computer is still at this file. Try again in a minute.")
            done, mine = self._done_or_mine(key, holder, on_stored)
            if done is not None:
                return done
            if mine:
                return self._render_as(holder, key, rendering, on_stored)
            self._wait(key, looks)
            looks += 1

    def overlay(self, rendering: RenderRequest) -> bytes:
        """What is drawn onto the finished size, alone on a clear ground, as PNG; no larger than a screen needs."""
        with self._preview_slots:
            drawn = draw_finish(rendering.chosen, rendering.assets, OVERLAY_EDGE)
            return encode(drawn, PNG, Encoding(None, hurried=True))

    def _wait(self, key: str, looks: int) -> None:
        """Until it may be there: at once where this process computes it, else longer after each look in vain."""
        underway = self._underway.get(key)
        if underway is not None:
            underway.wait(LONGEST_WAIT_S)
        else:
            time.sleep(min(FIRST_WAIT_S * 1.5**looks, LONGEST_WAIT_S))

    def known(self, rendering: RenderRequest) -> StoredResult | None:
        """The finished file where it is in the store already."""
        with self._workshop.database.begin() as session:
            return self._done(session, rendering.key)

    def raster(self, state: PictureState, document: PictureDocument) -> Raster:
        """A document's picture on the canonical raster: what automatic steps look at."""
        canonical = Size(CANONICAL_EDGE, CANONICAL_EDGE)
        with self._preview_slots:
            image = self._drawn(for_screen(self._workshop, state, canonical, document))
        return Raster(image.numpy(), document.geometry(state.facts.upright))

    def enlargement(self, rendering: RenderRequest, plainly: bool) -> bytes:
        """The middle of an enlarged result at actual pixels, as PNG; or the same enlarged plainly, to compare."""
        with self._preview_slots:
            image = self._drawn(rendering)
            if plainly:
                placement = rendering.chosen.placement
                own = Size(max(1, round(placement.window.width)), max(1, round(placement.window.height)))
                small = draw(
                    rendering.source,
                    replace(rendering.chosen, placement=Placement(placement.window, own, 0, 0, own), finish=()),
                )
                across, down = placement.drawn.width / own.width, placement.drawn.height / own.height
                image = small.affine((across, 0, 0, down), interpolate=pyvips.Interpolate.new("bilinear"))
            width, height = min(COMPARED.width, image.width), min(COMPARED.height, image.height)
            part = image.crop((image.width - width) // 2, (image.height - height) // 2, width, height)
            return encode(part, PNG, Encoding(None))

    def compressed_again(self, rendering: RenderRequest) -> bytes:
        """The finished file as a place shows it that compresses everything once more, as JPEG; only to look at."""
        again = pyvips.Image.new_from_file(str(self.render_file(rendering).path)).colourspace("srgb")
        flat = again.flatten(background=255) if again.hasalpha() else again
        with self._preview_slots:
            return encode(flat, JPEG, Encoding(COMPRESSED_AGAIN_AT))

    def suggest_focal_point(self, state: PictureState) -> Point:
        """The content point of the prepared picture that draws attention."""
        raster = self.raster(state, state.document)
        found = focal_point(raster.pixels)
        geometry = raster.geometry
        return geometry.held_content(Point(found.x * geometry.size.width, found.y * geometry.size.height))

    def _compute(self, rendering: RenderRequest) -> tuple[bytes, PixelStatistics]:
        """The encoded bytes of what is asked for, and how it looks."""
        image = self._drawn(rendering)
        return _encoded(image, rendering), statistics_of(image.numpy())

    def _drawn(self, rendering: RenderRequest) -> pyvips.Image:
        key = rendering.pixels_key
        image = self._pixels.get(key)
        if image is None:
            image = composed(rendering.source, self._resampled_window(rendering), rendering.chosen, rendering.assets)
            self._pixels.put(key, image)
        return image

    def _resampled_window(self, rendering: RenderRequest) -> pyvips.Image:
        """The framed part before its treatment, kept so that a moving slider does not frame it again."""
        key = rendering.resampled_key
        part = self._pixels.get(key)
        if part is None:
            part = resampled_window(rendering.source, rendering.chosen)
            if part.width * part.height <= KEPT_UP_TO_PIXELS:
                self._pixels.put(key, part)
        return part

    def _done(self, session: Session, key: str) -> StoredResult | None:
        row = _row(session, key)
        return self._of_row(row) if row is not None else None

    def _of_row(self, row: Result) -> StoredResult | None:
        """The file that a row speaks of, where it is still there."""
        try:
            path = self._workshop.results.path(row.blob_sha256 or "")
            if path.stat().st_size != row.byte_count:
                return None
        except FileNotFoundError:
            return None
        statistics = None if row.busy_share is None else PixelStatistics(row.busy_share, row.fineness)
        return StoredResult(path, row.byte_count or 0, row.key_sha256, statistics)

    def _done_or_mine(self, key: str, holder: str, on_stored: OnStored | None) -> tuple[StoredResult | None, bool]:
        """The file that is there already, or else whether the holder may compute it."""
        try:
            with self._workshop.database.begin() as session:
                row = _row(session, key)
                done = self._of_row(row) if row is not None else None
                if row is None:
                    session.execute(insert(Result).values(_new(key, holder)))
                elif done is None:  # its file is gone or cut: free for whoever takes it
                    session.execute(_free(Result.id == row.id, Result.blob_sha256 == row.blob_sha256))
                    return None, False
                else:
                    if now() - row.used_at > USED_EVERY:
                        row.used_at = now()
                    if on_stored is not None:
                        on_stored(session, done)
            return done, done is None
        except IntegrityError:
            with self._workshop.database.begin() as session:
                taken = session.execute(
                    update(Result)
                    .where(
                        Result.key_sha256 == key,
                        Result.blob_sha256.is_(None),
                        Result.lease_until <= database_clock(),
                    )
                    .values(holder=holder, lease_until=from_now(LEASE))
                )
                return None, bool(taken.rowcount == 1)  # type: ignore[attr-defined]

    def _render_as(self, holder: str, key: str, rendering: RenderRequest, on_stored: OnStored | None) -> StoredResult:
        self._underway[key] = ended = threading.Event()
        try:
            return self._render_held(holder, key, rendering, on_stored)
        finally:
            self._underway.pop(key, None)
            ended.set()

    def _render_held(
        self, holder: str, key: str, rendering: RenderRequest, on_stored: OnStored | None
    ) -> StoredResult:
        try:
            with self._file_slots, self._workshop.heavy(rendering.chosen.placement.canvas.pixels):
                content, statistics = self._compute(rendering)
            blob = self._workshop.results.put(content)
        except BaseException:
            with self._workshop.database.begin() as session:
                session.execute(_free(Result.key_sha256 == key, Result.holder == holder))
            raise
        composed = StoredResult(self._workshop.results.path(blob), len(content), key, statistics)
        with self._workshop.database.begin() as session:
            values = {"blob_sha256": blob, "byte_count": len(content), "used_at": now(), **asdict(statistics)}
            _record(session, holder, key, **values)
            if on_stored is not None:
                on_stored(session, composed)
        return composed


def _row(session: Session, key: str) -> Result | None:
    return session.scalar(select(Result).where(Result.key_sha256 == key, Result.blob_sha256.is_not(None)))


def _record(session: Session, holder: str, key: str, **values: object) -> None:
    """Written by whoever holds it only; the file itself is the same whoever made it."""
    writing = update(Result).where(Result.key_sha256 == key, Result.holder == holder)
    session.execute(writing.values(**values).execution_options(synchronize_session=False))


def _encoded(image: pyvips.Image, rendering: RenderRequest) -> bytes:
    check_wanted()
    try:
        return encode(image, rendering.format, rendering.encoding)
    except pyvips.Error as error:
        raise UnavailableError(
            f"{rendering.size} could not be written as {rendering.format.label}. Try again, or choose another format."
        ) from error


def _new(key: str, holder: str) -> dict[str, object]:
    moment = now()
    return {
        "key_sha256": key,
        "holder": holder,
        "lease_until": from_now(LEASE),
        "created_at": moment,
        "used_at": moment,
    }


def _free(*where: ColumnElement[bool]) -> Update:
    """A result that whoever wants it may compute at once."""
    return update(Result).where(*where).values(blob_sha256=None, byte_count=None, lease_until=database_clock())


def release_leases_of(session: Session, holder: str) -> None:
    """What somebody held who is gone is free at once."""
    session.execute(_free(Result.holder == holder, Result.blob_sha256.is_(None)))


def release_leases(workshop: Workshop) -> None:
    """After a restart nobody of this installation computes any more: what its killed processes held is free."""
    with workshop.database.begin() as session:
        mine = Result.holder.startswith(workshop.installation)
        session.execute(_free(mine, Result.blob_sha256.is_(None)))


def forget_result(workshop: Workshop, blob_sha256: str) -> None:
    """A stored file is not what it was: it is made anew when it is wanted next."""
    with workshop.database.begin() as session:
        session.execute(_free(Result.blob_sha256 == blob_sha256))
    workshop.results.remove(blob_sha256)
