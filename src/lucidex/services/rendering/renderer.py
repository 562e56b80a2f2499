"""Renderings: previews for the screen, finished files for places. Both come from the same `core.render`."""

import logging
import threading
import time
from collections.abc import Hashable, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextvars import copy_context
from dataclasses import replace

import numpy as np
import pyvips

from lucidex.core.cancellation import check_wanted
from lucidex.core.document import PictureDocument
from lucidex.core.encode import JPEG, PNG, Effort, Encoded, Encoding, decode_8_bits, encode, encode_found, jpeg
from lucidex.core.encode.likeness import Reference
from lucidex.core.encode.passing import passed
from lucidex.core.errors import OutOfRangeError, UnavailableError, UnforeseenError, UserError
from lucidex.core.finish.assets import Assets
from lucidex.core.finish.canvas import total_margins
from lucidex.core.geometry.fit import Placement
from lucidex.core.geometry.sizes import Box, Point, Size, Window
from lucidex.core.picture.colour import in_8_bits
from lucidex.core.picture.content import Raster
from lucidex.core.picture.saliency import CANONICAL_EDGE, focal_point
from lucidex.core.picture.tone.clipping import marked
from lucidex.core.proof.statistics import PixelStatistics, statistics_of
from lucidex.core.render import Composition, composed, draw, draw_alone, draw_finish, reduced, resampled_window, under
from lucidex.core.source.pyramid import AnyPixels
from lucidex.core.stamp import stamped
from lucidex.core.steps.bands import FinishStep
from lucidex.records.models import Result
from lucidex.services.house.caches import CappedCache, bytes_of
from lucidex.services.house.workshop import Workshop
from lucidex.services.pictures.documents import PictureState
from lucidex.services.rendering.leases import leases_kept
from lucidex.services.rendering.render_requests import PREVIEW_QUALITY, RenderRequest, for_screen
from lucidex.services.rendering.results import (
    OnStored,
    StoredResult,
    claim,
    done_or_mine,
    free,
    note_likeness,
    record,
    stored_results,
)

