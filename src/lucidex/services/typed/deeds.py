"""What the line does once it is chosen: steps as one change, places, wishes for the chosen place, commands."""

from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy.orm import Session

from lucidex.core.document import Framing
from lucidex.core.errors import NotUnderstoodError
from lucidex.core.line.deeds import Wishes
from lucidex.core.line.parts import Command
from lucidex.core.places.demand import PlaceDemand, amended
from lucidex.core.places.output_id import OutputId
from lucidex.core.steps import StepEntry
from lucidex.services.bench.steps import all_begun
from lucidex.services.folios.folios import place_of
from lucidex.services.house.workshop import Workshop
from lucidex.services.people.people import Actor
from lucidex.services.pictures import edits
from lucidex.services.pictures.documents import PictureState, change, change_in
from lucidex.services.pictures.folio_history import make_next_again, read_next, recorded, take_back_next
from lucidex.services.places.places import change_place_in, demand_of, find_place, hang_missing_in, hang_place_in
from lucidex.services.rendering.format_search import better_format
from lucidex.services.rendering.renderer import Renderer
from lucidex.services.routines.routine_use import put_on_at_once
from lucidex.services.routines.routines import KeptRoutine
from lucidex.services.typed.line import (
    OWN_SIZE,
    BoundDeed,
    ChangeDeed,
    CommandDeed,
    PlaceDeed,
    Proposal,
    RoutineDeed,
    StepDeed,
    WishDeed,
    with_wishes,
)


@dataclass(frozen=True)
class Done:
    """How the bench stands after a line: what is chosen, what is open, and what is left to the page."""

    state: PictureState
    place_id: int | None
    open_step: StepEntry | None = None
    asks: KeptRoutine | None = None  # a routine that wants to be looked at first
    for_page: tuple[Command, ...] = ()
    message: str = ""  # what was found, and is to be said


_HERE = {Command.UNDO, Command.REDO, Command.CLEAR}


def carry_out(
    renderer: Renderer,
    workshop: Workshop,
    actor: Actor,
    state: PictureState,
    proposal: Proposal,
    place_id: int | None = None,
    before: str | None = None,
) -> Done:
    """Do what a line means to a picture. `place_id` is the chosen place, `before` the step that new ones go before.

    Raises as what it does; the picture's version is the one in `state`.
    """
    deeds = proposal.deeds
    routine = next((deed.kept for deed in deeds if isinstance(deed, RoutineDeed)), None)
    if routine is not None and len(deeds) > 1:
        raise NotUnderstoodError("A routine is put on alone. Type its name, and the rest after that.")
    if routine is not None:
        after = put_on_at_once(renderer, workshop, actor, state, routine.routine)
        return Done(after or state, place_id, asks=routine if after is None else None)
    looks = tuple(deed.command for deed in deeds if isinstance(deed, CommandDeed) and deed.command not in _HERE)
    if deeds and len(looks) == len(deeds):  # whoever may only look may do that
        return Done(state, place_id, for_page=looks)
    entries: list[StepEntry] = []
    summary, alter = "", edits.several()
    if steps := [deed.step for deed in deeds if isinstance(deed, StepDeed)]:
        entries, summary, alter = all_begun(renderer, workshop, actor, state, steps, before)
    wanted = [(deed.demand, deed.name) for deed in deeds if isinstance(deed, PlaceDeed)]
    on = [state.picture_id]
    with (
        workshop.database.begin() as session,  # all of it, or nothing
        recorded(session, actor, state.folio_id, summary, on, needs_places=True),
    ):
        if entries:
            state = change_in(session, actor, state.picture_id, state.version, summary, alter)
        if wanted:
            place_id = hang_missing_in(session, actor, state.folio_id, wanted)[-1]
        for deed in deeds:
            if isinstance(deed, WishDeed) and place_id is not None:
                state = _wish(session, actor, state, place_id, deed.wishes)
            if isinstance(deed, ChangeDeed) and place_id is not None:
                place = place_of(session, actor, place_id, to_change=True)
                demand = amended(demand_of(place), **deed.typed)  # on top of what a colleague may have changed
                change_place_in(session, actor, place.id, place.version, demand, place.name)
    message = ""
    if place_id is not None and _asks_for_weight(deeds):
        state, message = _in_better_format(renderer, workshop, actor, state, place_id)
    commands = [deed.command for deed in deeds if isinstance(deed, CommandDeed)]
    state = _obey(workshop, actor, state, commands)
    for_page = tuple(command for command in commands if command not in _HERE)
    opened = next((one for one in reversed(entries) if one.step.opens), None)
    return Done(state, place_id, opened, for_page=for_page, message=message)


