"""Transforms of the plane, and the ways in which a frame can be turned over.

Coordinates are pixels, from the top left corner, y downwards.
"""

import math
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from lucidex.core.geometry.sizes import Box, Point, Size, Window

_HORIZON = 1e-9


@dataclass(frozen=True)
class Transform:
    """A projective transform: x' = (a·x + b·y + tx) / w, y' = (c·x + d·y + ty) / w, with w = g·x + h·y + i.

    With g = h = 0 and i = 1 it is affine; turns by quarters and mirroring are then exact.
    """

    a: float = 1.0
    b: float = 0.0
    c: float = 0.0
    d: float = 1.0
    tx: float = 0.0
    ty: float = 0.0
    g: float = 0.0
    h: float = 0.0
    i: float = 1.0

    @property
    def matrix(self) -> npt.NDArray[np.float64]:
        """3 × 3, for column vectors (x, y, 1)."""
        return np.array([[self.a, self.b, self.tx], [self.c, self.d, self.ty], [self.g, self.h, self.i]])

    def then(self, after: "Transform") -> "Transform":
        """The transform that applies `self` first and `after` second."""
        return Transform(
            after.a * self.a + after.b * self.c + after.tx * self.g,
            after.a * self.b + after.b * self.d + after.tx * self.h,
            after.c * self.a + after.d * self.c + after.ty * self.g,
            after.c * self.b + after.d * self.d + after.ty * self.h,
            after.a * self.tx + after.b * self.ty + after.tx * self.i,
            after.c * self.tx + after.d * self.ty + after.ty * self.i,
            after.g * self.a + after.h * self.c + after.i * self.g,
            after.g * self.b + after.h * self.d + after.i * self.h,
            after.g * self.tx + after.h * self.ty + after.i * self.i,
        )

    def depth(self, point: Point) -> float:
        """w at a point: positive in front of the horizon, 1 everywhere where the transform is affine."""
        return self.g * point.x + self.h * point.y + self.i

    def map(self, point: Point) -> Point:
        """Where a point goes; a point on or behind the horizon goes as far as numbers reach."""
        w = max(self.depth(point), _HORIZON)
        return Point(
            (self.a * point.x + self.b * point.y + self.tx) / w, (self.c * point.x + self.d * point.y + self.ty) / w
        )

    @property
    def inverse(self) -> "Transform":
        """The transform that takes every point back; the determinant must not be zero."""
        a, b, c, d, tx, ty, g, h, i = self.a, self.b, self.c, self.d, self.tx, self.ty, self.g, self.h, self.i
        det = a * (d * i - ty * h) - b * (c * i - ty * g) + tx * (c * h - d * g)
        return Transform(
            (d * i - ty * h) / det,
            (tx * h - b * i) / det,
            (ty * g - c * i) / det,
            (a * i - tx * g) / det,
            (b * ty - tx * d) / det,
            (tx * c - a * ty) / det,
            (c * h - d * g) / det,
            (b * g - a * h) / det,
            (a * d - b * c) / det,
        )

    def linear_at(self, point: Point) -> "Transform":
        """The linear part close to a point (the Jacobian), without shift."""
        w, to = max(self.depth(point), _HORIZON), self.map(point)
        return Transform(
            (self.a - to.x * self.g) / w,
            (self.b - to.x * self.h) / w,
            (self.c - to.y * self.g) / w,
            (self.d - to.y * self.h) / w,
        )

    def scale_at(self, point: Point) -> float:
        """Length of a small unit after the transform, as the square root of the Jacobian's determinant."""
        near = self.linear_at(point)
        return math.sqrt(abs(near.a * near.d - near.b * near.c))

    @property
    def is_affine(self) -> bool:
        """Whether parallels stay parallel."""
        return self.g == 0 and self.h == 0

    @property
    def is_quarter_turn(self) -> bool:
        """Whether pixels only change places: turns by quarters and mirroring, with whole-pixel shifts."""
        parts = (self.a, self.b, self.c, self.d)
        return self.is_affine and all(abs(abs(part) - round(abs(part))) < 1e-9 for part in parts)

    @property
    def swaps_axes(self) -> bool:
        """Whether what was wide is now nearer to upright."""
        return abs(self.b) > abs(self.a)

    def map_window(self, window: Window) -> Window:
        """The bounds of a window after the transform."""
        points = [self.map(corner) for corner in corners_of(window)]
        left, top = min(point.x for point in points), min(point.y for point in points)
        right, bottom = max(point.x for point in points), max(point.y for point in points)
        return Window(left, top, right - left, bottom - top)


def shift(dx: float, dy: float) -> Transform:
    """Move by so many pixels to the right and down."""
    return Transform(tx=dx, ty=dy)


def corners_of(window: Window) -> tuple[Point, Point, Point, Point]:
    """Top left, top right, bottom right, bottom left."""
    right, bottom = window.left + window.width, window.top + window.height
    return (
        Point(window.left, window.top),
        Point(right, window.top),
        Point(right, bottom),
        Point(window.left, bottom),
    )


def quarter_turn(size: Size, quarters: int) -> Transform:
    """Turn a frame of `size` by so many quarters clockwise."""
    turns = {
        0: Transform(),
        1: Transform(0, -1, 1, 0, size.height, 0),
        2: Transform(-1, 0, 0, -1, size.width, size.height),
        3: Transform(0, 1, -1, 0, 0, size.width),
    }
    return turns[quarters % 4]


def mirror_left_right(size: Size) -> Transform:
    """Mirror a frame of `size` so that left and right change places."""
    return Transform(a=-1, tx=size.width)


def mirror_top_bottom(size: Size) -> Transform:
    """Mirror a frame of `size` so that top and bottom change places."""
    return Transform(d=-1, ty=size.height)


def uprighting(stored: Size, orientation: int) -> Transform:
    """The transform from stored pixels to the upright original, for the Exif orientation 1 to 8.

    Source: CIPA DC-008 (Exif 2.32), tag 0x0112. Any other value counts as 1.
    """
    turned = {3: 2, 6: 1, 8: 3}.get(orientation)
    if turned is not None:
        return quarter_turn(stored, turned)
    flips = {
        2: mirror_left_right(stored),
        4: mirror_top_bottom(stored),
        5: Transform(0, 1, 1, 0),
        7: Transform(0, -1, -1, 0, stored.height, stored.width),
    }
    return flips.get(orientation, Transform())


def upright_size(stored: Size, orientation: int) -> Size:
    """The size of the upright original."""
    return stored.turned if orientation in {5, 6, 7, 8} else stored


def box_around(back: Transform, window: Window, margin: float, bounds: Size) -> Box:
    """The whole pixels that hold what `back` makes of a window, and a margin around it, held inside the bounds."""
    corners = [
        back.map(Point(window.left + i * window.width, window.top + j * window.height))
        for i in (0, 1)
        for j in (0, 1)
    ]
    xs, ys = [point.x for point in corners], [point.y for point in corners]
    left, right = _held(min(xs) - margin, max(xs) + margin, bounds.width)
    top, bottom = _held(min(ys) - margin, max(ys) + margin, bounds.height)
    return Box(left, top, Size(right - left, bottom - top))


def _held(low: float, high: float, most: int) -> tuple[int, int]:
    start = min(max(math.floor(low), 0), most - 1)
    return start, max(start + 1, min(math.ceil(high), most))
