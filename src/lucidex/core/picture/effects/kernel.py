"""The loops of the effects that OpenCV and NumPy would make in many passes, compiled."""

from typing import Any

import numpy as np
from numba import njit

NOTHING, HALF, WHITE = np.float32(0), np.float32(0.5), np.float32(255)

compiled = njit(cache=True, nogil=True, error_model="numpy")


@compiled
def add_to_all(pixels: Any, added: Any, out: Any) -> None:
    """Adds height × width floats to the first three of height × width × 3 or 4 bytes; a fourth is kept."""
    height, width, bands = pixels.shape
    for row in range(height):
        for column in range(width):
            by = added[row, column] + HALF
            for band in range(3):
                value = min(max(np.float32(pixels[row, column, band]) + by, NOTHING), WHITE)
                out[row, column, band] = np.uint8(value)
            if bands == 4:
                out[row, column, 3] = pixels[row, column, 3]


@compiled
def sharpening(luma: Any, softened: Any, amount: Any, grain: Any, limit: Any, out: Any) -> None:
    """What sharpening adds to the luma (height × width floats): detail beyond the grain, held near the neighbours."""
    height, width = luma.shape
    for row in range(height):
        above, below = max(row - 1, 0), min(row + 1, height - 1)
        for column in range(width):
            y = luma[row, column]
            detail = y - softened[row, column]
            strong = max(abs(detail) - grain, NOTHING)
            wanted = y + amount * (strong if detail > NOTHING else -strong)
            before, after = max(column - 1, 0), min(column + 1, width - 1)
            least, most = y, y
            for r in (above, row, below):
                for c in (before, column, after):
                    near = luma[r, c]
                    least, most = min(least, near), max(most, near)
            out[row, column] = min(max(wanted, least - limit), most + limit) - y
