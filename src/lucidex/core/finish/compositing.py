"""Laying one picture over another, and where something goes that keeps to a corner.

What belongs to a place, and not to the picture's content, keeps to one of nine points; its size and distance follow
the shorter side of what comes out, so that it looks alike on all sizes and shapes.
"""

from enum import StrEnum

import numpy as np
import pyvips

from lucidex.core.geometry.fit import Anchor
from lucidex.core.geometry.sizes import Box, Size, largest_within
from lucidex.core.source.pyramid import AnyPixels


class Ink(StrEnum):
    """The colours in which something is laid over."""

    OWN = "its own"
    WHITE = "all white"
    BLACK = "all black"


_INKS = {Ink.WHITE: 255, Ink.BLACK: 0}


def anchored_box(canvas: Size, thing: Size, anchor: Anchor, size: float, margin: float) -> Box:
    """Where a thing goes on a canvas, never stretched and always inside.

    `size` is the thing's longer side and `margin` its distance from the edges that it keeps to, both as fractions of
    the canvas's shorter side; what would reach beyond the margins becomes smaller.

    >>> anchored_box(Size(1600, 640), Size(800, 200), Anchor.BOTTOM_RIGHT, 0.3, 0.05)
    Box(left=1376, top=560, size=Size(width=192, height=48))
    """
    side = canvas.shortest
    away = min(round(side * margin), (side - 1) // 2)
    room = Size(canvas.width - 2 * away, canvas.height - 2 * away)
    longest = max(1, round(side * size))
    drawn = largest_within(thing, Size(min(longest, room.width), min(longest, room.height)))
    across, down = anchor.fractions
    left = away + int((room.width - drawn.width) * across)
    top = away + int((room.height - drawn.height) * down)
    return Box(left, top, drawn)


def composited(under: pyvips.Image, over: pyvips.Image, box: Box, strength: float, ink: Ink) -> pyvips.Image:
    """A picture with another one laid over its `box`; both 8-bit sRGB, 3 bands or 4 with unpremultiplied alpha.

    `over` has exactly the size of the box; `strength` is 0 to 1. Source: Porter and Duff 1984, “over”, on the encoded
    values as the web does (W3C Compositing and Blending Level 1, 9.1); rounded once.
    """
    beneath = under.crop(box.left, box.top, box.size.width, box.size.height).numpy()
    laid = pyvips.Image.new_from_array(_over(beneath, over.numpy(), strength, ink), interpretation="srgb")
    return under.insert(laid, box.left, box.top)


def _over(under: AnyPixels, over: AnyPixels, strength: float, ink: Ink) -> AnyPixels:
    alpha = np.float32(strength) * (over[..., 3:].astype(np.float32) / 255 if over.shape[2] == 4 else 1)
    colour = np.float32(_INKS[ink]) if ink in _INKS else over[..., :3].astype(np.float32)
    if under.shape[2] == 3:
        opaque: AnyPixels = np.rint(under + (colour - under) * alpha).astype(np.uint8)
        return opaque
    beneath = under[..., 3:].astype(np.float32) / 255 * (1 - alpha)
    total = alpha + beneath
    mixed = colour * alpha + under[..., :3] * beneath
    mixed = np.divide(mixed, total, out=np.zeros_like(mixed), where=total > 0)
    clear: AnyPixels = np.rint(np.concatenate([mixed, total * 255], axis=2)).clip(0, 255).astype(np.uint8)
    return clear
