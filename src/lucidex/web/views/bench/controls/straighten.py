"""A line drawn along something that should be level or upright."""

from fastapi import APIRouter, Depends
from starlette.responses import HTMLResponse

from lucidex.core.errors import OutOfRangeError
from lucidex.core.geometry.sizes import Point
from lucidex.core.steps import StepEntry
from lucidex.core.steps.base import expect, plain
from lucidex.core.steps.straighten import MAX_ANGLE, Straighten, level_angle
from lucidex.services.pictures import edits
from lucidex.services.pictures.documents import PictureState
from lucidex.web.request.security import check_csrf
from lucidex.web.views.bench.control import Control
from lucidex.web.views.bench.request import Bench, Pixels
from lucidex.web.views.bench.stage import StageValues, just_after, whole

router = APIRouter(
    prefix="/pictures/{picture_id}/steps/{step_id}", dependencies=[Depends(check_csrf)], include_in_schema=False
)


def _stage(state: PictureState, entry: StepEntry) -> StageValues:
    post = f"/pictures/{state.picture_id}/steps/{entry.id}/line"
    return whole(state, *just_after(state, entry)) | {"mode": "level", "post": post}


@router.post("/line")
def level_by_line(at: Bench, step_id: str, x1: Pixels, y1: Pixels, x2: Pixels, y2: Pixels) -> HTMLResponse:
    """A line drawn on the straightened picture (its pixels): it becomes level or upright, whichever is nearer."""
    step = expect(at.step(step_id).step, Straighten, "This step takes no line.")
    angle = round(step.angle_degrees + level_angle(Point(x1, y1), Point(x2, y2)), 3)
    if abs(angle) > MAX_ANGLE:
        raise OutOfRangeError(f"That would turn by {angle:.0f}°. Turn by a quarter first, then straighten the rest.")
    levelled = step.model_copy(update={"angle_degrees": angle})
    at.change(plain(levelled.sentence()), edits.replace_step(step_id, levelled))
    return at.show(at.place, step_id)


CONTROL = Control("straighten", stage=_stage, routes=router)
