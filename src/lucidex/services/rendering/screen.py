"""What is only looked at: previews, drafts of moving controls, parts at their own pixels. Kept in memory only."""

from dataclasses import replace

import numpy as np
import pyvips

from lucidex.core.encode import JPEG, PNG, Effort, Encoding, FormatName, decode_8_bits, encode, jpeg
from lucidex.core.errors import OutOfRangeError
from lucidex.core.finish.assets import Assets
from lucidex.core.finish.canvas import total_margins
from lucidex.core.geometry.fit import Placement
from lucidex.core.geometry.sizes import Box, Size, Window
from lucidex.core.picture.tone.clipping import marked
from lucidex.core.render import draw, draw_alone, draw_finish, reduced, under
from lucidex.core.source.pyramid import AnyPixels
from lucidex.core.steps.bands import FinishStep
from lucidex.services.house.caches import CappedCache
from lucidex.services.house.workshop import Workshop
from lucidex.services.rendering.composing import Composer, written
from lucidex.services.rendering.files import Files
from lucidex.services.rendering.render_requests import PREVIEW_QUALITY, RenderRequest
from lucidex.services.rendering.results import StoredResult

COMPRESSED_AGAIN_AT = 70  # what places that compress everything again commonly do
OVERLAY_EDGE = 1_600
DRAFT_QUALITY = 86  # while a control moves; the picture that stays has a preview's quality
COMPARED = Size(560, 420)
PREVIEW_CACHE_BYTES = 96_000_000


class Screen:
    """Draws what is only looked at."""

    def __init__(self, workshop: Workshop, composer: Composer, files: Files) -> None:
        self._workshop, self._composer, self._files = workshop, composer, files
        self._previews: CappedCache[str, bytes] = CappedCache(PREVIEW_CACHE_BYTES, len)

    def preview(self, rendering: RenderRequest) -> bytes:
        """Encoded bytes for the screen, kept in memory only."""
        key = rendering.key
        held = self._previews.get(key)
        if held is None:
            with self._composer.shown, self._workshop.heavy(rendering.chosen.placement.canvas.pixels):
                held = written(self._composer.drawn(rendering), rendering).content
            self._previews.put_if_absent(key, held)
        return held

    def draft(self, rendering: RenderRequest) -> tuple[bytes, AnyPixels]:
        """Encoded bytes and pixels of what a moving control asks for; kept nowhere, as the next ones follow."""
        with self._composer.shown:
            image = self._composer.composed(rendering).image
            pixels: AnyPixels = image.numpy()
            if rendering.format == JPEG:
                return jpeg.draft(pixels[..., :3], DRAFT_QUALITY), pixels
            return encode(image, rendering.format, rendering.encoding), pixels

    def pixels(self, rendering: RenderRequest) -> AnyPixels:
        """The pixels of what is asked for: height × width × 3 or 4 bytes."""
        with self._composer.shown:
            pixels: AnyPixels = self._composer.drawn(rendering).numpy()
        return pixels

    def marked_preview(self, rendering: RenderRequest) -> bytes:
        """A preview on which clipped ends are marked."""
        image = pyvips.Image.new_from_array(marked(self.pixels(rendering)), interpretation="srgb")
        return encode(image, PNG, Encoding(None))

    def overlay(self, rendering: RenderRequest) -> bytes:
        """What is drawn onto the finished size, alone on a clear ground, as PNG; no larger than a screen needs."""
        with self._composer.shown:
            chosen = reduced(rendering.source, rendering.chosen, OVERLAY_EDGE)
            below = self._composer.drawn(replace(rendering, chosen=under(chosen)))
            drawn = draw_finish(rendering.source, chosen, below, rendering.assets)
            return encode(drawn, PNG, Encoding(None, effort=Effort.DRAFT))

    def finished_draft(self, rendering: RenderRequest, longest: int) -> tuple[bytes, str]:
        """A finished size as it will be, its sides `longest` pixels at most, and its media type; only to look at.

        Framed and treated at that size, so that it is there long before a file is that keeps a ceiling.
        """
        suits = PNG if rendering.format.output.keeps_clear else JPEG
        small = replace(rendering, chosen=reduced(rendering.source, rendering.chosen, longest))
        with self._composer.shown, self._workshop.heavy(small.size.pixels):
            shown = replace(
                rendering.encoding, quality=PREVIEW_QUALITY if suits == JPEG else None, max_bytes=None,
                effort=Effort.DRAFT, pixels_per_inch=None,
            )  # fmt: skip
            return encode(self._composer.drawn(small), suits, shown), suits.output.media_type

    def finished_part(self, rendering: RenderRequest, part: Window | None, box: Size) -> bytes:
        """A finished size before it is encoded, or a part of it, reduced to `box`; only to look at."""
        with self._composer.shown, self._workshop.heavy(rendering.size.pixels):
            image = self._composer.drawn(rendering)
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
        with self._composer.shown, self._workshop.heavy(without.size.pixels):
            inner = total_margins(without.chosen.finish).box(without.size)
            below = self._composer.drawn(without)
            drawn = draw_alone(thing, without.size, inner, below, part, assets)
            return encode(drawn, PNG, Encoding(None, effort=Effort.DRAFT))

    def enlargement(self, rendering: RenderRequest, plainly: bool) -> bytes:
        """The middle of an enlarged result at actual pixels, as PNG; or the same enlarged plainly, to compare."""
        with self._composer.shown:
            image = self._composer.drawn(rendering)
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
        with self._composer.shown:
            return encode(self._composer.drawn(rendering), PNG, Encoding(None, effort=Effort.DRAFT))

    def compressed_again(self, rendering: RenderRequest) -> bytes:
        """The finished file as a place shows it that compresses everything once more, as JPEG; only to look at."""
        again = self.image(self._files.render_file(rendering), rendering.format)
        flat = again.flatten(background=255) if again.hasalpha() else again
        with self._composer.shown:
            return encode(flat, JPEG, Encoding(COMPRESSED_AGAIN_AT))

    def part_of(self, pixels: AnyPixels) -> bytes:
        """Some pixels as PNG; only to look at."""
        image = pyvips.Image.new_from_array(np.ascontiguousarray(pixels), interpretation="srgb")
        return encode(image, PNG, Encoding(None, effort=Effort.DRAFT))

    def image(self, result: StoredResult, name: FormatName) -> pyvips.Image:
        """A finished file, decoded, as 8 bits of sRGB: only to look at."""
        return decode_8_bits(self._files.content(result), name)

    def reduced(self, result: StoredResult, name: FormatName, box: Size) -> pyvips.Image:
        """A finished file, decoded and reduced until it fits into a box."""
        return self.image(result, name).thumbnail_image(box.width, height=box.height, size="down")

    def shown(self, result: StoredResult, name: FormatName) -> bytes:
        """A finished file in a format that no browser shows, as PNG; only to look at."""
        return encode(self.image(result, name), PNG, Encoding(None, effort=Effort.DRAFT))
