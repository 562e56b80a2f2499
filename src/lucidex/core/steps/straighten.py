"""Straighten: turn by a small angle about the middle, and decide what becomes of the empty corners."""

import math
import re
from enum import StrEnum
from typing import Annotated, ClassVar, Literal

from pydantic import Field

from lucidex.core.frame import Affine, Frame
from lucidex.core.geometry import Point, Size
from lucidex.core.steps.base import Carried, FramingStep, Offer, Sentence, Value, Words
from lucidex.core.units import format_number

MAX_ANGLE = 45.0
_TYPED = re.compile(r"straighten(?:\s+by)?\s+([+-]?\d{1,2}(?:[.,]\d{1,3})?)\s*°?")


class Corners(StrEnum):
    """What becomes of the corners that turning leaves empty."""

    CUT = "cut away"
    COLOURED = "coloured"
    CLEAR = "left clear"


class Straighten(FramingStep):
    """Turn by up to 45 degrees; positive angles turn clockwise."""

    kind: Literal["straighten"] = "straighten"
    angle_degrees: Annotated[float, Field(ge=-MAX_ANGLE, le=MAX_ANGLE, allow_inf_nan=False)]
    corners: Corners = Corners.CUT
    ground: Annotated[str, Field(pattern=r"^#[0-9a-f]{6}$")] = "#ffffff"
    carried: ClassVar[Carried] = Carried.NEVER

    def reframe(self, frame: Frame) -> Frame:
        """The turned frame; its middle stays the middle."""
        if self.angle_degrees == 0:
            return frame
        size = (largest_upright if self.corners is Corners.CUT else bounding_size)(frame.size, self.angle_degrees)
        turned = frame.followed_by(turn_about_middle(frame.size, size, self.angle_degrees), size)
        if self.corners is Corners.CUT:
            return turned
        return turned.with_ground("clear" if self.corners is Corners.CLEAR else self.ground)

    def sentence(self) -> Sentence:
        """For example: Straightened by 2.4°, corners cut away."""
        angle = Value("angle_degrees", f"{format_number(self.angle_degrees)}°")
        return Words("Straightened by "), angle, Words(", corners "), Value("corners", self.corners.value), Words(".")

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """Straighten by a line or an angle."""
        said = "Draw a line along something that should be level or upright, or set the angle."
        return (Offer(("straighten", "level"), said, cls(angle_degrees=0)),)

    @classmethod
    def read(cls, text: str) -> "Straighten | None":
        """Understands `straighten 2.4` and `straighten by -1,5°`."""
        match = _TYPED.fullmatch(text)
        return cls(angle_degrees=float(match[1].replace(",", "."))) if match else None


def turn_about_middle(before: Size, after: Size, angle_degrees: float) -> Affine:
    """Turn clockwise about the middle of a frame, whose middle becomes the middle of the next frame."""
    c, s = math.cos(math.radians(angle_degrees)), math.sin(math.radians(angle_degrees))
    x, y = before.width / 2, before.height / 2
    return Affine(c, -s, s, c, after.width / 2 - (c * x - s * y), after.height / 2 - (s * x + c * y))


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


def level_angle(start: Point, end: Point) -> float:
    """The turn in degrees that makes a drawn line level or upright, whichever is nearer; within ±45.

    >>> round(level_angle(Point(0, 0), Point(100, 10)), 2)
    -5.71
    """
    tilt = math.degrees(math.atan2(end.y - start.y, end.x - start.x))
    return -(tilt - 90 * math.floor(tilt / 90 + 0.5))
