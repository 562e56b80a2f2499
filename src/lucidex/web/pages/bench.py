"""Prepare: the bench. Every change answers with the bench as it is afterwards."""

import secrets
from typing import Annotated, Any

from fastapi import APIRouter, Depends, Form, Header, Query, Request
from starlette.responses import HTMLResponse

from lucidex.core.document import Output, framing_of_window
from lucidex.core.encode import FormatName
from lucidex.core.errors import NotFoundError, NotUnderstoodError, OutOfRangeError, SaidError
from lucidex.core.geometry import Box, Size, Window
from lucidex.core.places import demand_words, read_demand
from lucidex.core.reading import ReadPlace, ReadStep, read_line, suggestions
from lucidex.core.steps import all_offers
from lucidex.core.steps.base import plain
from lucidex.core.steps.crop import Crop, crop_box, free_area, moved_area
from lucidex.core.units import parse_weight
from lucidex.records.models import Place as PlaceRow
from lucidex.services import changes, places
from lucidex.services.folios import read_folio
from lucidex.services.prepare import Alter, PictureState, change, read_picture, redo, undo
from lucidex.services.results import up_to
from lucidex.web.bench_view import OPEN_FRAMING, OPEN_OUTPUT, OPEN_RULE, bench_view, format_choices
from lucidex.web.context import App, AppContext, SignedIn
from lucidex.web.security import TOKEN_FIELD, check_csrf
from lucidex.web.templating import page, partial

router = APIRouter(dependencies=[Depends(check_csrf)], include_in_schema=False)

Place = Annotated[int | None, Query()]
Open = Annotated[str | None, Query(max_length=30)]
Version = Annotated[int, Header(alias="x-version")]
Pixels = Annotated[float, Form(ge=-100_000, le=100_000, allow_inf_nan=False)]

USUAL_SIZES = (
    ("1920x1080", "wide screen, slide"),
    ("1600x640", "banner"),
    ("1080x1350", "upright post"),
    ("1080x1080", "square post"),
    ("800x420", "card"),
    ("longest 1600", "page, e-mail"),
    ("50 %", "half of its own size"),
    ("100 %", "its own size"),
)


def _bench(
    request: Request,
    app: AppContext,
    who: SignedIn,
    picture_id: int,
    place: int | None,
    open_part: str | None,
) -> HTMLResponse:
    view = bench_view(app, who, picture_id, place, open_part)
    return partial(request, "bench/bench.html", **_values(who, view))


def _values(who: SignedIn, view: object) -> dict[str, Any]:
    return {
        "who": who,
        "view": view,
        "offers": all_offers(),
        "usual_sizes": USUAL_SIZES,
        "formats": format_choices(),
        "plain": plain,
    }


@router.get("/pictures/{picture_id}")
def bench(
    request: Request,
    app: App,
    who: SignedIn,
    picture_id: int,
    place: Place = None,
    open: Open = None,
) -> HTMLResponse:
    """The bench, as a page or as the part that htmx exchanges."""
    view = bench_view(app, who, picture_id, place, open)
    if request.headers.get("hx-request") == "true":
        return partial(request, "bench/bench.html", **_values(who, view))
    return page(request, "bench/page.html", **_values(who, view))


@router.get("/pictures/{picture_id}/contact-sheet")
def contact_sheet(request: Request, app: App, who: SignedIn, picture_id: int, place: Place = None) -> HTMLResponse:
    """The other pictures of the folio."""
    state = read_picture(app.workshop, who, picture_id)
    folio = read_folio(app.workshop, who, state.folio_id)
    return partial(request, "bench/contact_sheet.html", folio=folio, current=picture_id, place=place)


@router.get("/pictures/{picture_id}/reading")
def reading(
    request: Request, app: App, who: SignedIn, picture_id: int, line: str = "", place: Place = None
) -> HTMLResponse:
    """What the typed line would do, before Enter."""
    state = read_picture(app.workshop, who, picture_id)
    folio = read_folio(app.workshop, who, state.folio_id)
    chosen = next((row for row in folio.places if row.id == place), None)
    values: dict[str, object] = {
        "line": line,
        "step": None,
        "demand": None,
        "trouble": None,
        "chosen": chosen,
    }
    if line.strip():
        try:
            read = read_line(line)
            if isinstance(read, ReadPlace):
                values["demand"] = demand_words(read.demand.demand())
            else:
                values["step"] = plain(read.step.sentence())
        except SaidError as error:
            values["trouble"] = error.sentence
    return partial(request, "bench/reading.html", **values, suggestions=suggestions(line))


