"""Prepare: the bench, its line, undo and redo. Every change answers with the bench as it is afterwards."""

import secrets
from typing import Annotated

from fastapi import APIRouter, Depends, Form, Query
from starlette.responses import HTMLResponse, JSONResponse

from lucidex.core.document import FocalPoint
from lucidex.core.errors import UserError
from lucidex.core.geometry.sizes import Point
from lucidex.core.line.places import read_demand, read_demands
from lucidex.core.line.reader import ReadStep, read_line, suggestions
from lucidex.core.places.demand import PlaceDemand, demand_words
from lucidex.core.steps.base import Step, plain
from lucidex.services import edits, places
from lucidex.services.book import find_by_name
from lucidex.services.documents import go_to, read_history, read_snapshot, redo, undo
from lucidex.services.folios import read_folio
from lucidex.services.intake import copy_picture
from lucidex.services.logos import with_newest
from lucidex.services.routine_use import places_of, steps_there
from lucidex.services.routines import KeptRoutine, adopt_routine_assets, find_routine
from lucidex.services.steps import begun, put_on
from lucidex.web.admission import PREVIEWS
from lucidex.web.bench.request import AtBench, Bench, Pixels
from lucidex.web.bench.view import OPEN_FOCAL
from lucidex.web.routines.use import use_sheet
from lucidex.web.security import check_csrf
from lucidex.web.templating import partial

SHOWN_STATES = 200  # of a history, until somebody asks for all
MAX_TYPED = 400  # what is longer is no size and no step

router = APIRouter(dependencies=[Depends(check_csrf)], include_in_schema=False)


@router.get("/pictures/{picture_id}")
def bench(at: Bench) -> HTMLResponse:
    """The bench, as a page or as the part that htmx exchanges."""
    return at.show(at.place, at.open)


@router.get("/pictures/{picture_id}/contact-sheet")
def contact_sheet(at: Bench) -> HTMLResponse:
    """The other pictures of the folio."""
    folio = read_folio(at.app.workshop, at.actor, at.state.folio_id)
    return partial(at.request, "bench/contact_sheet.html", folio=folio, current=at.picture_id, place=at.place)


@router.get("/pictures/{picture_id}/reading")
def reading(at: Bench, line: Annotated[str, Query(max_length=10 * MAX_TYPED)] = "") -> HTMLResponse:
    """What the typed line would do, before Enter."""
    folio = read_folio(at.app.workshop, at.actor, at.state.folio_id)
    chosen = next((row for row in folio.places if row.id == at.place), None)
    values: dict[str, object] = {"step": None, "demands": [], "trouble": None, "chosen": chosen, "insert": None}
    if at.insert is not None:
        values["insert"] = plain(at.step(at.insert).step.sentence())
    known = find_by_name(at.app.workshop, at.actor, line) if line.strip() else None
    if known is not None:
        values["demands"] = [f"{known.place.name}: {demand_words(known.place.demand)}"]
    elif (routine := find_routine(at.app.workshop, at.actor, line)) is not None:
        values["step"] = f"the routine “{routine.routine.name}”: {' '.join(routine.routine.sentences)}"
    elif line.strip():
        values |= _read(line)
    return partial(at.request, "bench/reading.html", **values, suggestions=suggestions(line))


def _read(line: str) -> dict[str, object]:
    try:
        read = read_line(line)
    except UserError as error:
        return {"trouble": error.sentence}
    if isinstance(read, ReadStep):
        return {"step": plain(read.step.sentence())}
    return {"demands": [demand_words(one.demand()) for one in read.demands]}


@router.post("/pictures/{picture_id}/line")
def add_line(
    at: Bench,
    line: Annotated[str, Form(max_length=MAX_TYPED)] = "",
    offer: Annotated[str, Form(max_length=MAX_TYPED)] = "",
    change_place: Annotated[bool, Form()] = False,
) -> HTMLResponse:
    """Sizes hang (or change) places, anything else is a step; `offer` is one picked from the lists."""
    line = offer or line
    known = find_by_name(at.app.workshop, at.actor, line)
    routine = None if known else find_routine(at.app.workshop, at.actor, line)
    read = None if known or routine else read_line(line)
    if known is not None:
        response = at.show(_hang(at, known.place.demand, known.place.name))
    elif routine is not None:
        response = _put_on(at, routine)
    elif isinstance(read, ReadStep):
        response = _add_step(at, read.step)
    else:
        response = at.show(_change_typed(at, at.place, line) if change_place and at.place else _hang_typed(at, line))
    response.headers["HX-Trigger"] = "line-done"
    return response


def _add_step(at: AtBench, step: Step) -> HTMLResponse:
    step = with_newest(at.app.workshop, at.actor, begun(at.app.renderer, at.state, step, at.insert))
    step_id = secrets.token_hex(6)
    at.change(plain(step.sentence()), edits.add_step(step, step_id, at.insert))
    at.insert = None
    return at.show(at.place, step_id if step.opens else None)


