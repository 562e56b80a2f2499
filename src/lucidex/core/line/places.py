"""How a place is typed: sizes in words and numbers, with all that may follow them."""

import re
from collections.abc import Callable

from pydantic import BaseModel, ConfigDict, ValidationError

from lucidex.core.encode import TYPED_NAMES, FormatName
from lucidex.core.errors import NotUnderstoodError, OutOfRangeError
from lucidex.core.geometry.fit import Anchor, Rule
from lucidex.core.picture.grounds import Ground, read_ground
from lucidex.core.places.demand import PlaceDemand, explain_limits
from lucidex.core.places.measures import ALL_MEASURES, AnyMeasure, Kind, Measure
from lucidex.core.units import Length, LengthUnit, parse_decimal, parse_weight

MAX_AT_ONCE = 12
MAX_TYPED = 200  # characters of one place

_RULES = {
    "cover": Rule.COVER,
    "cover the place": Rule.COVER,
    "show whole": Rule.CONTAIN,
    "whole": Rule.CONTAIN,
    "no larger than": Rule.SCALE_DOWN,
    "stretch": Rule.FILL,
    "stretched": Rule.FILL,
}
_NUMBER = r"\d{1,12}(?:[.,]\d{1,6})?"
_PATTERNS = tuple((measure, pattern) for measure in ALL_MEASURES for pattern in measure.patterns())
_ON_GROUND = re.compile(r"[,\s]+on\s+(white|black|clear|#[0-9a-f]{6})(?=$|[\s,])")
_NEVER_ENLARGED = re.compile(r"\b(not enlarged|never enlarged)\b")
_CEILING = re.compile(r"\b(?:under|below|at most|max)\s+(\d+(?:[.,]\d+)?\s*[a-z]+)")
_DENSITY = re.compile(rf"\bat\s+({_NUMBER})\s*(?:ppi|dpi)?\b")
_KEEP = re.compile(r"\bkeep\s+(?:the\s+)?((?:top|bottom)?\s*(?:left|right)?|centre|center)(?=$|\s)")
_FORMAT = "|".join(sorted(TYPED_NAMES, key=len, reverse=True))
_AS_FORMAT = re.compile(rf"(?<!also )\bas\s+((?:{_FORMAT})(?:\s*\+\s*(?:{_FORMAT}))*)\b")
_ALSO_AS = re.compile(rf"\balso\s+as\s+((?:{_FORMAT})(?:\s*\+\s*(?:{_FORMAT}))*)\b")
_RULE = re.compile(r"\b(cover the place|cover|show whole|whole(?! multiple)|no larger than|stretched|stretch)\b")


class ReadDemand(BaseModel):
    """What was typed for a place. Parts that were not typed are None and keep what the place has."""

    model_config = ConfigDict(frozen=True)

    measure: AnyMeasure
    rule: Rule | None = None
    anchor: Anchor | None = None
    format: FormatName | None = None
    also: tuple[FormatName, ...] | None = None
    max_bytes: int | None = None
    pixels_per_inch: float | None = None
    unit: LengthUnit | None = None
    enlarges: bool | None = None
    ground: Ground | None = None

    def demand(self) -> PlaceDemand:
        """A place of its own from it."""
        return PlaceDemand.model_validate(self.model_dump(exclude_none=True))


def looks_like_size(text: str) -> bool:
    """Whether typed words begin like a size, so that a misspelt rest deserves a sentence about sizes.

    >>> looks_like_size("1600x"), looks_like_size("turn left")
    (True, False)
    """
    text = " ".join(text[: MAX_TYPED + 1].lower().split())
    if re.match(r"(?:place|shape)\s", text):
        return True
    return re.match(r"(?:[+-]?\d|longest|shortest|width|height|multiple)", text) is not None and ":" not in text


def _plainly(text: str) -> str:
    """Small letters, one blank between words: every pattern then reads on and never back over blanks.

    NotUnderstoodError where it is longer than any place.
    """
    if len(text) > MAX_TYPED * 20 or len(plain := " ".join(text.lower().replace("×", "x").split())) > MAX_TYPED:
        raise NotUnderstoodError(f"A place is typed in at most {MAX_TYPED} characters.")
    return plain


