"""From a request to pixels: what is framed and treated, kept for whoever asks for the same next."""

import threading
from collections.abc import Hashable

import numpy as np
import pyvips

from lucidex.core.cancellation import check_wanted
from lucidex.core.encode import Encoded, decode_8_bits, encode_found
from lucidex.core.errors import UnavailableError
from lucidex.core.picture.colour import in_8_bits
from lucidex.core.render import Composition, composed, resampled_window
from lucidex.core.source.pyramid import AnyPixels
from lucidex.services.house.caches import CappedCache, bytes_of
from lucidex.services.rendering.render_requests import RenderRequest

PIXEL_CACHE_BYTES = 256_000_000
KEPT_UP_TO_PIXELS = 8_000_000
SHOWN_AT_ONCE = 2


class Composer:
    """Computes pixels and keeps the latest of them.

    What is shown has slots of its own (`shown`), so that slow files never hold it up.
    """

    def __init__(self, kept_bytes: int = PIXEL_CACHE_BYTES) -> None:
        self.shown = threading.BoundedSemaphore(SHOWN_AT_ONCE)
        self._parts: CappedCache[Hashable, pyvips.Image] = CappedCache(kept_bytes // 2, bytes_of)
        self._compositions: CappedCache[str, Composition] = CappedCache(
            kept_bytes // 2, lambda one: bytes_of(one.image)
        )

    def composed(self, rendering: RenderRequest) -> Composition:
        """What comes out, kept nowhere."""
        return composed(rendering.source, self._resampled_window(rendering), rendering.chosen, rendering.assets)

    def composition(self, rendering: RenderRequest) -> Composition:
        """What comes out, and what was found meanwhile; kept."""
        made = self._compositions.get(rendering.pixels_key)
        if made is None:
            made = self.composed(rendering)
            self._compositions.put_if_absent(rendering.pixels_key, made)
        return made

    def drawn(self, rendering: RenderRequest) -> pyvips.Image:
        """What comes out, in 8 bits: to be looked at, and to compare with."""
        return in_8_bits(self.composition(rendering).image)

    def _resampled_window(self, rendering: RenderRequest) -> pyvips.Image:
        """The framed part before its treatment, kept so that a moving slider does not frame it again."""
        key = rendering.resampled_key
        part = self._parts.get(key)
        if part is None:
            part = resampled_window(rendering.source, rendering.chosen)
            if part.width * part.height <= KEPT_UP_TO_PIXELS:
                self._parts.put_if_absent(key, part)
        return part


def on_ground(image: pyvips.Image, rendering: RenderRequest) -> AnyPixels:
    """Three bands of what is seen on the ground of a place."""
    flat = image.flatten(background=list(rendering.encoding.ground)) if image.hasalpha() else image
    return np.ascontiguousarray(flat.numpy()[..., :3])


def shown_by(content: bytes, rendering: RenderRequest) -> AnyPixels:
    """What a file shows, as three bands."""
    return on_ground(decode_8_bits(content, rendering.format), rendering)


def written(image: pyvips.Image, rendering: RenderRequest) -> Encoded:
    """The file of some pixels. UnavailableError where it cannot be written."""
    check_wanted()
    try:
        return encode_found(image, rendering.format, rendering.encoding)
    except pyvips.Error as error:
        raise UnavailableError(
            f"{rendering.size} could not be written as {rendering.format.label}. Try again, or choose another format."
        ) from error
