"""Prepare: the bench, its line, undo and redo. Every change answers with the bench as it is afterwards."""

import json
from collections.abc import Mapping
from typing import Annotated, Literal

from fastapi import APIRouter, Depends, Form, Query
from starlette.responses import HTMLResponse, JSONResponse

from lucidex.core.document import FocalPoint
from lucidex.core.geometry.sizes import Point
from lucidex.core.line.parts import Command
from lucidex.core.places.demand import amended
from lucidex.core.proof.names import MAX_FILE_NAME, renamed
from lucidex.core.steps.base import plain
from lucidex.services.folios.folios import read_folio
from lucidex.services.intake.intake import copy_picture
from lucidex.services.pictures import edits
from lucidex.services.pictures.documents import PictureState, go_to, read_history, read_snapshot
from lucidex.services.pictures.folio_history import Moved, make_next_again, read_folio_history, take_back_next
from lucidex.services.places import places
from lucidex.services.typed.deeds import carry_out
from lucidex.services.typed.line import Chosen, Proposal, StepDeed, Understood, offered, place_named, understood
from lucidex.web.request.admission import PREVIEWS
from lucidex.web.request.security import check_csrf
from lucidex.web.shell.templating import partial
from lucidex.web.views.bench.request import AtBench, Bench, Pixels
from lucidex.web.views.bench.view import OPEN_FOCAL
from lucidex.web.views.routines.use import use_sheet

SHOWN_STATES = 200  # of a history, until somebody asks for all
MAX_TYPED, MAX_SAID = 400, 4_000

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
    before = plain(at.step(at.insert).step.sentence()) if at.insert is not None else ""
    read = (
        understood(at.app.workshop, at.actor, line, Chosen(chosen.name, places.demand_of(chosen)) if chosen else None)
        if line.strip()
        else Understood()
    )
    return partial(at.request, "bench/reading.html", line=line, read=read, chosen=chosen, insert=before)


@router.post("/pictures/{picture_id}/line")
def add_line(
    at: Bench,
    line: Annotated[str, Form(max_length=MAX_TYPED)] = "",
    said: Annotated[str, Form(max_length=MAX_SAID)] = "",
    offer: Annotated[str, Form(max_length=MAX_TYPED)] = "",
    named: Annotated[str, Form(max_length=MAX_TYPED)] = "",
    change_place: Annotated[bool, Form()] = False,
) -> HTMLResponse:
    """Do what the line means, as it was `said` before; `offer` and `named` are picked from the lists."""
    if offer:
        proposal = offered(offer)
    elif named:
        proposal = place_named(at.app.workshop, at.actor, named)
    else:
        proposal = understood(at.app.workshop, at.actor, line, _chosen(at)).chosen(said)
    typed = proposal.places[0].typed if proposal.places else None
    if typed is not None and change_place and at.place:
        response = at.show(_change_typed(at, at.place, typed))
        commands: tuple[Command, ...] = ()
    else:
        response, commands = _carry_out(at, proposal)
    events: dict[str, object] = {
        "line-done": {},
        **({"line-commands": {"names": list(commands)}} if commands else {}),
    }
    response.headers["HX-Trigger"] = json.dumps(events)
    return response


def _chosen(at: AtBench) -> Chosen | None:
    if not at.place:
        return None
    row, demand = at.hung(at.place)
    return Chosen(row.name, demand)


def _carry_out(at: AtBench, proposal: Proposal) -> tuple[HTMLResponse, tuple[Command, ...]]:
    at.expect_version()
    workshop = at.app.workshop
    done = carry_out(at.app.renderer, workshop, at.actor, at.state, proposal, at.place, at.insert)
    at.moved(done.state)
    if done.asks is not None:
        folio = read_folio(workshop, at.actor, at.state.folio_id)
        sheet = use_sheet(at.request, at.app, at.actor, folio, done.asks.id, [at.picture_id], bench=at.picture_id)
        sheet.headers["HX-Retarget"], sheet.headers["HX-Reswap"] = "#contact-sheet", "innerHTML"
        return sheet, ()
    at.insert = None if any(isinstance(deed, StepDeed) for deed in proposal.deeds) else at.insert
    shown = at.show(done.place_id, done.open_step.id if done.open_step else None)
    if done.message:
        message = partial(at.request, "bench/told.html", sentence=done.message)
        shown = HTMLResponse(bytes(shown.body) + bytes(message.body))
    return shown, done.for_page


