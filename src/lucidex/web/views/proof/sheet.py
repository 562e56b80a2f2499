"""Proof: the sheet of pictures and places; cells are looked at, framed, left out; steps go on selected rows."""

from collections.abc import Sequence
from dataclasses import asdict, dataclass, replace
from enum import StrEnum
from typing import Annotated, Any

from fastapi import APIRouter, Depends, Form, Query, Request
from starlette.responses import HTMLResponse, JSONResponse, Response

from lucidex.core.encode import JPEG, PNG, Effort, Encoding, encode
from lucidex.core.errors import NotFoundError, NotUnderstoodError, OutOfRangeError
from lucidex.core.geometry.sizes import Size
from lucidex.core.places.output_id import OutputId
from lucidex.core.proof.file_list import FIELDS, pattern_advice
from lucidex.core.steps.bands import lacks_asset
from lucidex.core.steps.base import Step
from lucidex.core.units import parse_weight
from lucidex.services.assets.logos import with_newest
from lucidex.services.bench.steps import PutStep, put_on_pictures
from lucidex.services.folios.folios import read_folio
from lucidex.services.people.people import Actor
from lucidex.services.places.places import demand_of, hang_missing, write_all
from lucidex.services.proof import proof_sheet
from lucidex.services.proof.consignment import share_out
from lucidex.services.proof.proof_sheet import Column, ProofCell, ProofRow, columns_of
from lucidex.services.proof.totals import totals_of
from lucidex.services.routines.routines import read_routines
from lucidex.services.runs import runs
from lucidex.services.typed.line import Understood, understood
from lucidex.web.pixels.files import FOREVER
from lucidex.web.request.admission import FILES, PREVIEWS
from lucidex.web.request.context import App, AppContext, SignedIn
from lucidex.web.request.security import check_csrf
from lucidex.web.shell.templating import lead_to, page, partial
from lucidex.web.views.proof.runs import foot_of
from lucidex.web.views.routines.use import use_sheet

router = APIRouter(dependencies=[Depends(check_csrf)], include_in_schema=False)

ROWS_AT_ONCE = 10
MAX_ROWS, MAX_HEAD = 200, 12_000  # of those that are asked for at once; letters
THUMB = Size(600, 352)  # twice what the largest cell shows
Share = Annotated[float, Form(ge=-10, le=10, allow_inf_nan=False)]


class Pace(StrEnum):
    """How long encoders look for fewer bytes."""

    QUICK = "quick"
    THOROUGH = "thorough"


class Order(StrEnum):
    """In which order the rows stand."""

    FOLIO = "folio"
    FLAGGED = "flagged"


@router.get("/folios/{folio_id}/proof")
def proof(
    request: Request, app: App, actor: SignedIn, folio_id: int, look: bool = False, order: Order = Order.FOLIO
) -> HTMLResponse:
    """The sheet; with `look` the rows that need one, and in them the cells. Rows come as they come into view."""
    folio = read_folio(app.workshop, actor, folio_id)
    rows = proof_sheet.proof_rows(app.workshop, actor, folio)
    flagged = sum(cell.needs_look for row in rows for cell in row.cells)
    run = runs.latest_run(app.workshop, actor, folio_id)
    foot: dict[str, Any] = foot_of(app, actor, run) if run else {"run": None, "failed": []}
    foot["total"] = sum(cell.is_made for row in rows for cell in row.cells)
    if order is Order.FLAGGED:
        rows.sort(key=lambda row: not row.needs_look)
    shown = [row for row in rows if row.needs_look] if look else rows
    return page(
        request,
        "proof/proof.html",
        **foot,
        actor=actor,
        folio=folio,
        parts=[shown[start : start + ROWS_AT_ONCE] for start in range(0, len(shown), ROWS_AT_ONCE)],
        first=[(row, row.cells) for row in shown[:ROWS_AT_ONCE]],
        order=order,
        look=look,
        flagged=flagged,
        routines=[kept.routine for kept in read_routines(app.workshop, actor)],
        columns=columns_of(folio.places),
        head=" ".join(column.output for column in columns_of(folio.places)),
        totals=totals_of(rows),
    )


@router.get("/folios/{folio_id}/proof/rows")
def rows(
    request: Request,
    app: App,
    actor: SignedIn,
    folio_id: int,
    on: Annotated[list[int], Query(max_length=MAX_ROWS)],
    head: Annotated[str, Query(max_length=MAX_HEAD)] = "",
) -> HTMLResponse:
    """Some rows with their cells, in the order in which they are asked for.

    The cells are those of the sheet's `head`, its outputs: where others hang by now, the page says so.
    """
    folio = read_folio(app.workshop, actor, folio_id)
    found = {row.state.picture_id: row for row in proof_sheet.proof_rows(app.workshop, actor, folio, set(on))}
    part = [found[picture_id] for picture_id in on if picture_id in found]
    present = [column.output for column in columns_of(folio.places)]
    shown = head.split() or present
    response = partial(request, "proof/rows.html", rows=[(row, _under(row, shown)) for row in part])
    if shown != present:
        response.headers["HX-Trigger"] = "sheet-outdated"
    return response


