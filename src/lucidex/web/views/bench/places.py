"""The wall's actions on one picture in one place: framing, format, the place itself."""

from typing import Annotated

from fastapi import APIRouter, Depends, Form, Query
from starlette.responses import HTMLResponse

from lucidex.core.document import framing_of_window, geometry_name
from lucidex.core.encode import FormatName
from lucidex.core.errors import OutOfRangeError
from lucidex.core.geometry.picture_geometry import Remedy
from lucidex.core.geometry.sizes import Window, largest_within
from lucidex.core.places.book import BookPlace, Purpose
from lucidex.core.places.demand import amended
from lucidex.core.places.measures import MAX_TIMES
from lucidex.core.places.output_id import OutputId
from lucidex.services.pictures import edits
from lucidex.services.pictures.framing import middle, next_proposal
from lucidex.services.places import places
from lucidex.services.places.book import add_own
from lucidex.services.rendering.render_requests import usual_format
from lucidex.web.request.admission import PREVIEWS
from lucidex.web.request.security import check_csrf
from lucidex.web.shell.templating import partial
from lucidex.web.views.bench.request import Bench, Pixels
from lucidex.web.views.bench.view import OPEN_FRAMING, OPEN_OUTPUT, OPEN_RULE
from lucidex.web.views.places.form import PlaceForm, linked_fields

router = APIRouter(
    prefix="/pictures/{picture_id}/places/{place_id}", dependencies=[Depends(check_csrf)], include_in_schema=False
)


@router.post("/framing")
def transform_geometry(
    at: Bench, place_id: int, left: Pixels, top: Pixels, width: Pixels, height: Pixels
) -> HTMLResponse:
    """The part that a place shows, dragged or typed, in pixels of the prepared picture."""
    row, demand = at.hung(place_id)
    if width <= 0:
        raise OutOfRangeError("The part that is shown must be wider than nothing.")
    geometry = at.state.geometry
    size = at.state.placement(str(place_id), demand).drawn
    framing = framing_of_window(geometry, size, Window(left, top, width, height))
    at.change(f"Framed for “{row.name}”", edits.set_framing(place_id, framing))
    return at.show(place_id, at.open)


@router.post("/framing/suggest", dependencies=[PREVIEWS])
def suggest_framing(at: Bench, place_id: int) -> HTMLResponse:
    """The next proposal of the picture's own."""
    row, demand = at.hung(place_id)
    framing = next_proposal(at.app.workshop, at.state, str(place_id), demand)
    number = (framing.proposal or 0) + 1 if framing else 1
    at.change(f"Proposal {number} for “{row.name}”", edits.set_framing(place_id, framing))
    return at.show(place_id, OPEN_FRAMING)


@router.post("/framing/middle")
def frame_middle(at: Bench, place_id: int) -> HTMLResponse:
    """Show the middle of the picture."""
    row, demand = at.hung(place_id)
    at.change(f"The middle for “{row.name}”", edits.set_framing(place_id, middle(at.state, str(place_id), demand)))
    return at.show(place_id, OPEN_FRAMING)


@router.post("/framing/clear")
def unframe(at: Bench, place_id: int) -> HTMLResponse:
    """Leave the framing to the place again."""
    row, _ = at.hung(place_id)
    at.change(f"Framing of “{row.name}” left to the place", edits.set_framing(place_id, None))
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
    output = OutputId.of(str(place_id))
    placement, is_clear = state.placement(str(place_id), demand), state.facts.has_clear_areas
    has_clear = state.document.comes_out_clear(state.geometry, placement, str(place_id), demand, is_clear)
    before, _ = state.document.written_as(output, demand, usual_format(state, state.document, placement, has_clear))
    kept = quality if before == format else None
    chosen = state.document.settings(output).model_copy(update={"format": format, "quality": kept})
    summary = f"Written as {format.label}" + (f" at quality {kept}" if kept else "") + f" for “{row.name}”"
    at.change(summary, edits.set_output(output, chosen))
    return at.show(place_id, OPEN_OUTPUT)


