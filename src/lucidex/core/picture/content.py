"""What lies on a plain or clear ground: ink on a page, a drawing on white, a mark on nothing.

What differs from a plain ground (`ground_surface`) by more than the tolerance is content.
"""

from dataclasses import dataclass

import cv2
import numpy as np
import numpy.typing as npt

from lucidex.core.geometry.sizes import Window
from lucidex.core.picture.ground_surface import content_grid, fit_ground, ground_at
from lucidex.core.picture.grounds import CLEAR
from lucidex.core.picture.raster import Raster

SPECK_PIXELS = 9  # on the canonical raster: dust
SHADOW_SHARE = 0.015  # of the longest edge: how thick a scanner's dark rim may be
EVEN_WITHIN = 6.0  # code values over the whole page: then its colour can be continued beyond the edge

Floats = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Content:
    """What was found: its bounds in raster pixels, and the ground's colour where it is even enough to go on."""

    window: Window
    ground: str | None


def find_content(raster: Raster, tolerance: float) -> Content | None:
    """The bounds of all that is not ground; None where nothing is found or the ground is not plain.

    `tolerance` is in percent of the range from black to white. Specks and a scanner's thin dark rim do not count.
    """
    pixels, ground = raster.pixels, CLEAR
    if pixels.shape[2] == 4 and pixels[..., 3].min() < 128:
        mask = pixels[..., 3] > 255 * tolerance / 100
        found = None
    else:
        found = fit_ground(raster)
        if found is None:
            return None
        height, width = pixels.shape[:2]
        expected = ground_at(found, *content_grid(raster.to_content, width, height))
        apart = np.abs(cv2.medianBlur(np.ascontiguousarray(pixels[..., :3]), 3) - expected).max(axis=-1)
        mask = apart > 255 * tolerance / 100
        ground = _even_ground(expected)
    window = _bounds(_without_dirt(mask, is_paper=found is not None))
    return None if window is None else Content(window, ground or None)


def _even_ground(expected: Floats) -> str:
    """The colour of an even ground as #rrggbb, or nothing."""
    if float(np.ptp(expected, axis=(0, 1)).max()) > EVEN_WITHIN:
        return ""
    red, green, blue = (int(value) for value in np.clip(np.rint(np.median(expected, axis=(0, 1))), 0, 255))
    return f"#{red:02x}{green:02x}{blue:02x}"


def _without_dirt(mask: npt.NDArray[np.bool_], is_paper: bool) -> npt.NDArray[np.bool_]:
    count, labels, stats, _ = cv2.connectedComponentsWithStats(mask.astype(np.uint8), connectivity=8)
    height, width = mask.shape
    kept = np.zeros(count, bool)
    thick = max(2.0, SHADOW_SHARE * max(height, width))
    small = SPECK_PIXELS if is_paper and height * width > 100_000 else 1
    for label in range(1, count):
        left, top, across, down, area = (int(value) for value in stats[label])
        at_edge = left == 0 or top == 0 or left + across == width or top + down == height
        rim = is_paper and at_edge and min(across, down) <= thick and max(across, down) > 0.2 * max(height, width)
        kept[label] = area >= small and not rim
    restored: npt.NDArray[np.bool_] = kept[labels]
    return restored


def _bounds(mask: npt.NDArray[np.bool_]) -> Window | None:
    rows, columns = np.flatnonzero(mask.any(axis=1)), np.flatnonzero(mask.any(axis=0))
    if rows.size == 0:
        return None
    left, top = int(columns[0]), int(rows[0])
    return Window(left, top, int(columns[-1]) + 1 - left, int(rows[-1]) + 1 - top)