def _under(row: ProofRow, head: Sequence[str]) -> list[ProofCell | None]:
    """The cells of a row under a sheet's head; None where nothing hangs any more."""
    cells: dict[str, ProofCell] = {cell.output: cell for cell in row.cells}
    return [cells.get(output) for output in head]


@router.get("/folios/{folio_id}/proof/weights")
def weights(request: Request, app: App, actor: SignedIn, folio_id: int) -> HTMLResponse:
    """What everything weighs before and after, how it is written, and a ceiling for all of it."""
    folio = read_folio(app.workshop, actor, folio_id)
    rows = proof_sheet.proof_rows(app.workshop, actor, folio)
    paces = {demand_of(place).is_quick for place in folio.places}
    return partial(
        request,
        "proof/weights.html",
        folio=folio,
        totals=totals_of(rows),
        by_place=[(column, totals_of(_only(row, column) for row in rows)) for column in columns_of(folio.places)],
        pace="" if len(paces) > 1 else "quick" if True in paces else "thorough",
    )


def _only(row: ProofRow, column: Column) -> ProofRow:
    return replace(row, cells=[cell for cell in row.cells if cell.output == column.output])


@router.post("/folios/{folio_id}/proof/pace")
def choose_pace(
    request: Request, app: App, actor: SignedIn, folio_id: int, pace: Annotated[Pace, Form()]
) -> Response:
    """Write all files quickly, or thoroughly; the sheet again."""
    write_all(app.workshop, actor, folio_id, pace is Pace.QUICK)
    return lead_to(request, f"/folios/{folio_id}/proof")


@router.post("/folios/{folio_id}/proof/share", dependencies=[FILES])
def share(
    app: App,
    actor: SignedIn,
    folio_id: int,
    ceiling: Annotated[str, Form(max_length=40)],
    poor: Annotated[bool, Form()] = False,
) -> JSONResponse:
    """Share a ceiling out over all files; asked for again until it is over."""
    found = share_out(app.renderer, app.workshop, actor, folio_id, parse_weight(ceiling), poor)
    return JSONResponse(asdict(found))


@dataclass
class AtCell:
    """A request at one cell of the sheet."""

    request: Request
    app: AppContext
    actor: Actor
    cell: ProofCell

    def show(self, cell: ProofCell) -> HTMLResponse:
        """The cell as it is now, with its finished file."""
        is_shown = cell.placed is not None and cell.is_made
        result = self.app.renderer.files.render_file(cell.placed.rendering) if cell.placed and is_shown else None
        flags = cell.flags
        if result is not None:
            flags = proof_sheet.flags_of(self.app.workshop, cell, result)
        values = {"cell": cell, "result": result, "flags": flags}
        return partial(self.request, "proof/cell.html", **values)


def at_cell(request: Request, app: App, actor: SignedIn, picture_id: int, output: OutputId) -> AtCell:
    """Collects what an action on a cell needs. NotFoundError where picture and place do not belong together."""
    return AtCell(request, app, actor, proof_sheet.find_cell(app.workshop, actor, picture_id, output))


At = Annotated[AtCell, Depends(at_cell)]


@router.get("/pictures/{picture_id}/outputs/{output}/cell", dependencies=[FILES])
def cell(at: At) -> HTMLResponse:
    """One cell, finished."""
    return at.show(at.cell)


@router.get("/pictures/{picture_id}/outputs/{output}/thumb", dependencies=[FILES])
def thumb(at: At, key: str | None = None) -> Response:
    """The finished file, reduced to what a cell of the sheet shows."""
    if at.cell.placed is None:
        raise NotFoundError("This place cannot be made of this picture.")
    result = at.app.renderer.files.render_file(at.cell.placed.rendering)
    small = at.app.renderer.screen.reduced(result, at.cell.placed.rendering.format, THUMB)
    name = PNG if small.hasalpha() else JPEG
    content = encode(small, name, Encoding(88 if name == JPEG else None, effort=Effort.DRAFT))
    kept = FOREVER if key == result.key else "no-store"
    return Response(content, media_type=name.output.media_type, headers={"Cache-Control": kept})


@router.post("/pictures/{picture_id}/outputs/{output}/nudge", dependencies=[FILES])
def nudge(
    at: At,
    across: Share = 0,
    down: Share = 0,
    closer: Annotated[float, Form(ge=0.1, le=10, allow_inf_nan=False)] = 1,
) -> HTMLResponse:
    """Move what a cell shows by shares of its window."""
    return at.show(proof_sheet.nudge(at.app.workshop, at.actor, at.cell, across, down, closer))


