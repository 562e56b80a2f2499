"""What a typed line means to somebody: a place of their book, a routine of theirs, or what the words say."""

from dataclasses import dataclass

from lucidex.core.line.reader import ReadStep, read_line
from lucidex.core.places.demand import PlaceDemand, demand_words
from lucidex.core.steps.base import Step, plain
from lucidex.services.book import find_by_name
from lucidex.services.people import Actor
from lucidex.services.routines import KeptRoutine, find_routine
from lucidex.services.workshop import Workshop


@dataclass(frozen=True)
class MeantPlace:
    """A place to hang; one of the book brings its name along."""

    demand: PlaceDemand
    name: str = ""

    @property
    def words(self) -> str:
        """What hangs then."""
        return f"{self.name}: {demand_words(self.demand)}" if self.name else demand_words(self.demand)


@dataclass(frozen=True)
class Meaning:
    """Exactly one of them: a step, a routine, or places; `is_typed` where the places are sizes in words."""

    step: Step | None = None
    routine: KeptRoutine | None = None
    places: tuple[MeantPlace, ...] = ()
    is_typed: bool = False

    @property
    def step_words(self) -> str | None:
        """What is done to the picture, in a sentence."""
        if self.routine is not None:
            routine = self.routine.routine
            return f"the routine “{routine.name}”: {' '.join(routine.sentences)}"
        return plain(self.step.sentence()) if self.step is not None else None


def meaning_of(workshop: Workshop, actor: Actor, line: str) -> Meaning:
    """What a line means. Raises as `core.line.reader.read_line` where its words say nothing."""
    if (known := find_by_name(workshop, actor, line)) is not None:
        return Meaning(places=(MeantPlace(known.place.demand, known.place.name),))
    if (routine := find_routine(workshop, actor, line)) is not None:
        return Meaning(routine=routine)
    read = read_line(line)
    if isinstance(read, ReadStep):
        return Meaning(step=read.step)
    return Meaning(places=tuple(MeantPlace(one.demand()) for one in read.demands), is_typed=True)