@router.post("/pictures/{picture_id}/line")
def add_line(
    request: Request,
    app: App,
    who: SignedIn,
    picture_id: int,
    version: Version,
    line: Annotated[str, Form()] = "",
    offer: Annotated[str, Form()] = "",
    change_place: Annotated[bool, Form()] = False,
    place: Place = None,
) -> HTMLResponse:
    """A size hangs (or changes) a place, anything else is a step; `offer` is one picked from the lists."""
    line = offer or line
    read = read_line(line)
    if isinstance(read, ReadPlace):
        state = read_picture(app.workshop, who, picture_id)
        if change_place and place is not None:
            place = _change_typed(app, who, place, line)
        else:
            place = _hang_typed(app, who, state.folio_id, line)
        response = _bench(request, app, who, picture_id, place, None)
    else:
        step_id = secrets.token_hex(6)
        change(
            app.workshop,
            who,
            picture_id,
            version,
            plain(read.step.sentence()),
            changes.add_step(read.step, step_id),
        )
        opened = step_id if isinstance(read.step, Crop) else None
        response = _bench(request, app, who, picture_id, place, opened)
    response.headers["HX-Trigger"] = "line-done"
    return response


def _hang_typed(app: AppContext, who: SignedIn, folio_id: int, line: str) -> int:
    demand = read_demand(line).demand()
    for row in read_folio(app.workshop, who, folio_id).places:
        if places.demand_of(row) == demand:
            return row.id
    return places.hang_place(app.workshop, who, folio_id, demand).id


def _change_typed(app: AppContext, who: SignedIn, place_id: int, line: str) -> int:
    row = places.find_place(app.workshop, who, place_id)
    demand = places.typed_over(places.demand_of(row), read_demand(line))
    return places.change_place(app.workshop, who, row.id, row.version, demand, row.name).id


@router.post("/pictures/{picture_id}/undo")
def take_back(
    request: Request, app: App, who: SignedIn, picture_id: int, version: Version, place: Place = None
) -> HTMLResponse:
    """Take the last change back."""
    undo(app.workshop, who, picture_id, version)
    return _bench(request, app, who, picture_id, place, None)


@router.post("/pictures/{picture_id}/redo")
def make_again(
    request: Request, app: App, who: SignedIn, picture_id: int, version: Version, place: Place = None
) -> HTMLResponse:
    """Make it again."""
    redo(app.workshop, who, picture_id, version)
    return _bench(request, app, who, picture_id, place, None)


@router.post("/pictures/{picture_id}/clear")
def back_to_original(
    request: Request, app: App, who: SignedIn, picture_id: int, version: Version, place: Place = None
) -> HTMLResponse:
    """Take all steps away; itself undoable."""
    change(app.workshop, who, picture_id, version, "Back to the original", changes.clear_steps())
    return _bench(request, app, who, picture_id, place, None)


async def form_values(request: Request) -> dict[str, str]:
    """The fields of a step's plain form, whatever the step declares; without the protection's own field."""
    return {key: str(value) for key, value in (await request.form()).items() if key != TOKEN_FIELD}


def _sentence(state: PictureState, step_id: str) -> str:
    for entry in state.document.steps:
        if entry.id == step_id:
            return plain(entry.step.sentence())
    raise NotFoundError("This step is no longer in the list.")


def _alter_step(
    app: AppContext, who: SignedIn, picture_id: int, version: int, step_id: str, did: str, alter: Alter
) -> None:
    sentence = _sentence(read_picture(app.workshop, who, picture_id), step_id)
    change(app.workshop, who, picture_id, version, f"{did}: {sentence}", alter)


@router.post("/pictures/{picture_id}/steps/{step_id}/switch")
def switch(
    request: Request,
    app: App,
    who: SignedIn,
    picture_id: int,
    step_id: str,
    version: Version,
    active: Annotated[bool, Form()] = False,
    place: Place = None,
    open: Open = None,
) -> HTMLResponse:
    """Let a step count or not."""
    did = "Switched on" if active else "Switched off"
    _alter_step(app, who, picture_id, version, step_id, did, changes.switch_step(step_id, active))
    return _bench(request, app, who, picture_id, place, open)