def _change_typed(at: AtBench, place_id: int, typed: Mapping[str, object]) -> int:
    row, before = at.hung(place_id)
    demand = amended(before, **typed)
    return places.change_place(at.app.workshop, at.actor, row.id, row.version, demand, row.name).id


@router.post("/pictures/{picture_id}/undo")
def take_back(at: Bench, change: Annotated[int | None, Form()] = None) -> HTMLResponse:
    """Take the last change back: the picture's own, or the one of its folio that was shown to be next."""
    at.expect_version()
    return _moved(at, *take_back_next(at.app.workshop, at.actor, at.state, change))


@router.post("/pictures/{picture_id}/redo")
def make_again(at: Bench, change: Annotated[int | None, Form()] = None) -> HTMLResponse:
    """Make it again."""
    at.expect_version()
    return _moved(at, *make_next_again(at.app.workshop, at.actor, at.state, change))


@router.post("/pictures/{picture_id}/folio-history/{change_id}/{direction}")
def move_in_folio(at: Bench, change_id: int, direction: Literal["back", "again"]) -> HTMLResponse:
    """Take any action of the folio back, or make it again."""
    moves = take_back_next if direction == "back" else make_next_again
    return _moved(at, *moves(at.app.workshop, at.actor, at.state, change_id))


def _moved(at: AtBench, state: PictureState, moved: Moved | None) -> HTMLResponse:
    at.moved(state)
    shown = at.show(at.place)
    if moved is None or not moved.kept:
        return shown
    left = f"{', '.join(moved.kept)}: changed since, so left as {'it is' if len(moved.kept) == 1 else 'they are'}."
    message = partial(at.request, "bench/told.html", sentence=left)
    return HTMLResponse(bytes(shown.body) + bytes(message.body))


@router.get("/pictures/{picture_id}/history")
def history(at: Bench, all: bool = False) -> HTMLResponse:
    """The states of the picture, with times and names: the newest ones, or all."""
    entries = read_history(at.app.workshop, at.actor, at.picture_id)
    shown = entries if all else entries[:SHOWN_STATES]
    values = {"entries": shown, "earlier": len(entries) - len(shown), "picture_id": at.picture_id, "place": at.place}
    folio_entries = read_folio_history(at.app.workshop, at.actor, at.state.folio_id)
    return partial(at.request, "bench/history.html", **values, folio_entries=folio_entries)


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
    spot = at.app.renderer.finder.suggest_focal_point(at.state)
    focal = FocalPoint(x=spot.x, y=spot.y)
    at.change("Put the focal point on what draws attention", edits.set_focal_point(focal))
    return at.show(at.place, OPEN_FOCAL)


@router.post("/pictures/{picture_id}/frame-itself", dependencies=[PREVIEWS])
def frame_itself(at: Bench, itself: Annotated[bool, Form()] = True) -> HTMLResponse:
    """Let places show what the picture is of, where nobody framed; or their middle."""
    summary = "Let the picture frame itself" if itself else "Left the picture to the middle of its places"
    at.change(summary, edits.frame_itself(itself))
    return at.show(at.place, OPEN_FOCAL)


@router.post("/pictures/{picture_id}/focal-point/clear")
def clear_focal_point(at: Bench) -> HTMLResponse:
    """Leave it to the places again."""
    at.change("Took the focal point away", edits.set_focal_point(None))
    return at.show(at.place, OPEN_FOCAL)


@router.post("/pictures/{picture_id}/file-name")
def name_files(
    at: Bench, name: Annotated[str, Form(max_length=MAX_FILE_NAME)] = "", keep: Annotated[bool, Form()] = False
) -> HTMLResponse:
    """Say how the picture and its files are called: otherwise, or as they are, which gives nothing away."""
    before = at.state.file_name
    chosen = before if keep or not name.strip() else renamed(before, name)
    at.change(f"Named “{chosen}”", edits.set_file_name(chosen))
    return at.show(at.place, at.open)


@router.post("/pictures/{picture_id}/variant")
def keep_as_variant(at: Bench, snapshot: Annotated[int, Form()] = 0) -> JSONResponse:
    """A picture of its own with the steps as they stand, or as they stood at a snapshot that somebody saw."""
    document = read_snapshot(at.app.workshop, at.actor, at.picture_id, snapshot) if snapshot else at.state.document
    made = copy_picture(at.app.workshop, at.actor, at.picture_id, document, "variant", "Kept as a variant")
    return JSONResponse({"picture_id": made})
