"""Dust on a scan: small specks that are lighter or darker than what surrounds them on all sides.

What an opening or a closing by a disc takes away is smaller than the disc (J. Serra, Image analysis and mathematical
morphology, 1982: top-hat transforms). Each candidate is measured against its ring; a logistic regression, fitted on
specks that were planted into photographs, and on what else is small in those, says how surely it is dust.
"""

import math
from collections.abc import Iterator
from dataclasses import dataclass

import cv2
import numpy as np
import numpy.typing as npt

from lucidex.core.geometry.sizes import Point

LARGEST_SHARE = 0.01  # of the raster's shorter side: a speck's diameter
LEAST_DIAMETER = 7  # pixels that are looked through at least
FROM, UNTIL = 2.0, 7.0  # pixels around a speck that it is measured against
OUTLIERS = 4  # per cent of that ring that may be anything
LEAST_RING, LEAST_SPECK = 20, 3  # pixels
LEAST_CONTRAST, LEAST_STANDING = 6.0, 8.0  # code values
LEAST_DEVIATIONS, LEAST_LIVELY = 3.0, 2.5  # of the noise, and of what stands out round about
NEIGHBOURHOOD = 60  # pixels within which others like it are counted
MARGIN = 1.6  # pixels around a speck that are mended too
LOOKED_AT, MOST = 500, 400  # candidates of one kind; specks
FAINTEST, PLAINEST = -0.9, 2.1  # the score that is asked for at sensitivity 1 and 0
# light points on a dark ground, so many that they are what the picture shows: stars, lamps
LIGHTS, DARK, SURE_UNTIL = 25, 50.0, 0.6

Bytes = npt.NDArray[np.uint8]
_Floats = npt.NDArray[np.float32]
# fitted on half of the photographs of `bench specks`, by twenty specks of 1.2 to 4 pixels in each, three times over
_WEIGHTS = {
    "contrast": 1.19,
    "spread": -0.55,
    "filled": 4.44,
    "oblong": -3.5,
    "uneven": -2.73,
    "sharp": 3.33,
    "lively": -1.67,
    "seam": -0.5,
    "others_near": -0.95,
    "others": -0.16,
    "coloured": 0.43,
    "beyond": 1.23,
}
_OFFSET = -7.53


@dataclass
class _Candidate:
    """What may be a speck; `is_light` against its ring, whose level is `ground`. `measures` are those that
    `_WEIGHTS` weighs."""

    middle: Point
    radius: float
    contrast: float
    ground: float
    is_light: bool
    measures: dict[str, float]

    @property
    def may_be_a_lamp(self) -> bool:
        """Whether it is a light on a dark ground."""
        return self.is_light and self.ground < DARK

    @property
    def score(self) -> float:
        """The logarithm of how much likelier it is dust than not."""
        return _OFFSET + sum(_WEIGHTS[name] * value for name, value in self.measures.items())


def find_dust(pixels: Bytes, sensitivity: float) -> list[tuple[Point, float]]:
    """Specks on a height × width × 3 or 4 raster of bytes: middle and radius in its pixels, the plainest first.

    `sensitivity` 0 to 1. At most 400.
    """
    found = _candidates(np.ascontiguousarray(pixels[..., :3]))
    wanted = PLAINEST + (FAINTEST - PLAINEST) * sensitivity
    plain = [one for one in found if one.score > wanted]
    if sensitivity <= SURE_UNTIL and sum(one.may_be_a_lamp for one in plain) > LIGHTS:
        plain = [one for one in plain if not one.may_be_a_lamp]
    plain.sort(key=lambda one: -one.score)
    return [(Point(one.middle.x + 0.5, one.middle.y + 0.5), one.radius) for one in plain[:MOST]]


def _candidates(colours: Bytes) -> list[_Candidate]:
    raster = _Raster(colours)
    found = [one for is_light in (True, False) for one in raster.standing_out(is_light)]
    places = np.array([(one.middle.x, one.middle.y) for one in found]).reshape(-1, 2)
    contrasts = np.array([one.contrast for one in found])
    for one in found:
        apart = np.hypot(places[:, 0] - one.middle.x, places[:, 1] - one.middle.y)
        near = (apart < NEIGHBOURHOOD) & (apart > FROM + 1) & (contrasts > 0.5 * one.contrast)
        one.measures["others_near"] = math.log1p(int(near.sum()))
        one.measures["others"] = math.log1p(int((contrasts > 0.6 * one.contrast).sum()))
    return found


