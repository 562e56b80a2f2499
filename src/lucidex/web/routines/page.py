"""Routines: kept from the bench, listed by group with their sentences, renamed, exported and imported."""

from itertools import groupby
from typing import Annotated

from fastapi import APIRouter, Depends, File, Form, Request, UploadFile
from pydantic import ValidationError
from starlette.responses import HTMLResponse, JSONResponse, RedirectResponse, Response

from lucidex.core.errors import OutOfRangeError
from lucidex.core.places.demand import demand_words, explain_limits
from lucidex.core.routine import MAX_FILE_BYTES, Routine, RoutineFile, RoutinePlace, RoutineStep
from lucidex.core.steps.base import Carried, plain
from lucidex.records.models import Place
from lucidex.services.folios.folios import read_folio
from lucidex.services.places.places import demand_of
from lucidex.services.routines import routine_use, routines
from lucidex.web.admission import PREVIEWS
from lucidex.web.bench.request import AtBench, Bench
from lucidex.web.body_limits import AROUND_A_FILE, takes
from lucidex.web.context import App, SignedIn
from lucidex.web.security import check_csrf, message_before, say_next
from lucidex.web.templating import page, partial

router = APIRouter(dependencies=[Depends(check_csrf)], include_in_schema=False)

Name = Annotated[str, Form(max_length=200)]


@router.get("/routines")
def routines_page(request: Request, app: App, actor: SignedIn) -> HTMLResponse:
    """All routines by group."""
    kept = routines.read_routines(app.workshop, actor)
    groups = [(name, list(found)) for name, found in groupby(kept, lambda one: one.routine.group)]
    pictures = routine_use.pictures_to_try(app.workshop, actor)
    return page(
        request,
        "routines/routines.html",
        actor=actor,
        groups=groups,
        message=message_before(request),
        pictures=pictures,
    )


@router.get("/pictures/{picture_id}/routine")
def choose_steps(at: Bench) -> HTMLResponse:
    """The steps and places of a picture, to be kept as a routine, or written back into the one that is tried."""
    hung = _hung(at)
    goes, stays = routines.steps_to_keep(at.state, {key: place.name for key, place in hung.items()})
    routine_id = routine_use.trial_of(at.app.workshop, at.actor, at.picture_id)
    tried = routines.read_routine(at.app.workshop, at.actor, routine_id) if routine_id else None
    return partial(
        at.request,
        "routines/keep.html",
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
    routine = _routine(name, group, steps, brought)
    routines.adopt_routine_assets(at.app.workshop, at.actor, routine)
    routine_id = routine_use.trial_of(at.app.workshop, at.actor, at.picture_id)
    if routine_id is not None:
        routines.change_routine(at.app.workshop, at.actor, routine_id, routine)
    else:
        routines.keep_routine(at.app.workshop, at.actor, routine)
    return partial(at.request, "routines/kept.html", routine=routine)


def _routine(name: str, group: str, steps: list[RoutineStep], places: list[RoutinePlace]) -> Routine:
    if all(one.carried is Carried.NEVER for one in steps):
        raise OutOfRangeError("Choose at least one step to keep.")
    try:
        body = {"name": " ".join(name.split()), "group": " ".join(group.split())}
        return Routine.model_validate(
            {**body, "steps": [one.model_dump() for one in steps], "places": [one.model_dump() for one in places]}
        )
    except ValidationError as error:
        raise OutOfRangeError(explain_limits(error)) from error


@router.post("/routines/{routine_id}/trial", dependencies=[PREVIEWS])
def begin_trial(app: App, actor: SignedIn, routine_id: int, picture: Annotated[int, Form()]) -> RedirectResponse:
    """Open a routine on a picture, to change it there like any list of steps."""
    made = routine_use.begin_trial(app.renderer, app.workshop, actor, routine_id, picture)
    return RedirectResponse(f"/pictures/{made}", 303)


@router.post("/pictures/{picture_id}/trial-end")
def end_trial(at: Bench) -> Response:
    """Put a trial away; the routine stays as it was last written."""
    routine_use.end_trial(at.app.workshop, at.actor, at.picture_id)
    return Response(headers={"HX-Redirect": "/routines"})


@router.post("/routines/{routine_id}")
def change(
    request: Request, app: App, actor: SignedIn, routine_id: int, name: Name = "", group: Name = ""
) -> Response:
    """Another name or group."""
    before = routines.read_routine(app.workshop, actor, routine_id)
    after = _routine(name, group, list(before.steps), list(before.places))
    routines.change_routine(app.workshop, actor, routine_id, after)
    return _back(request, "The routine was changed.")


@router.post("/routines/{routine_id}/remove")
def remove(request: Request, app: App, actor: SignedIn, routine_id: int) -> Response:
    """Take a routine out."""
    removed = routines.remove_routine(app.workshop, actor, routine_id)
    return _back(request, f"“{removed.name}” was taken out. Pictures keep the steps that it put on them.")


@router.post("/routines-import", dependencies=[PREVIEWS])
@takes(MAX_FILE_BYTES + AROUND_A_FILE)
def import_file(request: Request, app: App, actor: SignedIn, file: Annotated[UploadFile, File()]) -> Response:
    """Keep all routines of a JSON file."""
    count = routines.import_routines(app.workshop, actor, file.file.read(MAX_FILE_BYTES + 1))
    return _back(request, f"{count} routine{'' if count == 1 else 's'} kept.")


@router.get("/routines-export")
def export_file(app: App, actor: SignedIn) -> Response:
    """All routines as a JSON file."""
    text = routines.export_routines(app.workshop, actor).written()
    headers = {"Content-Disposition": 'attachment; filename="routines.json"'}
    return Response(text, media_type="application/json", headers=headers)


@router.get("/routines-schema")
def schema(actor: SignedIn) -> JSONResponse:
    """The JSON schema of the file."""
    return JSONResponse(RoutineFile.model_json_schema())


def _back(request: Request, message: str) -> RedirectResponse:
    say_next(request, message)
    return RedirectResponse("/routines", 303)
