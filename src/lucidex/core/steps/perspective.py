"""Perspective: a subject that leans or recedes, corrected by two angles or by four points.

By angles, the picture is seen again by a camera turned about its own centre (Hartley and Zisserman, Multiple
View Geometry, 2nd edition, 8.4.2: the homography K·R·K⁻¹), with the diagonal as focal length: a normal lens.
"""

import math
import re
from typing import Annotated, ClassVar, Literal, Self

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from lucidex.core.geometry.inscribed import clipped, largest_free, whole_inside
from lucidex.core.geometry.picture_geometry import PictureGeometry, Remark
from lucidex.core.geometry.sizes import Point, Size
from lucidex.core.geometry.transform import Transform, corners_of, shift
from lucidex.core.picture.grounds import CLEAR
from lucidex.core.steps.bands import GeometryStep
from lucidex.core.steps.base import Carried, Offer, Sentence, Value, Words
from lucidex.core.steps.corners import Corners, normalised
from lucidex.core.units import format_number

MAX_LEAN = 35.0
_NEAREST_DEPTH = 0.3  # of the depth in the middle of the four points: beyond it the picture is pulled too far
_FOCAL_RANGE = 0.3, 6.0  # of the diagonal: what a real lens can have
_TYPED = re.compile(r"(?:correct )?(?:perspective|leaning|keystone)(?: by)? ([+-]?\d{1,2}(?:[.,]\d{1,2})?)")

Lean = Annotated[float, Field(ge=-MAX_LEAN, le=MAX_LEAN, allow_inf_nan=False)]
Share = Annotated[float, Field(ge=-1, le=2, allow_inf_nan=False)]


class Perspective(GeometryStep):
    """Correct a leaning (up and down) or receding (sideways) subject by angles in degrees.

    A positive `vertical_degrees` widens the top, a positive `horizontal_degrees` heightens the left.
    """

    kind: Literal["perspective"] = "perspective"
    vertical_degrees: Lean = 0.0
    horizontal_degrees: Lean = 0.0
    corners: Corners = Corners.CUT
    ground: Annotated[str, Field(pattern=r"^#[0-9a-f]{6}$")] = "#ffffff"
    carried: ClassVar[Carried] = Carried.NEVER
    varied_field: ClassVar[str | None] = "vertical_degrees"
    variants: ClassVar[str] = "5; 10; 15"

    def transform_geometry(self, geometry: PictureGeometry) -> PictureGeometry:
        """The corrected frame."""
        if self.vertical_degrees == self.horizontal_degrees == 0:
            return geometry
        return normalised(geometry, self._seen_again(geometry.size), self.corners, self.ground)

    def _seen_again(self, size: Size) -> Transform:
        focal = math.hypot(size.width, size.height)
        up, side = math.radians(self.vertical_degrees), math.radians(self.horizontal_degrees)
        tilted = Transform(
            focal, 0, 0, focal * math.cos(up), 0, -focal * focal * math.sin(up), 0, math.sin(up), focal * math.cos(up)
        )
        panned = Transform(
            focal * math.cos(side),
            0,
            0,
            focal,
            -focal * focal * math.sin(side),
            0,
            math.sin(side),
            0,
            focal * math.cos(side),
        )
        to_middle = shift(-size.width / 2, -size.height / 2)
        return to_middle.then(tilted).then(panned).then(shift(size.width / 2, size.height / 2))

    def sentence(self) -> Sentence:
        """For example: Perspective corrected by 12° upright and 0° sideways, corners cut away."""
        return (
            Words("Perspective corrected by "),
            Value("vertical_degrees", f"{format_number(self.vertical_degrees)}°"),
            Words(" upright and "),
            Value("horizontal_degrees", f"{format_number(self.horizontal_degrees)}°"),
            Words(" sideways, corners "),
            Value("corners", self.corners.value),
            Words("."),
        )

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """By two sliders."""
        message = "Sets a leaning building upright again, or a wall that recedes to one side, by two sliders."
        return (
            Offer(
                ("correct perspective", "perspective"),
                message,
                cls(),
                also="fix perspective, keystone, converging verticals, falling lines, converging lines, leaning "
                "building, "
                "leaning walls, fix verticals, upright walls, leaning",
            ),
        )

    @classmethod
    def read(cls, text: str) -> "Perspective | None":
        """Understands `perspective 12`."""
        match = _TYPED.fullmatch(text)
        return cls(vertical_degrees=float(match[1].replace(",", "."))) if match else None


