"""A share of the picture's own size, and an area."""

import math
from fractions import Fraction
from typing import Annotated, ClassVar, Literal

from pydantic import Field

from lucidex.core.errors import OutOfRangeError
from lucidex.core.geometry.sizes import MAX_EDGE_PX, MAX_PIXELS, Size, round_half_up
from lucidex.core.places.measures.base import Kind, Measure, Number
from lucidex.core.places.measures.sides import LongestEdge
from lucidex.core.units import format_number


class Percent(Measure):
    """A share of the picture's own size."""

    by: Literal["percent"] = "percent"
    percent: Annotated[float, Field(gt=0, le=3_000, allow_inf_nan=False)]
    label: ClassVar[str] = "percent of its own size"
    numbers: ClassVar[tuple[Number, ...]] = (Number("percent", Kind.NUMBER),)
    typed: ClassVar[tuple[str, ...]] = (
        r"{number} %(?: of)?(?: the| its)?(?: own| original| full)?(?: size)?",
        r"(?:scale|resize|scaled|reduce|enlarge|shrink|size|downscale|upscale)(?: it)?(?: down| up)?(?: to)? "
        r"{number} %",
    )

    def size_for(self, picture: Size) -> Size:
        """Both sides by the same share, halves rounded up, at least 1."""
        share = Fraction(str(self.percent)) / 100
        width, height = round_half_up(picture.width * share), round_half_up(picture.height * share)
        return Size(max(1, width), max(1, height))

    def at_percent(self, percent: float) -> "Percent":
        """So many per cent of it, along each side."""
        return Percent(percent=self.percent * percent / 100)

    def words(self) -> str:
        """For example 40 %."""
        return f"{format_number(self.percent, 3)} %"


class Area(Measure):
    """An area in megapixels (millions of pixels); proportions follow the picture."""

    by: Literal["area"] = "area"
    megapixels: Annotated[float, Field(gt=0, le=MAX_PIXELS / 1e6, allow_inf_nan=False)]
    label: ClassVar[str] = "megapixels"
    numbers: ClassVar[tuple[Number, ...]] = (Number("megapixels", Kind.NUMBER),)
    typed: ClassVar[tuple[str, ...]] = (r"{number} mp",)

    def size_for(self, picture: Size) -> Size:
        """The proportional size whose area is nearest, by its longer side."""
        longest = math.sqrt(self.megapixels * 1e6 * picture.longest / picture.shortest)
        side = max(1, math.floor(longest + 0.5))
        if side > MAX_EDGE_PX:
            said = f"{self.words()} of this shape would be {side:,} px long; at most {MAX_EDGE_PX:,} are possible."
            raise OutOfRangeError(said.replace(",", " "))
        return LongestEdge(longest_px=side).size_for(picture)

    def at_percent(self, percent: float) -> "Area":
        """So many per cent of it, along each side."""
        return Area(megapixels=self.megapixels * (percent / 100) ** 2)

    def words(self) -> str:
        """For example 2 megapixels."""
        return f"{format_number(self.megapixels, 3)} megapixels"
