"""What the head sees on its way: the sheet under uneven light, with the paper's own grain, row by row.

Everything is a function of the place on the glass, so that a preview and the scan show the same; only the sensor's
noise is new each time.
"""

import math
from collections.abc import Iterator
from dataclasses import dataclass

import cv2
import numpy as np
import numpy.typing as npt

from standins.scanner.glass import HEIGHT_MM, MM_PER_INCH, WIDTH_MM, Glass, Pixels, Sheet

Floats = npt.NDArray[np.float32]

STRIP_PIXELS = 1_500_000
LID = (238.0, 239.0, 236.0)
FIBRE_DPI, FIBRE_STRENGTH = 110, 0.018
NOISE = 2.1  # code values
SMOOTH_LID = np.float32(0.25)  # of the grain
LEVELS_OF_GREY = (0.299, 0.587, 0.114)


@dataclass(frozen=True)
class Region:
    """A part of the glass in millimetres."""

    left: float
    top: float
    width: float
    height: float


@dataclass(frozen=True)
class Shot:
    """One scan: a part of the glass at a resolution, as grey or colour, or in two tones parted at `threshold`."""

    region: Region
    dpi: int
    bands: int
    threshold: int | None = None
    brightness: int = 0  # -100 to 100
    contrast: int = 0
    seed: int = 1

    @property
    def width(self) -> int:
        """In pixels."""
        return max(1, round(self.region.width / MM_PER_INCH * self.dpi))

    @property
    def height(self) -> int:
        """In pixels."""
        return max(1, round(self.region.height / MM_PER_INCH * self.dpi))