@router.post("/pictures/{picture_id}/steps/{step_id}/remove")
def remove_step(
    request: Request,
    app: App,
    who: SignedIn,
    picture_id: int,
    step_id: str,
    version: Version,
    place: Place = None,
) -> HTMLResponse:
    """Take a step out of the list."""
    _alter_step(app, who, picture_id, version, step_id, "Removed", changes.remove_step(step_id))
    return _bench(request, app, who, picture_id, place, None)


@router.post("/pictures/{picture_id}/steps/{step_id}/move")
def move_step(
    request: Request,
    app: App,
    who: SignedIn,
    picture_id: int,
    step_id: str,
    version: Version,
    by: Annotated[int, Form(ge=-200, le=200)],
    place: Place = None,
) -> HTMLResponse:
    """Move a step up or down."""
    _alter_step(app, who, picture_id, version, step_id, "Moved", changes.move_step(step_id, by))
    return _bench(request, app, who, picture_id, place, step_id)


@router.post("/pictures/{picture_id}/steps/{step_id}/change")
def change_step(
    request: Request,
    app: App,
    who: SignedIn,
    picture_id: int,
    step_id: str,
    version: Version,
    form: Annotated[dict[str, str], Depends(form_values)],
    place: Place = None,
) -> HTMLResponse:
    """Give a step other parameters, from its plain form."""
    _alter_step(app, who, picture_id, version, step_id, "Changed", changes.change_step(step_id, dict(form)))
    return _bench(request, app, who, picture_id, place, step_id)


@router.post("/pictures/{picture_id}/steps/{step_id}/window")
def move_crop(
    request: Request,
    app: App,
    who: SignedIn,
    picture_id: int,
    step_id: str,
    version: Version,
    left: Pixels,
    top: Pixels,
    width: Pixels,
    height: Pixels,
    place: Place = None,
) -> HTMLResponse:
    """The crop's window, dragged or typed, in pixels of the picture before the crop."""
    state = read_picture(app.workshop, who, picture_id)
    frame = up_to(state.document, step_id).frame(state.facts.upright)
    box = _box_inside(Window(left, top, width, height), frame.size)
    crop = next(entry.step for entry in state.document.steps if entry.id == step_id)
    if not isinstance(crop, Crop):
        raise OutOfRangeError("This step has no window.")
    moved = Crop(area=moved_area(crop.area, frame, box))
    did = f"Cropped to {box.size}"
    change(app.workshop, who, picture_id, version, did, changes.replace_step(step_id, moved))
    return _bench(request, app, who, picture_id, place, step_id)


def _box_inside(window: Window, bounds: Size) -> Box:
    if window.width < 1 or window.height < 1:
        raise OutOfRangeError("A crop must be at least 1 pixel wide and high.")
    size = Size(min(round(window.width), bounds.width), min(round(window.height), bounds.height))
    left = min(max(round(window.left), 0), bounds.width - size.width)
    top = min(max(round(window.top), 0), bounds.height - size.height)
    return Box(left, top, size)


@router.post("/pictures/{picture_id}/steps/{step_id}/shape")
def shape_crop(
    request: Request,
    app: App,
    who: SignedIn,
    picture_id: int,
    step_id: str,
    version: Version,
    shape: Annotated[str, Form(max_length=40)],
    place: Place = None,
) -> HTMLResponse:
    """Give a crop a shape such as 16:9, exact pixels such as 1600x900, or set it free."""
    state = read_picture(app.workshop, who, picture_id)
    frame = up_to(state.document, step_id).frame(state.facts.upright)
    step = next((entry.step for entry in state.document.steps if entry.id == step_id), None)
    if not isinstance(step, Crop):
        raise NotFoundError("This step is no longer in the list.")
    box = crop_box(frame, step.area.centre, step.area.wanted(frame))
    shaped = Crop(area=free_area(frame, box)) if shape == "free" else _shaped(shape, step)
    did = plain(shaped.sentence())
    change(app.workshop, who, picture_id, version, did, changes.replace_step(step_id, shaped))
    return _bench(request, app, who, picture_id, place, step_id)


def _shaped(shape: str, step: Crop) -> Crop:
    read = read_line(shape if ":" in shape else f"crop {shape}")
    if not isinstance(read, ReadStep) or not isinstance(read.step, Crop):
        raise NotUnderstoodError("Write a shape such as 16:9, or pixels such as 1600x900.")
    centre = {"centre_x": step.area.centre_x, "centre_y": step.area.centre_y}
    return Crop(area=read.step.area.model_copy(update=centre))