def _put_on(at: AtBench, kept: KeptRoutine) -> HTMLResponse:
    """The steps of a routine as one change, with what each finds here; where it asks, it is seen first."""
    folio, routine = read_folio(at.app.workshop, at.actor, at.state.folio_id), kept.routine
    places = places_of(routine, folio)
    steps, missing = steps_there(routine, frozenset(), places)
    if routine.asks or missing or not all(place.hangs for place in places):
        sheet = use_sheet(at.request, at.app, at.actor, folio, kept.id, [at.picture_id], bench=at.picture_id)
        sheet.headers["HX-Retarget"], sheet.headers["HX-Reswap"] = "#contact-sheet", "innerHTML"
        return sheet
    adopt_routine_assets(at.app.workshop, at.actor, routine)
    document = put_on(at.app.renderer, at.state, steps)
    at.change(f"Put on the routine “{routine.name}”", lambda before, facts: document)
    return at.show(at.place)


def _hang_typed(at: AtBench, line: str) -> int:
    """Hang what was typed; the last of several is chosen."""
    hung = [_hang(at, read.demand()) for read in read_demands(line)]
    return hung[-1]


def _hang(at: AtBench, demand: PlaceDemand, name: str = "") -> int:
    """Hang a place, unless one like it hangs already."""
    folio_id = at.state.folio_id
    for row in read_folio(at.app.workshop, at.actor, folio_id).places:
        if places.demand_of(row) == demand:
            return row.id
    return places.hang_place(at.app.workshop, at.actor, folio_id, demand, name).id


def _change_typed(at: AtBench, place_id: int, line: str) -> int:
    row, before = at.hung(place_id)
    demand = places.typed_over(before, read_demand(line))
    return places.change_place(at.app.workshop, at.actor, row.id, row.version, demand, row.name).id


@router.post("/pictures/{picture_id}/undo")
def take_back(at: Bench) -> HTMLResponse:
    """Take the last change back."""
    at.moved(undo(at.app.workshop, at.actor, at.picture_id, at.version))
    return at.show(at.place)


@router.post("/pictures/{picture_id}/redo")
def make_again(at: Bench) -> HTMLResponse:
    """Make it again."""
    at.moved(redo(at.app.workshop, at.actor, at.picture_id, at.version))
    return at.show(at.place)


@router.get("/pictures/{picture_id}/history")
def history(at: Bench, all: bool = False) -> HTMLResponse:
    """The states of the picture, with times and names: the newest ones, or all."""
    entries = read_history(at.app.workshop, at.actor, at.picture_id)
    shown = entries if all else entries[:SHOWN_STATES]
    values = {"entries": shown, "earlier": len(entries) - len(shown), "picture_id": at.picture_id, "place": at.place}
    return partial(at.request, "bench/history.html", **values)


@router.post("/pictures/{picture_id}/history/{snapshot_id}")
def back_in_history(at: Bench, snapshot_id: int) -> HTMLResponse:
    """Let another state count again."""
    at.moved(go_to(at.app.workshop, at.actor, at.picture_id, at.version, snapshot_id))
    return at.show(at.place)


@router.post("/pictures/{picture_id}/clear")
def back_to_original(at: Bench) -> HTMLResponse:
    """Take all steps away; itself undoable."""
    at.change("Back to the original", edits.clear_steps())
    return at.show(at.place)


@router.post("/pictures/{picture_id}/focal-point")
def put_focal_point(at: Bench, x: Pixels, y: Pixels) -> HTMLResponse:
    """Put the focal point on a spot of the prepared picture (its pixels)."""
    spot = at.state.geometry.held_content(Point(x, y))
    at.change("Put the focal point", edits.set_focal_point(FocalPoint(x=spot.x, y=spot.y)))
    return at.show(at.place, OPEN_FOCAL)


@router.post("/pictures/{picture_id}/focal-point/suggest", dependencies=[PREVIEWS])
def suggest_focal_point(at: Bench) -> HTMLResponse:
    """Put the focal point on what draws attention."""
    spot = at.app.renderer.suggest_focal_point(at.state)
    focal = FocalPoint(x=spot.x, y=spot.y)
    at.change("Put the focal point on what draws attention", edits.set_focal_point(focal))
    return at.show(at.place, OPEN_FOCAL)


@router.post("/pictures/{picture_id}/focal-point/clear")
def clear_focal_point(at: Bench) -> HTMLResponse:
    """Leave it to the places again."""
    at.change("Took the focal point away", edits.set_focal_point(None))
    return at.show(at.place, OPEN_FOCAL)


@router.post("/pictures/{picture_id}/variant")
def keep_as_variant(at: Bench, snapshot: Annotated[int, Form()] = 0) -> JSONResponse:
    """A picture of its own with the steps as they stand, or as they stood at a snapshot that somebody saw."""
    document = read_snapshot(at.app.workshop, at.actor, at.picture_id, snapshot) if snapshot else at.state.document
    made = copy_picture(at.app.workshop, at.actor, at.picture_id, document, "variant", "Kept as a variant")
    return JSONResponse({"picture_id": made})