_log = logging.getLogger(__name__)
COMPRESSED_AGAIN_AT = 70  # what places that compress everything again commonly do
OVERLAY_EDGE = 1_600
DRAFT_QUALITY = 86  # while a control moves; the picture that stays has a preview's quality
COMPARED = Size(560, 420)
MAX_WAITED_S = 150.0
FIRST_WAIT_S, LONGEST_WAIT_S = 0.03, 0.5
PREVIEW_CACHE_BYTES = 96_000_000
PIXEL_CACHE_BYTES = 256_000_000
KEPT_UP_TO_PIXELS = 8_000_000
REFERENCES_KEPT = 2  # each up to 60 MB


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
        self._parts: CappedCache[Hashable, pyvips.Image] = CappedCache(kept_bytes // 2, bytes_of)
        self._references: CappedCache[Hashable, Reference] = CappedCache(REFERENCES_KEPT)
        self._compositions: CappedCache[str, Composition] = CappedCache(
            kept_bytes // 2, lambda one: bytes_of(one.image)
        )

    def preview(self, rendering: RenderRequest) -> bytes:
        """Encoded bytes for the screen, kept in memory only."""
        key = rendering.key
        held = self._previews.get(key)
        if held is None:
            with self._preview_slots, self._workshop.heavy(rendering.chosen.placement.canvas.pixels):
                held = _encoded(self._drawn(rendering), rendering).content
            self._previews.put(key, held)
        return held

    def draft(self, rendering: RenderRequest) -> tuple[bytes, AnyPixels]:
        """Encoded bytes and pixels of what a moving control asks for; kept nowhere, as the next ones follow."""
        with self._preview_slots:
            image = self._composed(rendering).image
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

        `on_stored` writes down what it was made for, in the transaction that says it is there. `holder` names who
        computes it, so that others can free what it held where it is gone. What it is made from is made before it is
        claimed: nothing is held while waiting for somebody else.
        """
        key, holder = rendering.key, holder or self._workshop.new_holder()
        if rendering.made_from is not None and key not in self.known([rendering]):
            self.render_file(rendering.made_from, holder=holder)
        deadline, looks = time.monotonic() + MAX_WAITED_S, 0
        while True:
            check_wanted()
            if time.monotonic() > deadline:
                raise UnavailableError("Somebody else's computer is still at this file. Try again in a minute.")
            done, mine = done_or_mine(self._workshop, key, holder, on_stored)
            if done is not None:
                return done
            made = self._render_as(holder, key, rendering, on_stored) if mine else None
            if made is not None:
                return made
            self._wait(key, looks)
            looks += 1

    def overlay(self, rendering: RenderRequest) -> bytes:
        """What is drawn onto the finished size, alone on a clear ground, as PNG; no larger than a screen needs."""
        with self._preview_slots:
            chosen = reduced(rendering.source, rendering.chosen, OVERLAY_EDGE)
            below = self._drawn(replace(rendering, chosen=under(chosen)))
            drawn = draw_finish(rendering.source, chosen, below, rendering.assets)
            return encode(drawn, PNG, Encoding(None, effort=Effort.DRAFT))

    def finished_part(self, rendering: RenderRequest, part: Window | None, box: Size) -> bytes:
        """A finished size before it is encoded, or a part of it, reduced to `box`; only to look at."""
        with self._preview_slots, self._workshop.heavy(rendering.size.pixels):
            image = self._drawn(rendering)
            if part is not None:
                left, top = max(0, round(part.left)), max(0, round(part.top))
                width = min(round(part.width), image.width - left)
                height = min(round(part.height), image.height - top)
                if width < 1 or height < 1:
                    raise OutOfRangeError("This part lies outside the picture.")
                image = image.crop(left, top, width, height)
            if box.width < image.width or box.height < image.height:
                image = image.thumbnail_image(box.width, height=box.height, size="force")
            suits = PNG if image.hasalpha() else JPEG
            return encode(image, suits, Encoding(PREVIEW_QUALITY if suits == JPEG else None, effort=Effort.DRAFT))

    def thing_alone(self, thing: FinishStep, without: RenderRequest, part: Box, assets: Assets) -> bytes:
        """What one thing draws onto a finished size, alone on a clear ground, as PNG, over what is `without` it."""
        with self._preview_slots, self._workshop.heavy(without.size.pixels):
            inner = total_margins(without.chosen.finish).box(without.size)
            below = self._drawn(without)
            drawn = draw_alone(thing, without.size, inner, below, part, assets)
            return encode(drawn, PNG, Encoding(None, effort=Effort.DRAFT))

    def _wait(self, key: str, looks: int) -> None:
        """Until it may be there: at once where this process computes it, else longer after each look in vain."""
        underway = self._underway.get(key)
        if underway is not None:
            underway.wait(LONGEST_WAIT_S)
        else:
            time.sleep(min(FIRST_WAIT_S * 1.5**looks, LONGEST_WAIT_S))

    def known(self, renderings: Sequence[RenderRequest]) -> dict[str, StoredResult]:
        """The finished files that are in the store already, by their keys; asked for together."""
        with self._workshop.database.begin() as session:
            return stored_results(session, self._workshop.results, [one.key for one in renderings])

    def render_together(self, renderings: Sequence[RenderRequest]) -> dict[str, StoredResult | UserError]:
        """Several finished files, by their keys: leased, computed and recorded together, two at a time.

        What others are made from comes first. One that cannot be made is told apart by its error. What somebody else
        computes is waited for, and nothing is held meanwhile.
        """
        asked = {one.key: one for one in renderings}
        found: dict[str, StoredResult | UserError] = {**self.known([*asked.values()])}
        missing = {key: one for key, one in asked.items() if key not in found}
        bases = {base.key: base for one in missing.values() if (base := one.made_from) is not None}
        if bases:
            alone = {key: one for key, one in missing.items() if one.made_from is None}
            made = self.render_together([*(alone | bases).values()])
            found |= {key: made[key] for key in alone}
            for key, one in missing.items():
                if one.made_from is not None and isinstance(failed := made[one.made_from.key], UserError):
                    found[key] = failed
        return found | self._made_side_by_side({key: one for key, one in missing.items() if key not in found})

    def _made_side_by_side(self, asked: dict[str, RenderRequest]) -> dict[str, StoredResult | UserError]:
        """Files of which none is made from another, and of which nobody knew that they are there."""
        holder = self._workshop.new_holder()
        with self._workshop.database.begin() as session:
            mine = claim(session, [*asked], holder)
        found = self._computed_together(holder, [asked[key] for key in asked if key in mine])
        with self._workshop.database.begin() as session:
            for key, result in [*found.items()]:
                if not isinstance(result, StoredResult):
                    free(session, Result.key_sha256 == key, Result.holder == holder)
                elif not record(session, holder, result, asked[key].source_key.original):
                    del found[key]  # somebody took it over
        for key, one in asked.items():
            if key not in found:
                try:
                    found[key] = self.render_file(one)
                except UserError as error:
                    found[key] = error
        return found

    def _computed_together(self, holder: str, renderings: list[RenderRequest]) -> dict[str, StoredResult | UserError]:
        def made(rendering: RenderRequest) -> StoredResult | UserError:
            try:
                return self._computed(rendering)
            except UserError as error:
                return error
            except Exception as error:  # noqa: BLE001 - it ends this file and not the others
                _log.exception("result %s", rendering.key)
                return UnforeseenError(f"{type(error).__name__} while it was made; the log says more.")

        if not renderings:
            return {}
        events = {one.key: threading.Event() for one in renderings}
        self._underway.update(events)
        try:
            with leases_kept(self._workshop, holder), ThreadPoolExecutor(2) as pool:
                contexts = [copy_context() for _ in renderings]
                done = list(pool.map(lambda context, one: context.run(made, one), contexts, renderings))
        except BaseException:
            with self._workshop.database.begin() as session:
                free(session, Result.holder == holder)
            raise
        finally:
            for key, event in events.items():
                self._underway.pop(key, None)
                event.set()
        return {one.key: result for one, result in zip(renderings, done, strict=True)}

    def raster(self, state: PictureState, document: PictureDocument, edge: int = CANONICAL_EDGE) -> Raster:
        """A document's picture on the canonical raster, or a finer one: what automatic steps look at."""
        canonical = Size(edge, edge)
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

    def uncompressed(self, rendering: RenderRequest) -> bytes:
        """The pixels of a file before it is encoded, as PNG; only to look at."""
        with self._preview_slots:
            return encode(self._drawn(rendering), PNG, Encoding(None, effort=Effort.DRAFT))

    def compressed_again(self, rendering: RenderRequest) -> bytes:
        """The finished file as a place shows it that compresses everything once more, as JPEG; only to look at."""
        again = self.image(self.render_file(rendering))
        flat = again.flatten(background=255) if again.hasalpha() else again
        with self._preview_slots:
            return encode(flat, JPEG, Encoding(COMPRESSED_AGAIN_AT))

    def judged(self, rendering: RenderRequest) -> tuple[StoredResult, float]:
        """The finished file, and its likeness to the pixels before they were encoded, 0 to 100."""
        result = self.render_file(rendering)
        known = result.statistics.likeness if result.statistics else None
        if known is not None:
            return result, known
        with self._preview_slots:
            likeness = self._reference(rendering).likeness(self.pixels_of(result, rendering))
        with self._workshop.database.begin() as session:
            note_likeness(session, rendering.key, likeness)
        return result, likeness

    def pixels_before(self, rendering: RenderRequest) -> AnyPixels:
        """The pixels of a file before they are encoded, on the ground of its place: height × width × 3 bytes."""
        with self._preview_slots, self._workshop.heavy(rendering.size.pixels):
            return _on_ground(self._drawn(rendering), rendering)

    def pixels_of(self, result: StoredResult, rendering: RenderRequest) -> AnyPixels:
        """What a finished file shows on the ground of its place: height × width × 3 bytes."""
        return _pixels_of(self._workshop.results.read(result.blob_sha256), rendering)

    def _reference(self, rendering: RenderRequest) -> Reference:
        """What files of some pixels are compared with; the last one is kept for the next file of the same pixels."""
        key = (rendering.pixels_key, rendering.encoding.ground)
        kept = self._references.get(key)
        if kept is None:
            kept = Reference(_on_ground(self._drawn(rendering), rendering))
            self._references.put(key, kept)
        return kept

    def part_of(self, pixels: AnyPixels) -> bytes:
        """Some pixels as PNG; only to look at."""
        image = pyvips.Image.new_from_array(np.ascontiguousarray(pixels), interpretation="srgb")
        return encode(image, PNG, Encoding(None, effort=Effort.DRAFT))

    def image(self, result: StoredResult) -> pyvips.Image:
        """A finished file, decoded, as 8 bits of sRGB: only to look at."""
        return decode_8_bits(self._workshop.results.read(result.blob_sha256))

    def reduced(self, result: StoredResult, box: Size) -> pyvips.Image:
        """A finished file, decoded and reduced until it fits into a box."""
        return self.image(result).thumbnail_image(box.width, height=box.height, size="down")

    def shown(self, result: StoredResult) -> bytes:
        """A finished file in a format that no browser shows, as PNG; only to look at."""
        return encode(self.image(result), PNG, Encoding(None, effort=Effort.DRAFT))

    def suggest_focal_point(self, state: PictureState) -> Point:
        """The content point of the prepared picture that draws attention."""
        raster = self.raster(state, state.document)
        found = focal_point(raster.pixels)
        geometry = raster.geometry
        return geometry.held_content(Point(found.x * geometry.size.width, found.y * geometry.size.height))

    def _compute(self, rendering: RenderRequest) -> tuple[bytes, PixelStatistics]:
        """The encoded bytes of what is asked for, and how it looks."""
        made = self._composition(rendering)
        pixels = in_8_bits(made.image).numpy()
        if rendering.passage is not None:
            original = self._workshop.originals.read(rendering.source_key.original)
            return passed(original, rendering.passage), statistics_of(pixels)
        file = _encoded(made.image, rendering)
        statistics = replace(statistics_of(pixels), findings=made.findings)
        is_searched = rendering.encoding.max_bytes is not None and file.quality is not None
        if is_searched or rendering.format.output.has_few_colours:
            likeness = self._reference(rendering).likeness(_pixels_of(file.content, rendering))
            statistics = replace(statistics, likeness=likeness, quality=file.quality)
        return file.content, statistics

    def _composed(self, rendering: RenderRequest) -> Composition:
        return composed(rendering.source, self._resampled_window(rendering), rendering.chosen, rendering.assets)

    def _drawn(self, rendering: RenderRequest) -> pyvips.Image:
        """What comes out, in 8 bits: to be looked at, and to compare with."""
        return in_8_bits(self._composition(rendering).image)

    def _composition(self, rendering: RenderRequest) -> Composition:
        made = self._compositions.get(rendering.pixels_key)
        if made is None:
            made = self._composed(rendering)
            self._compositions.put(rendering.pixels_key, made)
        return made

    def _resampled_window(self, rendering: RenderRequest) -> pyvips.Image:
        """The framed part before its treatment, kept so that a moving slider does not frame it again."""
        key = rendering.resampled_key
        part = self._parts.get(key)
        if part is None:
            part = resampled_window(rendering.source, rendering.chosen)
            if part.width * part.height <= KEPT_UP_TO_PIXELS:
                self._parts.put(key, part)
        return part

    def _render_as(
        self, holder: str, key: str, rendering: RenderRequest, on_stored: OnStored | None
    ) -> StoredResult | None:
        """The file, computed and recorded; None where somebody took it over meanwhile."""
        self._underway[key] = ended = threading.Event()
        try:
            with leases_kept(self._workshop, holder):
                return self._render_held(holder, key, rendering, on_stored)
        finally:
            self._underway.pop(key, None)
            ended.set()

    def _render_held(
        self, holder: str, key: str, rendering: RenderRequest, on_stored: OnStored | None
    ) -> StoredResult | None:
        try:
            result = self._computed(rendering)
        except BaseException:
            with self._workshop.database.begin() as session:
                free(session, Result.key_sha256 == key, Result.holder == holder)
            raise
        with self._workshop.database.begin() as session:
            if not record(session, holder, result, rendering.source_key.original):
                return None  # what would be noted has no row yet: whoever took it over writes that
            if on_stored is not None:
                on_stored(session, result)
        return result

    def _computed(self, rendering: RenderRequest) -> StoredResult:
        """Computed and in the store, not yet recorded."""
        base = rendering.made_from
        if base is None:
            content, statistics = self._content(rendering)
        else:
            content, statistics = self._content_of(base)
            content = stamped(content, rendering.format, rendering.stamp)
        return StoredResult(self._workshop.results.put(content), len(content), rendering.key, statistics)

    def _content(self, rendering: RenderRequest) -> tuple[bytes, PixelStatistics | None]:
        with self._file_slots, self._workshop.heavy(rendering.chosen.placement.canvas.pixels):
            return self._compute(rendering)

    def _content_of(self, base: RenderRequest) -> tuple[bytes, PixelStatistics | None]:
        """What another result is made from. It was made before; where it is gone already, nobody is waited for."""
        known = self.known([base]).get(base.key)
        if known is None:
            return self._content(base)
        return self._workshop.results.read(known.blob_sha256), known.statistics


def _on_ground(image: pyvips.Image, rendering: RenderRequest) -> AnyPixels:
    """Three bands of what is seen on the ground of a place."""
    flat = image.flatten(background=list(rendering.encoding.ground)) if image.hasalpha() else image
    return np.ascontiguousarray(flat.numpy()[..., :3])


def _pixels_of(content: bytes, rendering: RenderRequest) -> AnyPixels:
    """What a file shows, as three bands."""
    return _on_ground(decode_8_bits(content), rendering)


def _encoded(image: pyvips.Image, rendering: RenderRequest) -> Encoded:
    check_wanted()
    try:
        return encode_found(image, rendering.format, rendering.encoding)
    except pyvips.Error as error:
        raise UnavailableError(
            f"{rendering.size} could not be written as {rendering.format.label}. Try again, or choose another format."
        ) from error
