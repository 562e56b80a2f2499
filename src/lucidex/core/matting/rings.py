"""A mask as closed lines in fractions of the upright original, so that it is kept in few numbers and at no scale."""

from collections.abc import Iterable, Sequence
from typing import Annotated, Any

import cv2
import numpy as np
import numpy.typing as npt
from pydantic import FailFast, Field

from lucidex.core.areas.shapes import Spot, kept_spot
from lucidex.core.areas.sight import Sight
from lucidex.core.geometry.sizes import Box, Point
from lucidex.core.geometry.transform import Transform

MAX_RINGS, MAX_RING_POINTS, MAX_POINTS = 300, 3_000, 6_000
DECIMALS = 4  # a tenth of a pixel at 1024
FINER = 2  # times the raster, so that a line is smoother than its pixels
NEAR = 0.7  # pixels of that: how far a kept line is from what was found
LEAST_POINTS = 3
SHIFT = 4  # bits of a pixel's fraction, as lines are drawn

Ring = Annotated[tuple[Spot, ...], Field(min_length=LEAST_POINTS, max_length=MAX_RING_POINTS), FailFast()]
Mask = npt.NDArray[np.bool_]


def rings_of(mask: Mask, to_content: Transform) -> tuple[tuple[Spot, ...], ...]:
    """The edges of a mask, height × width on a raster, the longest first: what an odd number of them surrounds is in.

    Where they would be more than is kept, they become coarser, and the shortest are left out.
    """
    height, width = mask.shape
    size = (width * FINER, height * FINER)
    smooth = cv2.resize(mask.astype(np.float32), size, interpolation=cv2.INTER_LINEAR)
    padded = cv2.copyMakeBorder((smooth > 0.5).astype(np.uint8), 1, 1, 1, 1, cv2.BORDER_CONSTANT, value=0)
    lines, _ = cv2.findContours(padded, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    near = NEAR
    while True:
        kept = [line for line in (cv2.approxPolyDP(one, near, True) for one in lines) if len(line) >= LEAST_POINTS]
        kept = sorted(kept, key=len, reverse=True)[:MAX_RINGS]
        if not kept or (sum(map(len, kept)) <= MAX_POINTS and len(kept[0]) <= MAX_RING_POINTS):
            break
        near *= 1.5
    return tuple(_spots(line.reshape(-1, 2) - 1, to_content) for line in kept)


def _spots(line: npt.NDArray[Any], to_content: Transform) -> tuple[Spot, ...]:
    points = (to_content.map(Point((x + 0.5) / FINER, (y + 0.5) / FINER)) for x, y in line.tolist())
    return tuple(kept_spot(point, DECIMALS) for point in points)


def is_within_limits(rings: Sequence[Sequence[Spot]]) -> bool:
    """Whether they are not more points together than is kept."""
    return sum(map(len, rings)) <= MAX_POINTS


def filled(rings: Iterable[Sequence[Spot]], sight: Sight, box: Box) -> Mask:
    """What they surround, in a box of a raster: height × width. A pixel is in or out as a whole."""
    mask = np.zeros((box.size.height, box.size.width), np.uint8)
    lines = [_pixels(ring, sight, box) for ring in rings]
    cv2.fillPoly(mask, lines, 1, cv2.LINE_8, SHIFT)
    return mask > 0


def _pixels(ring: Sequence[Spot], sight: Sight, box: Box) -> npt.NDArray[np.int32]:
    points = [sight.pixel(Point(*spot)) for spot in ring]
    at = np.array([(point.x - box.left - 0.5, point.y - box.top - 0.5) for point in points])
    shifted: npt.NDArray[np.int32] = np.rint(at * (1 << SHIFT)).astype(np.int32)
    return shifted
