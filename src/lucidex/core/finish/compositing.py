"""Laying one picture over another, and where something goes that keeps to a corner.

What belongs to a place, and not to the picture's content, keeps to one of nine points; its size and distance follow
the shorter side of what comes out, so that it looks alike on all sizes and shapes.
"""

from enum import StrEnum

import numpy as np

from lucidex.core.geometry.fit import Anchor
from lucidex.core.geometry.sizes import Box, Size, largest_within
from lucidex.core.source.pyramid import AnyPixels


class Ink(StrEnum):
    """The colours in which something is laid over."""

    OWN = "its own"
    WHITE = "all white"
    BLACK = "all black"


_INKS = {Ink.WHITE: 255, Ink.BLACK: 0}


def room_within(inner: Box, side: int, margin: float) -> Box:
    """What a distance from all edges leaves of a box, at least a pixel. `margin` is a share of `side` pixels."""
    away = min(round(side * margin), (inner.size.shortest - 1) // 2)
    return Box(inner.left + away, inner.top + away, Size(inner.size.width - 2 * away, inner.size.height - 2 * away))


def kept_to(anchor: Anchor, room: Box, thing: Size) -> Box:
    """Where a thing of some size goes that keeps to one of nine points of a box."""
    across, down = anchor.fractions
    left = room.left + int((room.size.width - thing.width) * across)
    return Box(left, room.top + int((room.size.height - thing.height) * down), thing)


def anchored_box(inner: Box, side: int, thing: Size, anchor: Anchor, size: float, margin: float) -> Box:
    """Where a thing goes in a box of a canvas, never stretched and always inside.

    `size` is the thing's longer side and `margin` its distance from the edges that it keeps to, both as fractions of
    the canvas's shorter side, which is `side` pixels; what would reach beyond the margins becomes smaller.

    >>> anchored_box(Box(0, 0, Size(1600, 640)), 640, Size(800, 200), Anchor.BOTTOM_RIGHT, 0.3, 0.05)
    Box(left=1376, top=560, size=Size(width=192, height=48))
    """
    room = room_within(inner, side, margin)
    longest = max(1, round(side * size))
    return kept_to(
        anchor, room, largest_within(thing, Size(min(longest, room.size.width), min(longest, room.size.height)))
    )


def composited(under: AnyPixels, over: AnyPixels, box: Box, strength: float, ink: Ink) -> AnyPixels:
    """A picture with another one laid over its `box`, in place; both height × width × 3 or 4 bytes, unpremultiplied.

    `over` has exactly the size of the box; `strength` is 0 to 1. Source: Porter and Duff 1984, “over”, on the encoded
    values as the web does (W3C Compositing and Blending Level 1, 9.1); rounded once.
    """
    rows, columns = slice(box.top, box.top + box.size.height), slice(box.left, box.left + box.size.width)
    under[rows, columns] = _over(under[rows, columns], over, strength, ink)
    return under


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