def read_demand(text: str) -> ReadDemand:
    """Read a typed place, for example `180 x 70 keep left`, `720 wide`, `40 %`, `1600x640 under 180 kB`,
    `1080x1080 as jpeg + webp`.

    Decimal comma, `x`, `×` and `*`, kB and KB are all understood. Raises NotUnderstoodError for words that
    are no size, OutOfRangeError for sizes beyond the limits.
    """
    rest = _plainly(text)
    rest, ceiling = _take(_CEILING, rest)
    rest, density = _take(_DENSITY, rest)
    rest, keep = _take(_KEEP, rest)
    rest, file_format = _take(_AS_FORMAT, rest)
    rest, also = _take(_ALSO_AS, rest)
    formats, further = _read_formats(file_format), _read_formats(also)
    rest, rule = _take(_RULE, rest)
    rest, never = _take(_NEVER_ENLARGED, rest)
    rest, ground = _take(_ON_GROUND, rest)
    pixels_per_inch = float(parse_decimal(density)) if density else None
    try:
        return ReadDemand.model_validate(
            {
                "measure": _read_measure(" ".join(rest.strip(" ,;").split()), pixels_per_inch, text),
                "rule": _RULES[rule] if rule else None,
                "anchor": _read_anchor(keep),
                "format": formats[0] if formats else None,
                "also": (*formats[1:], *further) or None,
                "max_bytes": parse_weight(ceiling) if ceiling else None,
                "pixels_per_inch": pixels_per_inch,
                "unit": _read_unit(rest),
                "enlarges": False if never else None,
                "ground": read_ground(ground) if ground else None,
            }
        )
    except ValidationError as error:
        raise OutOfRangeError(explain_limits(error)) from error


def _take(pattern: re.Pattern[str], text: str) -> tuple[str, str | None]:
    match = pattern.search(text)
    if match is None:
        return text, None
    return text[: match.start()] + " " + text[match.end() :], match[1].strip()


def _read_formats(words: str | None) -> list[FormatName]:
    return [TYPED_NAMES[word.strip()] for word in words.split("+")] if words else []


def _read_anchor(words: str | None) -> Anchor | None:
    if not words:
        return None
    return Anchor(" ".join(words.split()).replace("center", "centre"))


def _read_unit(words: str) -> LengthUnit | None:
    found = re.search(r"\d\s*(mm|cm|in)\b", words)
    return LengthUnit(found[1]) if found else None


def _read_measure(words: str, pixels_per_inch: float | None, typed: str) -> dict[str, object]:
    for measure, pattern in _PATTERNS:
        if (match := pattern.fullmatch(words)) is not None:
            return _measure(measure, match.groups(), pixels_per_inch)
    raise NotUnderstoodError(
        f"“{typed.strip()[:60]}” is not a size. Write for example 1600x900, 720 wide, 480 high, longest 1600 or 40 %."
    )


def _measure(
    measure: type[Measure], found: tuple[str | None, ...], pixels_per_inch: float | None
) -> dict[str, object]:
    """The measure's numbers from what its pattern found: a text for each, and behind a length its unit, if typed."""
    texts = iter(found)
    read = [(one, str(next(texts)), next(texts) if one.kind is Kind.LENGTH else None) for one in measure.numbers]
    units = [unit for _, _, unit in read if unit]
    unit = LengthUnit(units[-1]) if units else LengthUnit.PX
    values: dict[Kind, Callable[[str], object]] = {
        Kind.LENGTH: lambda text: _side(text, unit, pixels_per_inch),
        Kind.COUNT: int,
        Kind.NUMBER: lambda text: float(parse_decimal(text)),
    }
    numbers = {one.field: values[one.kind](text) for one, text, _ in read}
    return {"by": measure.model_fields["by"].default, **numbers}


def _side(number: str, unit: LengthUnit, pixels_per_inch: float | None) -> int:
    if unit is not LengthUnit.PX and pixels_per_inch is None:
        raise NotUnderstoodError(f"{number} {unit} is so many pixels only at a resolution: add for example “at 300”.")
    amount = parse_decimal(number)
    if amount <= 0:
        raise OutOfRangeError(f"A size must be at least 1 pixel; {number} was asked for.")
    if unit is LengthUnit.PX and amount != amount.to_integral_value():
        raise OutOfRangeError(f"{number} is not a whole number of pixels.")
    return Length(amount, unit).pixels(pixels_per_inch or 1)


def read_demands(text: str) -> list[ReadDemand]:
    """Read one or several typed places, divided by commas, semicolons or “and”.

    Raises as `read_demand`, or OutOfRangeError for too many at once.

    >>> [read.measure.words() for read in read_demands("1600x640, 720 wide and 40 %")]
    ['1600 × 640', '720 wide', '40 %']
    """
    text = " ".join(text[: MAX_TYPED * MAX_AT_ONCE].split())
    parts = [part for part in re.split(r"\s*;\s*|,\s+(?=\d|longest|shortest|place)|\s+and\s+", text) if part.strip()]
    if len(parts) > MAX_AT_ONCE:
        raise OutOfRangeError(f"At most {MAX_AT_ONCE} sizes at once; these are {len(parts)}.")
    return [read_demand(part) for part in parts or [text]]