class Spot(BaseModel):
    """A point of the content, in fractions of the upright original; it may lie outside of it."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    x: Share
    y: Share


class FourPoints(GeometryStep):
    """Pull four points onto what should be a rectangle; its shape is computed.

    `points` run clockwise from the top left, as seen on the picture. `across` and `down` give the
    rectangle's shape where it is known (a sheet of 210 × 297).
    """

    kind: Literal["four_points"] = "four_points"
    points: tuple[Spot, Spot, Spot, Spot] = (
        Spot(x=0.1, y=0.1),
        Spot(x=0.9, y=0.1),
        Spot(x=0.9, y=0.9),
        Spot(x=0.1, y=0.9),
    )
    keeps_rest: bool = False
    across: Annotated[int, Field(ge=1, le=10_000)] | None = None
    down: Annotated[int, Field(ge=1, le=10_000)] | None = None
    carried: ClassVar[Carried] = Carried.NEVER

    def begun(self, geometry: PictureGeometry) -> Self:
        """Four points a little inside the picture as it stands."""
        across, down = geometry.size.width * 0.12, geometry.size.height * 0.12
        inner = (
            Point(across, down),
            Point(geometry.size.width - across, down),
            Point(geometry.size.width - across, geometry.size.height - down),
            Point(across, geometry.size.height - down),
        )
        return self.put_on(geometry, inner)

    def put_on(self, geometry: PictureGeometry, points: tuple[Point, ...]) -> Self:
        """The step with its points on these (pixels of the picture before the step)."""
        spots = tuple(geometry.to_content(point) for point in points)
        held = tuple(Spot(x=min(max(p.x, -1.0), 2.0), y=min(max(p.y, -1.0), 2.0)) for p in spots)
        return self.model_copy(update={"points": held})

    def quad(self, geometry: PictureGeometry) -> tuple[Point, ...]:
        """The four points in pixels of the picture before the step."""
        return tuple(geometry.to_picture(Point(spot.x, spot.y)) for spot in self.points)

    def transform_geometry(self, geometry: PictureGeometry) -> PictureGeometry:
        """The frame after pulling: the rectangle alone, or the largest window around and beyond it."""
        quad = self.quad(geometry)
        if not is_convex(quad):
            return geometry.with_remark(
                Remark("The four points do not go round a four-sided shape, so nothing was pulled.")
            )
        size = self.result_size(geometry, quad)
        pulled = square_to(quad).inverse.then(Transform(size.width, 0, 0, size.height))
        if self.keeps_rest:
            return _with_rest(geometry, pulled, size)
        if _within(geometry, quad):
            return geometry.followed_by(pulled, size)
        return geometry.widened(pulled, size, CLEAR)

    def result_size(self, geometry: PictureGeometry, quad: tuple[Point, ...]) -> Size:
        """The rectangle's size: no side of the four loses pixels, the shape computed or given."""
        top, right, bottom, left = (math.dist(*_pair(quad, i)) for i in range(4))
        width, height = max(top, bottom), max(left, right)
        if self.across and self.down:
            ratio = self.across / self.down
        else:
            ratio = true_ratio(quad, geometry.to_picture(Point(0.5, 0.5)), math.hypot(*_extent(geometry.size)))
        if width / height >= ratio:
            return Size(max(1, round(width)), max(1, round(width / ratio)))
        return Size(max(1, round(height * ratio)), max(1, round(height)))

    def sentence(self) -> Sentence:
        """For example: Four points pulled to a rectangle, the rest cut away."""
        rest = "the rest kept" if self.keeps_rest else "the rest cut away"
        shape = f" of {self.across} : {self.down}" if self.across and self.down else ""
        return Words("Four "), Value("points", "points"), Words(f" pulled to a rectangle{shape}, {rest}.")

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """By hand."""
        message = (
            "Pull four points onto a sheet, a poster or a front: it becomes a true rectangle, its shape is computed."
        )
        return (
            Offer(
                ("four points", "pull to a rectangle"),
                message,
                cls(),
                also="rectify, four corners, scan document, straighten document, pull flat, flatten page, document "
                "scan, "
                "make rectangle, whiteboard",
            ),
        )


