"""A colour under everything that is clear."""

from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from lucidex.core.picture.effects.base import Bytes, Effect, View
from lucidex.core.picture.grounds import Colour


@dataclass(frozen=True)
class FillClear(Effect):
    """The picture on a colour, opaque (the over operator: T. Porter and T. Duff, 1984, in sRGB as browsers do it)."""

    colour: Colour
    seat: ClassVar[int] = 6

    def reach(self, unit: float) -> int:
        """Each pixel by itself."""
        return 0

    def on(self, pixels: Bytes, view: View) -> Bytes:
        """Height × width × 3 bytes."""
        if pixels.shape[2] == 3:
            return pixels
        out = np.empty((*pixels.shape[:2], 3), np.uint8)
        alpha = pixels[..., 3].astype(np.uint32)
        for channel, ground in enumerate(self.colour):
            # rounded to the nearest: all terms are whole, so no float copy is made
            out[..., channel] = (pixels[..., channel] * alpha + ground * (255 - alpha) + 127) // 255
        return out
