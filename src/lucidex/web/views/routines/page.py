"""Routines: listed by group with their sentences, renamed, exported and imported."""

from itertools import groupby
from typing import Annotated

from fastapi import APIRouter, Depends, File, Form, Request, UploadFile
from pydantic import ValidationError
from starlette.responses import HTMLResponse, JSONResponse, RedirectResponse, Response

from lucidex.core.errors import OutOfRangeError
from lucidex.core.places.demand import explain_limits
from lucidex.core.routine import MAX_FILE_BYTES, Routine, RoutineFile, RoutinePlace, RoutineStep
from lucidex.core.steps.base import Carried
from lucidex.services.routines import routine_use, routines
from lucidex.web.request.admission import PREVIEWS
from lucidex.web.request.body_limits import AROUND_A_FILE, takes
from lucidex.web.request.context import App, SignedIn
from lucidex.web.request.security import check_csrf, message_before, say_next
from lucidex.web.shell.templating import page

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


def routine_of(name: str, group: str, steps: list[RoutineStep], places: list[RoutinePlace]) -> Routine:
    """A routine of steps and places. OutOfRangeError where nothing is in it, or something does not fit."""
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


@router.post("/routines/{routine_id}")
def change(
    request: Request, app: App, actor: SignedIn, routine_id: int, name: Name = "", group: Name = ""
) -> Response:
    """Another name or group."""
    before = routines.read_routine(app.workshop, actor, routine_id)
    after = routine_of(name, group, list(before.steps), list(before.places))
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
