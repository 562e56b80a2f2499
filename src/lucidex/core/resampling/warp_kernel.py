"""The hot loop of the warp, compiled: 8 × 8 neighbours of a real position, down first, then across, in 32 bits.

Pixels come as four floats each, so that the 32 numbers of a row of neighbours lie side by side and a processor takes
several at once; places are counted in numbers without a sign, because one with a sign would be looked at for whether
it counts from the end.
"""

from typing import Any

import numpy as np
from numba import njit, uint64

PHASES = 1_024  # positions within a pixel for which there are weights: half a step moves nothing by more than 1/2048
TAPS = 8
LANES = 4
BEFORE = 3  # taps left of the pixel in which a position lies

compiled = njit(cache=True, nogil=True, error_model="numpy")


@compiled
def warp_rows(flat: Any, width: int, height: int, matrix: Any, weights: Any, out: Any) -> None:
    """Fill `out`, rows × (count · 4) floats, from `flat`, height · width · 4 floats of at least 8 × 8 pixels.

    `matrix`, 3 × 3, takes the middle of a pixel of `out` to one of `flat`, both counted from 0; what leads beyond
    the last whole neighbourhood stays there. `weights`: (PHASES + 1) · 8 floats.
    """
    columns = out.shape[1] // LANES
    eight, four, stride = uint64(TAPS), uint64(LANES), uint64(width * LANES)
    most_x, most_y = np.float64(width - TAPS + BEFORE), np.float64(height - TAPS + BEFORE)
    sums = np.empty(TAPS * LANES, np.float32)
    for row in range(out.shape[0]):
        line = out[row]
        for column in range(columns):
            w = matrix[2, 0] * column + matrix[2, 1] * row + matrix[2, 2]
            x = (matrix[0, 0] * column + matrix[0, 1] * row + matrix[0, 2]) / w
            y = (matrix[1, 0] * column + matrix[1, 1] * row + matrix[1, 2]) / w
            # asked so that what is no number is held inside too
            x = x if x >= BEFORE else np.float64(BEFORE)
            y = y if y >= BEFORE else np.float64(BEFORE)
            x, y = min(x, most_x), min(y, most_y)
            left, top = int(x), int(y)
            across = uint64(int((x - left) * PHASES + 0.5)) * eight
            down = uint64(int((y - top) * PHASES + 0.5)) * eight
            a = uint64(top - BEFORE) * stride + uint64((left - BEFORE) * LANES)
            b, c, d = a + stride, a + uint64(2) * stride, a + uint64(3) * stride
            e, f, g, h = a + four * stride, b + four * stride, c + four * stride, d + four * stride
            p, q, r, s, t, u, v, z = _eight(weights, down)
            for k in range(uint64(TAPS * LANES)):
                sums[k] = (p * flat[a + k] + q * flat[b + k] + r * flat[c + k] + s * flat[d + k]) + (
                    t * flat[e + k] + u * flat[f + k] + v * flat[g + k] + z * flat[h + k]
                )
            p, q, r, s, t, u, v, z = _eight(weights, across)
            to = uint64(column) * four
            for k in range(four):
                line[to + k] = (
                    (p * sums[k] + q * sums[k + four])
                    + (r * sums[k + uint64(8)] + s * sums[k + uint64(12)])
                    + (t * sums[k + uint64(16)] + u * sums[k + uint64(20)])
                    + (v * sums[k + uint64(24)] + z * sums[k + uint64(28)])
                )


@compiled
def _eight(weights: Any, at: Any) -> Any:
    return (
        weights[at],
        weights[at + uint64(1)],
        weights[at + uint64(2)],
        weights[at + uint64(3)],
        weights[at + uint64(4)],
        weights[at + uint64(5)],
        weights[at + uint64(6)],
        weights[at + uint64(7)],
    )


@compiled
def spread(values: Any, bands: Any, flat: Any) -> None:
    """Pixels of 1 to 4 bands, of any type, to floats of `LANES` each; both flat."""
    many, lanes = uint64(bands), uint64(LANES)
    for i in range(uint64(values.shape[0] // bands)):
        for band in range(many):
            flat[i * lanes + band] = values[i * many + band]


@compiled
def gathered(flat: Any, bands: Any, out: Any) -> None:
    """The other way about, floats to floats."""
    many, lanes = uint64(bands), uint64(LANES)
    for i in range(uint64(out.shape[0] // bands)):
        for band in range(many):
            out[i * many + band] = flat[i * lanes + band]


def load() -> None:
    """Have the kernels read from their cache, or compiled."""
    for kind in (np.uint8, np.uint16, np.float32):
        spread(np.zeros(3, kind), 3, np.zeros(LANES, np.float32))
    gathered(np.zeros(LANES, np.float32), 3, np.zeros(3, np.float32))
    weights = np.zeros((PHASES + 1) * TAPS, np.float32)
    warp_rows(np.zeros(8 * 8 * LANES, np.float32), 8, 8, np.eye(3), weights, np.empty((1, LANES), np.float32))
