"""The form of a place, on the bench and in the book: its fields, and its size's linked numbers."""

from dataclasses import dataclass
from typing import Annotated, Any

from pydantic import BaseModel, Field

from lucidex.core.encode import ColourModel
from lucidex.core.errors import UserError
from lucidex.core.geometry.fit import Rule
from lucidex.core.geometry.sizes import Size
from lucidex.core.places.book import Purpose
from lucidex.core.places.demand import MAX_NOTE, CarriedGroups, Displays, PlaceDemand, amended, printed_words
from lucidex.core.places.linked_size import MEASURE_WORDS, LinkedSize
from lucidex.core.units import LengthUnit, format_number, length_of, parse_decimal, parse_weight


class PlaceForm(BaseModel):
    """The fields of a place's form."""

    place_version: int = 0
    purpose: Purpose = Purpose.SITE
    name: Annotated[str, Field(max_length=500)] = ""
    by: Annotated[str, Field(max_length=20)] = "size"
    first: Annotated[str, Field(max_length=20)] = ""
    second: Annotated[str, Field(max_length=20)] = ""
    unit: LengthUnit = LengthUnit.PX
    said_unit: LengthUnit = LengthUnit.PX
    pixels_per_inch: Annotated[str, Field(max_length=20)] = ""
    rule: Annotated[str, Field(max_length=20)] = "cover"
    anchor: Annotated[str, Field(max_length=20)] = "centre"
    enlarges: bool = False
    ground: Annotated[str, Field(max_length=7)] = "#ffffff"
    clear: bool = False
    ceiling: Annotated[str, Field(max_length=40)] = ""
    displays: Displays = Displays.TRUE_SIZE
    displayed_width: Annotated[str, Field(max_length=10)] = ""
    note: Annotated[str, Field(max_length=MAX_NOTE)] = ""
    carries: CarriedGroups = ()
    quick: bool = False
    colour: ColourModel = ColourModel.RGB
    few_bits: bool = False

    def size(self) -> LinkedSize:
        """The size as it stands in the form, in the unit in which its numbers were last said."""
        return LinkedSize(self.by, self.first, self.second, self.said_unit, self.pixels_per_inch)

    def demand(self, before: PlaceDemand) -> PlaceDemand:
        """The place that the form describes."""
        parts: dict[str, object] = {
            **LinkedSize(self.by, self.first, self.second, self.unit, self.pixels_per_inch).parts(),
            "rule": self.rule,
            "anchor": self.anchor,
            "enlarges": self.enlarges or self.rule != Rule.CONTAIN,
            "ground": "clear" if self.clear else self.ground,
            "max_bytes": parse_weight(self.ceiling) if self.ceiling.strip() else None,
            "displays": self.displays,
            "displayed_width_px": _width(self.displayed_width),
            "note": self.note.strip(),
            "carries": sorted(set(self.carries)),
            "is_quick": self.quick,
            "colour": self.colour,
            "bits": 8 if self.few_bits else 16,
        }
        return amended(before, **parts)


def _width(typed: str) -> int | None:
    return int(parse_decimal(typed)) if typed.strip() else None


@dataclass(frozen=True)
class SizeFields:
    """What the size's fields show: the numbers, and in words what comes out, or what is wrong."""

    size: LinkedSize
    words: str
    trouble: str | None
    measure_words: dict[str, str]

    @property
    def values(self) -> dict[str, Any]:
        """For the template of the fields alone."""
        return {
            "size": self.size,
            "size_words": self.words,
            "size_trouble": self.trouble,
            "measure_words": self.measure_words,
        }


def linked_fields(form: PlaceForm, before: PlaceDemand, picture: Size | None) -> SizeFields:
    """The size's fields after one of them was changed."""
    size = form.size()
    try:
        size = size.in_unit(form.unit, before) if form.unit is not form.said_unit else size
    except UserError as error:
        return SizeFields(size, "", error.sentence, MEASURE_WORDS)
    return size_fields(size, before, picture)


def size_fields(size: LinkedSize, demand: PlaceDemand, picture: Size | None) -> SizeFields:
    """The fields of a size; `picture` is the one that it would be for, where there is one."""
    try:
        return SizeFields(size, _comes_out(amended(demand, **size.parts()), picture), None, MEASURE_WORDS)
    except UserError as error:
        return SizeFields(size, "", error.sentence, MEASURE_WORDS)


def _comes_out(demand: PlaceDemand, picture: Size | None) -> str:
    if picture is None:
        return printed_words(demand) or demand.measure.words()
    size = demand.size_for(picture)
    if demand.pixels_per_inch is None:
        return f"{size} px"
    density = demand.pixels_per_inch
    across, down = (format_number(length_of(side, LengthUnit.CM, density)) for side in (size.width, size.height))
    return f"{size} px = {across} × {down} cm"
