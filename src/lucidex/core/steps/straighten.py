"""Straighten: turn by a small angle about the middle, and decide what becomes of the empty corners."""

import math
import re
from typing import Annotated, ClassVar, Literal, Self

from pydantic import Field

from lucidex.core.geometry.picture_geometry import PictureGeometry, Remark
from lucidex.core.geometry.sizes import Point, Size
from lucidex.core.geometry.transform import Transform
from lucidex.core.picture.grounds import CLEAR
from lucidex.core.picture.raster import Raster
from lucidex.core.picture.tilt import tilt_of
from lucidex.core.steps.bands import FindingStep, GeometryStep
from lucidex.core.steps.base import Carried, Offer, Sentence, Value, Words
from lucidex.core.steps.corners import Corners
from lucidex.core.units import format_number, parse_decimal

MAX_ANGLE = 45.0
_WORDS = "straighten horizon|level horizon|straighten|level|rotate|turn|tilt|skew|deskew|spin|horizon|incline|lean"
_NUMBER = r"([+-]?\d{1,3}(?:[.,]\d{1,3})?)"
_SIDE = "(?: (?:to )?(?:the )?(left|right|anticlockwise|clockwise))?"
_TYPED = re.compile(
    rf"(?:{_WORDS})(?: it)?(?: by)? {_NUMBER}{_SIDE}|(?:{_WORDS}) (left|right|clockwise|anticlockwise)(?: by)? "
    rf"{_NUMBER}"
)


class Straighten(GeometryStep, FindingStep):
    """Turn by up to 45 degrees; positive angles turn clockwise. By itself, where most long edges agree."""

    kind: Literal["straighten"] = "straighten"
    angle_degrees: Annotated[float, Field(ge=-MAX_ANGLE, le=MAX_ANGLE, allow_inf_nan=False)] = 0.0
    corners: Corners = Corners.CUT
    ground: Annotated[str, Field(pattern=r"^#[0-9a-f]{6}$")] = "#ffffff"
    automatic: bool = False
    finds: ClassVar[frozenset[str]] = frozenset({"angle_degrees"})
    by_hand: ClassVar[dict[str, object]] = {"automatic": False}
    carried: ClassVar[Carried] = Carried.NEVER
    varied_field: ClassVar[str | None] = "angle_degrees"
    variants: ClassVar[str] = "-2; -1; 1; 2"

    def found_on(self, raster: Raster) -> Self:
        """Where it is automatic: level, as far as most long edges agree; nothing where they do not."""
        if not self.automatic:
            return self
        tilt = tilt_of(raster.pixels)
        return self.model_copy(update={"angle_degrees": 0.0 if tilt is None else round(-tilt, 1) + 0.0})

    def remark(self, geometry: PictureGeometry) -> Remark | None:
        """A sentence where nothing was found."""
        if not self.automatic or self.angle_degrees:
            return None
        return Remark("No edges agree on a tilt.")

    def transform_geometry(self, geometry: PictureGeometry) -> PictureGeometry:
        """The turned frame; its middle stays the middle."""
        if self.angle_degrees == 0:
            return geometry
        size = _SIZES[self.corners](geometry.size, self.angle_degrees)
        turn = turn_about_middle(geometry.size, size, self.angle_degrees)
        if self.corners.are_cut:
            return geometry.followed_by(turn, size)
        return geometry.widened(turn, size, CLEAR if self.corners is Corners.CLEAR else self.ground)

    def sentence(self) -> Sentence:
        """For example: Straightened by 2.4°, corners cut away."""
        angle = Value("angle_degrees", f"{format_number(self.angle_degrees)}°")
        return Words("Straightened by "), angle, Words(", corners "), Value("corners", self.corners.value), Words(".")

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """Straighten by a line or an angle."""
        message = "Looks how far the picture is tilted; draw a line along what should be level, or set the angle."
        return (
            Offer(
                ("straighten", "level"),
                message,
                cls(automatic=True),
                also="horizon, level horizon, fix horizon, crooked, tilted, level the horizon, straighten horizon, "
                "not straight, "
                "straight, tilt, skewed, deskew, make straight",
            ),
        )

    @classmethod
    def read(cls, text: str) -> "Straighten | None":
        """Understands `straighten 2.4`, `straighten by -1,5` and `rotate 3 left`; quarter turns are another step."""
        match = _TYPED.fullmatch(text)
        if match is None:
            return None
        angle = float(parse_decimal(match[1] or match[4]))
        if angle and angle % 90 == 0:
            return None
        return cls(angle_degrees=-angle if (match[2] or match[3]) in {"left", "anticlockwise"} else angle)


