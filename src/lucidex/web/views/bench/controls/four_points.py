"""Four points on the picture, and the true shape of what they surround."""

from typing import Annotated

from fastapi import APIRouter, Depends, Form
from starlette.responses import HTMLResponse

from lucidex.core.errors import NotUnderstoodError, OutOfRangeError
from lucidex.core.geometry.sizes import Point
from lucidex.core.steps import StepEntry
from lucidex.core.steps.base import expect, plain
from lucidex.core.steps.perspective import FourPoints, is_convex
from lucidex.services.bench.steps import changed
from lucidex.services.pictures import edits
from lucidex.services.pictures.documents import PictureState
from lucidex.services.rendering.render_requests import up_to
from lucidex.web.request.admission import PREVIEWS
from lucidex.web.request.security import check_csrf
from lucidex.web.views.bench.control import Control
from lucidex.web.views.bench.request import Bench, Pixels
from lucidex.web.views.bench.stage import StageValues, point_values, whole

router = APIRouter(
    prefix="/pictures/{picture_id}/steps/{step_id}", dependencies=[Depends(check_csrf)], include_in_schema=False
)


def _stage(state: PictureState, entry: StepEntry) -> StageValues:
    step = expect(entry.step, FourPoints, "This step has no points.")
    document = up_to(state.document, entry.id)
    quad = step.quad(document.geometry(state.facts.upright))
    post = f"/pictures/{state.picture_id}/steps/{entry.id}/points"
    seen = whole(state, document, entry.id)
    return seen | {"mode": "quad", "points": [point_values(point) for point in quad], "post": post}


@router.post("/points")
def pull_points(
    at: Bench,
    step_id: str,
    x1: Pixels,
    y1: Pixels,
    x2: Pixels,
    y2: Pixels,
    x3: Pixels,
    y3: Pixels,
    x4: Pixels,
    y4: Pixels,
) -> HTMLResponse:
    """Four points, clockwise from the top left, in pixels of the picture before the step."""
    step = expect(at.step(step_id).step, FourPoints, "This step has no points.")
    points = (Point(x1, y1), Point(x2, y2), Point(x3, y3), Point(x4, y4))
    if not is_convex(points):
        raise OutOfRangeError("The four points must go round a four-sided shape, without crossing.")
    pulled = step.put_on(at.geometry_before(step_id), points)
    at.change(plain(pulled.sentence()), edits.replace_step(step_id, pulled))
    return at.show(at.place, step_id)


@router.post("/shape-known", dependencies=[PREVIEWS])
def know_shape(at: Bench, step_id: str, shape: Annotated[str, Form(max_length=20)] = "") -> HTMLResponse:
    """The true shape of what the four points surround, where somebody knows it; nothing lets it be computed."""
    known = _known_shape(shape)
    step = changed(at.app.renderer, at.state, step_id, known)
    at.change(plain(step.sentence()), edits.replace_step(step_id, step))
    return at.show(at.place, step_id)


def _known_shape(text: str) -> dict[str, object]:
    if not text.strip():
        return {"across": None, "down": None}
    numbers = [part.strip() for part in text.replace("/", ":").split(":")]
    if len(numbers) != 2 or not all(number.isdigit() for number in numbers):
        raise NotUnderstoodError("Write a shape such as 210:297, or leave it empty to have it computed.")
    return {"across": int(numbers[0]), "down": int(numbers[1])}


CONTROL = Control("four_points", stage=_stage, routes=router)
