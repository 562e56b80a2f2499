"""Curves through points: monotone between neighbours, so that nothing overshoots.

Source: F. N. Fritsch and R. E. Carlson, Monotone Piecewise Cubic Interpolation (1980), with the weighted harmonic
means of Fritsch and Butland (1984) for the slopes.
"""

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float64]
CurvePoint = tuple[float, float]
Points = tuple[CurvePoint, ...]

STRAIGHT: Points = ((0.0, 0.0), (1.0, 1.0))


def is_straight(points: Points) -> bool:
    """Whether a curve changes nothing: no points, or all of them on the diagonal from 0 to 1."""
    return not points or (points[0][0] <= 0 and points[-1][0] >= 1 and all(x == y for x, y in points))


def along(points: Points, value: Floats) -> Floats:
    """The curve's height at `value` (any shape, 0 to 1); beyond its first and last point it goes on level.

    `points`: x and y from 0 to 1, x strictly rising; none mean the diagonal.

    >>> along(((0.0, 0.0), (0.5, 0.7), (1.0, 1.0)), np.array([0.0, 0.5, 1.0])).tolist()
    [0.0, 0.7, 1.0]
    """
    if not points:
        return value
    x, y = (np.array(column, dtype=np.float64) for column in zip(*points, strict=True))
    if len(x) == 1:
        return np.full_like(value, y[0])
    slopes = _slopes(x, y)
    inside = np.clip(value, x[0], x[-1])
    cell = np.clip(np.searchsorted(x, inside, side="right") - 1, 0, len(x) - 2)
    width = x[cell + 1] - x[cell]
    t = (inside - x[cell]) / width
    rest = 1 - t
    low = rest * rest * ((1 + 2 * t) * y[cell] + t * width * slopes[cell])
    high = t * t * ((1 + 2 * rest) * y[cell + 1] - rest * width * slopes[cell + 1])
    height: Floats = low + high
    return height


def _slopes(x: Floats, y: Floats) -> Floats:
    width, secant = np.diff(x), np.diff(y) / np.diff(x)
    if len(secant) == 1:
        return np.repeat(secant, 2)
    slopes = np.zeros_like(x)
    before, after = 2 * width[1:] + width[:-1], width[1:] + 2 * width[:-1]
    rising = secant[:-1] * secant[1:] > 0
    safe = np.where(rising, before / np.where(rising, secant[:-1], 1) + after / np.where(rising, secant[1:], 1), 1)
    slopes[1:-1] = np.where(rising, (before + after) / safe, 0)
    slopes[0] = _end_slope(width[0], width[1], secant[0], secant[1])
    slopes[-1] = _end_slope(width[-1], width[-2], secant[-1], secant[-2])
    return slopes


def _end_slope(near: float, next_to: float, secant: float, further: float) -> float:
    """Three points' slope at an end, kept to the side and the size that stay monotone."""
    slope = ((2 * near + next_to) * secant - near * further) / (near + next_to)
    if slope * secant <= 0:
        return 0.0
    return 3 * secant if secant * further <= 0 and abs(slope) > 3 * abs(secant) else slope


def towards(points: Points, share: float) -> Points:
    """A share of a curve: 0 is the diagonal, 1 the curve itself."""
    return tuple((x, x + share * (y - x)) for x, y in points)


def through(x: Sequence[float], y: Floats) -> Points:
    """Points from a list of places and the heights there, held within 0 to 1 and rounded to what can be shown."""
    return tuple((round(float(a), 4), round(float(min(max(b, 0), 1)), 4)) for a, b in zip(x, y, strict=True))
