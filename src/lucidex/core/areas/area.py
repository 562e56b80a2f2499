"""Areas: shapes added to and taken from each other, with a soft edge, inverted if wished."""

import math
from collections.abc import Iterable, Sequence
from typing import Annotated, Self

import cv2
import numpy as np
from pydantic import BaseModel, ConfigDict, FailFast, Field

from lucidex.core.areas.shapes import SHAPES, AnyShape, Masks, Shape, grown, union_of
from lucidex.core.areas.sight import Sight
from lucidex.core.geometry.sizes import Box, Point, Size, Window

MAX_SHAPES = 200
UNIT = 9_000
ANY_SIGHT = Sight(Size(UNIT, UNIT))  # in no original lies anything nearer to each other than in a square one
FINER_BELOW = ((400_000, 4), (4_000_000, 2))  # pixels of an area: how many times finer its edge is measured
COUNTS = ("no", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten", "eleven", "twelve")

Edge = Annotated[float, Field(ge=0, le=0.5, allow_inf_nan=False)]


class Area(BaseModel):
    """`shapes` in their order; beyond what they cover it fades over `edge`, a fraction of the shorter side, so that
    what is drawn is covered in full. `inverted` is everything but that."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    shapes: Annotated[tuple[AnyShape, ...], Field(max_length=MAX_SHAPES), FailFast()] = ()
    edge: Edge = 0.0
    inverted: bool = False

    @property
    def is_empty(self) -> bool:
        """Whether nothing was added yet. Everything but nothing is empty too: nothing was pointed at."""
        return all(shape.takes_away for shape in self.shapes)

    def mask(self, sight: Sight, box: Box) -> Masks:
        """How much of each pixel of a box of the raster it covers: height × width floats, 0 to 1."""
        fades = self._edge_px(sight)
        if not fades:
            mask = self._drawn(sight, box)
        else:
            # a narrow edge is measured from the drawn one on a finer raster, so that scales agree on it
            finer = self._finer(sight)
            margin = math.ceil(fades) + 1
            size = Size((box.size.width + 2 * margin) * finer, (box.size.height + 2 * margin) * finer)
            wider = Box((box.left - margin) * finer, (box.top - margin) * finer, size)
            faded = _faded(self._drawn(sight.reduced(1 / finer), wider), fades * finer)
            if finer > 1:
                faded = cv2.resize(faded, (size.width // finer, size.height // finer), interpolation=cv2.INTER_AREA)
            mask = np.ascontiguousarray(faded[margin:-margin, margin:-margin])
        return 1 - mask if self.inverted else mask

    def _finer(self, sight: Sight) -> int:
        """How many times finer its edge is measured: whichever box of it is asked for."""
        around = union_of([shape.bounds(sight) for shape in self.shapes])
        return next((finer for most, finer in FINER_BELOW if around.width * around.height < most), 1)

    def _drawn(self, sight: Sight, box: Box) -> Masks:
        """What its shapes cover, without a soft edge."""
        mask = np.zeros((box.size.height, box.size.width), np.float32)
        left, top = box.left, box.top
        for shape in self.shapes:
            if shape.takes_away:
                away = np.zeros_like(mask)
                shape.covered(sight, left, top, away)
                np.minimum(mask, 1 - away, out=mask)
            else:
                shape.covered(sight, left, top, mask)
        return mask

    def bounds(self, sight: Sight) -> Window | None:
        """What surrounds all that it covers, in pixels of the raster; None where that is everything, or nothing."""
        if self.inverted or self.is_empty:
            return None
        windows = [shape.bounds(sight) for shape in self.shapes if not shape.takes_away]
        return grown(union_of(windows), self._edge_px(sight))

    def box(self, sight: Sight, bounds: Size) -> Box | None:
        """The whole pixels of a raster of `bounds` that it may cover; None where there are none."""
        if self.is_empty:
            return None
        window = self.bounds(sight) or Window(0, 0, bounds.width, bounds.height)
        return held_box(window, bounds)

    @property
    def components(self) -> tuple["Area", ...]:
        """The same as areas that do not touch each other, whatever shape the original has; in their order."""
        return self.components_in(ANY_SIGHT)

    def components_in(self, sight: Sight) -> tuple["Area", ...]:
        """The same as a raster sees them: what does not touch there stands alone."""
        if self.is_empty:
            return ()
        if self.inverted:
            return (self,)
        groups = touching(self.shapes, self.edge, sight)
        areas = (self.model_copy(update={"shapes": tuple(self.shapes[i] for i in numbers)}) for numbers in groups)
        return tuple(area for area in areas if not area.is_empty)

    def with_shapes(self, shapes: Iterable[Shape]) -> Self:
        """With other shapes. ValidationError where they are too many."""
        return type(self).model_validate({**self.model_dump(), "shapes": [one.model_dump() for one in shapes]})

    def _edge_px(self, sight: Sight) -> float:
        return self.edge * sight.unit_at(Point(0.5, 0.5))


def held_box(window: Window, bounds: Size) -> Box | None:
    """The whole pixels around a window, as far as they lie within bounds; None where none does."""
    left, top = max(0, math.floor(window.left)), max(0, math.floor(window.top))
    right = min(bounds.width, math.ceil(window.left + window.width))
    bottom = min(bounds.height, math.ceil(window.top + window.height))
    return Box(left, top, Size(right - left, bottom - top)) if right > left and bottom > top else None


def touching(shapes: Sequence[Shape], edge: float = 0.0, sight: Sight = ANY_SIGHT) -> list[list[int]]:
    """The numbers of shapes in groups that do not touch each other; `edge` as in an area. Groups and numbers stand in
    the order in which they were begun."""
    fades = edge * sight.unit_at(Point(0.5, 0.5))
    groups: list[tuple[list[int], Window]] = []
    for index, shape in enumerate(shapes):
        numbers, window = [index], grown(shape.bounds(sight), fades + 1)
        for group in [group for group in groups if _touch(group[1], window)]:
            groups.remove(group)
            numbers, window = sorted([*group[0], *numbers]), union_of([group[1], window])
        groups.append((numbers, window))
    return sorted(numbers for numbers, _ in groups)


def _touch(a: Window, b: Window) -> bool:
    across = a.left < b.left + b.width and b.left < a.left + a.width
    return across and a.top < b.top + b.height and b.top < a.top + a.height


def _faded(mask: Masks, width: float) -> Masks:
    """A mask that goes on beyond its edge and fades, smoothly, within so many pixels."""
    outside = (mask < 0.5).astype(np.uint8)
    if outside.all():
        return mask
    apart = cv2.distanceTransform(outside, cv2.DIST_L2, cv2.DIST_MASK_PRECISE) - 0.5
    share = np.clip(1 - apart / width, 0, 1)
    faded: Masks = np.maximum(mask, share * share * (3 - 2 * share)).astype(np.float32)
    return faded


def area_words(area: Area) -> tuple[str, str]:
    """What an area is made of, and where it lies in the original: ("two ellipses", ", upper left")."""
    added = [shape for shape in area.shapes if not shape.takes_away]
    if not added:
        return "no area yet", ""
    counted = [(kind.words, sum(isinstance(one, kind) for one in added)) for kind in SHAPES]
    *others, last = [_counted(*one) for one in counted if one[1]]
    words = f"{', '.join(others)} and {last}" if others else last
    return words, f", {where_words(added)}"


def _counted(words: tuple[str, str], count: int) -> str:
    return words[0] if count == 1 else counted_words(count, words[1])


def counted_words(count: int, what: str) -> str:
    """A number of things; small numbers in words."""
    return f"{COUNTS[count] if count < len(COUNTS) else count} {what}"


def where_words(shapes: Iterable[Shape]) -> str:
    """Where in the original shapes lie, in ninths of it; where they lie in several, that."""
    seats = {_seat(shape.middle) for shape in shapes}
    return seats.pop() if len(seats) == 1 else "in several spots"


def _third(place: float) -> int:
    return min(max(int(place * 3), 0), 2)


def _seat(middle: Point) -> str:
    down = ("upper", "", "lower")[_third(middle.y)]
    across = ("left", "", "right")[_third(middle.x)]
    if down and across:
        return f"{down} {across}"
    if not down and not across:
        return "in the middle"
    return "at the top" if down == "upper" else "at the bottom" if down else f"on the {across}"
