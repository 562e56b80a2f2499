"""Sliding discrete cosine transforms of 8 × 8 pixels, compiled.

Rows of blocks are transformed downwards for their whole width at once, which blocks that overlap share, and then each
block across. Both directions are the orthonormal transform of eight numbers, its even and odd half apart.
"""

import math
from typing import Any

import numpy as np
from numba import njit

compiled = njit(cache=True, nogil=True, error_model="numpy", fastmath=True)
inlined = njit(cache=True, nogil=True, error_model="numpy", fastmath=True, inline="always")
EDGE = 8
A = np.float32(1 / math.sqrt(8))
B, C = np.float32(0.5 * math.cos(math.pi / 8)), np.float32(0.5 * math.sin(math.pi / 8))
E1, E3, E5, E7 = (np.float32(0.5 * math.cos(k * math.pi / 16)) for k in (1, 3, 5, 7))
NONE = np.float32(0)


@inlined
def _forth(source: Any, first: int, out: Any, count: int) -> None:
    """The transform of eight rows from `first` on, in each of so many columns."""
    for k in range(count):
        x0, x1, x2, x3 = source[first, k], source[first + 1, k], source[first + 2, k], source[first + 3, k]
        x4, x5, x6, x7 = source[first + 4, k], source[first + 5, k], source[first + 6, k], source[first + 7, k]
        s0, s1, s2, s3 = x0 + x7, x1 + x6, x2 + x5, x3 + x4
        d0, d1, d2, d3 = x0 - x7, x1 - x6, x2 - x5, x3 - x4
        out[0, k] = (s0 + s1 + s2 + s3) * A
        out[4, k] = (s0 - s1 - s2 + s3) * A
        out[2, k] = (s0 - s3) * B + (s1 - s2) * C
        out[6, k] = (s0 - s3) * C - (s1 - s2) * B
        out[1, k] = d0 * E1 + d1 * E3 + d2 * E5 + d3 * E7
        out[3, k] = d0 * E3 - d1 * E7 - d2 * E1 - d3 * E5
        out[5, k] = d0 * E5 - d1 * E1 + d2 * E7 + d3 * E3
        out[7, k] = d0 * E7 - d1 * E5 + d2 * E3 - d3 * E1


@inlined
def _back(source: Any, out: Any, first: int, count: int, weight: Any) -> None:
    """The inverse of it, weighted and added to eight rows from `first` on."""
    for k in range(count):
        y0, y1, y2, y3 = source[0, k], source[1, k], source[2, k], source[3, k]
        y4, y5, y6, y7 = source[4, k], source[5, k], source[6, k], source[7, k]
        high, low = (y0 + y4) * A, (y0 - y4) * A
        p0, p3 = high + y2 * B + y6 * C, high - y2 * B - y6 * C
        p1, p2 = low + y2 * C - y6 * B, low - y2 * C + y6 * B
        q0 = y1 * E1 + y3 * E3 + y5 * E5 + y7 * E7
        q1 = y1 * E3 - y3 * E7 - y5 * E1 - y7 * E5
        q2 = y1 * E5 - y3 * E1 + y5 * E7 + y7 * E3
        q3 = y1 * E7 - y3 * E5 + y5 * E3 - y7 * E1
        out[first, k] += weight * (p0 + q0)
        out[first + 7, k] += weight * (p0 - q0)
        out[first + 1, k] += weight * (p1 + q1)
        out[first + 6, k] += weight * (p1 - q1)
        out[first + 2, k] += weight * (p2 + q2)
        out[first + 5, k] += weight * (p2 - q2)
        out[first + 3, k] += weight * (p3 + q3)
        out[first + 4, k] += weight * (p3 - q3)


@compiled
def _downwards(plane: Any, top: Any, between: Any, standing: Any) -> None:
    """Eight rows of a plane, transformed downwards: width × 8."""
    width = plane.shape[1]
    _forth(plane, top, between, width)
    for k in range(width):
        for u in range(8):
            standing[k, u] = between[u, k]


