"""Shapes that nearly touch on one line, and what lies between them."""

import math
from collections.abc import Sequence

from lucidex.core.areas.area import Area, touching
from lucidex.core.areas.shapes import Shape
from lucidex.core.areas.sight import Sight
from lucidex.core.geometry.sizes import Box, Size, Window

NEARLY = 0.35  # of the shorter side of the smaller one: no gap between two boxes of letters is wider
BESIDE = 0.5  # of the smaller one: how much of it lies beside the other, for them to be on one line


def bridges(area: Area, sight: Sight) -> list[Box]:
    """Whole pixels of a raster between shapes of an area that nearly touch, one box for each gap.

    They lie within what surrounds the area. There are none where something of it is taken away, or it is inverted.
    """
    if area.inverted or any(shape.takes_away for shape in area.shapes):
        return []
    windows = [shape.bounds(sight) for shape in area.shapes if not shape.found]  # two heads are not one thing
    pairs = ((a, b) for number, a in enumerate(windows) for b in windows[number + 1 :])
    return [box for a, b in pairs for box in _between(a, b)]


def _between(a: Window, b: Window) -> list[Box]:
    least = min(a.width, a.height, b.width, b.height)
    left, right = max(a.left, b.left), min(a.left + a.width, b.left + b.width)
    top, bottom = max(a.top, b.top), min(a.top + a.height, b.top + b.height)
    if 0 <= left - right <= NEARLY * least and bottom - top >= BESIDE * min(a.height, b.height):
        return [_whole(right, top, left, bottom)]
    if 0 <= top - bottom <= NEARLY * least and right - left >= BESIDE * min(a.width, b.width):
        return [_whole(left, bottom, right, top)]
    return []


def _whole(left: float, top: float, right: float, bottom: float) -> Box:
    """All pixels that are touched, from zero on."""
    x, y = max(0, math.floor(left)), max(0, math.floor(top))
    return Box(x, y, Size(max(1, math.ceil(right) - x), max(1, math.ceil(bottom) - y)))


def near_ones(area: Area) -> list[Area]:
    """An area in parts of which no two nearly touch, whatever shape the original has."""
    if area.inverted or any(shape.takes_away for shape in area.shapes):
        return list(area.components)
    groups = touching(area.shapes, area.edge + _slack(area.shapes))
    return [area.model_copy(update={"shapes": tuple(area.shapes[i] for i in numbers)}) for numbers in groups]


def _slack(shapes: Sequence[Shape]) -> float:
    """Half of the widest gap that is bridged, as a fraction of the original's shorter side."""
    unit = 1_000
    square = Sight(Size(unit, unit))
    sides = [min(window.width, window.height) for window in (shape.bounds(square) for shape in shapes)]
    return NEARLY / 2 * min(sides, default=0.0) / unit
