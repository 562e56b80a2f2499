"""What the line does once it is chosen: steps as one change, places, wishes for the chosen place, commands."""

from collections.abc import Sequence
from dataclasses import dataclass

from lucidex.core.errors import NotUnderstoodError
from lucidex.core.line.deeds import Wishes
from lucidex.core.line.parts import Command
from lucidex.core.places.output_id import OutputId
from lucidex.core.steps import StepEntry
from lucidex.services import edits
from lucidex.services.documents import PictureState, change, redo, undo
from lucidex.services.line import CommandDeed, PlaceDeed, Proposal, RoutineDeed, StepDeed, WishDeed, with_wishes
from lucidex.services.people import Actor
from lucidex.services.places import change_place, demand_of, find_place, hang_missing
from lucidex.services.renderer import Renderer
from lucidex.services.routine_use import put_on_at_once
from lucidex.services.routines import KeptRoutine
from lucidex.services.steps import add_all_begun
from lucidex.services.workshop import Workshop


@dataclass(frozen=True)
class Done:
    """How the bench stands after a line: what is chosen, what is open, and what is left to the page."""

    state: PictureState
    place_id: int | None
    open_step: StepEntry | None = None
    asks: KeptRoutine | None = None  # a routine that wants to be looked at first
    for_page: tuple[Command, ...] = ()


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
    entries: list[StepEntry] = []
    if steps := [deed.step for deed in deeds if isinstance(deed, StepDeed)]:
        state, entries = add_all_begun(renderer, workshop, actor, state, steps, before)
    if wanted := [(deed.demand, deed.name) for deed in deeds if isinstance(deed, PlaceDeed)]:
        place_id = hang_missing(workshop, actor, state.folio_id, wanted)[-1]
    for deed in deeds:
        if isinstance(deed, WishDeed) and place_id is not None:
            state = wish(workshop, actor, state, place_id, deed.wishes)
    commands = [deed.command for deed in deeds if isinstance(deed, CommandDeed)]
    state = _obey(workshop, actor, state, commands)
    for_page = tuple(command for command in commands if command not in _HERE)
    return Done(state, place_id, next((one for one in reversed(entries) if one.step.opens), None), for_page=for_page)


def wish(workshop: Workshop, actor: Actor, state: PictureState, place_id: int, wishes: Wishes) -> PictureState:
    """Let a place ask for something else. What was chosen for this picture alone gives way to it."""
    place = find_place(workshop, actor, place_id)
    change_place(workshop, actor, place.id, place.version, with_wishes(demand_of(place), wishes), place.name)
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
    return change(
        workshop,
        actor,
        state.picture_id,
        state.version,
        f"{wishes.words()} for “{place.name}”",
        edits.set_output(output, plain),
    )


def _obey(workshop: Workshop, actor: Actor, state: PictureState, commands: Sequence[Command]) -> PictureState:
    for command in commands:
        if command is Command.UNDO:
            state = undo(workshop, actor, state.picture_id, state.version)
        elif command is Command.REDO:
            state = redo(workshop, actor, state.picture_id, state.version)
        elif command is Command.CLEAR:
            state = change(
                workshop, actor, state.picture_id, state.version, "Back to the original", edits.clear_steps()
            )
    return state
