"""The changes that can be made to a document, each a function from document to document."""

import secrets
from collections.abc import Callable

from pydantic import ValidationError

from lucidex.core.document import MAX_STEPS, Framing, Output, PictureDocument, Texts
from lucidex.core.errors import NotFoundError, OutOfRangeError
from lucidex.core.intake import Facts
from lucidex.core.places import explain_limits
from lucidex.core.steps import AnyStep, StepEntry
from lucidex.core.steps.base import Step
from lucidex.services.prepare import Alter


def _with_steps(document: PictureDocument, steps: list[StepEntry]) -> PictureDocument:
    return document.model_copy(update={"steps": tuple(steps)})


def _index(document: PictureDocument, step_id: str) -> int:
    for index, entry in enumerate(document.steps):
        if entry.id == step_id:
            return index
    raise NotFoundError("This step is no longer in the list.")


def add_step(step: Step, step_id: str | None = None) -> Alter:
    """Put a step at the end of the list."""

    def alter(document: PictureDocument, facts: Facts) -> PictureDocument:
        if len(document.steps) >= MAX_STEPS:
            raise OutOfRangeError(f"A picture can have at most {MAX_STEPS} steps.")
        entry = StepEntry.model_validate({"id": step_id or secrets.token_hex(6), "step": step.model_dump()})
        return _with_steps(document, [*document.steps, entry])

    return alter


def _replace(step_id: str, make: Callable[[StepEntry], StepEntry]) -> Alter:
    def alter(document: PictureDocument, facts: Facts) -> PictureDocument:
        index = _index(document, step_id)
        steps = list(document.steps)
        steps[index] = make(steps[index])
        return _with_steps(document, steps)

    return alter


def change_step(step_id: str, parameters: dict[str, object]) -> Alter:
    """Give a step other parameters; those that are not named stay."""

    def make(entry: StepEntry) -> StepEntry:
        try:
            return StepEntry.model_validate(
                {**entry.model_dump(), "step": {**entry.step.model_dump(mode="json"), **parameters}}
            )
        except ValidationError as error:
            raise OutOfRangeError(explain_limits(error)) from error

    return _replace(step_id, make)


def replace_step(step_id: str, step: AnyStep) -> Alter:
    """Put another step in a step's seat."""
    return _replace(step_id, lambda entry: entry.model_copy(update={"step": step}))


def switch_step(step_id: str, active: bool) -> Alter:
    """Let a step count or not."""
    return _replace(step_id, lambda entry: entry.model_copy(update={"active": active}))


def remove_step(step_id: str) -> Alter:
    """Take a step out of the list."""

    def alter(document: PictureDocument, facts: Facts) -> PictureDocument:
        steps = list(document.steps)
        del steps[_index(document, step_id)]
        return _with_steps(document, steps)

    return alter


def move_step(step_id: str, places: int) -> Alter:
    """Move a step so many places down the list (negative: up), as far as its band goes."""

    def alter(document: PictureDocument, facts: Facts) -> PictureDocument:
        index = _index(document, step_id)
        band = document.steps[index].step.band
        seats = [i for i, entry in enumerate(document.steps) if entry.step.band is band]
        target = min(max(index + places, seats[0]), seats[-1])
        steps = list(document.steps)
        steps.insert(target, steps.pop(index))
        return _with_steps(document, steps)

    return alter


def clear_steps() -> Alter:
    """Back to the original; framings, settings per place and texts stay."""
    return lambda document, facts: _with_steps(document, [])


def frame(place_id: int, framing: Framing | None) -> Alter:
    """Choose the part that a place shows, or leave it to the place's own anchor."""

    def alter(document: PictureDocument, facts: Facts) -> PictureDocument:
        framings = {key: value for key, value in document.framings.items() if key != str(place_id)}
        if framing is not None:
            framings[str(place_id)] = framing
        return document.model_copy(update={"framings": framings})

    return alter


def set_output(place_id: int, output: Output) -> Alter:
    """Choose format and quality of this picture in one place."""

    def alter(document: PictureDocument, facts: Facts) -> PictureDocument:
        outputs = {key: value for key, value in document.outputs.items() if key != str(place_id)}
        if output != Output():
            outputs[str(place_id)] = output
        return document.model_copy(update={"outputs": outputs})

    return alter


def set_texts(texts: Texts) -> Alter:
    """Write the texts."""
    return lambda document, facts: document.model_copy(update={"texts": texts})
