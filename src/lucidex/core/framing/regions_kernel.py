"""The innermost loop of taking a picture apart into regions."""

import numpy as np
import numpy.typing as npt
from numba import njit

Floats = npt.NDArray[np.float32]
Labels = npt.NDArray[np.int32]


@njit(cache=True, nogil=True, error_model="numpy")
def regions(lab: Floats, across: int, down: int, compactness: float, rounds: int) -> Labels:
    """Which of `across` × `down` regions each pixel of a height × width × 3 raster belongs to.

    Regions begin as a grid. In each round a pixel goes to the nearest of the nine around its own square, by colour
    and, times `compactness` a pixel, by place.
    """
    height, width = lab.shape[:2]
    labels = np.empty((height, width), np.int32)
    for y in range(height):
        for x in range(width):
            labels[y, x] = (y * down // height) * across + x * across // width
    for _ in range(rounds):
        centres = np.zeros((across * down, 6))
        for y in range(height):
            for x in range(width):
                centre = centres[labels[y, x]]
                for band in range(3):
                    centre[band] += lab[y, x, band]
                centre[3] += compactness * x
                centre[4] += compactness * y
                centre[5] += 1
        for number in range(across * down):
            for band in range(5):
                centres[number, band] /= max(centres[number, 5], 1.0)
        for y in range(height):
            row = y * down // height
            for x in range(width):
                column = x * across // width
                best, nearest = labels[y, x], np.inf
                for near_row in range(max(row - 1, 0), min(row + 2, down)):
                    for near_column in range(max(column - 1, 0), min(column + 2, across)):
                        number = near_row * across + near_column
                        if centres[number, 5] == 0:
                            continue
                        apart = (compactness * x - centres[number, 3]) ** 2 + (
                            compactness * y - centres[number, 4]
                        ) ** 2
                        for band in range(3):
                            apart += (lab[y, x, band] - centres[number, band]) ** 2
                        if apart < nearest:
                            best, nearest = number, apart
                labels[y, x] = best
    return labels
