"""A size or a whole multiple of it, and the ladder on which one is chosen."""

import math
from dataclasses import dataclass
from fractions import Fraction
from typing import Annotated, ClassVar, Literal, Self

from pydantic import Field, model_validator

from lucidex.core.geometry.fit import Anchor, Rule, fit
from lucidex.core.geometry.sizes import MAX_EDGE_PX, MAX_PIXELS, Size, check_output_size
from lucidex.core.places.measures.base import Edge, Measure, Number

MAX_TIMES = 200
NEAR_ENOUGH = 1.1  # a multiple that enlarges by more than this is not proposed
LADDER_RUNGS = 6


class Multiple(Measure):
    """This size or a whole multiple of it; `times` None takes the multiple nearest to the picture."""

    by: Literal["multiple"] = "multiple"
    width_px: Edge
    height_px: Edge
    times: Annotated[int, Field(ge=1, le=MAX_TIMES)] | None = None
    label: ClassVar[str] = "a size or a multiple of it"
    numbers: ClassVar[tuple[Number, ...]] = (
        Number("width_px"),
        Number("height_px"),
    )
    typed: ClassVar[tuple[str, ...]] = (
        r"{length} (?:x|by) {length}(?: ,)? or (?:a )?(?:whole )?multiples?(?: of it)?",
        r"(?:a )?(?:whole )?multiples? of {length} (?:x|by) {length}",
    )
    has_own_shape: ClassVar[bool] = True

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

    def for_times(self, times: int | None) -> "Multiple":
        """It with the multiple chosen."""
        return self if times is None else self.model_copy(update={"times": times})

    @property
    def takes_multiples(self) -> bool:
        """It does."""
        return True


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


def ladder(measure: Measure, picture: Size, rule: Rule, anchor: Anchor = Anchor.CENTRE) -> list[Rung]:
    """The first multiples and those around the nearest one, smallest first; none where it takes no multiples."""
    if not isinstance(measure, Multiple):
        return []
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
