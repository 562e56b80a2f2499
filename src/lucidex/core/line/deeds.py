"""What a line can do once it is understood: steps, places, wishes for files, commands; often several of them."""

from dataclasses import dataclass

from pydantic import BaseModel, ConfigDict

from lucidex.core.encode import ColourModel, FormatName
from lucidex.core.geometry.fit import Anchor, Rule
from lucidex.core.line.parts import COMMAND_WORDS, Command
from lucidex.core.picture.grounds import Ground, ground_words
from lucidex.core.places.demand import (
    COLOUR_WORDS,
    RULE_WORDS,
    Bits,
    CarriedGroups,
    FurtherFormats,
    MaxBytes,
    PlaceDemand,
    Quality,
    Resolution,
    carried_words,
    demand_words,
)
from lucidex.core.places.measures import AnyMeasure
from lucidex.core.steps.bands import FindingStep
from lucidex.core.steps.base import Step, plain
from lucidex.core.units import LengthUnit, format_number, format_weight


class Wishes(BaseModel):
    """What was typed for a place or a file beside its size. What was not typed is None and stays as it is."""

    model_config = ConfigDict(frozen=True)

    rule: Rule | None = None
    anchor: Anchor | None = None
    format: FormatName | None = None
    also: FurtherFormats | None = None
    quality: Quality | None = None
    max_bytes: MaxBytes | None = None
    pixels_per_inch: Resolution | None = None
    unit: LengthUnit | None = None
    enlarges: bool | None = None
    ground: Ground | None = None
    carries: CarriedGroups | None = None
    colour: ColourModel | None = None
    bits: Bits | None = None
    is_quick: bool | None = None

    def words(self) -> str:
        """It in a few words, for example `as WebP, at most 180 kB`."""
        parts = []
        if self.format is not None or self.also:
            formats = [one.label for one in (self.format, *(self.also or ())) if one is not None]
            parts.append(f"{'as' if self.format else 'also as'} {' + '.join(formats)}")
        if self.quality is not None:
            parts.append(f"quality {self.quality}")
        if self.max_bytes is not None:
            parts.append(f"at most {format_weight(self.max_bytes)}")
        if self.pixels_per_inch is not None:
            parts.append(f"{format_number(self.pixels_per_inch)} pixels per inch")
        if self.rule is not None:
            parts.append(RULE_WORDS[self.rule])
        if self.ground is not None:
            parts.append(f"room around it {ground_words(self.ground)}")
        if self.anchor is not None:
            parts.append(f"picture kept {self.anchor}")
        if self.enlarges is False:
            parts.append("never enlarged")
        if self.colour is not None:
            parts.append(COLOUR_WORDS[self.colour])
        if self.bits is not None:
            parts.append(f"in {self.bits} bits")
        if self.carries is not None:
            parts.append(f"with {carried_words(self.carries)}" if self.carries else "with nothing beside its pixels")
        if self.is_quick is not None:
            parts.append("written quickly" if self.is_quick else "written thoroughly")
        return ", ".join(parts)


NOTHING = Wishes()


class ReadDemand(Wishes):
    """What was typed for a place."""

    measure: AnyMeasure

    def demand(self) -> PlaceDemand:
        """A place of its own from it."""
        return PlaceDemand.model_validate(self.model_dump(exclude_none=True))


@dataclass(frozen=True)
class AddStep:
    """A step goes into the list. `offered` are its words in the lists where it is ready-made."""

    step: Step
    offered: str | None = None

    @property
    def words(self) -> str:
        """For example: Cropped to the shape 16 : 9."""
        if isinstance(self.step, FindingStep) and self.step.finds_now and self.offered:
            return f"{self.offered.capitalize()}."
        return plain(self.step.sentence())


@dataclass(frozen=True)
class HangPlace:
    """A place is hung; or another one becomes it, where it is said as a change."""

    read: ReadDemand
    is_change: bool = False

    @property
    def words(self) -> str:
        """For example: 1600 × 640, at most 180 kB."""
        return demand_words(self.read.demand())


@dataclass(frozen=True)
class UseName:
    """Something that has a name of its own: a place of the book, or a routine; with wishes on top."""

    name: str
    is_guess: bool = False
    wishes: Wishes = NOTHING

    @property
    def words(self) -> str:
        """Its name."""
        return ", ".join(part for part in (self.name, self.wishes.words()) if part)


@dataclass(frozen=True)
class Write:
    """Wishes for the chosen place; without one, the picture's own size is hung with them."""

    wishes: Wishes

    @property
    def words(self) -> str:
        """For example: at most 180 kB."""
        return self.wishes.words()


@dataclass(frozen=True)
class Obey:
    """A command."""

    command: Command

    @property
    def words(self) -> str:
        """What it does."""
        return COMMAND_WORDS[self.command]


Deed = AddStep | HangPlace | UseName | Write | Obey
