"""Distorting by hand: brush strokes add up to one field of displacements, and the picture is resampled once.

So twenty strokes lose no more than one. The picture's own edge stays where it is.
"""

import math
from collections.abc import Iterator
from dataclasses import dataclass
from enum import StrEnum
from itertools import pairwise
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from lucidex.core.areas.area import held_box
from lucidex.core.areas.shapes import Brushed, Length, grown, union_of
from lucidex.core.areas.sight import Sight
from lucidex.core.geometry.sizes import Box, Point, Size
from lucidex.core.geometry.transform import Transform
from lucidex.core.source.derivation import LocalChange, OfBox, StoredPixels
from lucidex.core.source.local.blending import Floats32, colours_of, opaque_floats, padded_part
from lucidex.core.source.local.displacement_kernel import BACK, PUSH, SCALE, TURN, apply_dab, look_through
from lucidex.core.source.pyramid import AnyPixels

GRID_SHARE = 1 / 16  # of the smallest radius: between the grid's points
DAB_SHARE = 1 / 4  # of the radius: between the touches of a stroke
LARGER_BY, TURNED_BY, BACK_BY = 0.12, 0.16, 0.35  # of one touch at full strength
OF_A_CLICK = 4  # touches
EDGE_SHARE = 1 / 2  # of the smallest radius: how near to the picture's edge it begins to hold


class Shift(StrEnum):
    """What a brush does to what is below it."""

    PUSH = "push"
    SWELL = "swell"
    TIGHTEN = "tighten"
    SWIRL_LEFT = "swirl left"
    SWIRL_RIGHT = "swirl right"
    BACK = "back"


class ShiftStroke(Brushed):
    """A stroke of a brush that shifts; `strength` 0 to 1."""

    kind: Literal["shift"] = "shift"
    radius: Length = 0.08
    shift: Shift = Shift.PUSH
    strength: Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)] = 0.5
    words: ClassVar[tuple[str, str]] = ("a stroke", "strokes")


@dataclass(frozen=True)
class Distortion(LocalChange):
    """`strokes` in their order; they touch each other."""

    strokes: tuple[ShiftStroke, ...]

    def box(self, stored: Size, orientation: int) -> Box | None:
        """Around all strokes."""
        sight = Sight.of_stored(stored, orientation)
        return held_box(grown(union_of([one.bounds(sight) for one in self.strokes]), 1), stored)

    def prepared(self, stored: StoredPixels) -> OfBox:
        """Adds the strokes up."""
        box = self.box(stored.size, stored.orientation)
        if box is None:
            return lambda part: stored.part(part).copy()
        field, spacing = displacements(self.strokes, stored.sight, box, stored.size)
        reach = math.ceil(float(np.abs(field).max())) + 3

        def seen(part: Box) -> AnyPixels:
            pixels, wider = padded_part(stored, part, reach)
            values = opaque_floats(stored, pixels)
            out = np.empty((part.size.height, part.size.width, values.shape[2]), np.float32)
            moved = np.empty(out.shape[:2], np.bool_)
            origin = part.left - wider.left, part.top - wider.top
            look_through(values, *origin, field, spacing, part.left - box.left, part.top - box.top, out, moved)
            return _as_stored(stored, part, out, moved)

        return seen


def _as_stored(stored: StoredPixels, part: Box, values: Floats32, moved: Any) -> AnyPixels:  # noqa: ANN401 - booleans
    after = stored.part(part).copy()
    colours = np.rint(np.clip(colours_of(stored, values), 0, stored.opaque)).astype(after.dtype)
    after[..., : stored.colour_bands][moved] = colours[moved]
    if stored.has_alpha:
        alpha = np.rint(np.clip(values[..., -1] * stored.opaque, 0, stored.opaque)).astype(after.dtype)
        after[..., -1][moved] = alpha[moved]
    return after


def displacements(strokes: tuple[ShiftStroke, ...], sight: Sight, box: Box, bounds: Size) -> tuple[Floats32, float]:
    """The field of all strokes over a box, rows × columns × 2 in pixels, and the grid's spacing."""
    smallest = min(one.radius_px(sight) for one in strokes)
    spacing = max(1.0, smallest * GRID_SHARE)
    shape = (math.ceil(box.size.height / spacing) + 2, math.ceil(box.size.width / spacing) + 2, 2)
    field = np.zeros(shape, np.float32)
    for stroke in strokes:
        for x, y, way, a, b in _dabs(stroke, sight):
            apply_dab(field, spacing, x - box.left - 0.5, y - box.top - 0.5, stroke.radius_px(sight), way, a, b)
    return field * _held_at_edge(shape[:2], box, bounds, spacing, smallest * EDGE_SHARE)[..., None], spacing


def _dabs(stroke: ShiftStroke, sight: Sight) -> Iterator[tuple[float, float, int, float, float]]:
    """The touches of a stroke: where, what and how much."""
    radius, strength = stroke.radius_px(sight), stroke.strength
    spots = list(_along(stroke.outline(sight), radius * DAB_SHARE))
    if stroke.shift is Shift.PUSH:
        for before, here in pairwise(spots):
            yield before.x, before.y, PUSH, (here.x - before.x) * strength, (here.y - before.y) * strength
        return
    way, amount = {
        Shift.SWELL: (SCALE, LARGER_BY),
        Shift.TIGHTEN: (SCALE, -LARGER_BY),
        Shift.SWIRL_LEFT: (TURN, -TURNED_BY),
        Shift.SWIRL_RIGHT: (TURN, TURNED_BY),
        Shift.BACK: (BACK, BACK_BY),
    }[stroke.shift]
    if way == TURN and _is_mirrored(sight.from_upright):
        amount = -amount
    for spot in spots * OF_A_CLICK if len(spots) == 1 else spots:
        yield spot.x, spot.y, way, amount * strength, 0.0


def _is_mirrored(transform: Transform) -> bool:
    return transform.a * transform.d - transform.b * transform.c < 0


def _along(path: list[Point], step: float) -> Iterator[Point]:
    """Points along a path, so far from each other, from its first to its last."""
    yield path[0]
    for before, here in pairwise(path):
        length = math.hypot(here.x - before.x, here.y - before.y)
        count = max(1, math.ceil(length / step))
        for number in range(1, count + 1):
            share = number / count
            yield Point(before.x + (here.x - before.x) * share, before.y + (here.y - before.y) * share)


def _held_at_edge(shape: tuple[int, ...], box: Box, bounds: Size, spacing: float, width: float) -> Floats32:
    """1, falling to 0 at the picture's edge."""
    y = np.arange(shape[0]) * spacing + box.top
    x = np.arange(shape[1]) * spacing + box.left
    apart = np.minimum(np.minimum(y, bounds.height - 1 - y)[:, None], np.minimum(x, bounds.width - 1 - x)[None, :])
    share = np.clip((apart - spacing) / max(width, 1.0), 0, 1)  # nothing moves in the grid's cells at the edge
    held: Floats32 = (share * share * (3 - 2 * share)).astype(np.float32)
    return held
