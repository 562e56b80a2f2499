"""Renderings: previews for the screen, finished files for places. Both come from the same `core.render`."""

import threading
import time
from collections.abc import Callable
from dataclasses import asdict, dataclass, replace
from datetime import timedelta
from pathlib import Path

import pyvips
from sqlalchemy import ColumnElement, Update, select, update
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from lucidex.core.attention import CANONICAL_EDGE, focal_point
from lucidex.core.cancelling import check_wanted
from lucidex.core.content import Raster
from lucidex.core.document import PictureDocument
from lucidex.core.encode import Encoding, FormatName, encode, jpeg
from lucidex.core.errors import UnavailableError
from lucidex.core.geometry import Placement, Point, Size
from lucidex.core.levels import AnyPixels
from lucidex.core.looking import Look, look_of
from lucidex.core.render import draw, finished, framed
from lucidex.core.tone.clipping import marked
from lucidex.records.database import database_clock, from_now
from lucidex.records.models import Result, now
from lucidex.services.caching import CappedCache, bytes_of
from lucidex.services.prepare import PictureState
from lucidex.services.wanted import Wanted, for_screen
from lucidex.services.workshop import Workshop

COMPRESSED_AGAIN_AT = 70  # what places that compress everything again commonly do
DRAFT_QUALITY = 86  # while a control moves; the picture that stays has a preview's quality
COMPARED = Size(560, 420)
LEASE = timedelta(seconds=120)
MOST_WAITED_S = 150.0
USED_EVERY = timedelta(hours=12)  # how finely it is known when a result was used last
WAIT_BETWEEN_LOOKS_S = 0.05
PREVIEW_CACHE_BYTES = 96_000_000
PIXEL_CACHE_BYTES = 256_000_000
KEPT_UP_TO_PIXELS = 8_000_000


@dataclass(frozen=True)
class Finished:
    """Finished bytes in the store."""

    path: Path
    byte_count: int
    key: str
    look: Look | None = None


Note = Callable[[Session, Finished], None]


