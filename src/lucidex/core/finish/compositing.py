"""Logos on finished pixels: where they go, and how they are laid over what is there.

A logo belongs to the place, not to the picture's content: it keeps to one of nine points, and its size and distance
follow the shorter side of what comes out, so that it looks alike on all sizes and shapes.
"""

from dataclasses import dataclass
from enum import StrEnum

import numpy as np
import pyvips

from lucidex.core.geometry.fit import Anchor
from lucidex.core.geometry.sizes import Box, Size, largest_within
from lucidex.core.source.pyramid import AnyPixels


class Ink(StrEnum):
    """The colours of a logo."""

    OWN = "its own"
    WHITE = "all white"
    BLACK = "all black"


_INKS = {Ink.WHITE: 255, Ink.BLACK: 0}


@dataclass(frozen=True)
class Stamp:
    """A logo on a canvas: its SHA-256, the whole pixels that it fills, how strong (0 to 1), and in which ink."""

    logo_sha256: str
    box: Box
    strength: float
    ink: Ink


def stamp_box(canvas: Size, logo: Size, anchor: Anchor, size: float, margin: float) -> Box:
    """Where a logo goes on a canvas, never stretched and always inside.

    `size` is the logo's longer side and `margin` its distance from the edges that it keeps to, both as fractions of
    the canvas's shorter side; what would reach beyond the margins becomes smaller.

    >>> stamp_box(Size(1600, 640), Size(800, 200), Anchor.BOTTOM_RIGHT, 0.3, 0.05)
    Box(left=1376, top=560, size=Size(width=192, height=48))
    """
    side = canvas.shortest
    away = min(round(side * margin), (side - 1) // 2)
    room = Size(canvas.width - 2 * away, canvas.height - 2 * away)
    longest = max(1, round(side * size))
    drawn = largest_within(logo, Size(min(longest, room.width), min(longest, room.height)))
    across, down = anchor.fractions
    left = away + int((room.width - drawn.width) * across)
    top = away + int((room.height - drawn.height) * down)
    return Box(left, top, drawn)


def stamped(image: pyvips.Image, logo: pyvips.Image, stamp: Stamp) -> pyvips.Image:
    """A canvas with a logo laid over it; both 8-bit sRGB, 3 bands or 4 with unpremultiplied alpha.

    The logo has exactly the size of the stamp's box. Source: Porter and Duff 1984, “over”, on the encoded values as
    the web does (W3C Compositing and Blending Level 1, 9.1); rounded once.
    """
    box = stamp.box
    under = image.crop(box.left, box.top, box.size.width, box.size.height).numpy()
    over = pyvips.Image.new_from_array(_over(under, logo.numpy(), stamp), interpretation="srgb")
    return image.insert(over, box.left, box.top)


def _over(under: AnyPixels, logo: AnyPixels, stamp: Stamp) -> AnyPixels:
    alpha = np.float32(stamp.strength) * (logo[..., 3:].astype(np.float32) / 255 if logo.shape[2] == 4 else 1)
    colour = np.float32(_INKS[stamp.ink]) if stamp.ink in _INKS else logo[..., :3].astype(np.float32)
    if under.shape[2] == 3:
        opaque: AnyPixels = np.rint(under + (colour - under) * alpha).astype(np.uint8)
        return opaque
    beneath = under[..., 3:].astype(np.float32) / 255 * (1 - alpha)
    total = alpha + beneath
    mixed = colour * alpha + under[..., :3] * beneath
    mixed = np.divide(mixed, total, out=np.zeros_like(mixed), where=total > 0)
    clear: AnyPixels = np.rint(np.concatenate([mixed, total * 255], axis=2)).clip(0, 255).astype(np.uint8)
    return clear
