"""The hot loop of the resampling, compiled: down first, then across, in floats of 32 bits, rounded once at the end.

Sixteen new rows go together, in blocks of columns that stay in the processor's cache: four old rows at a time are
made floats and counted into every new row that they concern. What comes out is laid out pixel by pixel, so that the
sums across run over sixteen rows at once. The order of every sum follows from the plan alone, never from threads.
"""

from typing import Any

import numpy as np
from numba import njit

TOGETHER = 16  # new rows
BLOCK = 1_024  # numbers of a row
OLD_ROWS = 4
APART = 16  # numbers between rows, so that they do not all fall into the same lines of the processor's cache
ZERO = np.float32(0)
HALF = np.float32(0.5)

compiled = njit(cache=True, nogil=True, error_model="numpy")


@compiled
def resample_rows(
    pixels: Any, down_first: Any, down: Any, across_first: Any, across: Any, bands: Any, out: Any
) -> None:
    """`pixels`: height × (width · bands) of any type; `out`: rows × (count · bands) floats. Tables as in `tables`."""
    width, rows, taps = pixels.shape[1], out.shape[0], down.shape[1]
    laid = np.empty(width * TOGETHER, np.float32)
    for top in range(0, rows, TOGETHER):
        n = min(TOGETHER, rows - top)
        low, high = down_first[top], down_first[top]
        for r in range(n):
            low, high = min(low, down_first[top + r]), max(high, down_first[top + r])
        high += taps
        padded = (high - low + OLD_ROWS - 1) // OLD_ROWS * OLD_ROWS
        weights = np.zeros((TOGETHER, padded), np.float32)
        for r in range(n):
            for t in range(taps):
                weights[r, down_first[top + r] - low + t] = down[top + r, t]
        for start in range(0, width, BLOCK):
            _sum_down(pixels, low, high, start, weights, n, laid)
        _sum_across(laid, across_first, across, bands, n, out[top : top + n])


@compiled
def _sum_down(pixels: Any, low: int, high: int, start: int, weights: Any, n: int, laid: Any) -> None:
    # rows are cut from whole ones, so that the compiler knows that their numbers lie side by side
    width = min(BLOCK, pixels.shape[1] - start)
    old = np.zeros((OLD_ROWS, width + APART), np.float32)
    sums = np.zeros((TOGETHER, width + APART), np.float32)
    for first in range(0, high - low, OLD_ROWS):
        for k in range(OLD_ROWS):
            # beyond the last one its weight is none
            row = pixels[min(low + first + k, high - 1)][start : start + width]
            for i in range(width):
                old[k, i] = np.float32(row[i])
        a, b, c, d = old[0], old[1], old[2], old[3]
        for r in range(n):
            p, q, s, t = weights[r, first], weights[r, first + 1], weights[r, first + 2], weights[r, first + 3]
            if p == ZERO and q == ZERO and s == ZERO and t == ZERO:
                continue
            total = sums[r, :width]
            for i in range(width):
                total[i] += p * a[i] + q * b[i] + s * c[i] + t * d[i]
    for i in range(width):
        for r in range(TOGETHER):
            laid[(start + i) * TOGETHER + r] = sums[r, i]


@compiled
def _sum_across(laid: Any, first: Any, weights: Any, bands: Any, n: int, out: Any) -> None:
    count, taps = weights.shape
    wide = bands * TOGETHER
    sums = np.empty(wide, np.float32)
    for x in range(count):
        for i in range(wide):
            sums[i] = ZERO
        at, t = first[x] * wide, 0
        while t + 4 <= taps:
            p, q, r, s = weights[x, t], weights[x, t + 1], weights[x, t + 2], weights[x, t + 3]
            one, two = laid[at : at + wide], laid[at + wide : at + 2 * wide]
            three, four = laid[at + 2 * wide : at + 3 * wide], laid[at + 3 * wide : at + 4 * wide]
            for i in range(wide):
                sums[i] += p * one[i] + q * two[i] + r * three[i] + s * four[i]
            at, t = at + 4 * wide, t + 4
        while t < taps:
            weight, one = weights[x, t], laid[at : at + wide]
            for i in range(wide):
                sums[i] += weight * one[i]
            at, t = at + wide, t + 1
        for b in range(bands):
            for r in range(n):
                out[r, x * bands + b] = sums[b * TOGETHER + r]


def load() -> None:
    """Have the kernels read from their cache, or compiled, and no thread started: for a process that will fork."""
    first, weights = np.zeros(1, np.int64), np.ones((1, 1), np.float32)
    for kind in (np.uint8, np.uint16, np.float32):
        for is_mapped in (False, True):
            pixels = np.zeros((1, 3), kind)
            pixels.flags.writeable = not is_mapped
            resample_rows(pixels, first, weights, first, weights, 3, np.empty((1, 3), np.float32))
    for out in (np.empty(1, np.uint8), np.empty(1, np.uint16)):
        rounded(np.zeros(1, np.float32), np.float32(255), out)


@compiled
def rounded(values: Any, most: Any, out: Any) -> None:
    """Floats to whole numbers from 0 to `most`, halves upwards; both flat."""
    for i in range(values.shape[0]):
        value = values[i] + HALF
        out[i] = most if value > most else ZERO if value < ZERO else value
