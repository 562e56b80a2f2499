"""The wall's actions on one picture in one place: framing, format, the place itself."""

from typing import Annotated

from fastapi import APIRouter, Depends, Form
from starlette.responses import HTMLResponse

from lucidex.core.document import Framing, Output, framing_of_window
from lucidex.core.encode import FormatName
from lucidex.core.errors import OutOfRangeError
from lucidex.core.geometry import Window
from lucidex.core.places import read_demand
from lucidex.core.units import parse_weight
from lucidex.services import changes, places
from lucidex.web.bench_view import OPEN_FRAMING, OPEN_OUTPUT, OPEN_RULE
from lucidex.web.pages.at_bench import Bench
from lucidex.web.pages.bench_steps import Pixels
from lucidex.web.security import check_csrf
from lucidex.web.templating import partial

router = APIRouter(
    prefix="/pictures/{picture_id}/places/{place_id}", dependencies=[Depends(check_csrf)], include_in_schema=False
)


@router.post("/framing")
def reframe(at: Bench, place_id: int, left: Pixels, top: Pixels, width: Pixels, height: Pixels) -> HTMLResponse:
    """The part that a place shows, dragged or typed, in pixels of the prepared picture."""
    row, demand = at.hung(place_id)
    if width <= 0:
        raise OutOfRangeError("The part that is shown must be wider than nothing.")
    frame = at.state.frame
    framing = framing_of_window(frame, demand.size_for(frame.size), Window(left, top, width, height))
    at.change(f"Framed for “{row.name}”", changes.frame(place_id, framing))
    return at.show(place_id, at.open)


@router.post("/framing/suggest")
def suggest_framing(at: Bench, place_id: int) -> HTMLResponse:
    """Put the spot that draws attention into the middle; how close it is stays."""
    row, _ = at.hung(place_id)
    state = at.state
    focal = at.app.renderer.suggest_focal_point(state)
    zoom = state.document.framings.get(str(place_id), Framing()).zoom
    framing = Framing(focal_x=focal.x, focal_y=focal.y, zoom=zoom)
    at.change(f"Framed for “{row.name}” by what draws attention", changes.frame(place_id, framing))
    return at.show(place_id, OPEN_FRAMING)


@router.post("/framing/clear")
def unframe(at: Bench, place_id: int) -> HTMLResponse:
    """Leave the framing to the place again."""
    row, _ = at.hung(place_id)
    at.change(f"Framing of “{row.name}” left to the place", changes.frame(place_id, None))
    return at.show(place_id, OPEN_FRAMING)


@router.post("/output")
def choose_output(
    at: Bench,
    place_id: int,
    format: Annotated[FormatName, Form()],
    quality: Annotated[int | None, Form(ge=1, le=100)] = None,
) -> HTMLResponse:
    """Format and quality of this picture in this place; another format begins at its own usual quality."""
    row, demand = at.hung(place_id)
    state = at.state
    before, _ = state.document.output(str(place_id), demand, state.facts.has_clear_areas)
    kept = quality if before is format else None
    did = f"Written as {format.label}" + (f" at quality {kept}" if kept else "") + f" for “{row.name}”"
    at.change(did, changes.set_output(place_id, Output(format=format, quality=kept)))
    return at.show(place_id, OPEN_OUTPUT)


@router.post("/demand")
def change_demand(
    at: Bench,
    place_id: int,
    place_version: Annotated[int, Form()],
    name: Annotated[str, Form(max_length=500)],
    size: Annotated[str, Form(max_length=100)],
    rule: Annotated[str, Form(max_length=20)],
    anchor: Annotated[str, Form(max_length=20)],
    ground: Annotated[str, Form(max_length=7)] = "#ffffff",
    clear: Annotated[bool, Form()] = False,
    ceiling: Annotated[str, Form(max_length=40)] = "",
) -> HTMLResponse:
    """Change the place itself, for every picture of the folio."""
    _, before = at.hung(place_id)
    typed = read_demand(size)
    parts: dict[str, object] = {
        "measure": typed.measure.model_dump(mode="json"),
        "rule": rule,
        "anchor": anchor,
        "ground": "clear" if clear else ground,
        "max_bytes": parse_weight(ceiling) if ceiling.strip() else None,
    }
    if typed.pixels_per_inch is not None:
        parts["pixels_per_inch"] = typed.pixels_per_inch
    demand = places.amended(before, **parts)
    places.change_place(at.app.workshop, at.who, place_id, place_version, demand, name)
    return at.show(place_id, OPEN_RULE)


@router.post("/take-down")
def take_down(at: Bench, place_id: int) -> HTMLResponse:
    """Take a place off the wall, and offer to hang it again."""
    row, _ = at.hung(place_id)
    places.take_down(at.app.workshop, at.who, place_id)
    response = at.show()
    offer = partial(at.request, "bench/taken_down.html", row=row, picture_id=at.picture_id)
    return HTMLResponse(bytes(response.body) + bytes(offer.body))


@router.post("/hang-again")
def hang_again(at: Bench, place_id: int) -> HTMLResponse:
    """Put a place back on the wall."""
    at.hung(place_id)
    places.hang_again(at.app.workshop, at.who, place_id)
    return at.show(place_id)
