"""How much of each pixel a shape covers, compiled.

Polygons by exact area: each edge adds, row by row, the signed area to its right, and the sum along a row is what is
covered (the accumulation of signed trapezoids that scan converters of outline fonts use). Strokes by the distance
from a pixel's middle to the nearest piece of the path.
"""

import math
from typing import Any

import numpy as np
from numba import njit

NEARLY = 1e-5  # what rounding leaves of nothing, and of all

compiled = njit(cache=True, nogil=True, error_model="numpy")


@compiled
def polygon_coverage(points: Any, out: Any) -> None:
    """Fill `out`, rows × columns floats of 0 to 1, with what a closed polygon covers.

    `points`: count × 2 (x, y), in pixels of `out` from its top left corner; they may lie anywhere. What is gone round
    twice is covered like what is gone round once.
    """
    rows, columns = out.shape
    sums = np.zeros((rows, columns + 2), np.float32)
    count = points.shape[0]
    for i in range(count):
        j = i + 1 if i + 1 < count else 0
        _clipped_edge(sums, points[i, 0], points[i, 1], points[j, 0], points[j, 1], float(columns), float(rows))
    for row in range(rows):
        total = 0.0
        for column in range(columns):
            total += sums[row, column]
            covered = min(abs(total), 1.0)
            out[row, column] = 0.0 if covered < NEARLY else (1.0 if covered > 1.0 - NEARLY else covered)


@compiled
def _clipped_edge(sums: Any, x0: float, y0: float, x1: float, y1: float, width: float, height: float) -> None:
    """An edge, cut where it crosses the sides; what lies beyond a side counts as lying on it."""
    if y0 == y1:
        return
    low, high = (0.0, 1.0)
    first, last = (-y0) / (y1 - y0), (height - y0) / (y1 - y0)
    low, high = max(low, min(first, last)), min(high, max(first, last))
    if low >= high:
        return
    cuts = np.empty(4)
    cuts[0], count = low, 1
    if x0 != x1:
        left, right = (0.0 - x0) / (x1 - x0), (width - x0) / (x1 - x0)
        for cut in (min(left, right), max(left, right)):
            if low < cut < high:
                cuts[count] = cut
                count += 1
    cuts[count] = high
    for i in range(count):
        a, b = cuts[i], cuts[i + 1]
        ya, yb = min(max(y0 + a * (y1 - y0), 0.0), height), min(max(y0 + b * (y1 - y0), 0.0), height)
        xa, xb = min(max(x0 + a * (x1 - x0), 0.0), width), min(max(x0 + b * (x1 - x0), 0.0), width)
        _edge(sums, xa, ya, xb, yb)


@compiled
def _edge(sums: Any, x0: float, y0: float, x1: float, y1: float) -> None:
    if y0 == y1:
        return
    way = 1.0
    if y0 > y1:
        x0, y0, x1, y1, way = x1, y1, x0, y0, -1.0
    slope = (x1 - x0) / (y1 - y0)
    lowest, highest = min(x0, x1), max(x0, x1)
    x = x0
    for row in range(int(y0), min(sums.shape[0], math.ceil(y1))):
        deep = min(row + 1.0, y1) - max(float(row), y0)
        following = min(max(x + slope * deep, lowest), highest)
        left, right = min(x, following), max(x, following)
        for column in range(int(left), min(math.ceil(right) + 1, sums.shape[1])):
            after, here, before = (
                _right_of(column + 1.0, left, right),
                _right_of(float(column), left, right),
                _right_of(column - 1.0, left, right),
            )
            sums[row, column] += way * deep * (after - 2 * here + before)
        x = following


@compiled
def _right_of(until: float, left: float, right: float) -> float:
    """How much lies between an edge that runs evenly from `left` to `right` and `until`, on average."""
    if until <= left:
        return 0.0
    if until >= right:
        return until - 0.5 * (left + right)
    return 0.5 * (until - left) ** 2 / (right - left)


@compiled
def stroke_coverage(path: Any, radius: float, softness: float, out: Any) -> None:
    """Raise `out`, rows × columns floats of 0 to 1, to what a round brush covers along a path.

    `path`: count × 2 in pixels of `out`; `softness`, 0 to 1: the part of the radius over which it fades. A hard edge
    is one pixel wide.
    """
    radius = max(radius, 0.5)
    fades = radius * softness
    sharper = max(0.0, (1.0 - fades) / 2.0)  # so that no edge is narrower than a pixel
    outer, inner = radius + sharper, max(0.0, radius - fades - sharper)
    count = path.shape[0]
    for i in range(max(count - 1, 1)):
        x0, y0 = path[i, 0], path[i, 1]
        x1, y1 = path[min(i + 1, count - 1), 0], path[min(i + 1, count - 1), 1]
        along_x, along_y = x1 - x0, y1 - y0
        length = along_x * along_x + along_y * along_y
        first_row = max(0, math.floor(min(y0, y1) - outer))
        last_row = min(out.shape[0], math.ceil(max(y0, y1) + outer) + 1)
        first, last = (
            max(0, math.floor(min(x0, x1) - outer)),
            min(out.shape[1], math.ceil(max(x0, x1) + outer) + 1),
        )
        for row in range(first_row, last_row):
            for column in range(first, last):
                x, y = column + 0.5 - x0, row + 0.5 - y0
                share = 0.0
                if length > 0.0:
                    share = min(max((x * along_x + y * along_y) / length, 0.0), 1.0)
                apart = math.sqrt((x - share * along_x) ** 2 + (y - share * along_y) ** 2)
                if apart < outer:
                    covered = 1.0 if apart <= inner else (outer - apart) / (outer - inner)
                    if softness > 0.0:
                        covered = covered * covered * (3.0 - 2.0 * covered)
                    if covered > out[row, column]:
                        out[row, column] = covered