def _extent(size: Size) -> tuple[float, float]:
    return float(size.width), float(size.height)


def _pair(quad: tuple[Point, ...], side: int) -> tuple[tuple[float, float], tuple[float, float]]:
    start, end = quad[side], quad[(side + 1) % 4]
    return (start.x, start.y), (end.x, end.y)


def is_convex(quad: tuple[Point, ...]) -> bool:
    """Whether four points go round clockwise with every corner turning the same way."""
    for index in range(4):
        a, b, c = quad[index], quad[(index + 1) % 4], quad[(index + 2) % 4]
        if (b.x - a.x) * (c.y - b.y) - (b.y - a.y) * (c.x - b.x) <= 1e-6:
            return False
    return True


def square_to(quad: tuple[Point, ...]) -> Transform:
    """The transform from the unit square (clockwise from the top left) to four points.

    Source: Heckbert, Fundamentals of Texture Mapping and Image Warping (1989), 2.2.3.
    """
    p0, p1, p2, p3 = quad
    dx1, dx2, dx3 = p1.x - p2.x, p3.x - p2.x, p0.x - p1.x + p2.x - p3.x
    dy1, dy2, dy3 = p1.y - p2.y, p3.y - p2.y, p0.y - p1.y + p2.y - p3.y
    across = dx1 * dy2 - dx2 * dy1
    g, h = (dx3 * dy2 - dx2 * dy3) / across, (dx1 * dy3 - dx3 * dy1) / across
    return Transform(
        p1.x - p0.x + g * p1.x,
        p3.x - p0.x + h * p3.x,
        p1.y - p0.y + g * p1.y,
        p3.y - p0.y + h * p3.y,
        p0.x,
        p0.y,
        g,
        h,
    )


def true_ratio(quad: tuple[Point, ...], middle: Point, diagonal: float) -> float:
    """Width over height of the flat rectangle that was seen as four points.

    `middle` is where the camera looked (the original's middle), `diagonal` the picture's. Source: Zhang and He,
    Whiteboard Scanning and Image Enhancement (2003), section 3. Where the points do not tell the focal length
    (two sides stay parallel), a normal lens is assumed.
    """
    top_left, top_right, bottom_right, bottom_left = (
        np.array([(p.x - middle.x) / diagonal, (p.y - middle.y) / diagonal, 1.0]) for p in quad
    )
    k2 = np.cross(top_left, bottom_right) @ bottom_left / (np.cross(top_right, bottom_right) @ bottom_left)
    k3 = np.cross(top_left, bottom_right) @ top_right / (np.cross(bottom_left, bottom_right) @ top_right)
    along, down = k2 * top_right - top_left, k3 * bottom_left - top_left
    focal = 1.0
    if abs(along[2] * down[2]) > 1e-6:
        squared = -(along[0] * down[0] + along[1] * down[1]) / (along[2] * down[2])
        if _FOCAL_RANGE[0] ** 2 <= squared <= _FOCAL_RANGE[1] ** 2:
            focal = math.sqrt(squared)
    lens = np.array([1 / focal, 1 / focal, 1.0])
    return float(np.linalg.norm(along * lens) / np.linalg.norm(down * lens))


def _within(geometry: PictureGeometry, quad: tuple[Point, ...]) -> bool:
    slack = 1e-6 * geometry.size.longest
    return all(
        -slack <= p.x <= geometry.size.width + slack and -slack <= p.y <= geometry.size.height + slack for p in quad
    )


def _with_rest(geometry: PictureGeometry, pulled: Transform, size: Size) -> PictureGeometry:
    """The largest window of the pulled picture; what would be pulled too far is left out."""
    middle = pulled.inverse.map(Point(size.width / 2, size.height / 2))
    nearest = _NEAREST_DEPTH * pulled.depth(middle)
    near = clipped(corners_of(geometry.window), lambda point: pulled.depth(point) - nearest)
    window = whole_inside(largest_free(tuple(pulled.map(point) for point in near)))
    return geometry.followed_by(
        pulled.then(shift(-window.left, -window.top)), Size(int(window.width), int(window.height))
    )
