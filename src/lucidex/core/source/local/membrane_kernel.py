"""The equation of a membrane, solved by successive over-relaxation, compiled."""

from typing import Any

from numba import njit

compiled = njit(cache=True, nogil=True, error_model="numpy")


@compiled
def relax(values: Any, is_open: Any, is_free: Any, rounds: int, over: float) -> None:
    """Bring `values`, rows × columns × bands floats, nearer to the mean of their neighbours where `is_open` is set.

    Elsewhere they are given; where `is_free` is set, they do not count. Red-black order, so that no direction is
    preferred.
    """
    rows, columns, bands = values.shape
    for _ in range(rounds):
        for colour in range(2):
            for row in range(rows):
                for column in range((row + colour) % 2, columns, 2):
                    if not is_open[row, column]:
                        continue
                    for band in range(bands):
                        total, count = 0.0, 0
                        if row > 0 and not is_free[row - 1, column]:
                            total += values[row - 1, column, band]
                            count += 1
                        if row + 1 < rows and not is_free[row + 1, column]:
                            total += values[row + 1, column, band]
                            count += 1
                        if column > 0 and not is_free[row, column - 1]:
                            total += values[row, column - 1, band]
                            count += 1
                        if column + 1 < columns and not is_free[row, column + 1]:
                            total += values[row, column + 1, band]
                            count += 1
                        if count > 0:
                            values[row, column, band] += over * (total / count - values[row, column, band])
