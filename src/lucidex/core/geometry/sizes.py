"""Sizes, points, windows and boxes: where every pixel count in the product is decided.

Coordinates run from the top left corner; x to the right, y downwards; a pixel covers a unit square.
"""

import math
from dataclasses import dataclass
from fractions import Fraction

from lucidex.core.errors import OutOfRangeError

MAX_EDGE_PX = 32_000
MAX_PIXELS = 200_000_000


@dataclass(frozen=True, order=True)
class Size:
    """Width and height in whole pixels, each at least 1."""

    width: int
    height: int

    def __post_init__(self) -> None:
        if self.width < 1 or self.height < 1:
            raise OutOfRangeError(f"A size must be at least 1 × 1 pixel, not {self.width} × {self.height}.")

    @property
    def pixels(self) -> int:
        """Width times height."""
        return self.width * self.height

    @property
    def longest(self) -> int:
        """The longer of the two sides."""
        return max(self.width, self.height)

    @property
    def shortest(self) -> int:
        """The shorter of the two sides."""
        return min(self.width, self.height)

    @property
    def turned(self) -> "Size":
        """The size after a quarter turn."""
        return Size(self.height, self.width)

    def __str__(self) -> str:
        return f"{self.width} × {self.height}"


@dataclass(frozen=True)
class Point:
    """A point; pixels or fractions, as its name says where it is used."""

    x: float
    y: float


@dataclass(frozen=True)
class Window:
    """A rectangle with real edges, in pixels of the frame that it is named for."""

    left: float
    top: float
    width: float
    height: float

    @property
    def centre(self) -> Point:
        """The middle of the rectangle."""
        return Point(self.left + self.width / 2, self.top + self.height / 2)


@dataclass(frozen=True)
class Box:
    """A rectangle on whole pixels."""

    left: int
    top: int
    size: Size

    @property
    def window(self) -> Window:
        """The same rectangle with real edges."""
        return Window(self.left, self.top, self.size.width, self.size.height)


def round_half_up(value: Fraction) -> int:
    """The nearest whole number; halves go up.

    >>> round_half_up(Fraction(5, 2)), round_half_up(Fraction(7, 3))
    (3, 2)
    """
    return math.floor(value + Fraction(1, 2))


def proportional(side: int, of: int, other: int) -> int:
    """The other side when a side of length `of` becomes `side` and proportions are kept; at least 1.

    >>> proportional(1600, of=6000, other=3750)
    1000
    """
    return max(1, round_half_up(Fraction(side * other, of)))


def largest_within(shape: Size, bounds: Size) -> Size:
    """The largest size with the proportions of `shape` inside `bounds`; touches two of its sides.

    >>> largest_within(Size(6000, 3750), Size(800, 800))
    Size(width=800, height=500)
    """
    if bounds.width * shape.height <= bounds.height * shape.width:
        height = proportional(bounds.width, of=shape.width, other=shape.height)
        return Size(bounds.width, min(height, bounds.height))
    width = proportional(bounds.height, of=shape.height, other=shape.width)
    return Size(min(width, bounds.width), bounds.height)


def check_output_size(size: Size) -> Size:
    """Return `size`, or raise OutOfRangeError with the limits where it exceeds them."""
    if size.longest > MAX_EDGE_PX or size.pixels > MAX_PIXELS:
        raise OutOfRangeError(
            f"{size} is too large: a side may have up to {f'{MAX_EDGE_PX:,}'.replace(',', ' ')} pixels, "
            f"and the whole picture up to {MAX_PIXELS // 1_000_000} million."
        )
    return size
