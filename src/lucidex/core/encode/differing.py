"""Where two pictures of the same size differ most: the spots that somebody should look at."""

from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

WINDOW_SIGMA = 1.5
_STEADY = (0.03 * 255) ** 2  # Wang and others 2004, III-B
LARGEST = 2_400_000  # pixels: larger pictures are looked at reduced

Bytes = npt.NDArray[np.uint8]
Floats = npt.NDArray[Any]


def spots_that_differ(reference: Bytes, other: Bytes, spot: tuple[int, int], count: int = 4) -> list[tuple[int, int]]:
    """The middles (x, y) of at most `count` spots of `spot` pixels (width, height), the worst one first.

    Both are height × width × 3 bytes. What counts is the loss of structure in luminance (Wang and others 2004) and
    what colour moved, summed over the spot. Spots do not overlap, and lie inside of the picture; none are found where
    nothing differs. Raises ValueError where the shapes differ.
    """
    if reference.shape != other.shape:
        raise ValueError(f"pictures of {reference.shape} and {other.shape} cannot be compared")
    height, width = reference.shape[:2]
    scale = min(1.0, (LARGEST / (height * width)) ** 0.5)
    lost = _lost(_reduced(reference, scale), _reduced(other, scale))
    across, down = (max(1, min(round(side * scale), most)) for side, most in zip(spot, lost.shape[::-1], strict=True))
    summed = cv2.boxFilter(lost, cv2.CV_32F, (across, down), borderType=cv2.BORDER_CONSTANT)
    # a middle lies far enough from the edge for the whole spot
    inside = np.full(summed.shape, -1.0, np.float32)
    top, left = down // 2, across // 2
    rows, columns = slice(top, summed.shape[0] - (down - 1) // 2), slice(left, summed.shape[1] - (across - 1) // 2)
    inside[rows, columns] = summed[rows, columns]
    found: list[tuple[int, int]] = []
    while len(found) < count:
        y, x = (int(one) for one in np.unravel_index(int(np.argmax(inside)), inside.shape))
        if inside[y, x] <= 1e-6:
            break
        found.append((round((x + 0.5) / scale), round((y + 0.5) / scale)))
        inside[max(0, y - down) : y + down + 1, max(0, x - across) : x + across + 1] = -1.0
    return found


def _reduced(pixels: Bytes, scale: float) -> Bytes:
    if scale == 1.0:
        return np.ascontiguousarray(pixels)
    size = max(1, round(pixels.shape[1] * scale)), max(1, round(pixels.shape[0] * scale))
    return np.asarray(cv2.resize(pixels, size, interpolation=cv2.INTER_AREA), np.uint8)


def _lost(a: Bytes, b: Bytes) -> Floats:
    """For each pixel, how much structure of luminance is lost, 0 to 2, and how far colour moved, of its range."""
    first, second = (cv2.cvtColor(one, cv2.COLOR_RGB2YCrCb).astype(np.float32) for one in (a, b))
    one, two = first[..., 0], second[..., 0]
    mean_one, mean_two = _soft(one), _soft(two)
    spread_one, spread_two = _soft(one * one) - mean_one**2, _soft(two * two) - mean_two**2
    together = _soft(one * two) - mean_one * mean_two
    structure = 1 - (2 * together + _STEADY) / (spread_one + spread_two + _STEADY)
    colour = np.abs(first[..., 1:] - second[..., 1:]).sum(axis=2) / 255
    return np.asarray(np.maximum(structure, 0) + colour, np.float32)


def _soft(values: Floats) -> Floats:
    return np.asarray(cv2.GaussianBlur(values, (0, 0), WINDOW_SIGMA))
