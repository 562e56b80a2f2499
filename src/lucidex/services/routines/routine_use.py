"""Routines put to use: the places that they bring, what they would make of a picture, and pictures to try them on."""

from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy import select

from lucidex.core.document import PictureDocument
from lucidex.core.errors import OutOfRangeError
from lucidex.core.geometry.sizes import Size
from lucidex.core.places.demand import PlaceDemand
from lucidex.core.places.output_id import OutputId
from lucidex.core.routine import Routine, RoutinePlace, RoutineStep
from lucidex.core.steps.base import Carried
from lucidex.core.steps.finding import without_findings
from lucidex.records.models import Folio, Picture, now
from lucidex.services.assets.logos import adopt_assets_in
from lucidex.services.bench.steps import PutOn, PutStep, as_one, prepare_on_pictures, put_on, put_prepared
from lucidex.services.folios.folios import IN_ORDER, FolioView, allowed_pictures, picture_of, read_folio
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.intake import start_document
from lucidex.services.people.people import Actor
from lucidex.services.pictures.documents import PictureState, change_in, read_picture, with_document
from lucidex.services.pictures.folio_history import recorded
from lucidex.services.places.places import demand_of, hang_place_in
from lucidex.services.rendering.render_requests import RenderRequest, for_screen, in_place
from lucidex.services.rendering.renderer import Renderer
from lucidex.services.routines.routines import read_routine

MAX_OFFERED = 60
NOT_HUNG = 10**17  # keys of places that would be hung begin here


@dataclass(frozen=True)
class UsedPlace:
    """A place in which a routine comes out: it hangs already (`key` is its id), or would be hung."""

    name: str
    demand: PlaceDemand
    key: str
    hangs: bool


def places_of(routine: Routine, folio: FolioView) -> list[UsedPlace]:
    """The places of a folio, and behind them what the routine would hang there."""
    hung = [UsedPlace(place.name, demand_of(place), str(place.id), True) for place in folio.places]
    wanting = [one for one in routine.places if _like(one, hung) is None]
    return hung + [UsedPlace(one.name, one.demand, str(NOT_HUNG + seat), False) for seat, one in enumerate(wanting)]


def _like(wanted: RoutinePlace, hung: Sequence[UsedPlace]) -> UsedPlace | None:
    """The same demand; what a place is called does not count."""
    return next((one for one in hung if one.demand == wanted.demand), None)


def steps_there(
    routine: Routine, asked: frozenset[int], places: Sequence[UsedPlace]
) -> tuple[list[PutStep], list[RoutineStep]]:
    """The steps as they go to pictures with these places, and those whose one place is missing."""
    known = {one.name.casefold(): one.key for one in places}
    for wanted in routine.places:
        if (like := _like(wanted, places)) is not None:
            known.setdefault(wanted.name.casefold(), like.key)
    going = routine.going(asked)
    missing = [one for one in going if one.only_in and one.only_in.casefold() not in known]
    return [
        PutStep(one.step, known[one.only_in.casefold()] if one.only_in else None)
        for one in going
        if one not in missing
    ], missing


def has_already(state: PictureState, steps: Sequence[PutStep]) -> bool:
    """Whether a picture has these very steps in this order, one behind the other, whatever they found on it."""
    wanted = [without_findings(one.step) for one in steps]
    there = [without_findings(entry.step) for entry in state.document.steps if entry.active]
    spots = range(len(there) - len(wanted) + 1)
    return bool(wanted) and any(there[at : at + len(wanted)] == wanted for at in spots)


def use_routine(
    renderer: Renderer,
    workshop: Workshop,
    actor: Actor,
    folio_id: int,
    routine: Routine,
    asked: frozenset[int],
    picture_ids: Sequence[int],
) -> list[PutOn]:
    """Hang the routine's places and put its steps on pictures of a folio, each as one change: all of it, or nothing.

    A picture on which it cannot be put is told apart, with the reason, and does not keep the others from it.
    """
    places = places_of(routine, read_folio(workshop, actor, folio_id))
    steps, _ = steps_there(routine, asked, places)
    prepared = prepare_on_pictures(renderer, workshop, actor, steps, picture_ids)
    summary = f"Put on the routine “{routine.name}”"
    with workshop.database.begin() as session, recorded(session, actor, folio_id, summary, picture_ids) as change:
        adopt_assets_in(session, actor, [one.step for one in routine.steps])
        hung = {
            place.key: str(hang_place_in(session, actor, folio_id, place.demand, place.name).id)
            for place in places
            if not place.hangs
        }
        put = put_prepared(session, actor, prepared, summary, hung)
    return as_one(put, change)