@compiled
def _upwards(standing: Any, between: Any, plane: Any, top: Any) -> None:
    width = plane.shape[1]
    for k in range(width):
        for u in range(8):
            between[u, k] = standing[k, u]
    _back(between, plane, top, width, np.float32(1))


@compiled
def _across(standing: Any, left: Any, block: Any) -> None:
    _forth(standing, left, block, 8)


@compiled
def _across_back(block: Any, standing: Any, left: Any, weight: Any) -> None:
    _back(block, standing, left, 8, weight)


@compiled
def _cut(block: Any, least: Any) -> Any:
    """Without what is nearer to nothing than `least`, the mean apart; how many are left."""
    count, mean = NONE, block[0, 0]
    for v in range(8):
        for u in range(8):
            is_kept = abs(block[v, u]) >= least
            count += np.float32(1) if is_kept else NONE
            block[v, u] = block[v, u] if is_kept else NONE
    block[0, 0] = mean
    return count


@compiled
def _weighed(block: Any, guide: Any, power: Any) -> Any:
    """As much of each number as is signal in the guide, the mean whole; the sum of the squares of these shares."""
    spread, mean = NONE, block[0, 0]
    for v in range(8):
        for u in range(8):
            signal = guide[v, u] * guide[v, u]
            share = signal / (signal + power)
            block[v, u] *= share
            spread += share * share
    block[0, 0] = mean
    return spread


@compiled
def denoise(planes: Any, guide: Any, rows: Any, columns: Any, noise: Any, scale: Any, times: Any, out: Any) -> None:
    """What of each block is no noise, the mean of all blocks over a pixel; what has little of it counts the more.

    `planes`, `guide`, `out`: bands × height × width floats. `rows`, `columns`: where blocks begin, as unsigned
    numbers. `noise`: bands × levels, the standard deviation at a mean of the first band, which `scale` brings to a
    level. Where `times` is above nothing, what is below so many times the noise goes; else as much of each number
    stays as is signal in the guide, a first estimate (Wiener's filter). `out` begins as nothing.
    """
    bands, height, width = planes.shape
    levels = noise.shape[1]
    is_guided = times <= 0
    weights, row_weights = np.zeros((height, width), np.float32), np.zeros(width, np.float32)
    between = np.empty((8, width), np.float32)
    standing, guiding = np.empty((bands, width, 8), np.float32), np.empty((bands, width, 8), np.float32)
    made = np.empty((bands, width, 8), np.float32)
    blocks, other = np.empty((bands, 8, 8), np.float32), np.empty((8, 8), np.float32)
    for top in rows:
        made[:] = 0
        row_weights[:] = 0
        for band in range(bands):
            _downwards(planes[band], top, between, standing[band])
            if is_guided:
                _downwards(guide[band], top, between, guiding[band])
        for left in columns:
            needed, level = np.float32(1), 0
            for band in range(bands):
                block = blocks[band]
                _across(standing[band], left, block)
                if is_guided:
                    _across(guiding[band], left, other)
                if band == 0:
                    mean = other[0, 0] if is_guided else block[0, 0]
                    level = min(max(int(mean / 8 * scale), 0), levels - 1)
                deviation = noise[band, level]
                if is_guided:
                    needed += _weighed(block, other, deviation * deviation + np.float32(1e-12))
                else:
                    needed += _cut(block, times * deviation)
            weight = np.float32(1) / needed
            for band in range(bands):
                _across_back(blocks[band], made[band], left, weight)
            for k in range(8):
                row_weights[left + np.uint64(k)] += weight
        for band in range(bands):
            _upwards(made[band], between, out[band], top)
        for r in range(8):
            for k in range(width):
                weights[top + np.uint64(r), k] += row_weights[k]
    for band in range(bands):
        for r in range(height):
            for k in range(width):
                seen = weights[r, k] > 0
                out[band, r, k] = out[band, r, k] / weights[r, k] if seen else planes[band, r, k]