def _asks_for_weight(deeds: Sequence[BoundDeed]) -> bool:
    """Whether a ceiling was typed without a size: for the chosen place, or for the own size."""
    wished = any(isinstance(deed, WishDeed) and deed.wishes.max_bytes is not None for deed in deeds)
    own = any(isinstance(deed, PlaceDeed) and deed.name == OWN_SIZE and deed.demand.max_bytes for deed in deeds)
    return wished or own


def _in_better_format(
    renderer: Renderer, workshop: Workshop, actor: Actor, state: PictureState, place_id: int
) -> tuple[PictureState, str]:
    """The picture written otherwise in a place, where that looks better under its ceiling; and a sentence."""
    place = find_place(workshop, actor, place_id)
    found = better_format(renderer, workshop, state, place_id, demand_of(place))
    if found is None:
        return state, ""
    if found.name is None:
        return state, found.words
    output = OutputId.of(str(place_id))
    own = state.document.settings(output).model_copy(update={"format": found.name})
    summary = f"Written as {found.name.label} for “{place.name}”"
    return change(
        workshop, actor, state.picture_id, state.version, summary, edits.set_output(output, own)
    ), found.words


def _wish(session: Session, actor: Actor, state: PictureState, place_id: int, wishes: Wishes) -> PictureState:
    """Let a place ask for something else. What was chosen for this picture alone gives way to it."""
    place = place_of(session, actor, place_id, to_change=True)
    change_place_in(session, actor, place.id, place.version, with_wishes(demand_of(place), wishes), place.name)
    output = OutputId.of(str(place_id))
    own = state.document.settings(output)
    freed: dict[str, None] = {}
    if wishes.format is not None:
        freed["format"] = None
    if wishes.quality is not None or wishes.format is not None or wishes.max_bytes is not None:
        freed["quality"] = None
    if wishes.max_bytes is not None:
        freed["accepted_bytes"] = None
    plain = own.model_copy(update=freed)
    if plain == own:
        return state
    summary, alter = f"{wishes.words()} for “{place.name}”", edits.set_output(output, plain)
    return change_in(session, actor, state.picture_id, state.version, summary, alter)


def _obey(workshop: Workshop, actor: Actor, state: PictureState, commands: Sequence[Command]) -> PictureState:
    for command in commands:
        if command is Command.UNDO:
            back, _ = read_next(workshop, state)
            state, _ = take_back_next(workshop, actor, state, back.change_id if back else None)
        elif command is Command.REDO:
            _, again = read_next(workshop, state)
            state, _ = make_next_again(workshop, actor, state, again.change_id if again else None)
        elif command is Command.CLEAR:
            state = change(
                workshop, actor, state.picture_id, state.version, "Back to the original", edits.clear_steps()
            )
    return state


def enlarge_as_place(
    workshop: Workshop, actor: Actor, state: PictureState, demand: PlaceDemand, framing: Framing, step_id: str
) -> tuple[PictureState, int]:
    """Let a place of a size take the seat of a crop that asked for more than there is, as one action; its id."""
    summary = f"Enlarged to {demand.measure.words()} as a place"
    with (
        workshop.database.begin() as session,
        recorded(session, actor, state.folio_id, summary, [state.picture_id]),
    ):
        place = hang_place_in(session, actor, state.folio_id, demand)
        alter = edits.several(edits.remove_step(step_id), edits.set_framing(place.id, framing))
        return change_in(session, actor, state.picture_id, state.version, summary, alter), place.id
