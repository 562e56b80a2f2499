"""The finished size while things are drawn onto it, and the room that they may ask for around the picture."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from enum import IntEnum
from typing import Protocol

import numpy as np

from lucidex.core.areas.sight import Sight
from lucidex.core.errors import OutOfRangeError
from lucidex.core.finish.assets import AssetFile, Assets
from lucidex.core.finish.findings import Finding
from lucidex.core.finish.forms import Form
from lucidex.core.geometry.sizes import Box, Size
from lucidex.core.picture.grounds import Colour
from lucidex.core.source.pyramid import AnyPixels


class Seat(IntEnum):
    """On what a thing acts; things are drawn in this order, and those of one seat in the order of the list.

    What shapes the picture comes first, so that borders follow it, shadows are cast by both, and words and marks lie
    over everything and are never cut.
    """

    FORM = 1
    EDGE = 2
    CAST = 3
    OVER = 4


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

    def minus(self, other: "Margins") -> "Margins":
        """Without the other."""
        sides = (self.left - other.left, self.top - other.top)
        return Margins(*sides, self.right - other.right, self.bottom - other.bottom)

    def or_more(self, other: "Margins") -> "Margins":
        """The larger one on each side."""
        sides = (max(self.left, other.left), max(self.top, other.top))
        return Margins(*sides, max(self.right, other.right), max(self.bottom, other.bottom))

    def box(self, canvas: Size) -> Box:
        """What they leave of a canvas. OutOfRangeError where that is nothing."""
        return Box(self.left, self.top, self.inside(canvas))

    def inside(self, canvas: Size) -> Size:
        """How large what they leave is. OutOfRangeError where that is nothing."""
        width, height = canvas.width - self.left - self.right, canvas.height - self.top - self.bottom
        if width < 1 or height < 1:
            raise OutOfRangeError(f"What is drawn around the picture leaves no room for it in {canvas}.")
        return Size(width, height)


@dataclass(frozen=True)
class Canvas:
    """The finished size as it stands before a thing is drawn.

    `pixels`: height × width × 3, or × 4 with unpremultiplied alpha, 8-bit sRGB, exactly as large as what comes out;
    whoever draws may change them. `picture` is where the picture lies, `form` its outline where that is no rectangle,
    borders included; `body` what is there of both before anything is cast. What asked for room has it between `outer`
    and `inner`; for what asked for none they are the same. `below` are the pixels that things lie over in the result,
    where `pixels` show something else; `sight` says how the canvas sees the upright original.
    """

    pixels: AnyPixels
    picture: Box
    outer: Box
    inner: Box
    form: Form | None = None
    body: AnyPixels | None = None
    below: AnyPixels | None = None
    sight: Sight | None = None

    @property
    def size(self) -> Size:
        """The size of what comes out."""
        return Size(self.pixels.shape[1], self.pixels.shape[0])

    @property
    def seen(self) -> AnyPixels:
        """What lies below what is drawn now, in the result."""
        return self.pixels if self.below is None else self.below


class Finish(Protocol):
    """A thing that is drawn onto the finished size."""

    @property
    def seat(self) -> Seat:
        """On what it acts."""

    @property
    def lets_through(self) -> bool:
        """Whether something of the finished size is clear after it, or partly, until a ground is laid under it."""

    @property
    def shows_picture_again(self) -> bool:
        """Whether it consists of the picture's own pixels, somewhere else."""

    @property
    def ground_below(self) -> Colour | None:
        """The colour that it lays under everything that is clear; None for none."""

    def room(self, canvas: Size) -> Margins:
        """How much of a canvas it needs around the picture. The canvas keeps its size; the picture gives way."""

    def form_after(self, canvas: Canvas) -> Form | None:
        """The picture's outline after it; None for a rectangle."""

    def draw(self, canvas: Canvas, assets: Assets) -> "Finished":
        """The canvas with it: the same size, 3 or 4 bands; and what was found."""

    def boxes(self, canvas: Size, inner: Box, assets: Assets) -> tuple[tuple[AssetFile, Box], ...]:
        """Where pictures among its assets come out on a canvas of which things around the picture leave `inner`."""


