"""The linked numbers of a place's size: pixels, lengths and resolution, each following from the others."""

from dataclasses import dataclass
from decimal import Decimal

from lucidex.core.errors import NotUnderstoodError, OutOfRangeError
from lucidex.core.places.demand import PlaceDemand, amended
from lucidex.core.places.measures import MEASURES_BY_NAME, Kind, Measure, Number
from lucidex.core.units import DEFAULT_PIXELS_PER_INCH, Length, LengthUnit, format_number, length_of, parse_decimal

MEASURE_WORDS = {name: one.label for name, one in MEASURES_BY_NAME.items()}


@dataclass(frozen=True)
class LinkedSize:
    """A size as it stands in a form: what is measured, its numbers as typed, their unit and the resolution."""

    by: str
    first: str
    second: str
    unit: LengthUnit
    pixels_per_inch: str

    @classmethod
    def of(cls, demand: PlaceDemand) -> "LinkedSize":
        """The form of a place."""
        measure = demand.measure
        unit = demand.unit if demand.pixels_per_inch is not None else LengthUnit.PX
        numbers = [float(getattr(measure, number.field)) for number in measure.numbers]
        if measure.has_lengths():
            numbers = [length_of(int(n), unit, demand.pixels_per_inch or DEFAULT_PIXELS_PER_INCH) for n in numbers]
        typed = [format_number(number, 3) for number in numbers]
        density = "" if demand.pixels_per_inch is None else format_number(demand.pixels_per_inch)
        return cls(measure.by, typed[0], typed[1] if len(typed) > 1 else "", unit, density)

    @property
    def kind(self) -> type[Measure]:
        """The measure. NotUnderstoodError where there is none of that name."""
        if self.by not in MEASURES_BY_NAME:
            raise NotUnderstoodError(f"“{self.by[:20]}” is no way to say a size.")
        return MEASURES_BY_NAME[self.by]

    @property
    def has_two(self) -> bool:
        """Whether it takes two numbers."""
        return len(self.kind.numbers) > 1

    @property
    def has_lengths(self) -> bool:
        """Whether its numbers are lengths."""
        return self.kind.has_lengths()

    @property
    def density(self) -> float | None:
        """Pixels per inch, where one is given."""
        return float(parse_decimal(self.pixels_per_inch)) if self.pixels_per_inch.strip() else None

    def parts(self) -> dict[str, object]:
        """The parts of a `PlaceDemand` that it stands for.

        Raises NotUnderstoodError where a number or a needed resolution is missing, OutOfRangeError for 0 or less.
        """
        declared = self.kind.numbers
        typed = zip((self.first, self.second), declared, strict=False)
        numbers = {number.field: self._number(text, number) for text, number in typed}
        return {
            "measure": {"by": self.by, **numbers},
            "unit": self.unit if self.has_lengths else LengthUnit.PX,
            "pixels_per_inch": self.density,
        }

    def measure(self, demand: PlaceDemand) -> Measure:
        """The measure, for a place that otherwise stays as it is. Raises as `parts`, and for sizes beyond limits."""
        return amended(demand, **self.parts()).measure

    def in_unit(self, unit: LengthUnit, demand: PlaceDemand) -> "LinkedSize":
        """The same pixels said in another unit; a resolution is put in where a length needs one."""
        density = self.pixels_per_inch
        if unit is not LengthUnit.PX and self.density is None:
            density = format_number(DEFAULT_PIXELS_PER_INCH)
        message = amended(
            demand, **{**self.parts(), "unit": unit, "pixels_per_inch": float(parse_decimal(density or "96"))}
        )
        other = LinkedSize.of(message)
        return LinkedSize(other.by, other.first, other.second, unit, density)

    def _number(self, typed: str, declared: Number) -> float | int:
        if not typed.strip():
            raise NotUnderstoodError("A number is missing. To keep the picture's proportions, choose one side only.")
        amount = parse_decimal(typed)
        if declared.kind is Kind.NUMBER:
            return float(amount)
        if amount <= 0:
            raise OutOfRangeError(f"A size must be greater than zero, not {typed[:20]}.")
        if declared.kind is Kind.COUNT or self.unit is LengthUnit.PX:
            return _whole(amount, typed)
        if self.density is None:
            raise NotUnderstoodError(f"{typed} {self.unit} is so many pixels only at a resolution; give one.")
        return Length(amount, self.unit).pixels(self.density)


def _whole(amount: Decimal, typed: str) -> int:
    if amount != amount.to_integral_value():
        raise OutOfRangeError(f"{typed[:20]} is not a whole number.")
    return int(amount)