class _Raster:
    """What candidates are measured on."""

    def __init__(self, colours: Bytes) -> None:
        grey = cv2.cvtColor(colours, cv2.COLOR_RGB2GRAY)
        self.diameter = max(LEAST_DIAMETER, round(LARGEST_SHARE * min(grey.shape[:2]))) | 1
        disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (self.diameter + 2, self.diameter + 2))
        self.lighter = cv2.morphologyEx(grey, cv2.MORPH_TOPHAT, disc).astype(np.float32)
        self.darker = cv2.morphologyEx(grey, cv2.MORPH_BLACKHAT, disc).astype(np.float32)
        self.grey: _Floats = grey.astype(np.float32)
        self.chroma: _Floats = cv2.cvtColor(colours, cv2.COLOR_RGB2YCrCb)[..., 1:].astype(np.float32)
        self.slope: _Floats = np.hypot(
            cv2.Sobel(self.grey, cv2.CV_32F, 1, 0), cv2.Sobel(self.grey, cv2.CV_32F, 0, 1)
        ).astype(np.float32) / np.float32(8)
        standing = np.maximum(self.lighter, self.darker)
        self.noise = max(0.6, float(np.median(standing)) / 2)
        self.around = cv2.blur(standing, (6 * self.diameter + 1, 6 * self.diameter + 1))

    def standing_out(self, is_light: bool) -> Iterator[_Candidate]:
        """What stands out of its surroundings, the plainest of too many."""
        standing = self.lighter if is_light else self.darker
        soft = cv2.GaussianBlur(standing, (0, 0), 0.8)
        least = np.maximum(max(LEAST_STANDING, LEAST_DEVIATIONS * self.noise), LEAST_LIVELY * self.around)
        rows, columns = np.nonzero((soft == cv2.dilate(soft, np.ones((5, 5), np.uint8))) & (soft > least))
        plainest = np.argsort(-soft[rows, columns] / (self.around[rows, columns] + self.noise), kind="stable")
        for row, column in zip(rows[plainest[:LOOKED_AT]], columns[plainest[:LOOKED_AT]], strict=True):
            one = self._measured(standing, int(row), int(column), is_light)
            if one is not None:
                yield one

    def _measured(self, standing: _Floats, row: int, column: int, is_light: bool) -> _Candidate | None:
        reach = self.diameter + 8
        top, left = max(0, row - reach), max(0, column - reach)
        part = slice(top, row + reach + 1), slice(left, column + reach + 1)
        _, labels = cv2.connectedComponents((standing[part] >= 0.5 * standing[row, column]).astype(np.uint8), None, 4)
        speck = labels == labels[row - top, column - left]
        rows, columns = np.nonzero(speck)
        down, across = int(np.ptp(rows)) + 1, int(np.ptp(columns)) + 1
        if max(down, across) > self.diameter + 2 or len(rows) < LEAST_SPECK:
            return None
        apart = cv2.distanceTransform((~speck).astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_3)
        ring, seam = (apart > FROM) & (apart <= UNTIL), (apart >= 1) & (apart < FROM + 0.5)
        grey, slope, chroma = self.grey[part], self.slope[part], self.chroma[part]
        inside, outside = grey[speck], grey[ring]
        if len(outside) < LEAST_RING:
            return None
        ground = float(np.median(outside))
        contrast = abs(float(np.median(inside)) - ground)
        if contrast < LEAST_CONTRAST:
            return None
        low, high = np.percentile(outside, (OUTLIERS, 100 - OUTLIERS))
        beyond = np.percentile(inside, 25) - high if is_light else low - np.percentile(inside, 75)
        square = np.ones((3, 3), np.uint8)
        edge = cv2.morphologyEx(speck.astype(np.uint8), cv2.MORPH_GRADIENT, square) > 0
        tint = float(np.hypot(*(np.median(chroma[speck], axis=0) - np.median(chroma[ring], axis=0))))
        return _Candidate(
            Point(left + float(columns.mean()), top + float(rows.mean())),
            max(down, across) / 2 + MARGIN,
            contrast,
            ground,
            is_light,
            {
                "contrast": math.log(contrast),
                "spread": math.log((high - low + 2) / contrast),
                "filled": len(rows) / (down * across),
                "oblong": math.log(max(down, across) / min(down, across)),
                "uneven": float(inside.std()) / contrast,
                "sharp": math.log(float(slope[edge].mean()) / contrast + 0.02),
                "lively": math.log(float(slope[ring].mean()) / contrast + 0.01),
                "seam": float(np.median(np.abs(grey[seam] - ground))) / contrast,
                "coloured": math.log(tint / contrast + 0.03),
                "beyond": min(max(float(beyond) / contrast, -1.0), 1.0),
            },
        )