def _fibre() -> Floats:
    """The grain of paper over all of the glass, about 0."""
    random = np.random.default_rng(20)
    size = (round(WIDTH_MM / MM_PER_INCH * FIBRE_DPI), round(HEIGHT_MM / MM_PER_INCH * FIBRE_DPI))
    coarse = cv2.GaussianBlur(random.normal(0, 1, size[::-1]).astype(np.float32), (0, 0), 1.1)
    cloud = cv2.resize(random.normal(0, 1, (size[1] // 24, size[0] // 24)).astype(np.float32), size)
    return np.asarray(coarse / coarse.std() * FIBRE_STRENGTH + cloud * FIBRE_STRENGTH * 0.35, np.float32)


FIBRE = _fibre()
SENSOR = np.random.default_rng(7).normal(0, NOISE, 3_000_017).astype(np.float32)


def strips(glass: Glass, shot: Shot) -> Iterator[Pixels]:
    """The scan from the top, some rows at a time: rows × width × bands."""
    sheet = glass.lying
    rows = max(1, STRIP_PIXELS // shot.width)
    random = np.random.default_rng(shot.seed)
    for top in range(0, shot.height, rows):
        yield _strip(glass, sheet, shot, top, min(rows, shot.height - top), random)


def _strip(glass: Glass, sheet: Sheet | None, shot: Shot, top: int, rows: int, random: np.random.Generator) -> Pixels:
    per_pixel = MM_PER_INCH / shot.dpi
    left_mm, top_mm = shot.region.left, shot.region.top + top * per_pixel
    seen = np.empty((rows, shot.width, 3), np.float32)
    seen[:] = LID
    share = None
    for one in () if sheet is None else (sheet, *sheet.beside):
        own = _lay(seen, glass, one, shot, left_mm, top_mm)
        share = own if share is None else np.maximum(share, own)
    fibre = _fibre_at(left_mm, top_mm, per_pixel, (shot.width, rows))[..., None]
    seen *= 1 + fibre * (SMOOTH_LID if share is None else SMOOTH_LID + (1 - SMOOTH_LID) * share)
    start = int(random.integers(0, len(SENSOR) - rows * shot.width))
    seen += SENSOR[start : start + rows * shot.width].reshape(rows, shot.width, 1)
    if shot.bands == 1:
        grey = cv2.transform(seen, np.array([LEVELS_OF_GREY], np.float32))
        seen = np.asarray(grey, np.float32).reshape(rows, shot.width, 1)
    if shot.brightness or shot.contrast:
        seen = (seen - 128) * np.float32(2 ** (shot.contrast / 50)) + np.float32(128 + shot.brightness * 1.27)
    if shot.threshold is not None:
        seen = np.where(seen >= shot.threshold, np.float32(255), np.float32(0))
    return np.asarray(cv2.convertScaleAbs(np.maximum(seen, 0)), np.uint8).reshape(rows, shot.width, shot.bands)


def _lay(seen: Floats, glass: Glass, sheet: Sheet, shot: Shot, left_mm: float, top_mm: float) -> Floats:
    """Put a sheet into a strip, under the light that falls on it, with the shadow of its edge; where it covers it."""
    per_pixel = MM_PER_INCH / shot.dpi
    own = glass.pixels(sheet, max(400, math.ceil(2 * shot.dpi * sheet.width_mm / MM_PER_INCH)))
    height_mm = sheet.width_mm * own.shape[0] / own.shape[1]
    # from a pixel of the strip to one of the sheet, by way of millimetres
    angle = math.radians(-sheet.askew_degrees)
    cos, sin = math.cos(angle), math.sin(angle)
    finer = own.shape[1] / sheet.width_mm
    x0, y0 = left_mm - sheet.left_mm + per_pixel / 2, top_mm - sheet.top_mm + per_pixel / 2
    matrix = np.array(
        [
            [cos * per_pixel * finer, -sin * per_pixel * finer, (cos * x0 - sin * y0) * finer - 0.5],
            [sin * per_pixel * finer, cos * per_pixel * finer, (sin * x0 + cos * y0) * finer - 0.5],
        ]
    )
    size, flags = (seen.shape[1], seen.shape[0]), cv2.WARP_INVERSE_MAP
    ink = cv2.warpAffine(own, matrix, size, flags=flags | cv2.INTER_LINEAR, borderValue=(255, 255, 255))
    cover = cv2.warpAffine(
        np.full(own.shape[:2], 255, np.uint8), matrix, size, flags=flags | cv2.INTER_LINEAR, borderValue=0
    )
    share = np.asarray(cover, np.float32)[..., None] / np.float32(255)
    if share.min() < 1 and share.max() > 0:
        seen *= 1 - 0.22 * _blurred(share[..., 0], 1.1 / per_pixel)[..., None] * (1 - share)
    x = (left_mm + (np.arange(size[0]) + 0.5) * per_pixel - sheet.left_mm) / sheet.width_mm
    y = (top_mm + (np.arange(size[1]) + 0.5) * per_pixel - sheet.top_mm) / height_mm
    across = 1 - 0.4 * sheet.unevenness * (2 * x - 1) ** 2
    down = 1 - sheet.unevenness * np.clip(y, 0, 1.2) ** 2 * 0.8
    light = np.asarray(np.clip(down[:, None] * across[None, :], 0.4, 1), np.float32)[..., None]
    paper = np.asarray(ink, np.float32) / 255 * np.array(sheet.paper, np.float32) * light
    seen += share * (paper - seen)
    return share


def _blurred(share: Floats, radius: float) -> Floats:
    """Softened shares; the wide radius of a fine scan is taken from a reduced one."""
    coarse = max(1, int(radius / 3))
    small = cv2.resize(share, (max(1, share.shape[1] // coarse), max(1, share.shape[0] // coarse)))
    soft = cv2.GaussianBlur(small, (0, 0), max(radius / coarse, 0.5))
    return np.asarray(cv2.resize(soft, (share.shape[1], share.shape[0])), np.float32)


def _fibre_at(left_mm: float, top_mm: float, per_pixel: float, size: tuple[int, int]) -> Floats:
    step = per_pixel * FIBRE_DPI / MM_PER_INCH
    at = [(start / per_pixel + 0.5) * step - 0.5 for start in (left_mm, top_mm)]
    grain = cv2.warpAffine(
        FIBRE,
        np.array([[step, 0, at[0]], [0, step, at[1]]]),
        size,
        flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP,
        borderMode=cv2.BORDER_REFLECT,
    )
    return np.asarray(grain, np.float32)
