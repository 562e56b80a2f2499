"""The history of a folio: what was done to its places and to several pictures at once, taken back and made again."""

from typing import Literal

from fastapi import APIRouter, Depends, Request
from starlette.responses import HTMLResponse

from lucidex.services.pictures import folio_history
from lucidex.services.pictures.folio_history import Moved
from lucidex.web.request.context import App, SignedIn
from lucidex.web.request.security import check_csrf
from lucidex.web.shell.templating import partial

router = APIRouter(prefix="/folios/{folio_id}", dependencies=[Depends(check_csrf)], include_in_schema=False)


@router.get("/history")
def history(request: Request, app: App, actor: SignedIn, folio_id: int) -> HTMLResponse:
    """The latest actions in the folio."""
    entries = folio_history.read_folio_history(app.workshop, actor, folio_id)
    return partial(request, "parts/folio_history.html", folio_id=folio_id, folio_entries=entries)


@router.post("/history/{change_id}/{direction}")
def move(
    request: Request, app: App, actor: SignedIn, folio_id: int, change_id: int, direction: Literal["back", "again"]
) -> HTMLResponse:
    """Take an action back, or make it again; where places moved, the page is read anew."""
    moves = folio_history.take_back if direction == "back" else folio_history.make_again
    moved: Moved = moves(app.workshop, actor, folio_id, change_id)
    response = partial(request, "parts/moved.html", moved=moved, back=direction == "back")
    response.headers["HX-Trigger"] = "cells-changed"
    if moved.places and not moved.kept:
        response.headers["HX-Refresh"] = "true"
    return response
