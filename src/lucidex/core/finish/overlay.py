"""What is drawn onto a finished size, apart from the picture: for the stage, where the picture moves below it."""

from collections.abc import Iterable
from dataclasses import replace

import numpy as np

from lucidex.core.finish.assets import Assets
from lucidex.core.finish.canvas import Canvas, Finish, Given, Seat, drawn_in_order
from lucidex.core.source.pyramid import AnyPixels

_VEIL, _VEILED = 0.55, 0.92  # the grey over what is cut away, and how opaque it is


def drawn_alone(canvas: Canvas, finish: Iterable[Given], assets: Assets) -> AnyPixels:
    """Things as pixels of four bands that let the picture through where it shows.

    `canvas` has clear pixels of its own, and in `below` what things that lie over everything look at. What an outline
    cuts away, and the room of what shows the picture again, is covered in nearly opaque grey.
    """
    finish = tuple(finish)
    pixels = canvas.pixels
    if any(one.thing.seat is not Seat.OVER for one in finish):
        pixels = _around(canvas, finish, assets)
    return drawn_in_order(replace(canvas, pixels=pixels), finish, assets, _lies_over).pixels


def _lies_over(thing: Finish) -> bool:
    return thing.seat is Seat.OVER


def _goes_around(thing: Finish) -> bool:
    return thing.seat is not Seat.OVER and not thing.shows_picture_again


def _around(canvas: Canvas, finish: tuple[Given, ...], assets: Assets) -> AnyPixels:
    """What is drawn around the picture, told apart from it by drawing around a black and a white one.

    Source: Smith and Blinn 1996, “Blue screen matting”, with two backings.
    """
    drawn = []
    rows = slice(canvas.inner.top, canvas.inner.top + canvas.inner.size.height)
    columns = slice(canvas.inner.left, canvas.inner.left + canvas.inner.size.width)
    for value in (0, 255):
        pixels = np.zeros_like(canvas.pixels)
        pixels[rows, columns] = (value, value, value, 255)
        one = drawn_in_order(replace(canvas, pixels=pixels, below=None), finish, assets, _goes_around).pixels
        alpha = one[..., 3:] if one.shape[2] == 4 else np.full((*one.shape[:2], 1), 255, np.uint8)
        drawn.append((one[..., :3].astype(np.float32) / 255, alpha.astype(np.float32) / 255))
    (black, alpha), (white, _) = drawn
    own = black * alpha
    shows = np.clip((white * alpha - own).mean(axis=2, keepdims=True), 0, 1)
    cut = (1 - alpha) * _VEILED
    covered = np.clip(alpha - shows + cut, 0, 1)
    colour = np.divide(own + cut * _VEIL, covered, out=np.zeros_like(own), where=covered > 0)
    made: AnyPixels = np.rint(np.concatenate([colour, covered], axis=2).clip(0, 1) * 255).astype(np.uint8)
    return made