@router.post("/pictures/{picture_id}/places/{place_id}/framing")
def reframe(
    request: Request,
    app: App,
    who: SignedIn,
    picture_id: int,
    place_id: int,
    version: Version,
    left: Pixels,
    top: Pixels,
    width: Pixels,
    height: Pixels,
    open: Open = None,
) -> HTMLResponse:
    """The part that a place shows, dragged or typed, in pixels of the prepared picture."""
    state, row = _picture_and_place(app, who, picture_id, place_id)
    frame = state.frame
    if width <= 0:
        raise OutOfRangeError("The part that is shown must be wider than nothing.")
    framing = framing_of_window(frame, places.demand_of(row).size_for(frame.size), Window(left, top, width, height))
    did = f"Framed for “{row.name}”"
    change(app.workshop, who, picture_id, version, did, changes.frame(place_id, framing))
    return _bench(request, app, who, picture_id, place_id, open)


@router.post("/pictures/{picture_id}/places/{place_id}/framing/clear")
def unframe(
    request: Request, app: App, who: SignedIn, picture_id: int, place_id: int, version: Version
) -> HTMLResponse:
    """Leave the framing to the place again."""
    _, row = _picture_and_place(app, who, picture_id, place_id)
    did = f"Framing of “{row.name}” left to the place"
    change(app.workshop, who, picture_id, version, did, changes.frame(place_id, None))
    return _bench(request, app, who, picture_id, place_id, OPEN_FRAMING)


@router.post("/pictures/{picture_id}/places/{place_id}/output")
def choose_output(
    request: Request,
    app: App,
    who: SignedIn,
    picture_id: int,
    place_id: int,
    version: Version,
    format: Annotated[FormatName, Form()],
    quality: Annotated[int | None, Form(ge=1, le=100)] = None,
) -> HTMLResponse:
    """Format and quality of this picture in this place."""
    state, row = _picture_and_place(app, who, picture_id, place_id)
    before, _ = state.document.output(str(place_id), places.demand_of(row), state.facts.has_clear_areas)
    kept = quality if before is format else None
    output = Output(format=format, quality=kept)
    did = f"Written as {format.label}" + (f" at quality {kept}" if kept else "") + f" for “{row.name}”"
    change(app.workshop, who, picture_id, version, did, changes.set_output(place_id, output))
    return _bench(request, app, who, picture_id, place_id, OPEN_OUTPUT)


@router.post("/pictures/{picture_id}/places/{place_id}/demand")
def change_demand(
    request: Request,
    app: App,
    who: SignedIn,
    picture_id: int,
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
    _, row = _picture_and_place(app, who, picture_id, place_id)
    typed = read_demand(size)
    demand = places.amended(
        places.demand_of(row),
        measure=typed.measure.model_dump(mode="json"),
        rule=rule,
        anchor=anchor,
        ground="clear" if clear else ground,
        max_bytes=parse_weight(ceiling) if ceiling.strip() else None,
        **({"pixels_per_inch": typed.pixels_per_inch} if typed.pixels_per_inch else {}),
    )
    places.change_place(app.workshop, who, place_id, place_version, demand, name)
    return _bench(request, app, who, picture_id, place_id, OPEN_RULE)


@router.post("/pictures/{picture_id}/places/{place_id}/take-down")
def take_down(request: Request, app: App, who: SignedIn, picture_id: int, place_id: int) -> HTMLResponse:
    """Take a place off the wall."""
    _, row = _picture_and_place(app, who, picture_id, place_id)
    places.take_down(app.workshop, who, place_id)
    response = _bench(request, app, who, picture_id, None, None)
    offer = partial(request, "bench/taken_down.html", row=row, picture_id=picture_id)
    return HTMLResponse(bytes(response.body).decode() + bytes(offer.body).decode())


@router.post("/pictures/{picture_id}/places/{place_id}/hang-again")
def hang_again(request: Request, app: App, who: SignedIn, picture_id: int, place_id: int) -> HTMLResponse:
    """Put a place back on the wall."""
    _picture_and_place(app, who, picture_id, place_id)
    places.hang_again(app.workshop, who, place_id)
    return _bench(request, app, who, picture_id, place_id, None)


def _picture_and_place(
    app: AppContext, who: SignedIn, picture_id: int, place_id: int
) -> tuple[PictureState, PlaceRow]:
    state = read_picture(app.workshop, who, picture_id)
    row = places.find_place(app.workshop, who, place_id)
    if row.folio_id != state.folio_id:
        raise NotFoundError("This place hangs in another folio.")
    return state, row
