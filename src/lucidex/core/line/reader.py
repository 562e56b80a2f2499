"""What the add-a-step line understands: a size hangs a place, everything else is a step."""

from dataclasses import dataclass

from pydantic import ValidationError

from lucidex.core.errors import NotUnderstoodError, OutOfRangeError
from lucidex.core.line.places import ReadDemand, looks_like_size, read_demands
from lucidex.core.places.demand import explain_limits
from lucidex.core.steps import ALL_STEPS, all_offers
from lucidex.core.steps.base import Step

MAX_LINE = 200


@dataclass(frozen=True)
class ReadStep:
    """The line means a step."""

    step: Step


@dataclass(frozen=True)
class ReadPlaces:
    """The line means one place, or several at once."""

    demands: tuple[ReadDemand, ...]


def read_line(text: str) -> ReadStep | ReadPlaces:
    """What a typed line means.

    Raises NotUnderstoodError with an example where it means nothing, OutOfRangeError where a number in it
    exceeds its limits.

    >>> [demand.measure.words() for demand in read_line("1600x900, 720 wide").demands]
    ['1600 × 900', '720 wide']
    """
    line = " ".join(text[: MAX_LINE + 1].lower().split())
    if not line or len(line) > MAX_LINE:
        raise NotUnderstoodError("Type a size such as 1600x900, or what should change, such as turn left.")
    step = _read_step(line)
    if step is not None:
        return ReadStep(step)
    if looks_like_size(line):
        return ReadPlaces(tuple(read_demands(line)))
    raise NotUnderstoodError(f"“{text.strip()[:60]}” is not understood. Choose from the lists below, or type a size.")


def _read_step(line: str) -> Step | None:
    for offer in all_offers():
        if line in offer.words:
            return offer.step
    try:
        return next((step for kind in ALL_STEPS if (step := kind.read(line)) is not None), None)
    except ValidationError as error:
        raise OutOfRangeError(explain_limits(error)) from error


def suggestions(text: str, most: int = 5) -> list[str]:
    """First words of the ready-made steps that begin with, or contain, what was typed so far."""
    line = " ".join(text.lower().split())
    if not line:
        return []
    names = [name for offer in all_offers() for name in offer.words]
    starting = [name for name in names if name.startswith(line)]
    return (starting + [name for name in names if line in name and name not in starting])[:most]
