"""Routines: kept from the bench, listed by group with their sentences, renamed, exported and imported."""

from itertools import groupby
from typing import Annotated
from urllib.parse import urlencode

from fastapi import APIRouter, Depends, File, Form, Query, Request, UploadFile
from pydantic import ValidationError
from starlette.responses import HTMLResponse, JSONResponse, RedirectResponse, Response

from lucidex.core.errors import OutOfRangeError
from lucidex.core.places import explain_limits
from lucidex.core.routine import MAX_FILE_BYTES, Routine, RoutineFile
from lucidex.core.steps.base import Step, plain
from lucidex.services import routines
from lucidex.web.context import App, SignedIn
from lucidex.web.pages.at_bench import Bench
from lucidex.web.security import check_csrf
from lucidex.web.templating import page, partial

router = APIRouter(dependencies=[Depends(check_csrf)], include_in_schema=False)

Name = Annotated[str, Form(max_length=200)]


@router.get("/routines")
def routines_page(
    request: Request, app: App, who: SignedIn, said: Annotated[str, Query(max_length=200)] = ""
) -> HTMLResponse:
    """All routines by group."""
    kept = routines.read_routines(app.workshop, who)
    groups = [(name, list(found)) for name, found in groupby(kept, lambda one: one.routine.group)]
    return page(request, "routines/routines.html", who=who, groups=groups, said=said)


@router.get("/pictures/{picture_id}/routine")
def choose_steps(at: Bench) -> HTMLResponse:
    """The steps of a picture, to be kept as a routine."""
    goes, stays = routines.steps_to_keep(at.state)
    return partial(
        at.request,
        "routines/keep.html",
        picture_id=at.picture_id,
        goes=[(step_id, plain(step.sentence())) for step_id, step in goes],
        stays=[plain(step.sentence()) for step in stays],
    )


@router.post("/pictures/{picture_id}/routine")
def keep(at: Bench, name: Name = "", group: Name = "", step: Annotated[list[str], Form()] = []) -> HTMLResponse:  # noqa: B006
    """Keep the chosen steps under a name."""
    goes, _ = routines.steps_to_keep(at.state, step)
    routine = _routine(name, group, [one for _, one in goes])
    routines.keep_routine(at.app.workshop, at.who, routine)
    return partial(at.request, "routines/kept.html", routine=routine)


def _routine(name: str, group: str, steps: list[Step]) -> Routine:
    if not steps:
        raise OutOfRangeError("Choose at least one step to keep.")
    try:
        body = {"name": " ".join(name.split()), "group": " ".join(group.split())}
        return Routine.model_validate({**body, "steps": [step.model_dump() for step in steps]})
    except ValidationError as error:
        raise OutOfRangeError(explain_limits(error)) from error


@router.post("/routines/{routine_id}")
def change(app: App, who: SignedIn, routine_id: int, name: Name = "", group: Name = "") -> Response:
    """Another name or group."""
    before = routines.read_routine(app.workshop, who, routine_id)
    routines.change_routine(app.workshop, who, routine_id, _routine(name, group, list(before.steps)))
    return _back("The routine was changed.")


@router.post("/routines/{routine_id}/remove")
def remove(app: App, who: SignedIn, routine_id: int) -> Response:
    """Take a routine out."""
    removed = routines.remove_routine(app.workshop, who, routine_id)
    return _back(f"“{removed.name}” was taken out. Pictures keep the steps that it put on them.")


@router.post("/routines-import")
async def import_file(app: App, who: SignedIn, file: Annotated[UploadFile, File()]) -> Response:
    """Keep all routines of a JSON file."""
    count = routines.import_routines(app.workshop, who, await file.read(MAX_FILE_BYTES + 1))
    return _back(f"{count} routine{'' if count == 1 else 's'} kept.")


@router.get("/routines-export")
def export_file(app: App, who: SignedIn) -> Response:
    """All routines as a JSON file."""
    text = routines.export_routines(app.workshop, who).written()
    headers = {"Content-Disposition": 'attachment; filename="routines.json"'}
    return Response(text, media_type="application/json", headers=headers)


@router.get("/routines-schema")
def schema(who: SignedIn) -> JSONResponse:
    """The JSON schema of the file."""
    return JSONResponse(RoutineFile.model_json_schema())


def _back(said: str) -> RedirectResponse:
    return RedirectResponse(f"/routines?{urlencode({'said': said})}", 303)