@dataclass(frozen=True)
class Given:
    """A thing, and the room that it was given on a canvas."""

    thing: Finish
    margins: Margins


def given_room(things: Iterable[Finish], canvas: Size) -> tuple[Given, ...]:
    """Things in the order in which they are drawn, with the room that they ask for on a canvas.

    Of what goes around the picture, the last one lies outermost; what the picture casts shares one room.
    """
    return tuple(Given(thing, thing.room(canvas)) for thing in sorted(things, key=lambda thing: thing.seat))


def _cast_margins(finish: Iterable[Given]) -> Margins:
    margins = Margins()
    for one in finish:
        if one.thing.seat is Seat.CAST:
            margins = margins.or_more(one.margins)
    return margins


def total_margins(finish: Iterable[Given]) -> Margins:
    """The room of all of them."""
    finish = tuple(finish)
    margins = _cast_margins(finish)
    for one in finish:
        if one.thing.seat is not Seat.CAST:
            margins = margins.plus(one.margins)
    return margins


def lets_through(finish: Iterable[Given]) -> bool:
    """Whether a canvas needs clear areas while things are drawn onto it."""
    return any(one.thing.lets_through for one in finish)


def ground_below(finish: Iterable[Given]) -> Colour | None:
    """The colour that is laid under all that is clear: the one of the last thing that has one."""
    grounds = [ground for one in finish if (ground := one.thing.ground_below) is not None]
    return grounds[-1] if grounds else None


def stays_clear(finish: Iterable[Given]) -> bool:
    """Whether something of the finished size is clear in the end because of what is drawn."""
    finish = tuple(finish)
    return lets_through(finish) and ground_below(finish) is None


@dataclass(frozen=True)
class Finished:
    """A finished size, and what was found while it was drawn."""

    pixels: AnyPixels
    findings: tuple[Finding, ...] = ()


def _everything(thing: Finish) -> bool:
    return True


def drawn_in_order(
    canvas: Canvas, finish: Iterable[Given], assets: Assets, draws: Callable[[Finish], bool] = _everything
) -> Finished:
    """A canvas with things drawn onto it, in their order. Its pixels may be changed.

    What `draws` leaves out keeps its room. What is drawn apart from what it lies over gets no ground.
    """
    finish = tuple(finish)
    casts, findings = _cast_margins(finish), list[Finding]()
    body_box = casts.box(canvas.size)
    taken, is_over = total_margins(finish), False
    for one in finish:
        seat = one.thing.seat
        if not draws(one.thing):
            taken = taken if seat is not Seat.EDGE else taken.minus(one.margins)
            continue
        if seat is Seat.EDGE:
            inner = taken.box(canvas.size)
            taken = taken.minus(one.margins)
            canvas = replace(canvas, outer=taken.box(canvas.size), inner=inner)
        elif seat is Seat.CAST:
            body = canvas.pixels.copy() if canvas.body is None else canvas.body
            canvas = replace(canvas, outer=Box(0, 0, canvas.size), inner=body_box, body=body)
        elif seat is Seat.OVER:
            canvas = canvas if is_over else _on_ground(canvas, finish)
            inner = total_margins(finish).box(canvas.size)
            canvas, is_over = replace(canvas, outer=inner, inner=inner), True
        drawn = one.thing.draw(canvas, assets)
        findings += drawn.findings
        canvas = replace(canvas, pixels=drawn.pixels, form=one.thing.form_after(canvas))
    canvas = canvas if is_over else _on_ground(canvas, finish)
    return Finished(canvas.pixels, tuple(findings))


def _on_ground(canvas: Canvas, finish: tuple[Given, ...]) -> Canvas:
    """With its ground under all that is clear, once nothing is cut or cast any more."""
    ground = ground_below(finish)
    if ground is None or canvas.pixels.shape[2] == 3 or canvas.below is not None:
        return canvas
    alpha = canvas.pixels[..., 3:].astype(np.uint16)
    mixed = (canvas.pixels[..., :3] * alpha + np.array(ground, np.uint16) * (255 - alpha) + 127) // 255
    return replace(canvas, pixels=mixed.astype(np.uint8))
