"""Prepare: the bench, its line, undo and redo. Every change answers with the bench as it is afterwards."""

import secrets
from typing import Annotated

from fastapi import APIRouter, Depends, Form
from starlette.responses import HTMLResponse

from lucidex.core.errors import SaidError
from lucidex.core.places import demand_words, read_demand
from lucidex.core.reading import ReadPlace, read_line, suggestions
from lucidex.core.steps.base import plain
from lucidex.core.steps.crop import Crop
from lucidex.core.steps.straighten import Straighten
from lucidex.services import changes, places
from lucidex.services.folios import read_folio
from lucidex.services.prepare import go_to, read_history, redo, undo
from lucidex.web.pages.at_bench import AtBench, Bench
from lucidex.web.security import check_csrf
from lucidex.web.templating import partial

router = APIRouter(dependencies=[Depends(check_csrf)], include_in_schema=False)


@router.get("/pictures/{picture_id}")
def bench(at: Bench) -> HTMLResponse:
    """The bench, as a page or as the part that htmx exchanges."""
    return at.show(at.place, at.open)


@router.get("/pictures/{picture_id}/contact-sheet")
def contact_sheet(at: Bench) -> HTMLResponse:
    """The other pictures of the folio."""
    folio = read_folio(at.app.workshop, at.who, at.state.folio_id)
    return partial(at.request, "bench/contact_sheet.html", folio=folio, current=at.picture_id, place=at.place)


@router.get("/pictures/{picture_id}/reading")
def reading(at: Bench, line: str = "") -> HTMLResponse:
    """What the typed line would do, before Enter."""
    folio = read_folio(at.app.workshop, at.who, at.state.folio_id)
    chosen = next((row for row in folio.places if row.id == at.place), None)
    values: dict[str, object] = {"step": None, "demand": None, "trouble": None, "chosen": chosen}
    if line.strip():
        values |= _read(line)
    return partial(at.request, "bench/reading.html", **values, suggestions=suggestions(line))


def _read(line: str) -> dict[str, object]:
    try:
        read = read_line(line)
    except SaidError as error:
        return {"trouble": error.sentence}
    if isinstance(read, ReadPlace):
        return {"demand": demand_words(read.demand.demand())}
    return {"step": plain(read.step.sentence())}


@router.post("/pictures/{picture_id}/line")
def add_line(
    at: Bench,
    line: Annotated[str, Form()] = "",
    offer: Annotated[str, Form()] = "",
    change_place: Annotated[bool, Form()] = False,
) -> HTMLResponse:
    """A size hangs (or changes) a place, anything else is a step; `offer` is one picked from the lists."""
    line = offer or line
    read = read_line(line)
    if isinstance(read, ReadPlace):
        response = at.show(_change_typed(at, at.place, line) if change_place and at.place else _hang_typed(at, line))
    else:
        step_id = secrets.token_hex(6)
        at.change(plain(read.step.sentence()), changes.add_step(read.step, step_id))
        response = at.show(at.place, step_id if isinstance(read.step, Crop | Straighten) else None)
    response.headers["HX-Trigger"] = "line-done"
    return response


def _hang_typed(at: AtBench, line: str) -> int:
    """Hang what was typed, unless a place like it hangs already."""
    demand = read_demand(line).demand()
    folio_id = at.state.folio_id
    for row in read_folio(at.app.workshop, at.who, folio_id).places:
        if places.demand_of(row) == demand:
            return row.id
    return places.hang_place(at.app.workshop, at.who, folio_id, demand).id


def _change_typed(at: AtBench, place_id: int, line: str) -> int:
    row, before = at.hung(place_id)
    demand = places.typed_over(before, read_demand(line))
    return places.change_place(at.app.workshop, at.who, row.id, row.version, demand, row.name).id


@router.post("/pictures/{picture_id}/undo")
def take_back(at: Bench) -> HTMLResponse:
    """Take the last change back."""
    undo(at.app.workshop, at.who, at.picture_id, at.version)
    return at.show(at.place)


@router.post("/pictures/{picture_id}/redo")
def make_again(at: Bench) -> HTMLResponse:
    """Make it again."""
    redo(at.app.workshop, at.who, at.picture_id, at.version)
    return at.show(at.place)


@router.get("/pictures/{picture_id}/history")
def history(at: Bench) -> HTMLResponse:
    """Every state of the picture, with times and names."""
    entries = read_history(at.app.workshop, at.who, at.picture_id)
    return partial(at.request, "bench/history.html", entries=entries, picture_id=at.picture_id, place=at.place)


@router.post("/pictures/{picture_id}/history/{snapshot_id}")
def back_in_history(at: Bench, snapshot_id: int) -> HTMLResponse:
    """Let another state count again."""
    go_to(at.app.workshop, at.who, at.picture_id, at.version, snapshot_id)
    return at.show(at.place)


@router.post("/pictures/{picture_id}/clear")
def back_to_original(at: Bench) -> HTMLResponse:
    """Take all steps away; itself undoable."""
    at.change("Back to the original", changes.clear_steps())
    return at.show(at.place)