class Renderer:
    """Computes and keeps results.

    Previews have two slots of their own, so that slow files never hold them up; a key is computed by one holder
    at a time.
    """

    def __init__(self, workshop: Workshop, files_at_once: int = 2, kept_bytes: int = PIXEL_CACHE_BYTES) -> None:
        self._workshop = workshop
        self._preview_slots = threading.BoundedSemaphore(2)
        self._file_slots = threading.BoundedSemaphore(files_at_once)
        self._previews: CappedCache[bytes] = CappedCache(PREVIEW_CACHE_BYTES, len)
        self._pixels: CappedCache[pyvips.Image] = CappedCache(kept_bytes, bytes_of)

    def preview(self, wanted: Wanted) -> bytes:
        """Encoded bytes for the screen, kept in memory only."""
        key = wanted.key
        held = self._previews.get(key)
        if held is None:
            with self._preview_slots, self._workshop.heavy(wanted.chosen.placement.canvas.pixels):
                held = _encoded(self._drawn(wanted), wanted)
            self._previews.put(key, held)
        return held

    def draft(self, wanted: Wanted) -> tuple[bytes, AnyPixels]:
        """Encoded bytes and pixels of what a moving control asks for; kept nowhere, as the next ones follow."""
        with self._preview_slots:
            image = finished(wanted.source, self._framed(wanted), wanted.chosen, wanted.logos)
            pixels: AnyPixels = image.numpy()
            if wanted.format is FormatName.JPEG:
                return jpeg.draft(pixels[..., :3], DRAFT_QUALITY), pixels
            return encode(image, wanted.format, wanted.encoding), pixels

    def pixels(self, wanted: Wanted) -> AnyPixels:
        """The pixels of what is asked for: height × width × 3 or 4 bytes."""
        with self._preview_slots:
            pixels: AnyPixels = self._drawn(wanted).numpy()
        return pixels

    def marked_preview(self, wanted: Wanted) -> bytes:
        """A preview on which clipped ends are marked."""
        image = pyvips.Image.new_from_array(marked(self.pixels(wanted)), interpretation="srgb")
        return encode(image, FormatName.PNG, Encoding(None))

    def finish(self, wanted: Wanted, note: Note | None = None, holder: str = "") -> Finished:
        """The finished file, computed unless it is in the store already.

        `note` writes down what it was made for, in the transaction that says it is there. `holder` names who computes
        it, so that others can free what it held where it is gone.
        """
        key, holder = wanted.key, holder or self._workshop.new_holder()
        deadline = time.monotonic() + MOST_WAITED_S
        while True:
            check_wanted()
            if time.monotonic() > deadline:
                raise UnavailableError("Somebody else's computer is still at this file. Try again in a minute.")
            done, mine = self._done_or_mine(key, holder, note)
            if done is not None:
                return done
            if mine:
                return self._finish_as(holder, key, wanted, note)
            time.sleep(WAIT_BETWEEN_LOOKS_S)

    def known(self, wanted: Wanted) -> Finished | None:
        """The finished file where it is in the store already."""
        with self._workshop.database.begin() as session:
            return self._done(session, wanted.key)

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
                    wanted.source,
                    replace(wanted.chosen, placement=Placement(placement.window, own, 0, 0, own), stamps=()),
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

    def _compute(self, wanted: Wanted) -> tuple[bytes, Look]:
        """The encoded bytes of what is asked for, and how it looks."""
        image = self._drawn(wanted)
        return _encoded(image, wanted), look_of(image.numpy())

    def _drawn(self, wanted: Wanted) -> pyvips.Image:
        key = wanted.pixels_key
        image = self._pixels.get(key)
        if image is None:
            image = finished(wanted.source, self._framed(wanted), wanted.chosen, wanted.logos)
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

    def _done(self, session: Session, key: str) -> Finished | None:
        row = _row(session, key)
        return self._of_row(row) if row is not None else None

    def _of_row(self, row: Result) -> Finished | None:
        """The file that a row speaks of, where it is still there."""
        try:
            path = self._workshop.results.path(row.blob_sha256 or "")
            if path.stat().st_size != row.byte_count:
                return None
        except FileNotFoundError:
            return None
        look = None if row.busy_share is None else Look(row.busy_share, row.fineness)
        return Finished(path, row.byte_count or 0, row.key_sha256, look)

    def _done_or_mine(self, key: str, holder: str, note: Note | None) -> tuple[Finished | None, bool]:
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
                    if note is not None:
                        note(session, done)
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

    def _finish_as(self, holder: str, key: str, wanted: Wanted, note: Note | None) -> Finished:
        try:
            with self._file_slots, self._workshop.heavy(wanted.chosen.placement.canvas.pixels):
                content, look = self._compute(wanted)
            blob = self._workshop.results.put(content)
        except BaseException:
            with self._workshop.database.begin() as session:
                session.execute(_free(Result.key_sha256 == key, Result.holder == holder))
            raise
        finished = Finished(self._workshop.results.path(blob), len(content), key, look)
        with self._workshop.database.begin() as session:
            values = {"blob_sha256": blob, "byte_count": len(content), "used_at": now(), **asdict(look)}
            _record(session, holder, key, **values)
            if note is not None:
                note(session, finished)
        return finished


def _row(session: Session, key: str) -> Result | None:
    return session.scalar(select(Result).where(Result.key_sha256 == key, Result.blob_sha256.is_not(None)))


def _record(session: Session, holder: str, key: str, **values: object) -> None:
    """Written by whoever holds it only; the file itself is the same whoever made it."""
    session.execute(update(Result).where(Result.key_sha256 == key, Result.holder == holder).values(**values))


def _encoded(image: pyvips.Image, wanted: Wanted) -> bytes:
    check_wanted()
    try:
        return encode(image, wanted.format, wanted.encoding)
    except pyvips.Error as error:
        raise UnavailableError(
            f"{wanted.size} could not be written as {wanted.format.label}. Try again, or choose another format."
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
