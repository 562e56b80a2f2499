"""The changes that can be made to a document, each a function from document to document."""

import secrets
from collections.abc import Callable

from lucidex.core.document import (
    MAX_AREAS,
    MAX_EDGE_POINTS,
    MAX_STEPS,
    FocalPoint,
    Framing,
    Output,
    PictureDocument,
    count_areas,
    count_edge_points,
)
from lucidex.core.errors import NotFoundError, OutOfRangeError
from lucidex.core.places.output_id import OutputId
from lucidex.core.source.facts import SourceFacts
from lucidex.core.stamp.texts import Texts
from lucidex.core.steps import StepEntry
from lucidex.core.steps.bands import rank
from lucidex.core.steps.base import Step
from lucidex.core.steps.order import moved_before
from lucidex.services.pictures.documents import Alter


def _with_steps(document: PictureDocument, steps: list[StepEntry]) -> PictureDocument:
    if count_areas(steps) > MAX_AREAS:
        raise OutOfRangeError(f"The steps of a picture hold at most {MAX_AREAS} areas together. Drop some first.")
    if count_edge_points(steps) > MAX_EDGE_POINTS:
        raise OutOfRangeError("The cut-outs of a picture have too many fine edges together. Remove one first.")
    return document.model_copy(update={"steps": tuple(steps)})


def _index(document: PictureDocument, step_id: str) -> int:
    for index, entry in enumerate(document.steps):
        if entry.id == step_id:
            return index
    raise NotFoundError("This step is no longer in the list.")


def new_entry(step: Step, step_id: str | None = None, only_in: str | None = None) -> StepEntry:
    """A step with an id of its own."""
    return StepEntry.model_validate(
        {"id": step_id or secrets.token_hex(6), "only_in": only_in, "step": step.model_dump()}
    )


def add_step(step: Step, step_id: str | None = None, before: str | None = None, only_in: str | None = None) -> Alter:
    """Put a step at the end of its part of the list, or before another one; what is done to the finished size stays
    behind all others."""

    def alter(document: PictureDocument, facts: SourceFacts) -> PictureDocument:
        if len(document.steps) >= MAX_STEPS:
            raise OutOfRangeError(f"A picture can have at most {MAX_STEPS} steps.")
        seat = len(document.steps) if before is None else _index(document, before)
        steps = list(document.steps)
        # what is done to the finished size stays behind all others, and there in the order in which it is drawn
        first = sum(rank(entry.step) < rank(step) for entry in steps)
        last = sum(rank(entry.step) <= rank(step) for entry in steps)
        steps.insert(min(max(seat, first), last), new_entry(step, step_id, only_in))
        return _with_steps(document, steps)

    return alter


def several(*alters: Alter) -> Alter:
    """Changes that count as one."""

    def alter(document: PictureDocument, facts: SourceFacts) -> PictureDocument:
        for one in alters:
            document = one(document, facts)
        return document

    return alter


def duplicate_step(step_id: str) -> Alter:
    """The same step once more, right after itself."""

    def alter(document: PictureDocument, facts: SourceFacts) -> PictureDocument:
        index = _index(document, step_id)
        after = document.steps[index + 1].id if index + 1 < len(document.steps) else None
        entry = document.steps[index]
        return add_step(entry.step, before=after, only_in=entry.only_in)(document, facts)

    return alter


def put_before(step_id: str, other_id: str) -> Alter:
    """Move a step right before another one of its band."""

    def alter(document: PictureDocument, facts: SourceFacts) -> PictureDocument:
        mine, other = document.steps[_index(document, step_id)], document.steps[_index(document, other_id)]
        if mine.step.band is not other.step.band or rank(mine.step) != rank(other.step):
            raise OutOfRangeError("These two steps cannot change their order.")
        return _with_steps(document, list(moved_before(document.steps, step_id, other_id)))

    return alter


def set_focal_point(focal: FocalPoint | None) -> Alter:
    """The spot that must stay in view where nobody framed."""
    return lambda document, facts: document.model_copy(update={"focal_point": focal})


def frame_itself(itself: bool) -> Alter:
    """Whether places show what the picture is of, where nobody framed."""
    return lambda document, facts: document.model_copy(update={"frames_itself": itself})


def _replace(step_id: str, make: Callable[[StepEntry], StepEntry]) -> Alter:
    def alter(document: PictureDocument, facts: SourceFacts) -> PictureDocument:
        index = _index(document, step_id)
        steps = list(document.steps)
        steps[index] = make(steps[index])
        return _with_steps(document, steps)

    return alter


def replace_step(step_id: str, *steps: Step) -> Alter:
    """Put another step, several or none in a step's seat; the first one keeps its id."""

    def alter(document: PictureDocument, facts: SourceFacts) -> PictureDocument:
        index = _index(document, step_id)
        before = document.steps[index]
        entries = [
            new_entry(
                step, step_id if place == 0 else None, before.only_in if step.band is before.step.band else None
            )
            for place, step in enumerate(steps)
        ]
        return _with_steps(document, [*document.steps[:index], *entries, *document.steps[index + 1 :]])

    return alter


def count_only_in(step_id: str, place_key: str | None) -> Alter:
    """Let a step on the finished size count in one place alone, or in every one."""
    return _replace(step_id, lambda entry: StepEntry.model_validate({**entry.model_dump(), "only_in": place_key}))


def switch_step(step_id: str, active: bool) -> Alter:
    """Let a step count or not."""
    return _replace(step_id, lambda entry: entry.model_copy(update={"active": active}))


def remove_step(step_id: str) -> Alter:
    """Take a step out of the list."""

    def alter(document: PictureDocument, facts: SourceFacts) -> PictureDocument:
        steps = list(document.steps)
        del steps[_index(document, step_id)]
        return _with_steps(document, steps)

    return alter


def move_step(step_id: str, places: int) -> Alter:
    """Move a step so many places down the list (negative: up), as far as its band goes."""

    def alter(document: PictureDocument, facts: SourceFacts) -> PictureDocument:
        index = _index(document, step_id)
        step = document.steps[index].step
        mine = (step.band, rank(step))
        seats = [i for i, entry in enumerate(document.steps) if (entry.step.band, rank(entry.step)) == mine]
        target = min(max(index + places, seats[0]), seats[-1])
        steps = list(document.steps)
        steps.insert(target, steps.pop(index))
        return _with_steps(document, steps)

    return alter


def clear_steps() -> Alter:
    """Back to the original; framings, settings per place and texts stay."""
    return lambda document, facts: _with_steps(document, [])


def set_framing(place_id: int, framing: Framing | None) -> Alter:
    """Choose the part that a place shows, or leave it to the place's own anchor."""

    def alter(document: PictureDocument, facts: SourceFacts) -> PictureDocument:
        framings = {key: value for key, value in document.framings.items() if key != str(place_id)}
        if framing is not None:
            framings[str(place_id)] = framing
        return document.model_copy(update={"framings": framings})

    return alter


def set_output(output: OutputId, settings: Output) -> Alter:
    """Choose format and quality of this picture in an output."""

    def alter(document: PictureDocument, facts: SourceFacts) -> PictureDocument:
        outputs = {key: value for key, value in document.outputs.items() if key != output}
        if settings != Output():
            outputs[output] = settings
        return document.model_copy(update={"outputs": outputs})

    return alter


def set_file_name(file_name: str | None) -> Alter:
    """Say how the picture and its files are called; None is the name that it came with."""
    return lambda document, facts: document.model_copy(update={"file_name": file_name})


def set_texts(texts: Texts) -> Alter:
    """Write the texts."""
    return lambda document, facts: document.model_copy(update={"texts": texts})
