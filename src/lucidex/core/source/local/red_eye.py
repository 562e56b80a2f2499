"""Red eyes: the flash's light thrown back by what lies behind the pupil. Only that red goes; what is white stays."""

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

from lucidex.core.areas.area import held_box
from lucidex.core.areas.shapes import Ellipse, grown
from lucidex.core.areas.sight import Sight
from lucidex.core.geometry.sizes import Box, Point, Size
from lucidex.core.source.derivation import LocalChange, OfBox, StoredPixels
from lucidex.core.source.local.blending import Floats32, mixed_in
from lucidex.core.source.pyramid import AnyPixels

SKIN_IS_BELOW, PUPIL_FROM = 0.38, 0.58  # how much of the red stands above the other colours
DARKEST_RED = 0.16  # of white: darker red is not seen as red
PALE_FROM, PALE_TO = 0.08, 0.24  # the same within a pupil, whose middle is pale where the flash blinds
CATCH_LIGHT_FROM = 0.6  # of white, in the colours beside red
RIM = 1.10  # times the radius of what is plainly red
DARKENED = 0.25  # of what the other colours have: a pupil is dark
MIDDLE_SHARE = 0.6  # of the radius: where the pupil must begin

Masks = npt.NDArray[Any]


@dataclass(frozen=True)
class RedEyeRemoval(LocalChange):
    """`eye` surrounds the pupil and some of what is around it."""

    eye: Ellipse

    def box(self, stored: Size, orientation: int) -> Box | None:
        """Around the eye."""
        return held_box(grown(self.eye.bounds(Sight.of_stored(stored, orientation)), 2), stored)

    @property
    def is_tiled(self) -> bool:
        """The pupil is looked for in all of it."""
        return False

    def prepared(self, stored: StoredPixels) -> OfBox:
        """The red of the pupil becomes the grey that its other colours make."""

        def changed(part: Box) -> AnyPixels:
            if stored.colour_bands == 1:
                return stored.part(part).copy()
            colours = stored.part(part)[..., :3].astype(np.float32)
            sight = stored.sight
            middle = sight.pixel(Point(self.eye.x, self.eye.y))
            radius = min(self.eye.width, self.eye.height) / 2 * sight.unit_at(Point(self.eye.x, self.eye.y))
            mask = pupil_mask(colours / stored.opaque, Point(middle.x - part.left, middle.y - part.top), radius)
            dark = (colours[..., 1:2] + colours[..., 2:3]) / 2 * DARKENED
            return mixed_in(stored, part, np.repeat(dark, 3, axis=2), mask)

        return changed


def redness(colours: Floats32) -> Floats32:
    """How much of the red stands above the other colours, 0 to 1, of height × width × 3 values of 0 to 1."""
    red, other = colours[..., 0], colours[..., 1:3].max(axis=2)
    share: Floats32 = np.where(red > DARKEST_RED, np.clip(red - other, 0, None) / np.maximum(red, 1e-6), 0)
    return share


def pupil_mask(colours: Floats32, middle: Point, radius: float) -> Masks:
    """What of a raster is the red of the pupil around a point: height × width, 0 to 1.

    All that is red, hangs together, and begins near the middle; it ends with the radius.
    """
    share = np.clip((redness(colours) - SKIN_IS_BELOW) / (PUPIL_FROM - SKIN_IS_BELOW), 0, 1)
    height, width = share.shape
    y, x = np.mgrid[0:height, 0:width] + 0.5
    apart = np.hypot(x - middle.x, y - middle.y)
    share = share * np.clip(radius + 0.5 - apart, 0, 1)
    count, labels = cv2.connectedComponents((share > 0.05).astype(np.uint8), connectivity=8)
    begun = np.unique(labels[(apart <= radius * MIDDLE_SHARE) & (share > 0.5)])
    held = np.isin(labels, begun[begun > 0]) if count > 1 else np.zeros(share.shape, bool)
    if not held.any():
        return np.zeros(share.shape, np.float32)
    pale = np.clip((redness(colours) - PALE_FROM) / (PALE_TO - PALE_FROM), 0, 1)
    pale *= 1 - np.clip((colours[..., 1:3].min(axis=2) - CATCH_LIGHT_FROM) / (1 - CATCH_LIGHT_FROM) * 3, 0, 1)
    mask: Masks = np.where(_disc(held & (share > 0.5)), np.maximum(pale, share), np.where(held, share, 0))
    return cv2.GaussianBlur(mask.astype(np.float32), (3, 3), 0) * (mask > 0)


def _disc(mask: npt.NDArray[np.bool_]) -> npt.NDArray[np.bool_]:
    """The circle around what is set, and a little more: a pupil is round, also where the flash hides a part of it."""
    rows, columns = np.nonzero(mask)
    if rows.size == 0:
        return mask
    (x, y), radius = cv2.minEnclosingCircle(np.stack([columns, rows], axis=1).astype(np.float32))
    down, across = np.mgrid[0 : mask.shape[0], 0 : mask.shape[1]]
    return np.asarray(np.hypot(across - x, down - y) <= radius * RIM + 1)


def find_pupil(colours: Floats32, middle: Point, reach: float) -> tuple[Point, float] | None:
    """The red pupil nearest to a point of a raster of values of 0 to 1, within `reach`: its middle and the radius of
    the circle that surrounds it; None where nothing is red."""
    share = (redness(colours) > (SKIN_IS_BELOW + PUPIL_FROM) / 2).astype(np.uint8)
    count, _, stats, middles = cv2.connectedComponentsWithStats(share, connectivity=8)
    best = (0.0, 0)
    for label in range(1, count):
        across, down, pixels = (int(value) for value in stats[label][2:5])
        apart = float(np.hypot(middles[label][0] + 0.5 - middle.x, middles[label][1] + 0.5 - middle.y))
        is_round = max(across, down) <= 2.5 * min(across, down) and pixels >= 0.3 * across * down
        if apart <= reach and pixels >= 4 and is_round and max(across, down) <= 2 * reach:
            worth = pixels / (1 + apart)
            best = max(best, (worth, label))
    if not best[1]:
        return None
    x, y, across, down, _ = (int(value) for value in stats[best[1]])
    return Point(x + across / 2, y + down / 2), max(across, down) / 2
