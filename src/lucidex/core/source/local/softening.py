"""Softening a part: a Gaussian, a lens's disc, a movement's line, or squares.

A disc is what a point of light out of focus becomes, so it is averaged in light, not in encoded values. What is wide
is computed on averages of blocks and enlarged again: nothing finer is left in it. Blocks are counted from the
original's corner, so that a pixel comes out the same whatever part is asked for.
"""

import math
from dataclasses import dataclass
from enum import StrEnum

import cv2
import numpy as np

from lucidex.core.areas.area import Area
from lucidex.core.areas.coverage_kernel import stroke_coverage
from lucidex.core.areas.sight import Sight
from lucidex.core.geometry.sizes import Box, Point, Size
from lucidex.core.source.derivation import LocalChange, OfBox, StoredPixels
from lucidex.core.source.local.blending import (
    Floats32,
    blurred,
    colours_of,
    mixed_in,
    opaque_floats,
    padded_part,
)
from lucidex.core.source.pyramid import AnyPixels

LIGHT_EXPONENT = 2.2  # of encoded values, close enough for an average of light
KEPT_SIGMA, KEPT_RADIUS = 6.0, 12.0  # of block averages: below it reducing would be seen
SIGMAS = 3.5  # how far a Gaussian is looked at
THINNEST_LINE = 0.6  # radius in pixels


class Softness(StrEnum):
    """The kinds."""

    SOFT = "soft"
    LENS = "lens"
    MOTION = "motion"
    COARSE = "coarse"


@dataclass(frozen=True)
class LocalSoftening(LocalChange):
    """`radius` is a fraction of the upright original's shorter side: a Gaussian's standard deviation, a disc's
    radius, half a movement or half a square. `direction_degrees` turns clockwise from level."""

    area: Area
    kind: Softness
    radius: float
    direction_degrees: float = 0.0

    def box(self, stored: Size, orientation: int) -> Box | None:
        """Around the area and its soft edge."""
        return self.area.box(Sight.of_stored(stored, orientation), stored)

    def prepared(self, stored: StoredPixels) -> OfBox:
        """Needs no look at the whole."""
        radius = self.radius * stored.sight.unit_at(Point(0.5, 0.5))
        ways = {
            Softness.SOFT: _gaussian,
            Softness.LENS: _disc,
            Softness.MOTION: self._line,
            Softness.COARSE: _squares,
        }

        def changed(part: Box) -> AnyPixels:
            mask = self.area.mask(stored.sight, part)
            if not mask.any():
                return stored.part(part).copy()
            return mixed_in(stored, part, ways[self.kind](stored, part, radius), mask)

        return changed

    def _line(self, stored: StoredPixels, part: Box, radius: float) -> Floats32:
        turn, middle = math.radians(self.direction_degrees), Point(0.5, 0.5)
        back = stored.sight.from_upright.linear_at(middle)
        along = back.map(Point(math.cos(turn), math.sin(turn)))
        reach = math.ceil(radius) + 2
        kernel = np.zeros((2 * reach + 1, 2 * reach + 1), np.float32)
        ends = [[reach + 0.5 + way * radius * along.x, reach + 0.5 + way * radius * along.y] for way in (-1, 1)]
        stroke_coverage(np.array(ends), THINNEST_LINE, 0.0, kernel)
        return _filtered(stored, part, kernel, 1, 1.0)


def _gaussian(stored: StoredPixels, part: Box, sigma: float) -> Floats32:
    factor = max(1, int(sigma / KEPT_SIGMA))
    values, left, top = _reduced(stored, part, math.ceil(SIGMAS * sigma) + 2 * factor, factor)
    # averaging over blocks and enlarging linearly have blurred a little already
    rest = math.sqrt(max(sigma**2 - (factor**2 - 1) / 12 - (factor**2 - 1) / 6, 0.01)) / factor
    return colours_of(stored, _enlarged(blurred(values, rest), part, left, top, factor))


