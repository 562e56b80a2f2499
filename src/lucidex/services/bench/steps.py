"""Steps on pictures: beginning one, finding its numbers anew, putting it on other pictures, trying values."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from pydantic import ValidationError
from sqlalchemy.orm import Session

from lucidex.core.document import PictureDocument
from lucidex.core.errors import NotFoundError, OutOfRangeError, UserError
from lucidex.core.geometry.picture_geometry import PictureGeometry, Remedy
from lucidex.core.geometry.sizes import Size
from lucidex.core.picture.tone.amounts import Tone
from lucidex.core.picture.tone.clipping import colour_at
from lucidex.core.places.demand import explain_limits
from lucidex.core.steps import StepEntry, finding
from lucidex.core.steps.bands import ToneStep
from lucidex.core.steps.base import Carried, Stage, Step, plain
from lucidex.core.steps.colour import Balance
from lucidex.core.steps.composition import tone_of
from lucidex.core.steps.crop import Crop, PixelArea, ShapeArea
from lucidex.core.steps.room import Room, RoomToSize
from lucidex.services.assets.logos import adopt_assets_in, with_newest
from lucidex.services.house.workshop import Workshop
from lucidex.services.people.people import Actor
from lucidex.services.pictures import edits
from lucidex.services.pictures.documents import Alter, PictureState, change, read_pictures, with_document
from lucidex.services.pictures.folio_history import Recorded, recorded
from lucidex.services.pictures.many_documents import Wanted, change_all_in
from lucidex.services.rendering.render_requests import for_screen, up_to, without_steps
from lucidex.services.rendering.renderer import Renderer

GREY_LOOKED_AT, GREY_REACH = Size(1_024, 1_024), 3  # a spot of 7 × 7 pixels, so that noise does not decide
LANDS = "What was drawn lies at the same relative spot here. Look at it."
DARKEST_GREY = 16  # code values: what is darker has no colour to speak of


def step_of(document: PictureDocument, step_id: str) -> StepEntry:
    """A step of a document. NotFoundError where it is gone."""
    for entry in document.steps:
        if entry.id == step_id:
            return entry
    raise NotFoundError("This step is no longer in the list.")


def begun(renderer: Renderer, state: PictureState, step: Step, before: str | None = None) -> Step:
    """A step as it begins on a picture, with what it finds there; `before` is the step it comes before."""
    document = up_to(state.document, before)
    step = step.begun(document.geometry(state.facts.upright))
    return _found(renderer, state, document, step)


def _found(renderer: Renderer, state: PictureState, document: PictureDocument, step: Step) -> Step:
    return finding.found(step, lambda edge: renderer.finder.raster(state, document, edge))


def add_all_begun(
    renderer: Renderer,
    workshop: Workshop,
    actor: Actor,
    state: PictureState,
    steps: Sequence[Step],
    before: str | None = None,
) -> tuple[PictureState, list[StepEntry]]:
    """Several steps as one change; each finds its numbers on the picture as the ones before it leave it."""
    entries, summary, alter = all_begun(renderer, workshop, actor, state, steps, before)
    return change(workshop, actor, state.picture_id, state.version, summary, alter), entries


def all_begun(
    renderer: Renderer,
    workshop: Workshop,
    actor: Actor,
    state: PictureState,
    steps: Sequence[Step],
    before: str | None = None,
) -> tuple[list[StepEntry], str, Alter]:
    """The same, worked out and not yet recorded: the entries, a summary, and the change."""
    seen, entries = state, []
    alters: list[Alter] = []
    for step in steps:
        started = with_newest(workshop, actor, begun(renderer, seen, step, before))
        joined = _joined(seen.document, started) if before is None else None
        entry = joined or edits.new_entry(started)
        entries.append(entry)
        alters.append(
            edits.replace_step(entry.id, entry.step) if joined else edits.add_step(started, entry.id, before)
        )
        seen = with_document(seen, alters[-1](seen.document, seen.facts))
    return entries, " ".join(plain(entry.step.sentence()) for entry in entries), edits.several(*alters)


def _joined(document: PictureDocument, step: Step) -> StepEntry | None:
    """The last tone step of a kind with another one of it taken in, where both are exactly one."""
    last = next((one for one in reversed(document.steps) if one.step.kind == step.kind), None)
    if last is None or not last.active or not isinstance(last.step, ToneStep) or not isinstance(step, ToneStep):
        return None
    both = last.step.joined(step)
    return None if both is None else last.model_copy(update={"step": both})


def changed(renderer: Renderer, state: PictureState, step_id: str, parameters: dict[str, object]) -> Step:
    """A step with other parameters; it looks at the picture again where they decide what it finds.

    Raises OutOfRangeError in words where a parameter exceeds its limits.
    """
    step: Step = step_of(state.document, step_id).step
    try:
        after = type(step).model_validate({**step.model_dump(mode="json"), **parameters})
    except ValidationError as error:
        raise OutOfRangeError(explain_limits(error)) from error
    differing = {name for name in type(step).model_fields if getattr(after, name) != getattr(step, name)}
    after = finding.set_by_hand(after, differing)
    return found_again(renderer, state, step_id, after) if finding.looks_again(after, differing) else after


def found_again(renderer: Renderer, state: PictureState, step_id: str, step: Step) -> Step:
    """A step that looks at the picture again, as it stands before it by now."""
    return _found(renderer, state, up_to(state.document, step_id), step)


def varied(renderer: Renderer, state: PictureState, step_id: str, value: str) -> PictureDocument:
    """The document with another value for the one parameter by which a step is varied."""
    step: Step = step_of(state.document, step_id).step
    after = step.varied(value)
    if after.varied_field and finding.looks_again(after, {after.varied_field}):
        after = found_again(renderer, state, step_id, after)
    return edits.replace_step(step_id, after)(state.document, state.facts)


def grey_at(
    renderer: Renderer, workshop: Workshop, state: PictureState, step: Balance, x: float, y: float
) -> Balance:
    """The balance that makes a spot of the prepared picture (its pixels) grey, beside the list's other balances.

    The spot is looked at before all tone, as balances act on the picture's own light. Raises OutOfRangeError where
    it lies outside or is clear, or too dark to have a colour.
    """
    document = state.document
    toned = {entry.id for entry in document.steps if entry.step.stage is Stage.TONE}
    seen = renderer.screen.pixels(for_screen(workshop, state, GREY_LOOKED_AT, without_steps(document, toned)))
    size = state.geometry.size
    colour = colour_at(seen, x / size.width, y / size.height, GREY_REACH)
    if not (0 <= x < size.width and 0 <= y < size.height) or colour is None or max(colour) < DARKEST_GREY:
        raise OutOfRangeError("There is no colour at this spot. Click on something light or middling grey.")
    whole = tone_of(document.active_steps) or Tone()
    mine = step.tone()
    return step.making_grey(colour, whole.warmth - mine.warmth, whole.tint - mine.tint)


@dataclass(frozen=True)
class PutOn:
    """What became of a step on another picture; `trouble` is a sentence where it could not be put there.

    `remark` says where it did something else there than it asks for. `change_id` is the
    action of the folio, once it is recorded.
    """

    picture_id: int
    file_name: str
    trouble: str | None = None
    remark: str = ""
    change_id: int | None = None


@dataclass(frozen=True)
class PutStep:
    """A step that goes to other pictures, and the key of the one place in which it counts there, if only one."""

    step: Step
    only_in: str | None = None


@dataclass(frozen=True)
class Prepared:
    """What a picture becomes with steps at its end, worked out and not yet recorded; or why it cannot."""

    state: PictureState
    document: PictureDocument | None
    trouble: str | None = None


def put_on_pictures(
    renderer: Renderer,
    workshop: Workshop,
    actor: Actor,
    steps: Sequence[PutStep],
    folio_id: int,
    picture_ids: Sequence[int],
    summary: str = "",
) -> list[PutOn]:
    """Add steps at the end of the lists of other pictures of a folio; automatic ones find their numbers anew."""
    sentences = " ".join(plain(one.step.sentence()) for one in steps)
    prepared = prepare_on_pictures(renderer, workshop, actor, steps, picture_ids)
    done = summary or f"Put on: {sentences}"
    with workshop.database.begin() as session, recorded(session, actor, folio_id, done, picture_ids) as change:
        adopt_assets_in(session, actor, [one.step for one in steps])
        put = put_prepared(session, actor, prepared, done, {})
    return as_one(put, change)


def as_one(put: Sequence[PutOn], change: Recorded) -> list[PutOn]:
    """What became of pictures, with the action by which they can be taken back together."""
    return [replace(one, change_id=change.change_id) for one in put]


def prepare_on_pictures(
    renderer: Renderer, workshop: Workshop, actor: Actor, steps: Sequence[PutStep], picture_ids: Sequence[int]
) -> list[Prepared]:
    """The pictures with steps at their ends; nothing is recorded, and no transaction is held meanwhile."""
    return [_prepared(renderer, state, steps) for state in read_pictures(workshop, actor, picture_ids)]


def _prepared(renderer: Renderer, state: PictureState, steps: Sequence[PutStep]) -> Prepared:
    try:
        return Prepared(state, put_on(renderer, state, steps))
    except UserError as error:
        return Prepared(state, None, error.sentence)


def put_prepared(
    session: Session, actor: Actor, prepared: Sequence[Prepared], summary: str, place_keys: Mapping[str, str]
) -> list[PutOn]:
    """Record what was prepared; `place_keys` are the keys of places that were hung meanwhile."""
    wanted = {
        one.state.picture_id: Wanted(_becoming(_with_keys(one.document, place_keys)), one.state.version)
        for one in prepared
        if one.document is not None
    }
    outcome = change_all_in(session, actor, wanted, summary)
    return [_put(one, outcome.get(one.state.picture_id)) for one in prepared]


def _with_keys(document: PictureDocument, place_keys: Mapping[str, str]) -> PictureDocument:
    entries = tuple(
        entry.model_copy(update={"only_in": place_keys.get(entry.only_in or "", entry.only_in)})
        for entry in document.steps
    )
    return document.model_copy(update={"steps": entries})


def _put(one: Prepared, after: PictureState | UserError | None) -> PutOn:
    state = one.state
    if isinstance(after, PictureState):
        return PutOn(state.picture_id, state.file_name, remark=_remarks(state, after))
    return PutOn(state.picture_id, state.file_name, after.sentence if after is not None else one.trouble)


def _remarks(before: PictureState, after: PictureState) -> str:
    """What is to be said about the steps that one state has beyond another."""
    known = {entry.id for entry in before.document.steps}
    remarks = [one.sentence for one in after.geometry.remarks if one.step_id is not None and one.step_id not in known]
    drawn = any(entry.step.lies_where_drawn for entry in after.document.steps if entry.id not in known)
    return " ".join([*remarks, LANDS] if drawn else remarks)


def put_on(renderer: Renderer, state: PictureState, steps: Sequence[PutStep]) -> PictureDocument:
    """The document with steps at its end; automatic ones look at the picture as the ones before them left it."""
    document = state.document
    for one in steps:
        found = begun_on_copy(renderer, with_document(state, document), one.step)
        document = edits.add_step(found, only_in=one.only_in)(document, state.facts)
    return document


def begun_on_copy(renderer: Renderer, state: PictureState, step: Step) -> Step:
    """A step carried from another picture: its own parameters stay, only what it finds is found anew."""
    return _found(renderer, state, state.document, step)


def _becoming(document: PictureDocument) -> Alter:
    return lambda before, facts: document


def carried_steps(document: PictureDocument) -> tuple[list[StepEntry], list[StepEntry]]:
    """The active steps that go to other pictures, and those that belong to this picture alone."""
    active = [entry for entry in document.steps if entry.active]
    goes = [
        entry.model_copy(update={"step": entry.step.for_others})
        for entry in active
        if entry.step.carried is not Carried.NEVER
    ]
    return goes, [entry for entry in active if entry.step.carried is Carried.NEVER]


def remedied(step: Crop, geometry: PictureGeometry, remedy: Remedy) -> list[Step]:
    """The steps that take a crop's seat where it asks for more than the picture has."""
    area = step.area
    wanted = area.wanted(geometry)
    where = {"centre_x": area.centre_x, "centre_y": area.centre_y}
    if remedy is Remedy.LARGEST:
        return [Crop(area=ShapeArea.model_validate({"across": wanted.width, "down": wanted.height, **where}))]
    if remedy is Remedy.ENLARGE:
        return []
    kept = Size(min(wanted.width, geometry.size.width), min(wanted.height, geometry.size.height))
    cut = PixelArea.model_validate({"width_px": kept.width, "height_px": kept.height, **where})
    room = Room(extent=RoomToSize(width_px=wanted.width, height_px=wanted.height))
    return [room] if kept == geometry.size else [Crop(area=cut), room]
