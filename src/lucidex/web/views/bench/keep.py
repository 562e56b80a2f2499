"""The steps of a picture kept as a routine, or written back into the one that is tried on it."""

from typing import Annotated

from fastapi import APIRouter, Depends, Form
from starlette.responses import HTMLResponse, Response

from lucidex.core.places.demand import demand_words
from lucidex.core.routine import Routine, RoutinePlace, RoutineStep
from lucidex.core.steps.base import Carried, plain
from lucidex.records.models import Place
from lucidex.services.folios.folios import read_folio
from lucidex.services.places.places import demand_of
from lucidex.services.routines import routine_use, routines
from lucidex.web.request.security import check_csrf
from lucidex.web.shell.templating import partial
from lucidex.web.views.bench.request import AtBench, Bench
from lucidex.web.views.routines.page import Name, routine_of

router = APIRouter(dependencies=[Depends(check_csrf)], include_in_schema=False)


@router.get("/pictures/{picture_id}/routine")
def choose_steps(at: Bench) -> HTMLResponse:
    """The steps and places of a picture, to be kept as a routine, or written back into the one that is tried."""
    hung = _hung(at)
    goes, stays = routines.steps_to_keep(at.state, {key: place.name for key, place in hung.items()})
    routine_id = routine_use.trial_of(at.app.workshop, at.actor, at.picture_id)
    tried = routines.read_routine(at.app.workshop, at.actor, routine_id) if routine_id else None
    return partial(
        at.request,
        "bench/keep.html",
        picture_id=at.picture_id,
        goes=[(step_id, one, _as_before(tried, one)) for step_id, one in goes.items()],
        stays=[plain(step.sentence()) for step in stays],
        places=[(key, place.name, demand_words(demand_of(place))) for key, place in hung.items()],
        kept_places={one.name for one in tried.places} if tried else set(),
        tried=tried,
    )


def _hung(at: AtBench) -> dict[str, Place]:
    folio = read_folio(at.app.workshop, at.actor, at.state.folio_id)
    return {str(place.id): place for place in folio.places}


def _as_before(tried: Routine | None, one: RoutineStep) -> Carried:
    """How a step was carried in the routine that is tried, found by its kind and sentence."""
    alike = [before for before in tried.steps if before.step.kind == one.step.kind] if tried else []
    return next((b.carried for b in alike if b.sentence == one.sentence), alike[0].carried if alike else one.carried)


@router.post("/pictures/{picture_id}/routine")
def keep(
    at: Bench,
    name: Name = "",
    group: Name = "",
    step: Annotated[list[str], Form()] = [],  # noqa: B006
    carried: Annotated[list[Carried], Form()] = [],  # noqa: B006
    place: Annotated[list[str], Form()] = [],  # noqa: B006
) -> HTMLResponse:
    """Keep the chosen steps under a name; or write them into the routine that is tried on this picture."""
    hung = _hung(at)
    goes, _ = routines.steps_to_keep(at.state, {key: one.name for key, one in hung.items()})
    chosen = dict(zip(step, carried, strict=False))
    steps = [one.model_copy(update={"carried": chosen[key]}) for key, one in goes.items() if key in chosen]
    brought = [RoutinePlace(name=hung[key].name, demand=demand_of(hung[key])) for key in place if key in hung]
    routine = routine_of(name, group, steps, brought)
    routines.adopt_routine_assets(at.app.workshop, at.actor, routine)
    routine_id = routine_use.trial_of(at.app.workshop, at.actor, at.picture_id)
    if routine_id is not None:
        routines.change_routine(at.app.workshop, at.actor, routine_id, routine)
    else:
        routines.keep_routine(at.app.workshop, at.actor, routine)
    return partial(at.request, "bench/kept.html", routine=routine)


@router.post("/pictures/{picture_id}/trial-end")
def end_trial(at: Bench) -> Response:
    """Put a trial away; the routine stays as it was last written."""
    routine_use.end_trial(at.app.workshop, at.actor, at.picture_id)
    return Response(headers={"HX-Redirect": "/routines"})