def _disc(stored: StoredPixels, part: Box, radius: float) -> Floats32:
    factor = max(1, int(radius / KEPT_RADIUS))
    rest = radius / factor
    reach = math.ceil(rest) + 1
    kernel = np.zeros((2 * reach + 1, 2 * reach + 1), np.float32)
    stroke_coverage(np.array([[reach + 0.5, reach + 0.5]]), rest, 0.0, kernel)
    return _filtered(stored, part, kernel, factor, LIGHT_EXPONENT)


def _filtered(stored: StoredPixels, part: Box, kernel: Floats32, factor: int, exponent: float) -> Floats32:
    """The colours of a part, averaged by a kernel of block averages, in values raised to an exponent."""
    reach = (kernel.shape[0] // 2 + 2) * factor
    values, left, top = _reduced(stored, part, reach, factor, exponent)
    soft = cv2.filter2D(values, cv2.CV_32F, kernel / kernel.sum(), borderType=cv2.BORDER_REPLICATE)
    colours = colours_of(stored, _enlarged(soft.reshape(values.shape), part, left, top, factor))
    if exponent == 1:
        return colours
    held: Floats32 = np.clip(colours / stored.opaque, 0, 1) ** (1 / exponent) * stored.opaque
    return held


def _squares(stored: StoredPixels, part: Box, radius: float) -> Floats32:
    side = max(1, round(2 * radius))
    values, left, top = _reduced(stored, part, side, side)
    x = (np.arange(part.size.width) + part.left - left) // side
    y = (np.arange(part.size.height) + part.top - top) // side
    return colours_of(stored, values[y][:, x])


def _reduced(
    stored: StoredPixels, part: Box, reach: int, factor: int, exponent: float = 1.0
) -> tuple[Floats32, int, int]:
    """Averages of factor × factor blocks, counted from the original's corner, around a part; and where they begin.

    Beyond the picture its edge goes on.
    """
    left, top = (part.left - reach) // factor * factor, (part.top - reach) // factor * factor
    right = -(-(part.left + part.size.width + reach) // factor) * factor
    bottom = -(-(part.top + part.size.height + reach) // factor) * factor
    pixels, there = padded_part(stored, Box(left, top, Size(right - left, bottom - top)), 0)
    values = opaque_floats(stored, pixels)
    if exponent != 1:
        values = _in_light(stored, values, exponent)
    before, above = there.left - left, there.top - top
    behind, below = right - there.left - there.size.width, bottom - there.top - there.size.height
    values = cv2.copyMakeBorder(values, above, below, before, behind, cv2.BORDER_REPLICATE)
    if factor == 1:
        return values.reshape(bottom - top, right - left, -1), left, top
    size = values.shape[1] // factor, values.shape[0] // factor
    means = cv2.resize(values, size, interpolation=cv2.INTER_AREA)
    return means.reshape(size[1], size[0], -1), left, top


def _in_light(stored: StoredPixels, values: Floats32, exponent: float) -> Floats32:
    bands = stored.colour_bands
    light = values.copy()
    colours = colours_of(stored, values) / stored.opaque
    light[..., :bands] = np.clip(colours, 0, 1) ** exponent * stored.opaque
    if stored.has_alpha:
        light[..., :bands] *= values[..., -1:]
    return light


def _enlarged(values: Floats32, part: Box, left: int, top: int, factor: int) -> Floats32:
    """Block averages at the pixels of a part, joined linearly."""
    if factor == 1:
        y, x = part.top - top, part.left - left
        return values[y : y + part.size.height, x : x + part.size.width]
    across = (np.arange(part.size.width, dtype=np.float32) + part.left - left + 0.5) / factor - 0.5
    down = (np.arange(part.size.height, dtype=np.float32) + part.top - top + 0.5) / factor - 0.5
    at_x, at_y = np.meshgrid(across, down)
    enlarged = cv2.remap(values, at_x, at_y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return enlarged.reshape(*at_x.shape, values.shape[2]).astype(np.float32)
