"""The finished size while things are drawn onto it, and the room that they may ask for around the picture."""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Protocol

import pyvips

from lucidex.core.errors import OutOfRangeError
from lucidex.core.finish.assets import AssetFile, Assets
from lucidex.core.geometry.sizes import Box, Size


@dataclass(frozen=True)
class Margins:
    """Whole pixels on each side of a canvas."""

    left: int = 0
    top: int = 0
    right: int = 0
    bottom: int = 0

    def plus(self, other: "Margins") -> "Margins":
        """Both, one inside the other."""
        sides = (self.left + other.left, self.top + other.top)
        return Margins(*sides, self.right + other.right, self.bottom + other.bottom)

    def inside(self, canvas: Size) -> Size:
        """What they leave of a canvas. OutOfRangeError where that is nothing."""
        width, height = canvas.width - self.left - self.right, canvas.height - self.top - self.bottom
        if width < 1 or height < 1:
            raise OutOfRangeError(f"What is drawn around the picture leaves no room for it in {canvas}.")
        return Size(width, height)


@dataclass(frozen=True)
class Canvas:
    """8-bit sRGB of 3 bands, or 4 with unpremultiplied alpha, exactly as large as what comes out.

    `picture` is where the picture lies on it. What asked for room has it between `outer` and `inner`, inside what was
    given to the things before it; for what asked for none they are the same.
    """

    image: pyvips.Image
    picture: Box
    outer: Box
    inner: Box

    @property
    def size(self) -> Size:
        """The size of what comes out."""
        return Size(self.image.width, self.image.height)


class Finish(Protocol):
    """A thing that is drawn onto the finished size."""

    def room(self, canvas: Size) -> Margins:
        """How much of a canvas it needs around the picture. The canvas keeps its size; the picture gives way."""

    def draw(self, canvas: Canvas, assets: Assets) -> pyvips.Image:
        """The canvas with it: the same size, 3 or 4 bands of 8-bit sRGB."""

    def boxes(self, canvas: Size, assets: Assets) -> tuple[tuple[AssetFile, Box], ...]:
        """Where pictures among its assets come out on a canvas."""


@dataclass(frozen=True)
class Given:
    """A thing, and the room that it was given on a canvas."""

    thing: Finish
    margins: Margins


def given_room(things: Iterable[Finish], canvas: Size) -> tuple[Given, ...]:
    """Things with the room that they ask for on a canvas, the first of them outermost."""
    return tuple(Given(thing, thing.room(canvas)) for thing in things)


def total_margins(finish: Iterable[Given]) -> Margins:
    """The room of all of them."""
    margins = Margins()
    for one in finish:
        margins = margins.plus(one.margins)
    return margins


def drawn_in_order(image: pyvips.Image, picture: Box, finish: Iterable[Given], assets: Assets) -> pyvips.Image:
    """A canvas with things drawn onto it, in their order; each one's room lies inside the room of those before."""
    size, taken = Size(image.width, image.height), Margins()
    for one in finish:
        outer = Box(taken.left, taken.top, taken.inside(size))
        taken = taken.plus(one.margins)
        inner = Box(taken.left, taken.top, taken.inside(size))
        image = one.thing.draw(Canvas(image, picture, outer, inner), assets)
    return image