def put_on_at_once(
    renderer: Renderer, workshop: Workshop, actor: Actor, state: PictureState, routine: Routine
) -> PictureState | None:
    """A routine's steps on one picture as one change; None where it should be seen first, because it asks about some
    of them, or hangs places, or lacks one, or the picture has these steps already."""
    places = places_of(routine, read_folio(workshop, actor, state.folio_id))
    steps, missing = steps_there(routine, frozenset(), places)
    if routine.asks or missing or has_already(state, steps) or not all(place.hangs for place in places):
        return None
    document = put_on(renderer, state, steps)
    with workshop.database.begin() as session:
        adopt_assets_in(session, actor, [one.step for one in routine.steps])
        summary = f"Put on the routine “{routine.name}”"
        return change_in(session, actor, state.picture_id, state.version, summary, lambda before, facts: document)


def tried(
    renderer: Renderer, workshop: Workshop, actor: Actor, picture_id: int, routine: Routine, asked: frozenset[int]
) -> tuple[PictureState, list[UsedPlace]]:
    """What a picture would become; nothing is recorded."""
    state = read_picture(workshop, actor, picture_id)
    places = places_of(routine, read_folio(workshop, actor, state.folio_id))
    steps, _ = steps_there(routine, asked, places)
    return with_document(state, put_on(renderer, state, steps)), places


def tried_in(workshop: Workshop, state: PictureState, place: UsedPlace | None, edge: int) -> RenderRequest:
    """A tried picture in a place, or the whole of it for the screen."""
    if place is None:
        return for_screen(workshop, state, Size(edge, edge), state.document)
    return in_place(workshop, state, OutputId.of(place.key), place.demand, place.name).rendering


def pictures_to_try(workshop: Workshop, actor: Actor) -> list[tuple[int, str, str]]:
    """Id, name and folio of pictures on which a routine can be tried, the latest folios first."""
    with workshop.database.begin() as session:
        found = (
            select(Picture.id, Picture.file_name, Folio.name)
            .join(Folio)
            .where(allowed_pictures(actor), Picture.trial_of.is_(None))
            .order_by(Folio.changed_at.desc(), *IN_ORDER)
            .limit(MAX_OFFERED)
        )
        return [(row[0], row[1], row[2]) for row in session.execute(found)]


def begin_trial(renderer: Renderer, workshop: Workshop, actor: Actor, routine_id: int, picture_id: int) -> int:
    """A copy of a picture that stands apart from its folio, with the routine's steps on it; its id.

    All steps are on it, also those about which the routine asks and those that it keeps behind.
    """
    routine = read_routine(workshop, actor, routine_id)
    state = read_picture(workshop, actor, picture_id)
    steps = tuple(one.model_copy(update={"carried": Carried.ALWAYS}) for one in routine.steps)
    everything = routine.model_copy(update={"steps": steps})
    places = places_of(routine, read_folio(workshop, actor, state.folio_id))
    going, _ = steps_there(everything, frozenset(), [place for place in places if place.hangs])
    document = put_on(renderer, with_document(state, PictureDocument()), going)
    with workshop.database.begin() as session:
        picture = picture_of(session, actor, picture_id, to_change=True)
        copy = Picture(
            folio_id=picture.folio_id,
            source_key=picture.source_key,
            file_name=picture.file_name,
            trial_of=routine_id,
        )
        session.add(copy)
        session.flush()
        start_document(session, actor, copy.id, PictureDocument(), f"Trial of the routine “{routine.name}”")
        adopt_assets_in(session, actor, [one.step for one in routine.steps])
        summary = f"The steps of the routine “{routine.name}”"
        change_in(session, actor, copy.id, None, summary, lambda before, facts: document)
        return copy.id


def trial_of(workshop: Workshop, actor: Actor, picture_id: int) -> int | None:
    """The routine that is tried on a picture."""
    with workshop.database.begin() as session:
        return picture_of(session, actor, picture_id).trial_of


def end_trial(workshop: Workshop, actor: Actor, picture_id: int) -> None:
    """Put a trial picture away."""
    with workshop.database.begin() as session:
        picture = picture_of(session, actor, picture_id, to_change=True)
        if picture.trial_of is None:
            raise OutOfRangeError("No routine is tried on this picture.")
        picture.removed_at = now()
