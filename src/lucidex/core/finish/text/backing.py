"""What lies between words and the picture, so that they can be read: a plate, an outline, a soft shade."""

import math
from enum import StrEnum

import cv2
import numpy as np

from lucidex.core.areas.coverage_kernel import polygon_coverage
from lucidex.core.areas.shapes import Masks
from lucidex.core.finish.layers import blurred
from lucidex.core.finish.text.fitting import Fitted

PADDING = 0.4  # of the letters' size, around a plate
OUTLINED, _LEAST_OUTLINED_PX = 0.07, 2.0
_SHADE_WIDE, _SHADE_SOFT = 0.3, 0.28
_NEAR = 0.1  # so close to letters is what they are read against


class Behind(StrEnum):
    """What is drawn behind words."""

    AS_NEEDED = "a shade where it is needed"
    NOTHING = "nothing"
    SHADE = "a soft shade"
    PLATE = "a plate"
    OUTLINE = "an outline"


def padding(behind: Behind) -> float:
    """How much room there is around words for what lies behind them, in parts of their size."""
    return {Behind.PLATE: PADDING, Behind.OUTLINE: OUTLINED + 0.02}.get(behind, 0.0)


def read_against(behind: Behind, size_px: float) -> float:
    """How far around letters that lies which they are read against, in pixels: an outline is all they meet."""
    return outline_width(size_px) - 0.25 if behind is Behind.OUTLINE else max(1.0, _NEAR * size_px)


def outline_width(size_px: float) -> float:
    """How wide an outline is, in pixels."""
    return max(_LEAST_OUTLINED_PX, OUTLINED * size_px)


def widened(mask: Masks, radius: float) -> Masks:
    """A mask grown by a radius in pixels; by distance, so that it keeps its form and an even edge."""
    if radius <= 0:
        return mask
    outside = (mask < 0.5).astype(np.uint8)
    if outside.all():
        return mask
    away = cv2.distanceTransform(outside, cv2.DIST_L2, cv2.DIST_MASK_5)
    grown: Masks = np.maximum(mask, np.clip(radius + 1 - away, 0, 1).astype(np.float32))
    return grown


def shade_margin(size_px: float) -> int:
    """How far a soft shade reaches beyond the words' box, in pixels."""
    return math.ceil(size_px * (_SHADE_WIDE + 3 * _SHADE_SOFT))


def soft_shade(mask: Masks, size_px: float) -> Masks:
    """Soft and even below all letters; `mask` has `shade_margin` around the words."""
    soft = blurred(widened(mask, _SHADE_WIDE * size_px), _SHADE_SOFT * size_px)
    raised: Masks = np.clip(soft * 1.3, 0, 1)
    return raised


def plate(fitted: Fitted) -> Masks:
    """The box of the words, turned with them; as large as their mask."""
    size = fitted.size
    cover: Masks = np.empty((size.height, size.width), np.float32)
    polygon_coverage(np.array(fitted.corners, np.float64), cover)
    return cover
