"""Copying a spot onto another place, also turned or mirrored, with a soft edge."""

import math
from dataclasses import dataclass
from typing import Annotated, ClassVar, Literal

import cv2
import numpy as np
from pydantic import Field

from lucidex.core.areas.area import held_box
from lucidex.core.areas.shapes import Brushed, Place
from lucidex.core.areas.sight import Sight
from lucidex.core.geometry.sizes import Box, Point, Size
from lucidex.core.geometry.transform import Transform, shift
from lucidex.core.source.derivation import LocalChange, OfBox, StoredPixels
from lucidex.core.source.local.blending import Floats32, colours_of, mixed_in, opaque_floats
from lucidex.core.source.pyramid import AnyPixels


class CloneStroke(Brushed):
    """A stroke whose first point shows what lies at `from_x`, `from_y`, and every other what lies as far from it."""

    kind: Literal["clone"] = "clone"
    from_x: Place
    from_y: Place
    softness: Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)] = 0.5
    words: ClassVar[tuple[str, str]] = ("a copied spot", "copied spots")


@dataclass(frozen=True)
class Cloning(LocalChange):
    """`strength` 0 to 1; what is copied is mirrored left to right, where asked for, then turned clockwise."""

    stroke: CloneStroke
    strength: float
    angle_degrees: float = 0.0
    mirrored: bool = False

    def box(self, stored: Size, orientation: int) -> Box | None:
        """Around the brush."""
        return held_box(self.stroke.bounds(Sight.of_stored(stored, orientation)), stored)

    def prepared(self, stored: StoredPixels) -> OfBox:
        """Needs no look at the whole."""
        back = self._to_source(stored.sight)

        def copied(part: Box) -> AnyPixels:
            mask = np.zeros((part.size.height, part.size.width), np.float32)
            self.stroke.covered(stored.sight, part.left, part.top, mask)
            colours, there = _seen(stored, part, back)
            return mixed_in(stored, part, colours, mask * there * np.float32(self.strength))

        return copied

    def _to_source(self, sight: Sight) -> Transform:
        """From a stored pixel's place to the place that is copied there. An even shift goes by whole pixels."""
        upright = sight.upright
        x, y = self.stroke.path[0]
        to = Point(x * upright.width, y * upright.height)
        source = Point(self.stroke.from_x * upright.width, self.stroke.from_y * upright.height)
        if not self.angle_degrees and not self.mirrored:
            between = shift(round(source.x - to.x), round(source.y - to.y))
        else:
            turn = -math.radians(self.angle_degrees)
            cos, sin, flip = math.cos(turn), math.sin(turn), -1.0 if self.mirrored else 1.0
            between = shift(-to.x, -to.y).then(Transform(flip * cos, -flip * sin, sin, cos, source.x, source.y))
        return sight.from_upright.inverse.then(between).then(sight.from_upright)


def _seen(stored: StoredPixels, part: Box, back: Transform) -> tuple[Floats32, Floats32]:
    """The colours that lie where a part looks for them, and how far there is something."""
    x, y = np.meshgrid(np.arange(part.size.width) + part.left + 0.5, np.arange(part.size.height) + part.top + 0.5)
    at_x, at_y = back.a * x + back.b * y + back.tx - 0.5, back.c * x + back.d * y + back.ty - 0.5
    inside = (at_x > -0.5) & (at_y > -0.5) & (at_x < stored.size.width - 0.5) & (at_y < stored.size.height - 0.5)
    left, top = max(0, math.floor(at_x.min()) - 2), max(0, math.floor(at_y.min()) - 2)
    right, bottom = math.ceil(at_x.max()) + 3, math.ceil(at_y.max()) + 3
    right, bottom = min(right, stored.size.width), min(bottom, stored.size.height)
    if right <= left or bottom <= top:
        nothing = np.zeros((*x.shape, stored.colour_bands), np.float32)
        return nothing, np.zeros(x.shape, np.float32)
    values = opaque_floats(stored, stored.part(Box(left, top, Size(right - left, bottom - top))))
    maps = (at_x - left).astype(np.float32), (at_y - top).astype(np.float32)
    seen = cv2.remap(values, *maps, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    seen = seen.reshape(*x.shape, values.shape[2])
    there = inside.astype(np.float32)
    if stored.has_alpha:
        there *= np.clip(seen[..., -1], 0, 1)
    return colours_of(stored, seen), there
