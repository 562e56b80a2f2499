"""Looks, chosen on the picture itself."""

from typing import Annotated

from fastapi import APIRouter, Depends, Form, Query
from starlette.responses import HTMLResponse, Response

from lucidex.core.geometry.sizes import Size
from lucidex.core.steps.base import expect, plain
from lucidex.core.steps.looks import LookStep, all_looks, look_named
from lucidex.services.pictures import edits
from lucidex.services.rendering.render_requests import for_screen
from lucidex.web.request.admission import PREVIEWS
from lucidex.web.request.security import check_csrf
from lucidex.web.views.bench.control import Control
from lucidex.web.views.bench.request import AtBench, Bench

router = APIRouter(
    prefix="/pictures/{picture_id}/steps/{step_id}", dependencies=[Depends(check_csrf)], include_in_schema=False
)

LOOK_EDGE = 168


@router.post("/look")
def choose_look(at: Bench, step_id: str, name: Annotated[str, Form(max_length=40)]) -> HTMLResponse:
    """Another look with the same strength."""
    chosen = _with_look(at, step_id, name)
    at.change(plain(chosen.sentence()), edits.replace_step(step_id, chosen))
    return at.show(at.place, step_id)


@router.get("/look", dependencies=[PREVIEWS])
def look_preview(at: Bench, step_id: str, name: Annotated[str, Query(max_length=40)]) -> Response:
    """The picture with another look, small, to choose by."""
    state = at.state
    document = edits.replace_step(step_id, _with_look(at, step_id, name))(state.document, state.facts)
    rendering = for_screen(at.app.workshop, state, Size(LOOK_EDGE, LOOK_EDGE), document)
    content = at.app.renderer.screen.preview(rendering)
    return Response(content, media_type=rendering.format.output.media_type, headers={"Cache-Control": "no-store"})


def _with_look(at: AtBench, step_id: str, name: str) -> LookStep:
    step = expect(at.step(step_id).step, LookStep, "This step is no look.")
    return step.model_copy(update={"recipe": look_named(name)})


CONTROL = Control("look", values=lambda app, actor: all_looks(), routes=router)
