"""What a place demands: a measure, rule of fit, format, ceiling, resolution, how it shows what it gets."""

import re
from collections.abc import Iterable
from enum import StrEnum
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from lucidex.core.encode import FORMATS, ColourModel, FormatName
from lucidex.core.errors import OutOfRangeError
from lucidex.core.geometry.fit import Anchor, Rule
from lucidex.core.geometry.sizes import Size, check_output_size
from lucidex.core.picture.grounds import Ground, ground_words
from lucidex.core.places.measures import AnyMeasure, Edge
from lucidex.core.stamp.packet import Carried
from lucidex.core.units import LengthUnit, format_number, format_weight

MAX_NOTE = 500
FurtherFormats = Annotated[tuple[FormatName, ...], Field(max_length=len(FORMATS))]
Quality = Annotated[int, Field(ge=1, le=100)]
MaxBytes = Annotated[int, Field(ge=100, le=2_000_000_000)]
CarriedGroups = Annotated[tuple[Carried, ...], Field(max_length=len(Carried))]
Bits = Literal[8, 16]
Resolution = Annotated[float, Field(ge=1, le=9_600, allow_inf_nan=False)]


class Displays(StrEnum):
    """How a place shows what it gets."""

    TRUE_SIZE = "at true size"
    ONE_SIZE = "always at one size"
    COMPRESSES = "compresses it again"


class PlaceDemand(BaseModel):
    """All that a place asks of a picture."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    measure: AnyMeasure
    rule: Rule = Rule.COVER
    anchor: Anchor = Anchor.CENTRE
    enlarges: bool = Field(True, description="Whether a picture that is shown whole may be enlarged.")
    ground: Ground = "#ffffff"
    format: FormatName | None = Field(
        None, description="Without one: JPEG; where areas are clear WebP, or PNG for what is drawn."
    )
    also: FurtherFormats = Field(
        (), description="Further formats in which each picture is written, beside the first."
    )
    quality: Quality | None = None
    max_bytes: MaxBytes | None = None
    pixels_per_inch: Resolution | None = None
    unit: LengthUnit = Field(LengthUnit.PX, description="The unit in which the size is said; pixels count.")
    displays: Displays = Displays.TRUE_SIZE
    displayed_width_px: Edge | None = Field(None, description="With “always at one size”: that width on the page.")
    carries: CarriedGroups = Field((), description="What the files say beside their pixels; without it, nothing.")
    colour: ColourModel = Field(ColourModel.RGB, description="The colours of the files: for screens, grey, or ink.")
    bits: Bits = Field(16, description="At most so many for each number, where original and format have them.")
    is_quick: bool = Field(False, description="Whether files are written sooner, and are a little heavier.")
    note: Annotated[str, Field(max_length=MAX_NOTE)] = ""

    def size_for(self, picture: Size) -> Size:
        """The size of the box that this place offers to a picture.

        Raises OutOfRangeError where the size that follows from the picture exceeds the limits.
        """
        return check_output_size(self.measure.size_for(picture))

    @property
    def is_cropped(self) -> bool:
        """Whether a part of the picture is chosen for it: a size with a shape of its own, covered."""
        return self.measure.has_own_shape and self.rule is Rule.COVER


RULE_WORDS = {
    Rule.COVER: "cover the place",
    Rule.CONTAIN: "show whole",
    Rule.SCALE_DOWN: "no larger than",
    Rule.FILL: "stretch",
}


COLOUR_WORDS = {ColourModel.RGB: "in RGB", ColourModel.GREY: "in one band of grey", ColourModel.CMYK: "in CMYK"}
_CARRIED_WORDS = {Carried.TEXTS: "texts", Carried.CAMERA: "camera and date", Carried.LOCATION: "location"}
FIELD_WORDS = {"max_bytes": "weight in bytes", "pixels_per_inch": "resolution", "stops": "exposure"}
_UNIT_SUFFIX = re.compile(r"_(?:px|degrees|percent)$")


def explain_limits(error: ValidationError) -> str:
    """One sentence from the first thing that a schema refused."""
    first = error.errors()[0]
    field = str(first["loc"][-1]) if first["loc"] else "size"
    name = FIELD_WORDS.get(field) or _UNIT_SUFFIX.sub("", field).replace("_", " ")
    limits = first.get("ctx", {})
    given = first["input"] if isinstance(first["input"], int | float | str) else ""
    message = f"The {name} cannot be “{str(given)[:40]}”" if given != "" else f"The {name} is not possible"
    if "error" in limits:
        return str(limits["error"])
    bounds = [
        words.format(limits[key])
        for key, words in (("ge", "at least {}"), ("gt", "more than {}"), ("le", "at most {}"))
        if key in limits
    ]
    return f"{message}: it must be {' and '.join(bounds)}." if bounds else f"{message}: {first['msg'].lower()}."


def demand_words(demand: PlaceDemand) -> str:
    """A place in a few words, for example `1600 × 640, at most 180 kB, WebP`."""
    parts = [printed_words(demand) or demand.measure.words()]
    if demand.rule is not Rule.COVER:
        parts.append(RULE_WORDS[demand.rule])
    if demand.ground != "#ffffff" or demand.rule is Rule.CONTAIN:
        parts.append(f"on {ground_words(demand.ground)}")
    if demand.anchor is not Anchor.CENTRE:
        parts.append(f"picture kept {demand.anchor}")
    if demand.max_bytes is not None:
        parts.append(f"at most {format_weight(demand.max_bytes)}")
    if demand.pixels_per_inch is not None:
        parts.append(f"{format_number(demand.pixels_per_inch)} pixels per inch")
    if not demand.enlarges:
        parts.append("never enlarged")
    if demand.format is not None:
        parts.append(f"as {' + '.join(one.label for one in (demand.format, *demand.also))}")
    elif demand.also:
        parts.append(f"also as {' + '.join(one.label for one in demand.also)}")
    if demand.quality is not None:
        parts.append(f"quality {demand.quality}")
    if demand.colour is not ColourModel.RGB:
        parts.append(COLOUR_WORDS[demand.colour])
    if demand.bits == 8:
        parts.append("in 8 bits")
    if demand.carries:
        parts.append(f"with {carried_words(demand.carries)}")
    if demand.is_quick:
        parts.append("written quickly")
    return ", ".join(parts)


def carried_words(groups: Iterable[Carried]) -> str:
    """What files say beside their pixels, for example `texts and location`."""
    return " and ".join(_CARRIED_WORDS[one] for one in groups)


def printed_words(demand: PlaceDemand) -> str | None:
    """An exact size in its own unit with its pixels, for example `8 × 6 cm (945 × 709 px)`; None in pixels."""
    return demand.measure.printed(demand.unit, demand.pixels_per_inch) if demand.pixels_per_inch is not None else None


def amended(demand: PlaceDemand, **parts: object) -> PlaceDemand:
    """The demand with some parts replaced. Raises OutOfRangeError in words."""
    try:
        return PlaceDemand.model_validate({**demand.model_dump(mode="json"), **parts})
    except ValidationError as error:
        raise OutOfRangeError(explain_limits(error)) from error
