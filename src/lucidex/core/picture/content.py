"""What lies on a plain or clear ground: ink on a page, a drawing on white, a mark on nothing.

A page under uneven light is brighter here and darker there, but smoothly so. Its colour is modelled as a
second-order polynomial of the position in each channel, fitted to what looks like ground by least squares with
the outliers left out again and again (Huber, Robust Statistics, 1981: iteratively trimmed). What differs from
the model by more than the tolerance is content.
"""

from dataclasses import dataclass

import cv2
import numpy as np
import numpy.typing as npt

from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.geometry.sizes import Window
from lucidex.core.geometry.transform import Transform
from lucidex.core.picture.grounds import CLEAR

MAX_SAMPLES = 40_000
ROUNDS = 6
BORDER_SHARE = 0.05
NEAR_GROUND = 36.0  # code values from the border's median: what the first fit takes for ground
MIN_SPREAD = 4.0
MIN_GROUND = 0.15  # of the samples; below it there is no plain ground
MAX_GRAIN = 8.0  # code values: what is rougher is no plain ground
SPECK_PIXELS = 9  # on the canonical raster: dust
SHADOW_SHARE = 0.015  # of the longest edge: how thick a scanner's dark rim may be
EVEN_WITHIN = 6.0  # code values over the whole page: then its colour can be continued beyond the edge
DOUBLE = np.float64

Floats = npt.NDArray[np.float64]
Bytes = npt.NDArray[np.uint8]
Surface = tuple[tuple[float, ...], ...]


@dataclass(frozen=True)
class Raster:
    """The prepared picture on the canonical raster: height × width × 3 or 4 bytes (sRGB), and its frame."""

    pixels: Bytes
    geometry: PictureGeometry

    @property
    def to_picture(self) -> Transform:
        """From raster pixels to pixels of the picture."""
        height, width = self.pixels.shape[:2]
        return Transform(self.geometry.size.width / width, 0, 0, self.geometry.size.height / height)

    @property
    def to_content(self) -> Transform:
        """From raster pixels to fractions of the upright original."""
        upright = self.geometry.upright
        return self.to_picture.then(self.geometry.transform.inverse).then(
            Transform(1 / upright.width, 0, 0, 1 / upright.height)
        )

    @property
    def unit(self) -> float:
        """The upright original's shorter side in raster pixels, as seen in the middle."""
        centre = self.geometry.held_content(self.geometry.window.centre)
        return self.geometry.content_unit(centre) * float(self.pixels.shape[1]) / self.geometry.size.width


@dataclass(frozen=True)
class Content:
    """What was found: its bounds in raster pixels, and the ground's colour where it is even enough to go on."""

    window: Window
    ground: str | None


def terms(x: Floats, y: Floats) -> Floats:
    """1, x, y, x², xy, y²: the last axis has six."""
    return np.stack([np.ones_like(x), x, y, x * x, x * y, y * y], axis=-1)


def content_grid(to_content: Transform, width: int, height: int, top: int = 0) -> tuple[Floats, Floats]:
    """Content coordinates of the middles of pixels, height × width each; rows begin at `top`."""
    x, y = np.meshgrid(np.arange(width) + 0.5, np.arange(top, top + height) + 0.5)
    depth = to_content.g * x + to_content.h * y + to_content.i
    across = (to_content.a * x + to_content.b * y + to_content.tx) / depth
    return across, (to_content.c * x + to_content.d * y + to_content.ty) / depth


def fit_ground(raster: Raster) -> Surface | None:
    """The ground's colour as three second-order polynomials of the content coordinates, or None if none is plain.

    Code values 0 to 255; see the module for the method.
    """
    height, width = raster.pixels.shape[:2]
    stride = max(1, int(np.ceil(np.sqrt(width * height / MAX_SAMPLES))))
    colours = cv2.blur(raster.pixels[..., :3], (3, 3))[::stride, ::stride].astype(DOUBLE)
    x, y = (axis[::stride, ::stride] for axis in content_grid(raster.to_content, width, height))
    border = _border(colours.shape[0], colours.shape[1])
    plain = np.abs(colours - np.median(colours[border], axis=0)).max(axis=-1) < NEAR_GROUND
    chosen = plain & border
    model = terms(x, y)
    solved = np.zeros((6, 3))
    for _ in range(ROUNDS):
        if chosen.sum() < 12:
            return None
        solved = np.linalg.lstsq(model[chosen], colours[chosen], rcond=None)[0]
        apart = np.abs(colours - model @ solved).max(axis=-1)
        chosen = apart < max(MIN_SPREAD, 3 * float(np.median(apart[chosen])))
    grain = float(np.median(np.abs(colours - model @ solved).max(axis=-1)[chosen])) if chosen.any() else np.inf
    if chosen.mean() < MIN_GROUND or grain > MAX_GRAIN:
        return None
    return tuple(tuple(round(float(value), 6) for value in channel) for channel in solved.T)


def _border(height: int, width: int) -> npt.NDArray[np.bool_]:
    deep = max(1, round(BORDER_SHARE * min(height, width)))
    border = np.ones((height, width), bool)
    border[deep : height - deep, deep : width - deep] = False
    return border


def ground_at(surface: Surface, x: Floats, y: Floats) -> Floats:
    """The modelled ground at content coordinates: … × 3 code values."""
    value: Floats = terms(x, y) @ np.array(surface).T
    return value


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