@router.post("/pictures/{picture_id}/outputs/{output}/propose", dependencies=[FILES])
def propose(at: At, middle: Annotated[bool, Form()] = False) -> HTMLResponse:
    """Show the next proposal in a cell, or the middle of its picture."""
    return at.show(proof_sheet.propose(at.app.workshop, at.actor, at.cell, middle))


@router.post("/pictures/{picture_id}/outputs/{output}/accept", dependencies=[FILES])
def accept(at: At) -> HTMLResponse:
    """Say that a cell is framed right."""
    return at.show(proof_sheet.accept(at.app.workshop, at.actor, at.cell))


@router.post("/pictures/{picture_id}/outputs/{output}/leave-out", dependencies=[FILES])
def leave_out(at: At, out: Annotated[bool, Form()] = True) -> HTMLResponse:
    """Let runs pass a cell over, or make it again."""
    return at.show(proof_sheet.leave_out(at.app.workshop, at.actor, at.cell, out))


@router.post("/folios/{folio_id}/proof/step", dependencies=[PREVIEWS])
def put_step(
    request: Request,
    app: App,
    actor: SignedIn,
    folio_id: int,
    line: Annotated[str, Form(max_length=400)] = "",
    said: Annotated[str, Form(max_length=4_000)] = "",
    on: Annotated[list[int], Form()] = [],  # noqa: B006
) -> HTMLResponse:
    """Put one step on the selected pictures; automatic ones look at each anew."""
    here = [picture.id for picture in read_folio(app.workshop, actor, folio_id).pictures]
    chosen = [picture for picture in here if picture in set(on)]
    if not chosen:
        raise OutOfRangeError("Select the pictures first, by the squares before their names.")
    proposal = understood(app.workshop, actor, line).chosen(said)
    if proposal.routine is not None:
        folio = read_folio(app.workshop, actor, folio_id)
        sheet = use_sheet(request, app, actor, folio, proposal.routine.id, chosen)
        sheet.headers["HX-Retarget"] = "#proof-names"
        return sheet
    if proposal.places:
        raise NotUnderstoodError("A size hangs a place, for all pictures: use “Hang a place”. Here steps are put on.")
    if not proposal.steps:
        raise NotUnderstoodError("Only steps and routines can be put on the selected pictures.")
    steps = [PutStep(_ready_step(app, actor, deed.step)) for deed in proposal.steps]
    done = put_on_pictures(app.renderer, app.workshop, actor, steps, folio_id, chosen)
    response = partial(request, "bench/copied.html", folio_id=folio_id, done=done)
    response.headers["HX-Trigger"] = "cells-changed, line-done"
    return response


def _ready_step(app: AppContext, actor: SignedIn, step: Step) -> Step:
    step = with_newest(app.workshop, actor, step)
    if lacks_asset(step):
        raise OutOfRangeError(
            "No logo is kept yet. Bring one in on the bench, under Finish; then put it on from here."
        )
    return step


@router.get("/folios/{folio_id}/proof/reading")
def reading(
    request: Request,
    app: App,
    actor: SignedIn,
    folio_id: int,
    line: Annotated[str, Query(max_length=4_000)] = "",
    of: Annotated[str, Query(pattern="^(steps|places)$")] = "steps",
) -> HTMLResponse:
    """What a line on the sheet would do, before Enter: steps for the selected pictures, or places for all."""
    read_folio(app.workshop, actor, folio_id)
    read = understood(app.workshop, actor, line).only(of) if line.strip() else Understood()
    return partial(request, "parts/readings.html", line=line, read=read)


@router.post("/folios/{folio_id}/proof/place")
def hang(
    request: Request,
    app: App,
    actor: SignedIn,
    folio_id: int,
    line: Annotated[str, Form(max_length=400)] = "",
    said: Annotated[str, Form(max_length=4_000)] = "",
) -> Response:
    """Hang places as typed; the sheet then has columns more."""
    read_folio(app.workshop, actor, folio_id)
    proposal = understood(app.workshop, actor, line).only("places").chosen(said)
    hang_missing(app.workshop, actor, folio_id, [(deed.demand, deed.name) for deed in proposal.places])
    return lead_to(request, f"/folios/{folio_id}/proof")


@router.get("/folios/{folio_id}/proof/names")
def names(
    request: Request,
    app: App,
    actor: SignedIn,
    folio_id: int,
    pattern: Annotated[str | None, Query(max_length=300)] = None,
) -> HTMLResponse:
    """The list of finished names and folders, before anything is made; as last time, where nothing else is asked."""
    pattern = runs.latest_pattern(app.workshop, actor, folio_id) if pattern is None else pattern
    values: dict[str, Any] = {"folio_id": folio_id, "pattern": pattern, "fields": FIELDS, "cells": [], "trouble": ""}
    values["advice"] = pattern_advice(pattern)
    try:
        values["cells"] = runs.list_cells(app.workshop, actor, folio_id, pattern, runs.today())
    except NotUnderstoodError as error:
        values["trouble"] = error.sentence
    return partial(request, "proof/names.html", **values)
