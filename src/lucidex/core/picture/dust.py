"""Dust on a scan: small specks that are lighter or darker than what surrounds them on all sides.

What an opening or a closing by a disc takes away is smaller than the disc (J. Serra, Image analysis and mathematical
morphology, 1982: top-hat transforms). What stands out of the noise by far, and is compact, is proposed.
"""

import cv2
import numpy as np
import numpy.typing as npt

from lucidex.core.geometry.sizes import Point

LARGEST_SHARE = 0.008  # of the raster's shorter side: a speck's diameter
LEAST_DEVIATIONS, MOST_DEVIATIONS = 6.0, 22.0  # of the noise, at sensitivity 1 and 0
LEAST_CONTRAST = 10.0  # code values
LEAST_FILLED = 0.35  # of the box around a speck
LIVELY_SHARE = 5.0  # times the median: where so much differs, it is texture and not dust
RING = 4.0  # pixels around a speck that it must differ from, on all sides
OUTLIERS = 3  # per cent of that ring that may be anything
MARGIN = 1.6  # pixels around a speck that are mended too
MOST = 400
LEAST_RING = 8  # pixels

Bytes = npt.NDArray[np.uint8]


def find_dust(pixels: Bytes, sensitivity: float) -> list[tuple[Point, float]]:
    """Specks on a height × width × 3 or 4 raster of bytes: middle and radius in its pixels, the plainest first.

    `sensitivity` 0 to 1. At most 400.
    """
    grey: Bytes = cv2.cvtColor(np.ascontiguousarray(pixels[..., :3]), cv2.COLOR_RGB2GRAY).astype(np.uint8)
    diameter = max(3, round(LARGEST_SHARE * min(grey.shape))) | 1
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (diameter + 2, diameter + 2))
    standing_out = np.maximum(
        cv2.morphologyEx(grey, cv2.MORPH_TOPHAT, disc), cv2.morphologyEx(grey, cv2.MORPH_BLACKHAT, disc)
    )
    around = cv2.blur(standing_out.astype(np.float32), (4 * diameter + 1, 4 * diameter + 1))
    deviations = MOST_DEVIATIONS - (MOST_DEVIATIONS - LEAST_DEVIATIONS) * sensitivity
    noise = max(0.6, float(np.median(standing_out)) / 2)
    least = np.maximum(max(LEAST_CONTRAST * (1.6 - sensitivity), deviations * noise), LIVELY_SHARE * around)
    plain = (standing_out > least).astype(np.uint8)
    count, _, stats, middles = cv2.connectedComponentsWithStats(plain, connectivity=8)
    found: list[tuple[float, Point, float]] = []
    for label in range(1, count):
        left, top, across, down, size = (int(value) for value in stats[label])
        if max(across, down) > diameter + 2 or size < 2 or size < LEAST_FILLED * across * down:
            continue
        strength = float(standing_out[top : top + down, left : left + across].max())
        radius = max(across, down) / 2 + MARGIN
        if not _stands_alone(grey, Point(float(middles[label][0]), float(middles[label][1])), radius):
            continue
        found.append((strength * size, Point(float(middles[label][0]) + 0.5, float(middles[label][1]) + 0.5), radius))
    found.sort(key=lambda one: -one[0])
    return [(middle, radius) for _, middle, radius in found[:MOST]]


def _stands_alone(grey: Bytes, middle: Point, radius: float) -> bool:
    """Whether a speck is lighter, or darker, than all that is around it, and by more than that differs in itself."""
    reach = int(np.ceil(radius + RING))
    x, y = round(middle.x), round(middle.y)
    top, left = max(0, y - reach), max(0, x - reach)
    part = grey[top : y + reach + 1, left : x + reach + 1].astype(np.float32)
    rows, columns = np.mgrid[top : top + part.shape[0], left : left + part.shape[1]]
    apart = np.hypot(columns - middle.x, rows - middle.y)
    ring = part[(apart > radius) & (apart <= radius + RING)]
    if ring.size < LEAST_RING:
        return False
    low, high = np.percentile(ring, (OUTLIERS, 100 - OUTLIERS))
    speck = part[apart <= max(1.0, radius - MARGIN)]
    beyond = max(float(np.percentile(speck, 75)) - high, low - float(np.percentile(speck, 25)))
    return bool(beyond > max(0.8 * (high - low), LEAST_CONTRAST / 2))
