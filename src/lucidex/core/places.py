"""What a place demands: exact size or one side, rule of fit, format, ceiling; and how it is typed."""

import re
from fractions import Fraction
from typing import Annotated, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from lucidex.core.encode import FormatName
from lucidex.core.errors import NotUnderstoodError, OutOfRangeError
from lucidex.core.geometry import (
    MAX_EDGE_PX,
    Anchor,
    Rule,
    Size,
    check_output_size,
    proportional,
    round_half_up,
)
from lucidex.core.units import Length, LengthUnit, format_number, format_weight, parse_decimal, parse_weight

Edge = Annotated[int, Field(ge=1, le=MAX_EDGE_PX, strict=True)]
Ground = Annotated[str, Field(pattern=r"^(clear|#[0-9a-f]{6})$")]


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


Measure = Annotated[ExactSize | Width | Height | LongestEdge | Percent, Field(discriminator="by")]


class PlaceDemand(BaseModel):
    """All that a place asks of a picture."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    measure: Measure
    rule: Rule = Rule.COVER
    anchor: Anchor = Anchor.CENTRE
    ground: Ground = "#ffffff"
    format: FormatName | None = Field(None, description="Without one: JPEG, or PNG where areas are clear.")
    quality: Annotated[int, Field(ge=1, le=100)] | None = None
    max_bytes: Annotated[int, Field(ge=100, le=2_000_000_000)] | None = None
    pixels_per_inch: Annotated[float, Field(ge=1, le=9_600, allow_inf_nan=False)] | None = None

    def size_for(self, picture: Size) -> Size:
        """The size of the box that this place offers to a picture.

        Raises OutOfRangeError where the size that follows from the picture exceeds the limits.
        """
        return check_output_size(self.measure.size_for(picture))

    @property
    def is_framed(self) -> bool:
        """Whether a part of the picture is chosen for it: an exact size, covered."""
        return isinstance(self.measure, ExactSize) and self.rule is Rule.COVER


RULE_WORDS = {
    Rule.COVER: "cover the place",
    Rule.CONTAIN: "show whole",
    Rule.SCALE_DOWN: "no larger than",
    Rule.FILL: "stretch",
}
_RULES = {
    "cover": Rule.COVER,
    "cover the place": Rule.COVER,
    "show whole": Rule.CONTAIN,
    "whole": Rule.CONTAIN,
    "no larger than": Rule.SCALE_DOWN,
    "stretch": Rule.FILL,
    "stretched": Rule.FILL,
}
_FORMATS = {"jpeg": "jpeg", "jpg": "jpeg", "png": "png", "webp": "webp", "avif": "avif"}
_NUMBER = r"\d{1,12}(?:[.,]\d{1,6})?"
_UNIT = r"(px|mm|cm|in)?"
_MEASURES = {
    "size": re.compile(rf"({_NUMBER})\s*{_UNIT}\s*[x×*]\s*({_NUMBER})\s*{_UNIT}"),
    "width": re.compile(rf"(?:(?:width\s+)?({_NUMBER})\s*{_UNIT}\s*(?:wide|width)|width\s+({_NUMBER})\s*{_UNIT})"),
    "height": re.compile(rf"(?:({_NUMBER})\s*{_UNIT}\s*(?:high|height)|height\s+({_NUMBER})\s*{_UNIT})"),
    "longest": re.compile(
        rf"(?:longest(?: edge| side)?\s+({_NUMBER})\s*{_UNIT}|({_NUMBER})\s*{_UNIT}\s+longest(?: edge)?)"
    ),
    "percent": re.compile(rf"([+-]?{_NUMBER})\s*%"),
}
_CEILING = re.compile(r"\b(?:under|below|at most|max)\s+(\d+(?:[.,]\d+)?\s*[a-z]+)")
_DENSITY = re.compile(rf"\bat\s+({_NUMBER})\s*(?:ppi|dpi)?\b")
_KEEP = re.compile(r"\bkeep\s+(?:the\s+)?((?:top|bottom)?\s*(?:left|right)?|centre|center)(?=$|\s)")
_AS_FORMAT = re.compile(r"\bas\s+(jpe?g|png|webp|avif)\b")
_RULE = re.compile(r"\b(cover the place|cover|show whole|whole|no larger than|stretched|stretch)\b")


class ReadDemand(BaseModel):
    """What was typed for a place. Parts that were not typed are None and keep what the place has."""

    model_config = ConfigDict(frozen=True)

    measure: Measure
    rule: Rule | None = None
    anchor: Anchor | None = None
    format: FormatName | None = None
    max_bytes: int | None = None
    pixels_per_inch: float | None = None

    def demand(self) -> PlaceDemand:
        """A place of its own from it."""
        return PlaceDemand.model_validate(self.model_dump(exclude_none=True))


def looks_like_size(text: str) -> bool:
    """Whether typed words begin like a size, so that a misspelt rest deserves a sentence about sizes.

    >>> looks_like_size("1600x"), looks_like_size("turn left")
    (True, False)
    """
    return re.match(r"\s*(?:[+-]?\d|longest|width|height)", text.lower()) is not None and ":" not in text


def read_demand(text: str) -> ReadDemand:
    """Read a typed place, for example `180 x 70 keep left`, `720 wide`, `40 %`, `1600x640 under 180 kB`.

    Decimal comma, `x`, `×` and `*`, kB and KB are all understood. Raises NotUnderstoodError for words that
    are no size, OutOfRangeError for sizes beyond the limits.
    """
    rest = text.strip().lower().replace("×", "x")
    rest, ceiling = _take(_CEILING, rest)
    rest, density = _take(_DENSITY, rest)
    rest, keep = _take(_KEEP, rest)
    rest, file_format = _take(_AS_FORMAT, rest)
    rest, rule = _take(_RULE, rest)
    pixels_per_inch = float(parse_decimal(density)) if density else None
    try:
        return ReadDemand.model_validate(
            {
                "measure": _read_measure(rest.strip(" ,;"), pixels_per_inch, text),
                "rule": _RULES[rule] if rule else None,
                "anchor": _read_anchor(keep),
                "format": _FORMATS[file_format] if file_format else None,
                "max_bytes": parse_weight(ceiling) if ceiling else None,
                "pixels_per_inch": pixels_per_inch,
            }
        )
    except ValidationError as error:
        raise OutOfRangeError(explain_limits(error)) from error


def _take(pattern: re.Pattern[str], text: str) -> tuple[str, str | None]:
    match = pattern.search(text)
    if match is None:
        return text, None
    return text[: match.start()] + " " + text[match.end() :], match[1].strip()


def _read_anchor(words: str | None) -> Anchor | None:
    if not words:
        return None
    return Anchor(" ".join(words.split()).replace("center", "centre"))


def _read_measure(words: str, pixels_per_inch: float | None, typed: str) -> dict[str, object]:
    for name, pattern in _MEASURES.items():
        if (match := pattern.fullmatch(words)) is not None:
            found = [group for group in match.groups() if group is not None]
            return _measure(name, found, pixels_per_inch)
    raise NotUnderstoodError(
        f"“{typed.strip()[:60]}” is not a size. Write for example 1600x900, 720 wide, 480 high, longest 1600 or 40 %."
    )


def _measure(name: str, found: list[str], pixels_per_inch: float | None) -> dict[str, object]:
    if name == "percent":
        return {"by": name, "percent": float(parse_decimal(found[0]))}
    units = [part for part in found if part in set(LengthUnit)]
    numbers = [part for part in found if part not in set(LengthUnit)]
    unit = LengthUnit(units[-1]) if units else LengthUnit.PX
    sides = [_side(number, unit, pixels_per_inch) for number in numbers]
    keys = {"size": ("width_px", "height_px"), "longest": ("longest_px",)}.get(name, (f"{name}_px",))
    return {"by": name, **dict(zip(keys, sides, strict=True))}


def _side(number: str, unit: LengthUnit, pixels_per_inch: float | None) -> int:
    if unit is not LengthUnit.PX and pixels_per_inch is None:
        raise NotUnderstoodError(f"{number} {unit} is so many pixels only at a resolution: add for example “at 300”.")
    amount = parse_decimal(number)
    if amount == 0:
        raise OutOfRangeError("A size must be at least 1 pixel; 0 was asked for.")
    if unit is LengthUnit.PX and amount != amount.to_integral_value():
        raise OutOfRangeError(f"{number} is not a whole number of pixels.")
    return Length(amount, unit).pixels(pixels_per_inch or 1)


def explain_limits(error: ValidationError) -> str:
    """One sentence from the first thing that a schema refused."""
    first = error.errors()[0]
    name = str(first["loc"][-1]).removesuffix("_px").replace("_", " ") if first["loc"] else "size"
    limits = first.get("ctx", {})
    given = first["input"] if isinstance(first["input"], int | float | str) else ""
    said = f"The {name} cannot be “{str(given)[:40]}”" if given != "" else f"The {name} is not possible"
    if "error" in limits:
        return str(limits["error"])
    bounds = [
        words.format(limits[key])
        for key, words in (("ge", "at least {}"), ("gt", "more than {}"), ("le", "at most {}"))
        if key in limits
    ]
    return f"{said}: it must be {' and '.join(bounds)}." if bounds else f"{said}: {first['msg'].lower()}."


def demand_words(demand: PlaceDemand) -> str:
    """A place in a few words, for example `1600 × 640, at most 180 kB, WebP`."""
    parts = [demand.measure.words()]
    if demand.rule is not Rule.COVER:
        parts.append(RULE_WORDS[demand.rule])
    if demand.anchor is not Anchor.CENTRE:
        parts.append(f"picture kept {demand.anchor}")
    if demand.max_bytes is not None:
        parts.append(f"at most {format_weight(demand.max_bytes)}")
    if demand.pixels_per_inch is not None:
        parts.append(f"{format_number(demand.pixels_per_inch)} pixels per inch")
    if demand.format is not None:
        parts.append(f"as {demand.format.label}")
    return ", ".join(parts)
