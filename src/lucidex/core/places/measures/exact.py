"""Width and height."""

from typing import ClassVar, Literal, Self

from pydantic import model_validator

from lucidex.core.geometry.sizes import Size, check_output_size
from lucidex.core.places.measures.base import Edge, Measure, Number
from lucidex.core.units import LengthUnit, format_number, length_of


class ExactSize(Measure):
    """Width and height."""

    by: Literal["size"] = "size"
    width_px: Edge
    height_px: Edge
    label: ClassVar[str] = "width × height"
    numbers: ClassVar[tuple[Number, ...]] = (
        Number("width_px"),
        Number("height_px"),
    )
    typed: ClassVar[tuple[str, ...]] = (
        r"{length} (?:x|by) {length}",
        r"{length} (?:wide|width|w|across)(?: (?:,|and|x|by))? {length} (?:high|height|h|tall|down)",
        r"(?:width|w|wide)(?: of)? {length}(?: (?:,|and|x|by))? (?:height|h|high)(?: of)? {length}",
    )
    typed_loosely: ClassVar[tuple[str, ...]] = (r"{length} {length}",)
    has_own_shape: ClassVar[bool] = True

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

    def printed(self, unit: LengthUnit, pixels_per_inch: float) -> str | None:
        """For example 8 × 6 cm (945 × 709 px)."""
        if unit is LengthUnit.PX:
            return None
        decimals = 2 if unit is LengthUnit.INCH else 1  # a pixel more or less is not meant
        lengths = (length_of(side, unit, pixels_per_inch) for side in (self.width_px, self.height_px))
        sides = (format_number(length, decimals) for length in lengths)
        return f"{' × '.join(sides)} {unit} ({self.words()} px)"

    def at_percent(self, percent: float) -> "ExactSize":
        """Both sides, at least a pixel."""
        width, height = (max(1, round(side * percent / 100)) for side in (self.width_px, self.height_px))
        return ExactSize(width_px=width, height_px=height)
