"""What a line means, for tests."""

from lucidex.core.line.deeds import AddStep
from lucidex.core.line.reader import Reading, read_line
from lucidex.core.steps.base import Step


def meant(typed: str) -> Reading:
    """The one reading that is done without another word. UserError where there is none."""
    found = read_line(typed)
    if found.trouble is not None:
        raise found.trouble
    assert found.meant is not None, (typed, found.question, [one.words for one in found.readings])
    return found.meant


def step_read(typed: str) -> Step:
    """The step that a line means, and nothing else."""
    (deed,) = meant(typed).deeds
    assert isinstance(deed, AddStep)
    return deed.step
