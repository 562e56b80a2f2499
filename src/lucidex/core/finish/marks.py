"""Marks that are drawn on a picture by hand: pens, a highlighter, arrows, boxes, short words.

They lie on the content: points are fractions of the upright original, widths of its shorter side.
"""

import math
from enum import StrEnum
from typing import Annotated, Self

import numpy as np
from pydantic import BaseModel, ConfigDict, FailFast, Field, model_validator

from lucidex.core.areas.coverage_kernel import polygon_coverage, stroke_coverage
from lucidex.core.areas.shapes import DECIMALS, Masks, simplified
from lucidex.core.areas.sight import Sight
from lucidex.core.finish.layer_kernel import mix_colour_over
from lucidex.core.finish.text.faces import Family, Weight, shipped_face, stand_ins
from lucidex.core.finish.text.letters import divided, settable_part
from lucidex.core.finish.text.setting import Setting, set_words
from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.geometry.sizes import Point, Size
from lucidex.core.picture.grounds import Colour
from lucidex.core.source.pyramid import AnyPixels

MAX_MARK_POINTS = 400
MAX_MARK_WORDS = 200
_HIGHLIGHTED = 0.42
_SMOOTH = 6  # points of the curve for each that was kept
_HEAD, _HEAD_WIDE = 5.0, 0.9  # of an arrow: widths long, and how wide for its length
_WORDS_SIZE = 6.0  # widths high
_LEAST_WORDS_PX = 12.0
_TOLERANCE = 0.0006


class MarkKind(StrEnum):
    """What was drawn."""

    PEN = "pen"
    HIGHLIGHTER = "highlighter"
    ARROW = "arrow"
    BOX = "box"
    WORDS = "words"


class PenColour(StrEnum):
    """Colours that everybody can tell apart. Source: Okabe and Ito 2008, “Color universal design”."""

    INK = "ink"
    VERMILION = "vermilion"
    BLUE = "blue"
    GREEN = "green"
    YELLOW = "yellow"


COLOURS: dict[PenColour, Colour] = {
    PenColour.INK: (0, 0, 0),
    PenColour.VERMILION: (213, 94, 0),
    PenColour.BLUE: (0, 114, 178),
    PenColour.GREEN: (0, 158, 115),
    PenColour.YELLOW: (240, 228, 66),
}
Fraction = Annotated[float, Field(ge=-1, le=2, allow_inf_nan=False)]
Pressed = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]


class Mark(BaseModel):
    """One mark. A pen and a highlighter have a way; an arrow begins and ends; a box has two corners; words a spot.

    `pressed` is how hard a pen was pressed at each point, where it told.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    kind: MarkKind
    colour: PenColour = PenColour.VERMILION
    points: Annotated[
        tuple[tuple[Fraction, Fraction], ...], Field(min_length=1, max_length=MAX_MARK_POINTS), FailFast()
    ]
    pressed: Annotated[tuple[Pressed, ...], Field(max_length=MAX_MARK_POINTS), FailFast()] = ()
    width: Annotated[float, Field(gt=0, le=0.2, allow_inf_nan=False)] = 0.006
    text: Annotated[str, Field(max_length=MAX_MARK_WORDS)] = ""

    @model_validator(mode="after")
    def _fits_together(self) -> Self:
        needed = {MarkKind.ARROW: 2, MarkKind.BOX: 2}.get(self.kind)
        if needed and len(self.points) != needed:
            raise ValueError(f"{self.kind} has exactly {needed} points")
        if self.pressed and len(self.pressed) != len(self.points):
            raise ValueError("how hard it was pressed is said for each point, or for none")
        if (self.kind is MarkKind.WORDS) != bool(self.text.strip()):
            raise ValueError("words are in marks of words, and only there")
        return self

    def moved(self, dx: float, dy: float) -> Self:
        """The same elsewhere, by fractions of the original."""
        points = tuple((_held(x + dx), _held(y + dy)) for x, y in self.points)
        return self.model_copy(update={"points": points})


def _held(value: float) -> float:
    return round(min(max(value, -1.0), 2.0), DECIMALS)


def kept_mark(
    kind: MarkKind,
    colour: PenColour,
    points: list[Point],
    pressed: list[float],
    width_px: float,
    text: str,
    geometry: PictureGeometry,
) -> Mark:
    """A mark as it is kept, from what was drawn on the prepared picture; a way keeps the points that matter."""
    content = [geometry.to_content(point) for point in points]
    width = min(max(width_px / geometry.content_unit(content[len(content) // 2]), 0.0005), 0.2)
    spots = [(_held(one.x), _held(one.y)) for one in content]
    if kind in {MarkKind.ARROW, MarkKind.BOX}:
        spots, pressed = [spots[0], spots[-1]], []
    elif pressed:
        step = math.ceil(len(spots) / MAX_MARK_POINTS)
        spots, pressed = spots[::step], [round(one, 2) for one in pressed[::step]]
    else:
        tolerance = _TOLERANCE
        kept = list(simplified(spots, geometry.upright, tolerance))
        while len(kept) > MAX_MARK_POINTS:
            tolerance *= 1.6
            kept = list(simplified(spots, geometry.upright, tolerance))
        spots = kept
    return Mark(
        kind=kind, colour=colour, points=tuple(spots), pressed=tuple(pressed), width=round(width, 5), text=text
    )


def smooth_way(points: list[tuple[float, float]], pressed: tuple[float, ...]) -> list[tuple[float, float, float]]:
    """A curve through all points (Catmull and Rom 1974), with how hard it is pressed: x, y, 0 to 1."""
    hard = pressed or (0.5,) * len(points)
    if len(points) < 3:
        return [(x, y, one) for (x, y), one in zip(points, hard, strict=True)]
    found = []
    for i in range(len(points) - 1):
        before, here = points[max(i - 1, 0)], points[i]
        after, beyond = points[i + 1], points[min(i + 2, len(points) - 1)]
        for step in range(_SMOOTH):
            t = step / _SMOOTH
            x, y = (_curve(before[axis], here[axis], after[axis], beyond[axis], t) for axis in (0, 1))
            found.append((x, y, hard[i] + (hard[i + 1] - hard[i]) * t))
    return [*found, (*points[-1], hard[-1])]


def _curve(p: float, q: float, r: float, s: float, t: float) -> float:
    return 0.5 * (2 * q + (r - p) * t + (2 * p - 5 * q + 4 * r - s) * t**2 + (3 * q - p - 3 * r + s) * t**3)


def arrow_head(points: list[tuple[float, float]], width: float) -> list[tuple[float, float]]:
    """The three corners of an arrow's head, the point first."""
    (x0, y0), (x1, y1) = points[0], points[-1]
    length = math.hypot(x1 - x0, y1 - y0) or 1.0
    long = min(_HEAD * width, length)
    across, down = (x1 - x0) / length, (y1 - y0) / length
    back, side = (x1 - across * long, y1 - down * long), long * _HEAD_WIDE / 2
    first = back[0] - down * side, back[1] + across * side
    return [(x1, y1), first, (back[0] + down * side, back[1] - across * side)]


