"""What every measure declares: its numbers, how it is typed, its words, and the size that follows from a picture."""

import re
from dataclasses import dataclass
from enum import StrEnum
from typing import Annotated, ClassVar, Self

from pydantic import BaseModel, ConfigDict, Field

from lucidex.core.geometry.sizes import MAX_EDGE_PX, Size
from lucidex.core.units import LengthUnit

Edge = Annotated[int, Field(ge=1, le=MAX_EDGE_PX, strict=True)]

_DECIMAL = r"[+-]?\d{1,12}(?:[.,]\d{1,6})?"
_PLACEHOLDERS = {
    "{length}": rf"({_DECIMAL})(?: ({'|'.join(LengthUnit)}))?",
    "{number}": rf"({_DECIMAL})",
    "{count}": r"(\d{1,5})",
}


class Kind(StrEnum):
    """What a number of a measure is: a length (pixels, or a unit at a resolution), any number, or a count."""

    LENGTH = "length"
    NUMBER = "number"
    COUNT = "count"


@dataclass(frozen=True)
class Number:
    """One number of a measure, by the name of its field."""

    field: str
    kind: Kind = Kind.LENGTH


class Measure(BaseModel):
    """One way in which a place says its size.

    `typed` are patterns of what means it on the line, in the one form of `core.typed_text`: regular expressions with
    `{length}`, `{number}` and `{count}` for its numbers, in the order of `numbers`. What can mean something else as
    well is `typed_loosely`.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    by: str
    label: ClassVar[str]  # in lists
    numbers: ClassVar[tuple[Number, ...]]
    typed: ClassVar[tuple[str, ...]]
    typed_loosely: ClassVar[tuple[str, ...]] = ()
    has_own_shape: ClassVar[bool] = False  # a picture of another shape is cut to it, not only scaled

    def size_for(self, picture: Size) -> Size:
        """The size for a picture; limits are checked by whoever asks."""
        raise NotImplementedError

    def words(self) -> str:
        """It in a few words, as it can be typed too."""
        raise NotImplementedError

    def printed(self, unit: LengthUnit, pixels_per_inch: float) -> str | None:
        """It in a unit of length, where that says more than its words."""
        return None

    def at_percent(self, percent: float) -> "Measure | None":
        """So many per cent of it, where it has a size of its own."""
        return None

    def for_times(self, times: int | None) -> Self:
        """It with another multiple, where it takes multiples."""
        return self

    @property
    def takes_multiples(self) -> bool:
        """Whether each picture may take a multiple of it."""
        return False

    @classmethod
    def patterns(cls) -> tuple[tuple[re.Pattern[str], bool], ...]:
        """What means it on the line, compiled, and whether it says so plainly."""
        plainly = ((one, True) for one in cls.typed)
        loosely = ((one, False) for one in cls.typed_loosely)
        return tuple((re.compile(_filled(one)), is_plain) for one, is_plain in (*plainly, *loosely))

    @classmethod
    def has_lengths(cls) -> bool:
        """Whether its numbers are lengths."""
        return all(number.kind is Kind.LENGTH for number in cls.numbers)


def _filled(pattern: str) -> str:
    for name, inside in _PLACEHOLDERS.items():
        pattern = pattern.replace(name, inside)
    return pattern
