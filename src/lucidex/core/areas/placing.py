"""Shapes between the prepared picture, on which they are drawn, and the upright original, in which they are kept."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TypeVar

from lucidex.core.areas.shapes import (
    DECIMALS,
    MAX_POINTS,
    Brushed,
    Ellipse,
    Outline,
    Rectangle,
    Shape,
    Spot,
    kept_spot,
    rounded,
    simplified,
)
from lucidex.core.errors import OutOfRangeError
from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.geometry.sizes import Point
from lucidex.core.geometry.transform import Transform

PATH_TOLERANCE, LEAST_TOLERANCE = 0.08, 0.0004  # of the radius; of the shorter side
OUTLINE_TOLERANCE = 0.0015
BROAD = 0.01  # radius
SHORTEST_SIDE_PX = 1.0

T = TypeVar("T", bound=Rectangle | Ellipse)
B = TypeVar("B", bound=Brushed)


@dataclass(frozen=True)
class Placed:
    """A middle, two sides and an angle on the prepared picture, in its pixels; clockwise."""

    middle: Point
    width: float
    height: float
    angle_degrees: float = 0.0


def placed(shape: Rectangle | Ellipse, geometry: PictureGeometry) -> Placed:
    """Where a shape lies on the picture; where that is pulled, as near as it can be said so."""
    upright = geometry.upright
    at = Point(shape.x * upright.width, shape.y * upright.height)
    there = geometry.transform.linear_at(at)
    across = _turned(there, shape.width * upright.shortest, shape.angle_degrees)
    down = _turned(there, shape.height * upright.shortest, shape.angle_degrees + 90)
    angle = math.degrees(math.atan2(across.y, across.x))
    middle = geometry.transform.map(at)
    return Placed(middle, math.hypot(across.x, across.y), math.hypot(down.x, down.y), _shown_angle(angle))


def kept(kind: type[T], where: Placed, geometry: PictureGeometry, takes_away: bool = False) -> T:
    """A shape drawn on the picture, as it is kept. OutOfRangeError where it is thinner than a pixel or too large."""
    if min(where.width, where.height) < SHORTEST_SIDE_PX:
        raise OutOfRangeError("An area must be at least 1 pixel wide and high.")
    back = geometry.transform.inverse
    there = back.linear_at(where.middle)
    across = _turned(there, where.width, where.angle_degrees)
    down = _turned(there, where.height, where.angle_degrees + 90)
    middle, short = geometry.to_content(where.middle), geometry.upright.shortest
    x, y = kept_spot(middle)
    sides = [math.hypot(side.x, side.y) / short for side in (across, down)]
    if max(sides) > 3:
        raise OutOfRangeError("An area has sides of at most three times the picture's shorter side.")
    return kind(
        takes_away=takes_away,
        x=x,
        y=y,
        width=rounded(max(sides[0], 0.0002)),
        height=rounded(max(sides[1], 0.0002)),
        angle_degrees=round(math.degrees(math.atan2(across.y, across.x)), 3),
    )


def _turned(linear: Transform, length: float, angle_degrees: float) -> Point:
    turn = math.radians(angle_degrees)
    return linear.map(Point(length * math.cos(turn), length * math.sin(turn)))


def _shown_angle(angle: float) -> float:
    """The angle of a shape that looks the same turned by half: -90 to 90."""
    angle = (angle + 90) % 180 - 90
    return 0.0 if abs(angle) < 1e-6 else angle


def kept_path(
    points: Sequence[Point], radius_px: float, geometry: PictureGeometry
) -> tuple[list[tuple[Spot, ...]], float]:
    """A drawn path as it is kept, in parts of at most `MAX_POINTS`, and the brush's radius."""
    content = [geometry.to_content(point) for point in points]
    radius = radius_px / geometry.content_unit(content[len(content) // 2])
    radius = rounded(min(max(radius, 0.0002), 3.0))
    tolerance = max(PATH_TOLERANCE * radius, LEAST_TOLERANCE)
    decimals = DECIMALS - 1 if radius >= BROAD else DECIMALS  # half a hundredth of a broad brush
    path = simplified([(one.x, one.y) for one in content], geometry.upright, tolerance, decimals)
    parts = [path[start : start + MAX_POINTS] for start in range(0, max(len(path) - 1, 1), MAX_POINTS - 1)]
    return parts, radius


def kept_outline(
    points: Sequence[Point], geometry: PictureGeometry, smooth: bool, takes_away: bool = False
) -> Outline:
    """A drawn outline as it is kept; one drawn freely keeps the points that matter.

    OutOfRangeError where it has fewer than three.
    """
    content = [geometry.to_content(point) for point in points]
    spots: tuple[Spot, ...] = tuple(kept_spot(one) for one in content)
    tolerance = OUTLINE_TOLERANCE
    while smooth and len(spots) > MAX_POINTS // 2:
        spots = simplified([(one.x, one.y) for one in content], geometry.upright, tolerance)
        tolerance *= 1.5
    if len(spots) < 3:
        raise OutOfRangeError("An outline needs at least three points.")
    if len(spots) > MAX_POINTS:
        raise OutOfRangeError(f"An outline has at most {MAX_POINTS} points.")
    return Outline(points=spots, smooth=smooth, takes_away=takes_away)


def moved_on_picture(shape: Shape, geometry: PictureGeometry, dx: float, dy: float) -> Shape:
    """A shape moved by so many pixels of the picture."""
    at = geometry.window.centre
    before, after = geometry.to_content(at), geometry.to_content(Point(at.x + dx, at.y + dy))
    return shape.moved(after.x - before.x, after.y - before.y)
