"""What the words of a line can mean, piece by piece, before the pieces are put together."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from decimal import Decimal
from enum import StrEnum

from lucidex.core.encode import FormatName
from lucidex.core.errors import OutOfRangeError
from lucidex.core.places.measures import Kind, Measure
from lucidex.core.steps.base import Step
from lucidex.core.units import Length, LengthUnit


class Command(StrEnum):
    """What is done to the page or to the list of steps; the value is its name for scripts."""

    UNDO = "undo"
    REDO = "redo"
    CLEAR = "clear"
    ORIGINAL = "original"
    DOWNLOAD = "download"
    ACTUAL = "actual"
    WHOLE = "whole"
    CLOSER = "closer"
    FURTHER = "further"
    THIRDS = "thirds"
    NO_GUIDES = "no guides"
    RESULT = "result"
    HELP = "help"
    HISTORY = "history"
    NOTES = "notes"


COMMAND_WORDS = {
    Command.UNDO: "Take the last change back",
    Command.REDO: "Make it again",
    Command.CLEAR: "Back to the original: all steps are taken away, which can be taken back",
    Command.ORIGINAL: "Look at the original beside the picture as it is now",
    Command.DOWNLOAD: "Download the chosen place",
    Command.ACTUAL: "Look at actual pixels",
    Command.WHOLE: "Look at the whole picture",
    Command.CLOSER: "Look closer",
    Command.FURTHER: "Look from further away",
    Command.THIRDS: "Guides at thirds while you crop and frame",
    Command.NO_GUIDES: "No guides while you crop and frame",
    Command.RESULT: "Look at the file of the chosen place",
    Command.HELP: "The keys, and how to type",
    Command.HISTORY: "Every change with its time",
    Command.NOTES: "Notes: draw or write on the picture for colleagues",
}


@dataclass(frozen=True)
class Typed:
    """A number as typed, with its unit where one was."""

    amount: Decimal
    unit: LengthUnit | None = None

    def pixels(self, unit: LengthUnit, pixels_per_inch: float | None) -> int:
        """Whole pixels. OutOfRangeError where it is no possible side."""
        if self.amount <= 0:
            raise OutOfRangeError(f"A size must be at least 1 pixel; {self.amount} was asked for.")
        if unit is LengthUnit.PX and self.amount != self.amount.to_integral_value():
            raise OutOfRangeError(f"{self.amount} is not a whole number of pixels.")
        return Length(self.amount, unit).pixels(pixels_per_inch or 1)


@dataclass(frozen=True)
class SizePart:
    """A size: a measure and its numbers, and what its words say beside them (fields of a demand)."""

    measure: type[Measure]
    numbers: tuple[Typed, ...]
    says: Mapping[str, object] = field(default_factory=dict)
    is_bare: bool = False  # a number that could mean anything
    is_change: bool = False  # said as what something becomes: half, resize to 800 wide
    is_sheet: bool = False  # a sheet of paper by its name, which can lie or stand

    @property
    def unit(self) -> LengthUnit:
        """The unit of its lengths; the last one typed counts for all."""
        return next((one.unit for one in reversed(self.numbers) if one.unit), LengthUnit.PX)

    @property
    def needs_resolution(self) -> bool:
        """Whether it is so many pixels only at a resolution."""
        return self.unit is not LengthUnit.PX

    def values(self, pixels_per_inch: float | None) -> dict[str, object]:
        """The measure as data, for its schema to check."""
        found: dict[str, object] = {"by": self.measure.model_fields["by"].default}
        for number, typed in zip(self.measure.numbers, self.numbers, strict=True):
            if number.kind is Kind.LENGTH:
                found[number.field] = typed.pixels(self.unit, pixels_per_inch)
            else:
                found[number.field] = int(typed.amount) if number.kind is Kind.COUNT else float(typed.amount)
        return found


@dataclass(frozen=True)
class WishPart:
    """Something a file or a place shall have beside its size: fields of a demand.

    With `needs_size` it says so only where a size stands on the line: 10 cm at 300.
    """

    says: Mapping[str, object]
    needs_size: bool = False


@dataclass(frozen=True)
class FormatPart:
    """A format; `is_further` where it comes beside the usual one."""

    name: FormatName
    is_further: bool = False
    quality: int | None = None


@dataclass(frozen=True)
class StepPart:
    """A step, and the words under which it is offered where it is a ready-made one."""

    step: Step
    offered: str | None = None


@dataclass(frozen=True)
class NamePart:
    """A place of the book, or a routine, by its name; or by a word that belongs to it."""

    name: str
    is_guess: bool = False


@dataclass(frozen=True)
class CommandPart:
    """A command."""

    command: Command


@dataclass(frozen=True)
class NeedPart:
    """Words that say too little: what is missing, what could be typed instead, and what else on the line says it.

    `said_by` are fields of a demand, or `measure` for a size. What could be typed goes to the end of the line, or
    where it `replaces` them into the place of these words.
    """

    sentence: str
    instead: tuple[str, ...]
    said_by: frozenset[str] = frozenset({"measure"})
    replaces: bool = False


NEED_COST = 0.75


@dataclass(frozen=True)
class RefusedPart:
    """Words that are understood and cannot be done."""

    sentence: str


@dataclass(frozen=True)
class UnknownPart:
    """A word that nothing is known of."""

    word: str


@dataclass(frozen=True)
class DegreePart:
    """How strongly the step beside it is meant, as a factor; `words` as they were typed."""

    words: str
    factor: float


@dataclass(frozen=True)
class FillPart:
    """Words that say nothing by themselves; `divides` where they stand between two things.

    A `hint` says what a size is for, right before or behind it: banner 1600x400.
    """

    divides: bool = False
    is_hint: bool = False


@dataclass(frozen=True)
class SheetTurnPart:
    """How a sheet of paper on the line lies or stands: a4 at 300 dpi, landscape."""

    is_landscape: bool


Part = (
    SizePart
    | SheetTurnPart
    | WishPart
    | FormatPart
    | StepPart
    | NamePart
    | CommandPart
    | NeedPart
    | RefusedPart
    | UnknownPart
    | DegreePart
    | FillPart
)


@dataclass(frozen=True)
class Found:
    """A meaning of some words, and how far-fetched it is: less is nearer."""

    part: Part
    cost: float = 1.0