@router.post("/multiple")
def choose_multiple(at: Bench, place_id: int, times: Annotated[int, Form(ge=0, le=MAX_TIMES)] = 0) -> HTMLResponse:
    """Which multiple this picture takes in this place; 0 leaves it to the nearest."""
    row, _ = at.hung(place_id)
    output = OutputId.of(str(place_id))
    settings = at.state.document.settings(output).model_copy(update={"times": times or None})
    summary = f"{times} times the size for “{row.name}”" if times else f"The nearest multiple for “{row.name}”"
    at.change(summary, edits.set_output(output, settings))
    return at.show(place_id, OPEN_RULE)


@router.post("/framing/accept")
def accept_framing(at: Bench, place_id: int) -> HTMLResponse:
    """Say that a framing which moved with the picture is right as it is."""
    row, _ = at.hung(place_id)
    state = at.state
    framing = state.document.framings.get(str(place_id))
    if framing is not None:
        kept = framing.model_copy(update={"made_for": geometry_name(state.geometry), "proposal": None})
        at.change(f"Framing of “{row.name}” found right", edits.set_framing(place_id, kept))
    return at.show(place_id, at.open)


@router.post("/too-large")
def place_too_large(at: Bench, place_id: int, which: Annotated[Remedy, Form()]) -> HTMLResponse:
    """Where a place exceeds the picture: the largest of its shape, or room around instead of enlarging."""
    row, demand = at.hung(place_id)
    geometry = at.state.geometry
    if which is Remedy.LARGEST:
        size = largest_within(demand.size_for(geometry.size), geometry.size)
        demand = amended(demand, measure={"by": "size", "width_px": size.width, "height_px": size.height})
    elif which is Remedy.ROOM:
        demand = amended(demand, rule="contain", enlarges=False)
    places.change_place(at.app.workshop, at.actor, place_id, row.version, demand, row.name)
    return at.show(place_id)


@router.get("/size")
def linked_size(at: Bench, place_id: int, form: Annotated[PlaceForm, Query()]) -> HTMLResponse:
    """The linked numbers of the form after one of them was changed; nothing is recorded."""
    _, before = at.hung(place_id)
    values = linked_fields(form, before, at.state.geometry.size).values
    return partial(at.request, "places/size.html", **values, size_address=at.request.url.path)


@router.post("/demand")
def change_demand(at: Bench, place_id: int, form: Annotated[PlaceForm, Form()]) -> HTMLResponse:
    """Change the place itself, for every picture of the folio."""
    _, before = at.hung(place_id)
    places.change_place(at.app.workshop, at.actor, place_id, form.place_version, form.demand(before), form.name)
    return at.show(place_id, OPEN_RULE)


@router.post("/keep")
def keep_in_book(at: Bench, place_id: int, purpose: Annotated[Purpose, Form()] = Purpose.SITE) -> HTMLResponse:
    """Write the place into one's own book of places."""
    row, demand = at.hung(place_id)
    add_own(at.app.workshop, at.actor, BookPlace(purpose=purpose, name=row.name, demand=demand))
    message = partial(at.request, "bench/kept_in_book.html", name=row.name)
    return HTMLResponse(bytes(at.show(place_id, OPEN_RULE).body) + bytes(message.body))


@router.post("/take-down")
def take_down(at: Bench, place_id: int) -> HTMLResponse:
    """Take a place off the wall, and offer to hang it again."""
    row, _ = at.hung(place_id)
    places.take_down(at.app.workshop, at.actor, place_id)
    response = at.show()
    offer = partial(at.request, "bench/taken_down.html", row=row, picture_id=at.picture_id)
    return HTMLResponse(bytes(response.body) + bytes(offer.body))


@router.post("/hang-again")
def hang_again(at: Bench, place_id: int) -> HTMLResponse:
    """Put a place back on the wall."""
    at.hung(place_id)
    places.hang_again(at.app.workshop, at.actor, place_id)
    return at.show(place_id)
