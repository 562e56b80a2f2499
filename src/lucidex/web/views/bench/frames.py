"""The frames on the wall: files that are still to be made, asked for and answered together."""

from typing import Annotated

from fastapi import APIRouter, Query
from starlette.responses import HTMLResponse

from lucidex.services.folios.folios import read_folio
from lucidex.web.request.admission import FILES
from lucidex.web.shell.templating import render
from lucidex.web.views.bench.request import Bench
from lucidex.web.views.bench.view import place_views, weighed, with_result

router = APIRouter(prefix="/pictures/{picture_id}", include_in_schema=False)

Seat = Annotated[str, Query(pattern=r"^\d{1,18}:\d{1,4}x\d{1,4}$")]


@router.get("/frames", dependencies=[FILES])
def frames(at: Bench, on: Annotated[list[Seat], Query(max_length=60)]) -> HTMLResponse:
    """The frames of some places, once their files are made; each at the width and height at which it hangs."""
    seats = {int(place): tuple(map(int, size.split("x"))) for place, _, size in (one.partition(":") for one in on)}
    folio = read_folio(at.app.workshop, at.actor, at.state.folio_id)
    views = place_views(at.app, at.state, [place for place in folio.places if place.id in seats])
    made = at.app.renderer.files.render_together(
        [view.placed.rendering for view in views if view.placed and view.is_missing]
    )
    parts = []
    for view in views:
        done = weighed(at.app, at.picture_id, with_result(view, made) if view.is_missing else view)
        if done.placed is not None and done.result is not None:
            named = (at.actor.id, at.picture_id, done.place.id, done.result.key)
            at.app.frames.put(named, (done.result.blob_sha256, done.placed.rendering.format.output.media_type))
        width, height = seats[done.place.id]
        values = {"picture_id": at.picture_id, "place_view": done, "width": width, "height": height}
        parts.append(render(at.request, "bench/frame.html", **values))
    return HTMLResponse("".join(parts))
