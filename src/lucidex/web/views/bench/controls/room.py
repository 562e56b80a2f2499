"""How much room is added: on each side, to a shape, or to an exact size."""

from typing import Annotated

from fastapi import APIRouter, Depends
from starlette.responses import HTMLResponse

from lucidex.core.errors import NotUnderstoodError
from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.steps.base import expect, plain
from lucidex.core.steps.room import Room
from lucidex.services.bench.steps import changed
from lucidex.services.pictures import edits
from lucidex.web.request.admission import PREVIEWS
from lucidex.web.request.security import check_csrf
from lucidex.web.views.bench.control import Control
from lucidex.web.views.bench.request import Bench
from lucidex.web.views.bench.steps import form_values

router = APIRouter(
    prefix="/pictures/{picture_id}/steps/{step_id}", dependencies=[Depends(check_csrf)], include_in_schema=False
)


@router.post("/extent", dependencies=[PREVIEWS])
def set_room(at: Bench, step_id: str, form: Annotated[dict[str, str], Depends(form_values)]) -> HTMLResponse:
    """How much room there is: on each side, to a shape, or to an exact size."""
    step = expect(at.step(step_id).step, Room, "This step adds no room.")
    extent = room_to(step, at.geometry_before(step_id), form)
    wider = changed(at.app.renderer, at.state, step_id, {"extent": extent})
    at.change(f"Changed: {plain(wider.sentence())}", edits.replace_step(step_id, wider))
    return at.show(at.place, step_id)


def room_to(step: Room, geometry: PictureGeometry, form: dict[str, str]) -> dict[str, object]:
    """The extent meant by a form: another way to say it begins with what the picture has."""
    by = form.get("by", step.extent.by)
    if by != step.extent.by:
        size = step.extent.wanted(geometry.size)
        starts: dict[str, dict[str, object]] = {
            "sides": {"left_px": 40, "top_px": 40, "right_px": 40, "bottom_px": 40},
            "shape": {"across": 1, "down": 1},
            "size": {"width_px": size.width, "height_px": size.height},
        }
        if by not in starts:
            raise NotUnderstoodError("Room is added on the sides, to a shape, or to a size.")
        return {"by": by, **starts[by]}
    return {"by": by, **{name: value for name, value in form.items() if name != "by"}}


CONTROL = Control("room", routes=router)
