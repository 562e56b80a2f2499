"""Sizes, windows and the rules of fit: where every pixel count in the product is decided.

Coordinates run from the top left corner; x to the right, y downwards; a pixel covers a unit square.
A **picture** here is what the steps made of the upright original, before it is placed.
"""

import math
from dataclasses import dataclass
from enum import StrEnum
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


class Rule(StrEnum):
    """How a picture meets a place of another shape, named after CSS `object-fit`."""

    COVER = "cover"
    CONTAIN = "contain"
    SCALE_DOWN = "scale-down"
    FILL = "fill"


class Anchor(StrEnum):
    """Nine points of a rectangle: the side or corner that something keeps to."""

    TOP_LEFT = "top left"
    TOP = "top"
    TOP_RIGHT = "top right"
    LEFT = "left"
    CENTRE = "centre"
    RIGHT = "right"
    BOTTOM_LEFT = "bottom left"
    BOTTOM = "bottom"
    BOTTOM_RIGHT = "bottom right"

    @property
    def fractions(self) -> tuple[Fraction, Fraction]:
        """How much of the spare room lies to the left of, and above: 0, 1/2 or 1 each."""
        words = self.value.split()
        return _share(words, "left", "right"), _share(words, "top", "bottom")


def _share(words: list[str], start: str, end: str) -> Fraction:
    return Fraction(0) if start in words else Fraction(1) if end in words else Fraction(1, 2)


@dataclass(frozen=True)
class Placement:
    """Where a picture goes in a place: `window` of the picture becomes `drawn`, put on `canvas`."""

    window: Window
    drawn: Size
    left: int
    top: int
    canvas: Size

    @property
    def enlargement(self) -> float:
        """Output pixels for each picture pixel along the side that is enlarged most; above 1 is soft."""
        return max(self.drawn.width / self.window.width, self.drawn.height / self.window.height)

    @property
    def covers_canvas(self) -> bool:
        """Whether no ground shows."""
        return self.drawn == self.canvas


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


def covering_window(picture: Size, place: Size, zoom: float = 1.0) -> tuple[float, float]:
    """Width and height, in picture pixels, of the largest part with the place's exact shape, over `zoom`."""
    if picture.width * place.height <= picture.height * place.width:
        width, height = float(picture.width), picture.width * place.height / place.width
    else:
        width, height = picture.height * place.width / place.height, float(picture.height)
    return width / zoom, height / zoom


def clamped_window(centre: Point, width: float, height: float, picture: Size) -> Window:
    """The window of this size nearest to `centre` (picture pixels) that lies inside the picture."""
    left = min(max(centre.x - width / 2, 0.0), max(picture.width - width, 0.0))
    top = min(max(centre.y - height / 2, 0.0), max(picture.height - height, 0.0))
    return Window(left, top, width, height)


def anchored_window(anchor: Anchor, width: float, height: float, picture: Size) -> Window:
    """The window of this size that keeps the anchor's side or corner of the picture."""
    across, down = anchor.fractions
    return Window((picture.width - width) * float(across), (picture.height - height) * float(down), width, height)


def fit(
    picture: Size,
    place: Size,
    rule: Rule,
    anchor: Anchor = Anchor.CENTRE,
    framed: Window | None = None,
    enlarges: bool = True,
) -> Placement:
    """Place a picture by one of the four rules.

    `framed` is the part chosen by hand (picture pixels, of the place's shape); it counts under COVER only.
    The canvas is exactly `place` for COVER, CONTAIN and FILL; for SCALE_DOWN it is the picture's own size,
    or the largest of its shape within the place where it is larger. Without `enlarges`, CONTAIN leaves a picture
    that is smaller than the place at its own size.
    """
    whole = Window(0.0, 0.0, float(picture.width), float(picture.height))
    if rule is Rule.FILL:
        return Placement(whole, place, 0, 0, place)
    if rule is Rule.COVER:
        window = framed or anchored_window(anchor, *covering_window(picture, place), picture)
        return Placement(window, place, 0, 0, place)
    drawn = largest_within(picture, place)
    fits = picture.width <= place.width and picture.height <= place.height
    if fits and (rule is Rule.SCALE_DOWN or not enlarges):
        drawn = picture
    if rule is Rule.SCALE_DOWN:
        return Placement(whole, drawn, 0, 0, drawn)
    across, down = anchor.fractions
    left = math.floor((place.width - drawn.width) * across)
    top = math.floor((place.height - drawn.height) * down)
    return Placement(whole, drawn, left, top, place)


def canvas_around(placement: Placement) -> Window:
    """The whole canvas in pixels of the picture: it reaches beyond the picture where ground shows."""
    across = placement.window.width / placement.drawn.width
    down = placement.window.height / placement.drawn.height
    return Window(
        placement.window.left - placement.left * across,
        placement.window.top - placement.top * down,
        placement.canvas.width * across,
        placement.canvas.height * down,
    )


def check_output_size(size: Size) -> Size:
    """Return `size`, or raise OutOfRangeError with the limits where it exceeds them."""
    if size.longest > MAX_EDGE_PX or size.pixels > MAX_PIXELS:
        raise OutOfRangeError(
            f"{size} is too large: a side may have up to {f'{MAX_EDGE_PX:,}'.replace(',', ' ')} pixels, "
            f"and the whole picture up to {MAX_PIXELS // 1_000_000} million."
        )
    return size
