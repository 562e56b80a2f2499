"""What is looked at while tone is set: drafts of a moving control, histograms, the colour at a spot, looks."""

import json
import math
from typing import Annotated

from fastapi import APIRouter, Depends, Form, Query
from starlette.responses import HTMLResponse, JSONResponse, Response

from lucidex.core.document import PictureDocument
from lucidex.core.errors import OutOfRangeError
from lucidex.core.geometry.sizes import Point, Size, Window
from lucidex.core.picture.tone.clipping import Histogram, colour_at, histogram
from lucidex.core.steps.bands import ToneStep
from lucidex.core.steps.base import Stage, expect, plain
from lucidex.core.steps.curve import as_curve, as_levels, can_become_curve, can_become_levels
from lucidex.services.bench.steps import changed
from lucidex.services.pictures import edits
from lucidex.services.rendering.render_requests import for_screen, on_screen, part_for_screen, without_steps
from lucidex.web.pixels.files import Edge, Part, window_of
from lucidex.web.request.admission import PREVIEWS
from lucidex.web.request.security import check_csrf
from lucidex.web.views.bench.request import AtBench, Bench

router = APIRouter(prefix="/pictures/{picture_id}", dependencies=[Depends(check_csrf)], include_in_schema=False)

HISTOGRAM_EDGE = 640
LOOK_EDGE = 168
Pixels = Annotated[float, Query(ge=-100_000, le=100_000, allow_inf_nan=False)]
Spot = Annotated[float, Form(ge=-100_000, le=100_000, allow_inf_nan=False)]
_ABOUT_THE_SCREEN = {"w", "h", "part", "place", "open"}


@router.get("/steps/{step_id}/draft", dependencies=[PREVIEWS])
def draft(at: Bench, step_id: str, w: Edge, h: Edge, part: Part = None) -> Response:
    """The picture with other parameters of a step, while its control moves; nothing is changed by it."""
    parameters = {name: value for name, value in at.request.query_params.items() if name not in _ABOUT_THE_SCREEN}
    state = at.state
    step = changed(at.app.renderer, state, step_id, {**parameters})
    document = edits.replace_step(step_id, step)(state.document, state.facts)
    rendering = on_screen(at.app.workshop, state, document, Size(w, h), window_of(part))
    content, pixels = at.app.renderer.screen.draft(rendering)
    headers = {
        "Cache-Control": "no-store",
        "X-Histogram": json.dumps(vars(histogram(pixels)), separators=(",", ":")),
    }
    return Response(content, media_type=rendering.format.output.media_type, headers=headers)


@router.get("/histogram", dependencies=[PREVIEWS])
def read_histogram(at: Bench, without: Annotated[str | None, Query(max_length=30)] = None) -> JSONResponse:
    """The histogram of the picture as it is, and as it would be without a step."""
    document = at.state.document
    shown = {"now": vars(_histogram(at, document))}
    if without is not None:
        at.step(without)
        shown["before"] = vars(_histogram(at, without_steps(document, {without})))
    return JSONResponse(shown)


def _histogram(at: AtBench, document: PictureDocument) -> Histogram:
    rendering = for_screen(at.app.workshop, at.state, Size(HISTOGRAM_EDGE, HISTOGRAM_EDGE), document)
    return histogram(at.app.renderer.screen.pixels(rendering))


@router.get("/sample", dependencies=[PREVIEWS])
def sample(at: Bench, x: Pixels, y: Pixels, w: Edge | None = None, h: Edge | None = None) -> JSONResponse:
    """The colour at a spot of the prepared picture (its pixels), as it is now and before its tone.

    Read from the picture as it is drawn within w × h, or at its own pixels where those are not given.
    """
    state = at.state
    toned = {entry.id for entry in state.document.steps if entry.step.stage is Stage.TONE}
    seen = Size(w, h) if w and h else None
    now, before = (
        _colour(at, document, Point(x, y), seen)
        for document in (state.document, without_steps(state.document, toned))
    )
    return JSONResponse({"now": now, "before": before})


def _colour(at: AtBench, document: PictureDocument, spot: Point, seen: Size | None) -> list[int] | None:
    size = at.state.geometry.size
    if not (0 <= spot.x < size.width and 0 <= spot.y < size.height):
        return None
    if seen is None:
        around = Window(math.floor(spot.x) - 1, math.floor(spot.y) - 1, 3, 3)
        rendering = part_for_screen(at.app.workshop, at.state, around, Size(3, 3), document)
        share = Point(0.5, 0.5)
    else:
        rendering = for_screen(at.app.workshop, at.state, seen, document)
        share = Point(spot.x / size.width, spot.y / size.height)
    found = colour_at(at.app.renderer.screen.pixels(rendering), share.x, share.y)
    return list(found) if found else None


@router.post("/steps/{step_id}/carry-on")
def carry_on(at: Bench, step_id: str, way: Annotated[str, Form(pattern="^(levels|curve)$")]) -> HTMLResponse:
    """Open a simple correction as levels or as a curve that does the same."""
    step = at.step(step_id).step
    otherwise = "This step cannot be carried on like that."
    if not (can_become_levels(step) if way == "levels" else can_become_curve(step)):
        raise OutOfRangeError(otherwise)
    step = expect(step, ToneStep, otherwise)
    after = as_levels(step) if way == "levels" else as_curve(step)
    at.change(f"Carried on: {plain(after.sentence())}", edits.replace_step(step_id, after))
    return at.show(at.place, step_id)
