"""A folio itself: its name, who sees it, and the originals in it."""

from typing import Annotated

from fastapi import APIRouter, Depends, Form, Request
from starlette.responses import RedirectResponse, Response

from lucidex.records.models import Scope
from lucidex.services.folios import folios
from lucidex.services.intake import sources
from lucidex.web.request.context import App, SignedIn
from lucidex.web.request.security import check_csrf
from lucidex.web.request.stored import stored_file
from lucidex.web.shell.templating import lead_to

router = APIRouter(dependencies=[Depends(check_csrf)], include_in_schema=False)


@router.get("/folios/{folio_id}")
def folio(folio_id: int) -> RedirectResponse:
    """A folio opens at its pictures."""
    return RedirectResponse(f"/folios/{folio_id}/gather", 303)


@router.post("/folios/{folio_id}/name")
def rename(app: App, actor: SignedIn, folio_id: int, name: Annotated[str, Form(max_length=500)] = "") -> Response:
    """Give the folio another name."""
    folios.rename_folio(app.workshop, actor, folio_id, name)
    return RedirectResponse(f"/folios/{folio_id}/gather", 303)


@router.post("/folios/{folio_id}/shares")
def share(
    request: Request,
    app: App,
    actor: SignedIn,
    folio_id: int,
    login: Annotated[str, Form(max_length=200)] = "",
    scope: Annotated[Scope, Form()] = Scope.CHANGE,
    originals: Annotated[bool, Form()] = False,
) -> Response:
    """Share the folio with a colleague, to change it too or only to look."""
    folios.share_folio(app.workshop, actor, folio_id, login, scope, originals)
    return lead_to(request, f"/folios/{folio_id}/gather")


@router.post("/folios/{folio_id}/hand-over")
def hand_over(
    request: Request, app: App, actor: SignedIn, folio_id: int, login: Annotated[str, Form(max_length=200)] = ""
) -> Response:
    """Give the folio to a colleague."""
    folios.hand_over_folio(app.workshop, actor, folio_id, login)
    return lead_to(request, f"/folios/{folio_id}/gather")


@router.post("/folios/{folio_id}/shares/{person_id}/remove")
def unshare(app: App, actor: SignedIn, folio_id: int, person_id: int) -> Response:
    """Stop sharing with a colleague."""
    folios.unshare_folio(app.workshop, actor, folio_id, person_id)
    return RedirectResponse(f"/folios/{folio_id}/gather", 303)


@router.get("/pictures/{picture_id}/original")
def original(app: App, actor: SignedIn, picture_id: int) -> Response:
    """The original, byte for byte."""
    sha256, name, facts = sources.original_file(app.workshop, actor, picture_id)
    return stored_file(app.workshop.originals, sha256, facts.media_type, name)
