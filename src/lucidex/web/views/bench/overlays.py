"""What is drawn onto the finished size: seen over the stage, and counted in one place or in every one."""

from typing import Annotated

from fastapi import APIRouter, Depends, Form, Query
from starlette.responses import HTMLResponse, Response

from lucidex.core.errors import OutOfRangeError
from lucidex.core.places.output_id import OutputId
from lucidex.core.steps.base import Band, plain
from lucidex.services.pictures import edits
from lucidex.services.rendering.render_requests import in_place
from lucidex.web.pixels.files import FOREVER
from lucidex.web.request.admission import PREVIEWS
from lucidex.web.request.security import check_csrf
from lucidex.web.views.bench.request import Bench

router = APIRouter(prefix="/pictures/{picture_id}", dependencies=[Depends(check_csrf)], include_in_schema=False)


@router.get("/places/{place_id}/overlay", dependencies=[PREVIEWS])
def show_overlay(at: Bench, place_id: int, v: Annotated[str, Query(max_length=64)] = "") -> Response:
    """All that is drawn onto the finished size in a place, alone on a clear ground, whatever it is."""
    row, demand = at.hung(place_id)
    rendering = in_place(at.app.workshop, at.state, OutputId.of(str(row.id)), demand, row.name).rendering
    kept = FOREVER if v == rendering.overlay_key else "no-store"
    return Response(
        at.app.renderer.screen.overlay(rendering), media_type="image/png", headers={"Cache-Control": kept}
    )


@router.post("/steps/{step_id}/only")
def count_only(at: Bench, step_id: str, only: Annotated[bool, Form()] = False) -> HTMLResponse:
    """Let a step on the finished size count in the chosen place alone, or in every one."""
    entry = at.step(step_id)
    if entry.step.band is not Band.FINISH:
        raise OutOfRangeError("This step belongs to the picture, so it counts in every place.")
    if at.place is None:
        raise OutOfRangeError("Choose a place first.")
    row, _ = at.hung(at.place)
    message = f"Only in “{row.name}”" if only else "In every place"
    at.change(
        f"{message}: {plain(entry.step.sentence())}", edits.count_only_in(step_id, str(row.id) if only else None)
    )
    return at.show(at.place, step_id)
