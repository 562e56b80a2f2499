"""Lengths, resolutions and weights: the numbers that people type, and how they are written."""

import re
from dataclasses import dataclass
from decimal import ROUND_HALF_UP, Decimal
from enum import StrEnum

from lucidex.core.errors import NotUnderstoodError, OutOfRangeError

MILLIMETRES_PER_INCH = Decimal("25.4")
DEFAULT_PIXELS_PER_INCH = 96.0  # CSS Values and Units 4, section 6.2: 1in = 96px
MIN_PIXELS_PER_INCH, MAX_PIXELS_PER_INCH = 1.0, 9600.0


class LengthUnit(StrEnum):
    """Units of a typed length."""

    PX = "px"
    MM = "mm"
    CM = "cm"
    INCH = "in"


_INCHES = {
    LengthUnit.MM: 1 / MILLIMETRES_PER_INCH,
    LengthUnit.CM: 10 / MILLIMETRES_PER_INCH,
    LengthUnit.INCH: Decimal(1),
}
_WEIGHT_FACTORS = {"b": 1, "bytes": 1, "kb": 1_000, "mb": 1_000_000}
_WEIGHT = re.compile(r"(?P<amount>\d+(?:[.,]\d+)?)\s*(?P<unit>[a-zA-Z]+)")


@dataclass(frozen=True)
class Length:
    """A length as typed, for example 8.5 cm. `amount` is positive and finite."""

    amount: Decimal
    unit: LengthUnit

    def __post_init__(self) -> None:
        if not (self.amount.is_finite() and self.amount > 0):
            raise OutOfRangeError(f"A length must be greater than zero, not {self.amount}.")

    def pixels(self, pixels_per_inch: float = DEFAULT_PIXELS_PER_INCH) -> int:
        """Whole pixels of this length at a resolution (pixels per inch), halves rounded up, at least 1.

        >>> Length(Decimal("21"), LengthUnit.CM).pixels(300)
        2480
        """
        if self.unit is LengthUnit.PX:
            exact = self.amount
        else:
            exact = self.amount * _INCHES[self.unit] * Decimal(str(pixels_per_inch))
        return max(1, int(exact.to_integral_value(ROUND_HALF_UP)))


def length_of(pixels: int, unit: LengthUnit, pixels_per_inch: float) -> float:
    """The length of so many pixels at a resolution, in a unit.

    >>> length_of(2480, LengthUnit.CM, 300)
    20.997333333333334
    """
    if unit is LengthUnit.PX:
        return float(pixels)
    return float(pixels / (_INCHES[unit] * Decimal(str(pixels_per_inch))))


def parse_decimal(text: str) -> Decimal:
    """Read a number with decimal point or decimal comma.

    Raises NotUnderstoodError where `text` is not one finite number.

    >>> parse_decimal("2,5")
    Decimal('2.5')
    """
    if not re.fullmatch(r"[+-]?\d{1,12}(?:[.,]\d{1,6})?", text.strip()):
        raise NotUnderstoodError(f"“{text[:40]}” is not a number.")
    return Decimal(text.strip().replace(",", "."))


def parse_weight(text: str) -> int:
    """Bytes of a typed weight; 1 kB is 1000 bytes (IEC 80000-13), in any case of letters.

    Raises NotUnderstoodError where there is no number with a unit of B, kB or MB.

    >>> parse_weight("180 kB"), parse_weight("1,5 MB")
    (180000, 1500000)
    """
    match = _WEIGHT.fullmatch(text.strip())
    factor = _WEIGHT_FACTORS.get(match["unit"].lower()) if match else None
    if match is None or factor is None:
        raise NotUnderstoodError(f"“{text[:40]}” is not a weight; write for example 180 kB.")
    return int((parse_decimal(match["amount"]) * factor).to_integral_value(ROUND_HALF_UP))


def format_weight(byte_count: int) -> str:
    """A weight as people read it: bytes below 1 kB, whole kB below 1 MB, then MB with one decimal.

    >>> format_weight(812), format_weight(148_400), format_weight(9_430_000)
    ('812 B', '148 kB', '9.4 MB')
    """
    if byte_count < 1_000:
        return f"{byte_count} B"
    if byte_count < 999_500:
        return f"{(byte_count + 500) // 1_000} kB"
    return f"{byte_count / 1_000_000:.1f} MB"


def format_number(number: float, decimals: int = 2) -> str:
    """A number without needless zeros: 40, 2.4, 0.35.

    >>> format_number(40.0), format_number(2.40)
    ('40', '2.4')
    """
    number = round(number, decimals) + 0.0  # never a minus before nothing
    return f"{number:.{decimals}f}".rstrip("0").rstrip(".") if decimals else f"{number:.0f}"


_DAY = re.compile(r"(\d{4})-(0[1-9]|1[0-2])-(0[1-9]|[12]\d|3[01])")
_FIRST_HALF = ("January", "February", "March", "April", "May", "June")
_MONTHS = (*_FIRST_HALF, "July", "August", "September", "October", "November", "December")


def format_date(moment: str) -> str:
    """The day of a moment such as `2026-10-12T17:42:00` as people write it; nothing for what is none.

    >>> format_date("2026-10-12T17:42:00"), format_date("")
    ('12 October 2026', '')
    """
    day = _DAY.match(moment)
    return f"{int(day[3])} {_MONTHS[int(day[2]) - 1]} {day[1]}" if day else ""
