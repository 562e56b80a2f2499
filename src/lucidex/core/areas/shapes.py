"""The shapes of which areas are made.

Places are fractions of the upright original (0 to 1 across and down; what reaches beyond the edge may lie outside),
lengths are fractions of its shorter side, angles turn clockwise.
"""

import math
from collections.abc import Sequence
from typing import Annotated, Any, ClassVar, Literal, Self

import cv2
import numpy as np
import numpy.typing as npt
from pydantic import BaseModel, ConfigDict, FailFast, Field, model_validator

from lucidex.core.areas.coverage_kernel import polygon_coverage, stroke_coverage
from lucidex.core.areas.sight import Sight
from lucidex.core.geometry.sizes import Point, Size, Window

Masks = npt.NDArray[Any]  # height × width floats of 32 bits, 0 to 1
Points = npt.NDArray[np.float64]  # count × 2

DECIMALS = 5  # of places and lengths: a twentieth of a pixel at 5000
MAX_POINTS = 120  # of one shape; a longer path becomes several
FLAT = 0.002  # pixels between an arc and the chords that stand for it: half a level of 255
CURVE_PIECES = 8  # of a rounded corner's curve, between two points

Place = Annotated[float, Field(ge=-0.5, le=1.5, allow_inf_nan=False)]
Length = Annotated[float, Field(ge=0.0002, le=3, allow_inf_nan=False)]
Spot = tuple[Place, Place]


def arc_pieces(radius_px: float) -> int:
    """How many chords stand for a circle, so that none lies further from it than `FLAT` pixels: a multiple of 4."""
    half = math.acos(1 - min(FLAT / max(radius_px, 1.0), 0.5))
    return 4 * max(8, math.ceil(math.pi / half / 4))


def rounded(value: float) -> float:
    """A place or a length as it is kept."""
    return round(float(value), DECIMALS)


def _held(value: float, decimals: int = DECIMALS) -> float:
    return round(float(min(max(value, -0.5), 1.5)), decimals)


def kept_spot(point: Point, decimals: int = DECIMALS) -> Spot:
    """A point as it is kept."""
    return _held(point.x, decimals), _held(point.y, decimals)


