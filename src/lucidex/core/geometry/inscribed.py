"""The largest upright rectangles inside a convex shape: what is left when empty corners are cut away."""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import combinations

import numpy as np

from lucidex.core.geometry.sizes import Point, Size, Window

_SEARCH_STEPS = 45
_MAX_PROPORTIONS = math.log(50_000)
_GOLDEN = (math.sqrt(5) - 1) / 2
_TOLERANCE = 1e-7


@dataclass(frozen=True)
class _HalfPlane:
    """All points with across·x + down·y ≤ most; (across, down) has length 1."""

    across: float
    down: float
    most: float


def _half_planes(polygon: Sequence[Point]) -> list[_HalfPlane]:
    """The sides of a convex polygon; `polygon` runs clockwise on the screen (y downwards)."""
    planes = []
    for index, start in enumerate(polygon):
        end = polygon[(index + 1) % len(polygon)]
        across, down = end.y - start.y, start.x - end.x
        length = math.hypot(across, down)
        if length > 0:
            across, down = across / length, down / length
            planes.append(_HalfPlane(across, down, across * start.x + down * start.y))
    return planes


def clockwise(polygon: Sequence[Point]) -> tuple[Point, ...]:
    """The same corners, running clockwise on the screen."""
    turned = sum(a.x * b.y - b.x * a.y for a, b in zip(polygon, [*polygon[1:], polygon[0]], strict=True))
    return tuple(polygon if turned >= 0 else reversed(polygon))


@lru_cache(maxsize=256)
def largest_of_shape(polygon: tuple[Point, ...], shape: Size) -> Window:
    """The largest window with the proportions of `shape` inside a convex polygon."""
    return _largest(polygon, float(shape.width), float(shape.height))


def _largest(polygon: tuple[Point, ...], across: float, down: float) -> Window:
    """Centre and scale are the three unknowns of a linear programme; its optimum lies where three sides of the
    polygon are touched, so all triples are tried.
    """
    planes = _half_planes(clockwise(polygon))
    rows = [(p.across, p.down, (abs(p.across) * across + abs(p.down) * down) / 2, p.most) for p in planes]
    slack = _TOLERANCE * max(abs(row[3]) for row in rows)
    best = (0.0, polygon[0].x, polygon[0].y)
    for three in combinations(rows, 3):
        left = np.array([row[:3] for row in three])
        if abs(np.linalg.det(left)) < 1e-12:
            continue
        x, y, scale = (float(value) for value in np.linalg.solve(left, np.array([row[3] for row in three])))
        if scale > best[0] and all(r[0] * x + r[1] * y + r[2] * scale <= r[3] + slack for r in rows):
            best = (scale, x, y)
    scale, x, y = best
    width, height = scale * across, scale * down
    return Window(x - width / 2, y - height / 2, width, height)


@lru_cache(maxsize=256)
def largest_free(polygon: tuple[Point, ...]) -> Window:
    """The largest window of any shape (by area) inside a convex polygon.

    In the logarithms of width and height every side of the polygon is a convex constraint, so the logarithm of the
    largest area is a concave function of the logarithm of the proportions: a golden-section search over the
    proportions alone (Kiefer 1953) finds its one maximum.
    """

    def of(proportions: float) -> Window:
        return _largest(polygon, math.exp(proportions / 2), math.exp(-proportions / 2))

    def area(proportions: float) -> float:
        window = of(proportions)
        return window.width * window.height

    return of(_maximum(area, -_MAX_PROPORTIONS, _MAX_PROPORTIONS))


def _maximum(value: Callable[[float], float], low: float, high: float) -> float:
    inner, outer = high - _GOLDEN * (high - low), low + _GOLDEN * (high - low)
    at_inner, at_outer = value(inner), value(outer)
    for _ in range(_SEARCH_STEPS):
        if at_inner < at_outer:
            low, inner, at_inner = inner, outer, at_outer
            outer = low + _GOLDEN * (high - low)
            at_outer = value(outer)
        else:
            high, outer, at_outer = outer, inner, at_inner
            inner = high - _GOLDEN * (high - low)
            at_inner = value(inner)
    return (low + high) / 2


def whole_inside(window: Window) -> Window:
    """The window of whole width and height (at least 1 × 1) about the same middle."""
    width = max(1, math.floor(window.width + _TOLERANCE))
    height = max(1, math.floor(window.height + _TOLERANCE))
    middle = window.centre
    return Window(middle.x - width / 2, middle.y - height / 2, width, height)


def clipped(polygon: Sequence[Point], keeps: Callable[[Point], float]) -> tuple[Point, ...]:
    """The part of a convex polygon where a linear function is at least 0 (Sutherland and Hodgman 1974)."""
    kept: list[Point] = []
    for index, start in enumerate(polygon):
        end = polygon[(index + 1) % len(polygon)]
        at_start, at_end = keeps(start), keeps(end)
        if at_start >= 0:
            kept.append(start)
        if (at_start >= 0) != (at_end >= 0):
            share = at_start / (at_start - at_end)
            kept.append(Point(start.x + share * (end.x - start.x), start.y + share * (end.y - start.y)))
    return tuple(kept)
