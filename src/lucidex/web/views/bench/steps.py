"""The ledger's actions: switch, move, remove and change a step; a crop's window and shape."""

from typing import Annotated

from fastapi import APIRouter, Depends, Form, Request
from starlette.responses import HTMLResponse

from lucidex.core.document import PictureDocument
from lucidex.core.errors import OutOfRangeError
from lucidex.core.steps import finding
from lucidex.core.steps.base import plain
from lucidex.services.bench import steps
from lucidex.services.bench.steps import changed
from lucidex.services.intake.intake import copy_picture
from lucidex.services.pictures import edits
from lucidex.services.pictures.documents import Alter, read_picture
from lucidex.web.request.admission import PREVIEWS
from lucidex.web.request.body_limits import read_form
from lucidex.web.request.security import TOKEN_FIELD, check_csrf
from lucidex.web.shell.templating import partial
from lucidex.web.views.bench.request import AtBench, Bench

router = APIRouter(
    prefix="/pictures/{picture_id}/steps/{step_id}", dependencies=[Depends(check_csrf)], include_in_schema=False
)


async def form_values(request: Request) -> dict[str, str]:
    """The fields of a step's plain form, whatever the step declares; without the protection's own field."""
    return {key: str(value) for key, value in (await read_form(request)).items() if key != TOKEN_FIELD}


def _alter(at: AtBench, step_id: str, summary: str, alter: Alter) -> None:
    at.change(f"{summary}: {plain(at.step(step_id).step.sentence())}", alter)


@router.post("/switch")
def switch(at: Bench, step_id: str, active: Annotated[bool, Form()] = False) -> HTMLResponse:
    """Let a step count or not."""
    _alter(at, step_id, "Switched on" if active else "Switched off", edits.switch_step(step_id, active))
    return at.show(at.place, at.open)


@router.post("/remove")
def remove_step(at: Bench, step_id: str) -> HTMLResponse:
    """Take a step out of the list."""
    _alter(at, step_id, "Removed", edits.remove_step(step_id))
    return at.show(at.place)


@router.post("/move")
def move_step(at: Bench, step_id: str, by: Annotated[int, Form(ge=-200, le=200)]) -> HTMLResponse:
    """Move a step up or down."""
    _alter(at, step_id, "Moved", edits.move_step(step_id, by))
    return at.show(at.place, step_id)


@router.post("/change", dependencies=[PREVIEWS])
def change_step(at: Bench, step_id: str, form: Annotated[dict[str, str], Depends(form_values)]) -> HTMLResponse:
    """Give a step other parameters, from its plain form."""
    step = changed(at.app.renderer, at.state, step_id, {**form})
    at.change(f"Changed: {plain(step.sentence())}", edits.replace_step(step_id, step))
    return at.show(at.place, step_id)


@router.post("/find", dependencies=[PREVIEWS])
def find_again(at: Bench, step_id: str) -> HTMLResponse:
    """Let an automatic step look at the picture again, as it is by now."""
    step = at.step(step_id).step
    if not finding.looks_by_itself(step):
        raise OutOfRangeError("This step finds nothing by itself.")
    found = steps.found_again(at.app.renderer, at.state, step_id, finding.looking_anew(step))
    at.change(f"Found again: {plain(found.sentence())}", edits.replace_step(step_id, found))
    return at.show(at.place, step_id)


@router.post("/duplicate")
def duplicate_step(at: Bench, step_id: str) -> HTMLResponse:
    """The same step once more."""
    _alter(at, step_id, "Duplicated", edits.duplicate_step(step_id))
    return at.show(at.place, step_id)


@router.post("/before/{other_id}")
def put_before(at: Bench, step_id: str, other_id: str) -> HTMLResponse:
    """Put a step before another one, as the ledger advises."""
    _alter(at, step_id, "Put first", edits.put_before(step_id, other_id))
    return at.show(at.place, at.open)


@router.post("/part")
def part_as_picture(at: Bench, step_id: str) -> HTMLResponse:
    """The picture up to and with this step becomes a picture of its own in the same folio."""
    state = at.state
    index = state.document.steps.index(at.step(step_id))
    document = PictureDocument(steps=state.document.steps[: index + 1])
    made = copy_picture(at.app.workshop, at.actor, at.picture_id, document, "part", "Made from a part")
    message = partial(
        at.request, "bench/part_made.html", made=made, name=read_picture(at.app.workshop, at.actor, made).file_name
    )
    return HTMLResponse(bytes(at.show(at.place, step_id).body) + bytes(message.body))
