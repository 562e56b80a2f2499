"""How a place says its size: both sides, one side, a share, an area, a shape, or a multiple of a size."""

import math
from dataclasses import dataclass
from fractions import Fraction
from typing import Annotated, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, model_validator

from lucidex.core.geometry.fit import Anchor, Rule, fit
from lucidex.core.geometry.sizes import (
    MAX_EDGE_PX,
    MAX_PIXELS,
    Size,
    check_output_size,
    largest_within,
    proportional,
    round_half_up,
)
from lucidex.core.units import format_number

MAX_TIMES = 200
NEAR_ENOUGH = 1.1  # a multiple that enlarges by more than this is not proposed
LADDER_RUNGS = 6

Edge = Annotated[int, Field(ge=1, le=MAX_EDGE_PX, strict=True)]
ShapeSide = Annotated[int, Field(ge=1, le=10_000)]


class _Measure(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class ExactSize(_Measure):
    """Width and height."""

    by: Literal["size"] = "size"
    width_px: Edge
    height_px: Edge

    @model_validator(mode="after")
    def _within_limits(self) -> Self:
        check_output_size(Size(self.width_px, self.height_px))
        return self

    def size_for(self, picture: Size) -> Size:
        """The size itself."""
        return Size(self.width_px, self.height_px)

    def words(self) -> str:
        """For example 1600 × 900."""
        return f"{self.width_px} × {self.height_px}"


class Width(_Measure):
    """A width; the height follows the picture."""

    by: Literal["width"] = "width"
    width_px: Edge

    def size_for(self, picture: Size) -> Size:
        """The width with the proportional height."""
        return Size(self.width_px, proportional(self.width_px, of=picture.width, other=picture.height))

    def words(self) -> str:
        """For example 720 wide."""
        return f"{self.width_px} wide"


class Height(_Measure):
    """A height; the width follows the picture."""

    by: Literal["height"] = "height"
    height_px: Edge

    def size_for(self, picture: Size) -> Size:
        """The height with the proportional width."""
        return Size(proportional(self.height_px, of=picture.height, other=picture.width), self.height_px)

    def words(self) -> str:
        """For example 480 high."""
        return f"{self.height_px} high"


class LongestEdge(_Measure):
    """The longer side; the other follows the picture."""

    by: Literal["longest"] = "longest"
    longest_px: Edge

    def size_for(self, picture: Size) -> Size:
        """The longest edge with the proportional other one."""
        if picture.width >= picture.height:
            return Width(width_px=self.longest_px).size_for(picture)
        return Height(height_px=self.longest_px).size_for(picture)

    def words(self) -> str:
        """For example longest edge 1600."""
        return f"longest edge {self.longest_px}"


class ShortestEdge(_Measure):
    """The shorter side; the other follows the picture."""

    by: Literal["shortest"] = "shortest"
    shortest_px: Edge

    def size_for(self, picture: Size) -> Size:
        """The shortest edge with the proportional other one."""
        if picture.width < picture.height:
            return Width(width_px=self.shortest_px).size_for(picture)
        return Height(height_px=self.shortest_px).size_for(picture)

    def words(self) -> str:
        """For example shortest edge 900."""
        return f"shortest edge {self.shortest_px}"


class Percent(_Measure):
    """A share of the picture's own size."""

    by: Literal["percent"] = "percent"
    percent: Annotated[float, Field(gt=0, le=3_000, allow_inf_nan=False)]

    def size_for(self, picture: Size) -> Size:
        """Both sides by the same share, halves rounded up, at least 1."""
        share = Fraction(str(self.percent)) / 100
        width, height = round_half_up(picture.width * share), round_half_up(picture.height * share)
        return Size(max(1, width), max(1, height))

    def words(self) -> str:
        """For example 40 %."""
        return f"{format_number(self.percent, 3)} %"


class Area(_Measure):
    """An area in megapixels (millions of pixels); proportions follow the picture."""

    by: Literal["area"] = "area"
    megapixels: Annotated[float, Field(gt=0, le=MAX_PIXELS / 1e6, allow_inf_nan=False)]

    def size_for(self, picture: Size) -> Size:
        """The proportional size whose area is nearest, by its longer side."""
        longest = math.sqrt(self.megapixels * 1e6 * picture.longest / picture.shortest)
        return LongestEdge(longest_px=min(max(1, math.floor(longest + 0.5)), MAX_EDGE_PX)).size_for(picture)

    def words(self) -> str:
        """For example 2 megapixels."""
        return f"{format_number(self.megapixels, 3)} megapixels"


class Shape(_Measure):
    """A shape at whatever size the picture yields."""

    by: Literal["shape"] = "shape"
    across: ShapeSide
    down: ShapeSide

    def size_for(self, picture: Size) -> Size:
        """The largest size of the shape within the picture."""
        return largest_within(Size(self.across, self.down), picture)

    def words(self) -> str:
        """For example shape 16 : 9."""
        return f"shape {self.across} : {self.down}"


class Multiple(_Measure):
    """This size or a whole multiple of it; `times` None takes the multiple nearest to the picture."""

    by: Literal["multiple"] = "multiple"
    width_px: Edge
    height_px: Edge
    times: Annotated[int, Field(ge=1, le=MAX_TIMES)] | None = None

    @model_validator(mode="after")
    def _within_limits(self) -> Self:
        check_output_size(self.at(self.times or 1))
        return self

    def at(self, times: int) -> Size:
        """So many times the size."""
        return Size(self.width_px * times, self.height_px * times)

    def nearest(self, picture: Size) -> int:
        """The multiple nearest to the picture, by ratio; one that enlarges only where it does so hardly."""
        ratio = min(Fraction(picture.width, self.width_px), Fraction(picture.height, self.height_px))
        below, above = max(1, math.floor(ratio)), math.ceil(ratio)
        is_nearer = above * below < ratio * ratio
        times = above if is_nearer and above <= ratio * Fraction(str(NEAR_ENOUGH)) else below
        while times > 1 and (self.at(times).longest > MAX_EDGE_PX or self.at(times).pixels > MAX_PIXELS):
            times -= 1
        return min(max(1, times), MAX_TIMES)

    def size_for(self, picture: Size) -> Size:
        """The chosen multiple, or the nearest."""
        return self.at(self.times or self.nearest(picture))

    def words(self) -> str:
        """For example 180 × 70 or a multiple."""
        return f"{self.width_px} × {self.height_px} or a multiple"


Measure = Annotated[
    ExactSize | Width | Height | LongestEdge | ShortestEdge | Percent | Area | Shape | Multiple,
    Field(discriminator="by"),
]


@dataclass(frozen=True)
class Rung:
    """One multiple on the ladder: what the picture would lose, or what room would be added.

    `enlargement` is output pixels for each picture pixel. `cut` and `room` are pixels of the result, left and
    right together, and top and bottom together.
    """

    times: int
    size: Size
    enlargement: float
    cut: tuple[int, int]
    room: tuple[int, int]
    is_nearest: bool


def ladder(measure: Multiple, picture: Size, rule: Rule, anchor: Anchor = Anchor.CENTRE) -> list[Rung]:
    """The first multiples and those around the nearest one, smallest first."""
    nearest = measure.nearest(picture)
    chosen = {*range(1, LADDER_RUNGS + 1), nearest, nearest + 1, measure.times or 1}
    rungs = []
    for times in sorted(chosen):
        size = measure.at(times)
        if times > MAX_TIMES or size.longest > MAX_EDGE_PX or size.pixels > MAX_PIXELS:
            continue
        placed = fit(picture, size, rule, anchor)
        scale = placed.drawn.width / placed.window.width
        cut = (
            round((picture.width - placed.window.width) * scale),
            round((picture.height - placed.window.height) * scale),
        )
        room = size.width - placed.drawn.width, size.height - placed.drawn.height
        rungs.append(Rung(times, size, placed.enlargement, cut, room, times == nearest))
    return rungs
