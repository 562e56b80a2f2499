"""How a picture meets a place of another shape: the rules of fit, and where they put it.

A **picture** here is what the steps made of the upright original, before it is placed.
"""

import math
from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction

from lucidex.core.geometry.sizes import Point, Size, Window, largest_within


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

    def with_room(self, left: int, top: int, right: int, bottom: int) -> "Placement":
        """The same on a canvas that is larger by so many pixels on each side."""
        canvas = Size(self.canvas.width + left + right, self.canvas.height + top + bottom)
        return Placement(self.window, self.drawn, self.left + left, self.top + top, canvas)

    @property
    def covers_canvas(self) -> bool:
        """Whether no ground shows."""
        return self.drawn == self.canvas


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
    crop_window: Window | None = None,
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
        window = crop_window or anchored_window(anchor, *covering_window(picture, place), picture)
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