class Shape(BaseModel):
    """One part of an area. `takes_away` takes it from what the parts before it have added."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    kind: str
    takes_away: bool = False
    found: bool = Field(False, description="Whether it was found, and not drawn by hand.")
    words: ClassVar[tuple[str, str]]  # one, several

    def covered(self, sight: Sight, left: float, top: float, mask: Masks) -> None:
        """Raise a mask, whose pixels begin at `left`, `top` of the raster, to what the shape covers."""
        raise NotImplementedError

    def bounds(self, sight: Sight) -> Window:
        """What surrounds it, in pixels of the raster."""
        raise NotImplementedError

    @property
    def middle(self) -> Point:
        """The middle of what surrounds it, in fractions of the upright original."""
        raise NotImplementedError

    def moved(self, dx: float, dy: float) -> Self:
        """The shape elsewhere; by fractions of the upright original."""
        raise NotImplementedError

    def outline(self, sight: Sight) -> list[Point]:
        """The points of its edge in pixels of the raster; of a stroke, its path."""
        raise NotImplementedError


class _Closed(Shape):
    """A shape with an edge that closes."""

    def covered(self, sight: Sight, left: float, top: float, mask: Masks) -> None:
        """By exact area."""
        points = np.array([(point.x - left, point.y - top) for point in self.outline(sight)])
        here = np.empty_like(mask)
        polygon_coverage(points, here)
        np.maximum(mask, here, out=mask)

    def bounds(self, sight: Sight) -> Window:
        """Of its edge."""
        return window_of(self.outline(sight))


class _Turned(_Closed):
    """A middle, two sides and an angle."""

    x: Place = 0.5
    y: Place = 0.5
    width: Length = 0.3
    height: Length = 0.2
    angle_degrees: Annotated[float, Field(ge=-360, le=360, allow_inf_nan=False)] = 0.0

    @property
    def middle(self) -> Point:
        """As it is kept."""
        return Point(self.x, self.y)

    def moved(self, dx: float, dy: float) -> Self:
        """Its middle elsewhere."""
        return self.model_copy(update={"x": _held(self.x + dx), "y": _held(self.y + dy)})

    def _around(self, sight: Sight, offsets: Sequence[tuple[float, float]]) -> list[Point]:
        """Points at offsets from the middle, in halves of its sides."""
        turn, short = math.radians(self.angle_degrees), sight.upright.shortest
        cos, sin = math.cos(turn), math.sin(turn)
        x, y = self.x * sight.upright.width, self.y * sight.upright.height
        halves = [(a * self.width * short / 2, b * self.height * short / 2) for a, b in offsets]
        return [sight.from_upright.map(Point(x + cos * a - sin * b, y + sin * a + cos * b)) for a, b in halves]


class Rectangle(_Turned):
    """A rectangle."""

    kind: Literal["rectangle"] = "rectangle"
    words: ClassVar[tuple[str, str]] = ("a rectangle", "rectangles")

    def outline(self, sight: Sight) -> list[Point]:
        """Its corners."""
        return self._around(sight, ((-1, -1), (1, -1), (1, 1), (-1, 1)))


class Ellipse(_Turned):
    """An ellipse."""

    kind: Literal["ellipse"] = "ellipse"
    words: ClassVar[tuple[str, str]] = ("an ellipse", "ellipses")

    def outline(self, sight: Sight) -> list[Point]:
        """A polygon of the same area that no pixel can tell from it."""
        pieces = arc_pieces(max(self.width, self.height) * sight.unit_at(self.middle) / 2)
        step = 2 * math.pi / pieces
        wider = math.sqrt(step / math.sin(step))  # an inscribed polygon covers less than its ellipse
        return self._around(sight, [(wider * math.cos(i * step), wider * math.sin(i * step)) for i in range(pieces)])


class Outline(_Closed):
    """Points joined by straight lines, or, with `smooth`, by a curve that goes through them (Catmull and Rom, 1974);
    the points numbered in `sharp` stay corners of the curve."""

    kind: Literal["outline"] = "outline"
    points: Annotated[tuple[Spot, ...], Field(min_length=3, max_length=MAX_POINTS), FailFast()]
    smooth: bool = False
    sharp: Annotated[
        tuple[Annotated[int, Field(ge=0, lt=MAX_POINTS)], ...], Field(max_length=MAX_POINTS), FailFast()
    ] = ()
    words: ClassVar[tuple[str, str]] = ("an outline", "outlines")

    @model_validator(mode="after")
    def _names_its_own_corners(self) -> Self:
        if any(number >= len(self.points) for number in self.sharp):
            raise ValueError("a sharp corner has the number of one of the points")
        return self

    @property
    def middle(self) -> Point:
        """Of its points."""
        return window_of([Point(x, y) for x, y in self.points]).centre

    def moved(self, dx: float, dy: float) -> Self:
        """All its points elsewhere."""
        return self.model_copy(update={"points": _shifted(self.points, dx, dy)})

    def outline(self, sight: Sight) -> list[Point]:
        """Its points, and those of the curve between them."""
        corners = [sight.pixel(Point(x, y)) for x, y in self.points]
        return corners if not self.smooth else self._curved(corners)

    def _curved(self, corners: list[Point]) -> list[Point]:
        count, sharp = len(corners), set(self.sharp)
        at = np.array([(point.x, point.y) for point in corners])
        t = np.linspace(0, 1, CURVE_PIECES, endpoint=False)[:, None]
        joined: list[Point] = []
        for i in range(count):
            j = (i + 1) % count
            leaving = np.zeros(2) if i in sharp else (at[j] - at[i - 1]) / 2
            arriving = np.zeros(2) if j in sharp else (at[(j + 1) % count] - at[i]) / 2
            curve = (
                (2 * t**3 - 3 * t**2 + 1) * at[i]
                + (t**3 - 2 * t**2 + t) * leaving
                + (3 * t**2 - 2 * t**3) * at[j]
                + (t**3 - t**2) * arriving
            )
            joined += [Point(float(x), float(y)) for x, y in curve]
        return joined


class Brushed(Shape):
    """What a round brush does along a path; `softness` is the part of its radius over which it fades."""

    path: Annotated[tuple[Spot, ...], Field(min_length=1, max_length=MAX_POINTS), FailFast()]
    radius: Length = 0.02
    softness: Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)] = 0.0

    def covered(self, sight: Sight, left: float, top: float, mask: Masks) -> None:
        """By the distance from the path."""
        points = self.outline(sight)
        path = np.array([(point.x - left, point.y - top) for point in points])
        stroke_coverage(path, self.radius_px(sight), self.softness, mask)

    def radius_px(self, sight: Sight) -> float:
        """The brush's radius in pixels of the raster."""
        middle = self.path[len(self.path) // 2]
        return self.radius * sight.unit_at(Point(*middle))

    def bounds(self, sight: Sight) -> Window:
        """Of its path, and the brush around it."""
        return grown(window_of(self.outline(sight)), max(self.radius_px(sight), 0.5) + 0.5)

    @property
    def middle(self) -> Point:
        """Of its path."""
        return window_of([Point(x, y) for x, y in self.path]).centre

    def moved(self, dx: float, dy: float) -> Self:
        """Its path elsewhere."""
        return self.model_copy(update={"path": _shifted(self.path, dx, dy)})

    def outline(self, sight: Sight) -> list[Point]:
        """Its path."""
        return [sight.pixel(Point(x, y)) for x, y in self.path]


class Stroke(Brushed):
    """What a brush covers."""

    kind: Literal["stroke"] = "stroke"
    words: ClassVar[tuple[str, str]] = ("a brush stroke", "brush strokes")


SHAPES: tuple[type[Shape], ...] = (Rectangle, Ellipse, Outline, Stroke)
AnyShape = Annotated[Rectangle | Ellipse | Outline | Stroke, Field(discriminator="kind")]


def _shifted(spots: tuple[Spot, ...], dx: float, dy: float) -> tuple[Spot, ...]:
    return tuple((_held(x + dx), _held(y + dy)) for x, y in spots)


def window_of(points: Sequence[Point]) -> Window:
    """The bounds of points."""
    xs, ys = [point.x for point in points], [point.y for point in points]
    return Window(min(xs), min(ys), max(xs) - min(xs), max(ys) - min(ys))


def union_of(windows: Sequence[Window]) -> Window:
    """The bounds of windows."""
    left, top = min(one.left for one in windows), min(one.top for one in windows)
    right, bottom = max(one.left + one.width for one in windows), max(one.top + one.height for one in windows)
    return Window(left, top, right - left, bottom - top)


def grown(window: Window, by: float) -> Window:
    """A window with so much more on each side."""
    return Window(window.left - by, window.top - by, window.width + 2 * by, window.height + 2 * by)


def simplified(
    spots: Sequence[tuple[float, float]], upright: Size, tolerance: float, decimals: int = DECIMALS
) -> tuple[Spot, ...]:
    """A drawn path with the points that matter, in fractions of the upright original: none of those left out lies
    further from what is left than `tolerance`, a fraction of the shorter side (D. Douglas and T. Peucker, 1973)."""
    scale = np.array([upright.width, upright.height]) / upright.shortest
    path: Any = (np.array(spots, np.float64).reshape(-1, 2) * scale).astype(np.float32)
    if len(path) > 2:
        path = cv2.approxPolyDP(path, tolerance, False).reshape(-1, 2)
    return tuple(kept_spot(Point(float(x), float(y)), decimals) for x, y in path / scale)
