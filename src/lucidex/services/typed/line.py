"""What a typed line means to somebody: their book of places and their routines take part in it."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from lucidex.core.errors import NotUnderstoodError, UserError
from lucidex.core.geometry.sizes import Size
from lucidex.core.line.deeds import AddStep, Deed, HangPlace, Obey, Wishes, Write
from lucidex.core.line.parts import Command
from lucidex.core.line.reader import Named, Reading, read_line
from lucidex.core.places.demand import PlaceDemand, amended, demand_words
from lucidex.core.places.measures import Kind, Percent
from lucidex.core.steps import all_offers
from lucidex.core.steps.base import Step
from lucidex.services.house.workshop import Workshop
from lucidex.services.people.people import Actor
from lucidex.services.places.book import read_entries
from lucidex.services.routines.routines import KeptRoutine, read_routines

OWN_SIZE = "Own size"
SMALL = Size(60, 60)
_LAST_NUMBER = re.compile(r"(\d+)(?!.*\d)")


@dataclass(frozen=True)
class StepDeed:
    """A step goes into the list."""

    step: Step
    words: str


@dataclass(frozen=True)
class PlaceDeed:
    """A place is hung; one of the book brings its name along. `measure` was typed, and can go over another place."""

    demand: PlaceDemand
    name: str = ""
    typed: Mapping[str, object] | None = None

    @property
    def words(self) -> str:
        """What hangs then."""
        said, measure = demand_words(self.demand), self.demand.measure
        plain, kinds = measure.words(), {number.kind for number in measure.numbers}
        is_small = kinds == {Kind.LENGTH} and measure.size_for(SMALL).longest <= SMALL.longest
        if is_small and said.startswith(plain):
            # so few that nobody would think of pixels
            said = _LAST_NUMBER.sub(r"\1 px", plain) + said.removeprefix(plain)
        return f"Hangs {self.name}: {said}." if self.name else f"Hangs {said}."


@dataclass(frozen=True)
class RoutineDeed:
    """A routine is put on."""

    kept: KeptRoutine

    @property
    def words(self) -> str:
        """Its steps."""
        routine = self.kept.routine
        return f"The routine “{routine.name}”: {' '.join(routine.sentences)}"


@dataclass(frozen=True)
class WishDeed:
    """The chosen place asks for something else beside its size."""

    wishes: Wishes
    place_name: str

    @property
    def words(self) -> str:
        """What it asks for then."""
        return f"“{self.place_name}” from now on: {self.wishes.words()}."


@dataclass(frozen=True)
class ChangeDeed:
    """The chosen place becomes another, by what was `typed`; `demand` is what it is then."""

    demand: PlaceDemand
    place_name: str
    typed: Mapping[str, object]

    @property
    def words(self) -> str:
        """What it is then."""
        return f"“{self.place_name}” becomes {demand_words(self.demand)}."


@dataclass(frozen=True)
class CommandDeed:
    """A command is followed."""

    command: Command
    words: str


BoundDeed = StepDeed | PlaceDeed | RoutineDeed | WishDeed | ChangeDeed | CommandDeed


@dataclass(frozen=True)
class Proposal:
    """One thing that the line can do. `note` says where it was read otherwise than it was typed, and `line` is what
    could have been typed to mean it."""

    deeds: tuple[BoundDeed, ...]
    line: str
    note: str = ""

    @property
    def words(self) -> str:
        """All of it, as it is shown before it is done."""
        return " ".join(deed.words for deed in self.deeds)

    @property
    def places(self) -> tuple[PlaceDeed, ...]:
        """The places that it hangs, where it does nothing else."""
        found = tuple(deed for deed in self.deeds if isinstance(deed, PlaceDeed))
        return found if len(found) == len(self.deeds) else ()

    @property
    def steps(self) -> tuple[StepDeed, ...]:
        """The steps that it adds, where it does nothing else."""
        found = tuple(deed for deed in self.deeds if isinstance(deed, StepDeed))
        return found if len(found) == len(self.deeds) else ()

    @property
    def routine(self) -> KeptRoutine | None:
        """The routine that it puts on, where it does nothing else."""
        first = self.deeds[0] if len(self.deeds) == 1 else None
        return first.kept if isinstance(first, RoutineDeed) else None


@dataclass(frozen=True)
class Understood:
    """What a line can do, the likeliest first. With a `question` somebody has to choose; `trouble` says why not."""

    proposals: tuple[Proposal, ...] = ()
    question: str | None = None
    trouble: UserError | None = None

    def only(self, kind: str) -> "Understood":
        """The proposals that do nothing but hang `places`, or put on `steps`; a sentence where there is none."""
        kept = tuple(one for one in self.proposals if (one.places if kind == "places" else one.steps or one.routine))
        if kept:
            return Understood(kept, self.question if len(kept) > 1 else None)
        if not self.proposals:
            return self
        first = self.proposals[0].words
        need = "a size, such as 1600x900" if kind == "places" else "a step or a routine, such as lighter"
        return Understood(trouble=NotUnderstoodError(f"“{first}” is understood, but this takes {need}."))

    def chosen(self, said: str = "") -> Proposal:
        """The proposal that was shown as `said`; without that the first, where nothing speaks against it.

        Raises NotUnderstoodError, in words that name the choices, where nothing can be done without another look.
        """
        if self.trouble is not None:
            raise self.trouble
        for proposal in self.proposals:
            if proposal.words == said:
                return proposal
        if said:
            raise NotUnderstoodError("The line means something else by now. Look at it again, then choose.")
        if self.question is not None or not self.proposals or self.proposals[0].note:
            choices = " Or: ".join(proposal.words for proposal in self.proposals[:3])
            raise NotUnderstoodError(" ".join(part for part in (self.question or "Is this meant?", choices) if part))
        return self.proposals[0]


@dataclass(frozen=True)
class Chosen:
    """The place that is chosen while a line is typed."""

    name: str
    demand: PlaceDemand


def understood(workshop: Workshop, actor: Actor, line: str, chosen: Chosen | None = None) -> Understood:
    """What a line can do; wishes without a size concern the `chosen` place."""
    places = {entry.place.name: entry.place for entry in reversed(read_entries(workshop, actor))}
    routines = {kept.routine.name: kept for kept in read_routines(workshop, actor)}
    names = [*(Named(name, place.purpose.value) for name, place in places.items()), *map(Named, routines)]
    found = read_line(line, names)

    def bound(deed: Deed) -> BoundDeed:
        if isinstance(deed, AddStep):
            return StepDeed(deed.step, deed.words)
        if isinstance(deed, Obey):
            return CommandDeed(deed.command, f"{deed.words}.")
        if isinstance(deed, HangPlace):
            return PlaceDeed(deed.read.demand(), typed=deed.read.model_dump(mode="json", exclude_none=True))
        if isinstance(deed, Write):
            if chosen is not None:
                return WishDeed(deed.wishes, chosen.name)
            return PlaceDeed(with_wishes(PlaceDemand(measure=Percent(percent=100)), deed.wishes), OWN_SIZE)
        if deed.name in routines:
            if deed.wishes != Wishes():
                raise NotUnderstoodError("A routine is put on as it is.")
            return RoutineDeed(routines[deed.name])
        return PlaceDeed(with_wishes(places[deed.name].demand, deed.wishes), deed.name)

    proposals: list[Proposal] = []
    question, trouble = found.question, found.trouble
    for reading in found.readings:
        typed, note = reading.completes or line, _note(reading)
        try:
            changes = _changes(chosen, reading.deeds)
            proposals += [Proposal((change,), typed, note) for change in changes]
            proposals.append(Proposal(tuple(bound(deed) for deed in reading.deeds), typed, note))
            if changes and chosen is not None and question is None:
                question = f"Shall “{chosen.name}” become that, or shall one more place hang?"
        except UserError as error:
            trouble = trouble or error
    return Understood(tuple(proposals), question, None if proposals else trouble)


def _changes(chosen: Chosen | None, deeds: Sequence[Deed]) -> list[ChangeDeed]:
    """What the chosen place can become by a size that is said as a change; a share is first a share of the place."""
    only = deeds[0] if len(deeds) == 1 else None
    if chosen is None or not isinstance(only, HangPlace) or not only.is_change:
        return []
    typed = only.read.model_dump(mode="json", exclude_none=True)
    wanted = [typed]
    if isinstance(only.read.measure, Percent):
        share = chosen.demand.measure.at_percent(only.read.measure.percent)
        if share is not None and share != only.read.measure:
            wanted.insert(0, {**typed, "measure": share.model_dump(mode="json")})
    changes = [ChangeDeed(amended(chosen.demand, **one), chosen.name, one) for one in wanted]
    return [change for change in changes if change.demand != chosen.demand]


def offered(words: str) -> Proposal:
    """A ready-made step that was picked from the lists, by its words there. NotUnderstoodError for others."""
    for offer in all_offers():
        if offer.words[0] == words:
            return Proposal((StepDeed(offer.step, AddStep(offer.step, offer.words[0]).words),), words)
    raise NotUnderstoodError("This is not in the lists any more. Load the page anew.")


def place_named(workshop: Workshop, actor: Actor, name: str) -> Proposal:
    """A place that was picked from the book, by its name. NotUnderstoodError where it is gone."""
    for entry in read_entries(workshop, actor):
        if entry.place.name == name:
            return Proposal((PlaceDeed(entry.place.demand, name),), name)
    raise NotUnderstoodError("This place is no longer in the book.")


def with_wishes(demand: PlaceDemand, wishes: Wishes) -> PlaceDemand:
    """A demand with what was typed over it; a new ceiling finds the quality anew. OutOfRangeError in words."""
    typed = wishes.model_dump(mode="json", exclude_none=True)
    found = {"quality": None} if wishes.max_bytes is not None else {}
    return amended(demand, **{**found, **typed})


def _note(reading: Reading) -> str:
    if reading.left_out:
        return f"without {', '.join(f'“{word[:30]}”' for word in reading.left_out)}"
    if reading.misspelt:
        return "read as " + ", ".join(f"“{now}”" for _, now in reading.misspelt)
    return ""
