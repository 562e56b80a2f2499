"""White balance by a click on what should be grey."""

from typing import Annotated

from fastapi import APIRouter, Depends, Form
from starlette.responses import HTMLResponse

from lucidex.core.steps import StepEntry
from lucidex.core.steps.base import expect, plain
from lucidex.core.steps.colour import Balance
from lucidex.services.bench.steps import grey_at
from lucidex.services.pictures import edits
from lucidex.services.pictures.documents import PictureState
from lucidex.web.request.admission import PREVIEWS
from lucidex.web.request.security import check_csrf
from lucidex.web.views.bench.control import Control
from lucidex.web.views.bench.request import Bench
from lucidex.web.views.bench.stage import StageValues, with_draft

router = APIRouter(
    prefix="/pictures/{picture_id}/steps/{step_id}", dependencies=[Depends(check_csrf)], include_in_schema=False
)

Spot = Annotated[float, Form(ge=-100_000, le=100_000, allow_inf_nan=False)]


def _stage(state: PictureState, entry: StepEntry) -> StageValues:
    post = f"/pictures/{state.picture_id}/steps/{entry.id}/grey"
    return with_draft(state, entry) | {"mode": "grey", "post": post}


@router.post("/grey", dependencies=[PREVIEWS])
def make_grey(at: Bench, step_id: str, x: Spot, y: Spot) -> HTMLResponse:
    """A spot of the prepared picture (its pixels) that should be grey."""
    balance = expect(at.step(step_id).step, Balance, "Only a white balance can make something grey.")
    step = grey_at(at.app.renderer, at.app.workshop, at.state, balance, x, y)
    at.change(f"Made grey: {plain(step.sentence())}", edits.replace_step(step_id, step))
    return at.show(at.place, step_id)


CONTROL = Control("balance", stage=_stage, routes=router)