def draw_mark(pixels: AnyPixels, mark: Mark, sight: Sight) -> None:
    """A mark over a canvas, at its own resolution; `sight` says how the canvas sees the original."""
    points = [(at.x, at.y) for x, y in mark.points for at in (sight.pixel(Point(x, y)),)]
    width = max(1.0, mark.width * sight.unit_at(Point(*mark.points[len(mark.points) // 2])))
    if mark.kind is MarkKind.WORDS:
        return _draw_words(pixels, mark, points[0], width)
    across, down = [x for x, _ in points], [y for _, y in points]
    reach = width * (_HEAD if mark.kind is MarkKind.ARROW else 1.5) + 2
    left, right = max(0, math.floor(min(across) - reach)), min(pixels.shape[1], math.ceil(max(across) + reach))
    top, bottom = max(0, math.floor(min(down) - reach)), min(pixels.shape[0], math.ceil(max(down) + reach))
    if left >= right or top >= bottom:
        return None  # this place does not show where it lies
    pixels = pixels[top:bottom, left:right]
    points = [(x - left, y - top) for x, y in points]
    cover: Masks = np.zeros(pixels.shape[:2], np.float32)
    if mark.kind is MarkKind.BOX:
        (x0, y0), (x1, y1) = points
        way = np.array([(x0, y0), (x1, y0), (x1, y1), (x0, y1), (x0, y0)], np.float64)
        stroke_coverage(way, width / 2, 0.0, cover)
    elif mark.kind is MarkKind.ARROW:
        tip = arrow_head(points, width)
        back = ((tip[1][0] + tip[2][0]) / 2, (tip[1][1] + tip[2][1]) / 2)
        stroke_coverage(np.array([points[0], back], np.float64), width / 2, 0.0, cover)
        head: Masks = np.zeros_like(cover)
        polygon_coverage(np.array(tip, np.float64), head)
        cover = np.maximum(cover, head)
    else:
        for (x0, y0, hard), (x1, y1, _) in _pairs(smooth_way(points, mark.pressed)):
            radius = width / 2 * (0.5 + hard if mark.pressed else 1.0)
            stroke_coverage(np.array([(x0, y0), (x1, y1)], np.float64), radius, 0.0, cover)
    strength = _HIGHLIGHTED if mark.kind is MarkKind.HIGHLIGHTER else 1.0
    mix_colour_over(pixels, cover, strength, *map(float, COLOURS[mark.colour]))
    return None


_Way = list[tuple[float, float, float]]


def _pairs(way: _Way) -> list[tuple[tuple[float, float, float], tuple[float, float, float]]]:
    return list(zip(way, way[1:] or way, strict=False))


def _draw_words(pixels: AnyPixels, mark: Mark, at: tuple[float, float], width: float) -> None:
    """Short words on a plate of their colour, their middle at a spot, held inside the canvas."""
    size = max(_LEAST_WORDS_PX, _WORDS_SIZE * width)
    faces = (shipped_face(Family.SANS, Weight.SEMI_BOLD), *stand_ins(Weight.SEMI_BOLD))
    runs = divided(settable_part(mark.text)[0], faces).runs
    canvas = Size(pixels.shape[1], pixels.shape[0])
    if not (0 <= at[0] <= canvas.width and 0 <= at[1] <= canvas.height):
        return
    room = max(1, min(canvas.width - 2, round(size * 22)))
    mask = set_words(Setting(runs, size, room)).mask[: canvas.height, : canvas.width]
    pad = min(round(size * 0.3), (canvas.height - mask.shape[0]) // 2, (canvas.width - mask.shape[1]) // 2)
    high, wide = mask.shape[0] + 2 * pad, mask.shape[1] + 2 * pad
    top = min(max(round(at[1] - high / 2), 0), canvas.height - high)
    left = min(max(round(at[0] - wide / 2), 0), canvas.width - wide)
    colour = COLOURS[mark.colour]
    letters = (0, 0, 0) if mark.colour is PenColour.YELLOW else (255, 255, 255)
    part = pixels[top : top + high, left : left + wide]
    mix_colour_over(part, np.ones((high, wide), np.float32), 0.92, *map(float, colour))
    mix_colour_over(part, np.pad(mask, pad), 1.0, *map(float, letters))