def turn_about_middle(before: Size, after: Size, angle_degrees: float) -> Transform:
    """Turn clockwise about the middle of a frame, whose middle becomes the middle of the next frame."""
    c, s = math.cos(math.radians(angle_degrees)), math.sin(math.radians(angle_degrees))
    x, y = before.width / 2, before.height / 2
    return Transform(c, -s, s, c, after.width / 2 - (c * x - s * y), after.height / 2 - (s * x + c * y))


def bounding_size(size: Size, angle_degrees: float) -> Size:
    """The smallest whole size that holds the turned picture."""
    c, s = abs(math.cos(math.radians(angle_degrees))), abs(math.sin(math.radians(angle_degrees)))
    return Size(
        math.ceil(size.width * c + size.height * s - 1e-9), math.ceil(size.width * s + size.height * c - 1e-9)
    )


def largest_upright(size: Size, angle_degrees: float) -> Size:
    """The largest whole size of the picture's own shape that lies inside the turned picture, about its middle.

    A window of w × h about the middle lies inside the turned picture exactly where its corner, turned back, does:
    w·cos + h·sin ≤ W and w·sin + h·cos ≤ H (for angles up to 45 degrees). The height follows the width by the
    shape, rounded down; at least 1 × 1.
    """
    c, s = abs(math.cos(math.radians(angle_degrees))), abs(math.sin(math.radians(angle_degrees)))
    scale = min(size.width / (size.width * c + size.height * s), size.height / (size.width * s + size.height * c))
    return Size(max(1, math.floor(size.width * scale + 1e-9)), max(1, math.floor(size.height * scale + 1e-9)))


def largest_free_upright(size: Size, angle_degrees: float) -> Size:
    """The largest whole size of any shape that lies inside the turned picture, about its middle.

    By area; then grown by whole pixels where rounding down left room for them. Where the longer side is long
    enough, the best window touches both longer edges with two opposite corners, else it touches all four edges.
    """
    c, s = abs(math.cos(math.radians(angle_degrees))), abs(math.sin(math.radians(angle_degrees)))
    long, short = size.longest, size.shortest
    if short <= 2 * s * c * long or abs(c - s) < 1e-12:
        half = short / 2
        along, across = (half / s, half / c) if s > 0 else (float(long), float(short))
        width, height = (along, across) if size.width >= size.height else (across, along)
    else:
        double = c * c - s * s
        width = (size.width * c - size.height * s) / double
        height = (size.height * c - size.width * s) / double
    across, down = max(1, math.floor(width + 1e-9)), max(1, math.floor(height + 1e-9))
    across = max(across, math.floor(_widest(size.width, size.height, down, c, s) + 1e-9))
    return Size(across, max(down, math.floor(_widest(size.height, size.width, across, c, s) + 1e-9)))


def _widest(width: int, height: int, other: int, c: float, s: float) -> float:
    """How long a side may be where the side across it is `other`: both corner conditions of `largest_upright`."""
    by_width = (width - other * s) / c
    return min(by_width, (height - other * c) / s) if s > 0 else by_width


_SIZES = {
    Corners.CUT: largest_upright,
    Corners.CUT_FREE: largest_free_upright,
    Corners.COLOURED: bounding_size,
    Corners.CLEAR: bounding_size,
}


def level_angle(start: Point, end: Point) -> float:
    """The turn in degrees that makes a drawn line level or upright, whichever is nearer; within ±45.

    >>> round(level_angle(Point(0, 0), Point(100, 10)), 2)
    -5.71
    """
    tilt = math.degrees(math.atan2(end.y - start.y, end.x - start.x))
    return -(tilt - 90 * math.floor(tilt / 90 + 0.5))
