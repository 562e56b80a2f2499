"""Original + steps + place to pixels, at any scale.

Four bands, in this order: source (decoding, `core.intake`), picture (the steps' one transform), framing with
the one resampling, finish (sRGB, the place's canvas). Preview and file call the same `draw`; a preview is
nothing but a place of its own size.
"""

import math
from dataclasses import dataclass

import pyvips

from lucidex.core.colour import to_srgb
from lucidex.core.frame import Affine, Frame
from lucidex.core.geometry import Box, Placement, Size, Window
from lucidex.core.levels import Source, level_for, level_size

_EPSILON = 1e-6


@dataclass(frozen=True)
class Plan:
    """All that decides the pixels of one result, as numbers: nothing else may enter `draw`."""

    total: Affine
    placement: Placement
    level: int
    ground: tuple[int, int, int] | None


def plan(source: Source, frame: Frame, placement: Placement, ground: tuple[int, int, int] | None) -> Plan:
    """Decide transform and working scale. `ground` is the canvas colour, None for clear."""
    total = source.uprighting.then(frame.transform)
    return Plan(total, placement, level_for(source.stored, 1 / placement.enlargement), ground)


def draw(source: Source, chosen: Plan) -> pyvips.Image:
    """Compute a result: 8-bit sRGB, 3 bands, or 4 with unpremultiplied alpha where it has clear areas.

    The result has exactly the size of the placement's canvas. Raises pyvips.Error where memory is short.
    """
    back = chosen.total.inverse
    stored_window = back.map_window(chosen.placement.window)
    drawn = chosen.placement.drawn.turned if back.swaps_axes else chosen.placement.drawn
    part = _resample(source, chosen.level, stored_window, drawn)
    turned = _turn(part, chosen.total)
    return _on_canvas(to_srgb(turned), chosen.placement, chosen.ground).copy_memory()


def _resample(source: Source, level: int, window: Window, drawn: Size) -> pyvips.Image:
    """The one resampling: a window of the stored pixels to exactly `drawn`.

    The scale is the window's own, the same for both sides unless stretching was asked for; the origin is a
    whole pixel of the level.
    """
    box = whole_box(window, level, level_size(source.stored, level))
    part = source.level(level).crop(box.left, box.top, box.size.width, box.size.height)
    across, down = drawn.width * level / window.width, drawn.height * level / window.height
    if abs(across - 1) < _EPSILON and abs(down - 1) < _EPSILON:
        return part.crop(0, 0, drawn.width, drawn.height)
    if not source.layout.has_alpha:
        return _resize(part, across, down, drawn)
    resized = _resize(part.premultiply(), across, down, drawn)
    return resized.unpremultiply().rint().cast(part.format)


def whole_box(window: Window, level: int, bounds: Size) -> Box:
    """The smallest box on a level's whole pixels that holds a window of its size, nearest to the window."""
    width = min(max(1, math.ceil(window.width / level - _EPSILON)), bounds.width)
    height = min(max(1, math.ceil(window.height / level - _EPSILON)), bounds.height)
    left = min(max(math.floor(window.left / level + 0.5 - _EPSILON), 0), bounds.width - width)
    top = min(max(math.floor(window.top / level + 0.5 - _EPSILON), 0), bounds.height - height)
    return Box(left, top, Size(width, height))


def _resize(part: pyvips.Image, across: float, down: float, drawn: Size) -> pyvips.Image:
    """Scale by Lanczos (three lobes) when reducing, by bicubic interpolation when enlarging, to exactly `drawn`."""
    resized = part.resize(across, vscale=down, kernel="lanczos3")
    wanting = max(0, drawn.width - resized.width), max(0, drawn.height - resized.height)
    if any(wanting):
        resized = resized.embed(0, 0, resized.width + wanting[0], resized.height + wanting[1], extend="copy")
    return resized.crop(0, 0, drawn.width, drawn.height)


def _turn(image: pyvips.Image, transform: Affine) -> pyvips.Image:
    linear = (round(transform.a), round(transform.b), round(transform.c), round(transform.d))
    return {
        (1, 0, 0, 1): lambda: image,
        (0, -1, 1, 0): lambda: image.rot90(),
        (-1, 0, 0, -1): lambda: image.rot180(),
        (0, 1, -1, 0): lambda: image.rot270(),
        (-1, 0, 0, 1): lambda: image.fliphor(),
        (1, 0, 0, -1): lambda: image.flipver(),
        (0, 1, 1, 0): lambda: image.rot90().fliphor(),
        (0, -1, -1, 0): lambda: image.rot270().fliphor(),
    }[linear]()


def _on_canvas(image: pyvips.Image, placement: Placement, ground: tuple[int, int, int] | None) -> pyvips.Image:
    if placement.covers_canvas:
        return image
    if ground is None:
        image = image if image.hasalpha() else image.bandjoin(255)
        colour = [0, 0, 0, 0]
    else:
        image = image.flatten(background=list(ground)) if image.hasalpha() else image
        colour = list(ground)
    canvas = placement.canvas
    return image.embed(
        placement.left, placement.top, canvas.width, canvas.height, extend="background", background=colour
    )
