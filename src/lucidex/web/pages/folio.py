"""Gather: the pictures of a folio, their facts and texts; sharing."""

from typing import Annotated, Any

from fastapi import APIRouter, Depends, Form, Request
from pydantic import ValidationError
from starlette.responses import HTMLResponse, RedirectResponse, Response

from lucidex.core.errors import OutOfRangeError
from lucidex.core.stamp.texts import Texts
from lucidex.records.models import Scope
from lucidex.services import edits, folios, intake, sources
from lucidex.services.documents import change, read_picture
from lucidex.web.context import App, AppContext, SignedIn
from lucidex.web.security import check_csrf
from lucidex.web.stored import stored_file
from lucidex.web.templating import lead_to, page, partial

router = APIRouter(dependencies=[Depends(check_csrf)], include_in_schema=False)

THUMBNAIL_EDGE = 320


@router.get("/folios/{folio_id}")
def folio(folio_id: int) -> RedirectResponse:
    """A folio opens at its pictures."""
    return RedirectResponse(f"/folios/{folio_id}/gather", 303)


@router.get("/folios/{folio_id}/gather")
def gather_page(
    request: Request, app: App, actor: SignedIn, folio_id: int, removed: int | None = None
) -> HTMLResponse:
    """The sheet of pictures."""
    return page(request, "gather/gather.html", **_sheet(app, actor, folio_id), removed=removed)


def _sheet(app: AppContext, actor: SignedIn, folio_id: int) -> dict[str, Any]:
    view = folios.read_folio(app.workshop, actor, folio_id)
    states = [read_picture(app.workshop, actor, picture.id) for picture in view.pictures]
    return {"actor": actor, "view": view, "states": states}


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
) -> Response:
    """Share the folio with a colleague, to change it too or only to look."""
    folios.share_folio(app.workshop, actor, folio_id, login, scope)
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


@router.post("/pictures/{picture_id}/remove")
def remove(app: App, actor: SignedIn, picture_id: int) -> Response:
    """Take a picture out of its folio."""
    state = read_picture(app.workshop, actor, picture_id)
    intake.remove_picture(app.workshop, actor, picture_id)
    return RedirectResponse(f"/folios/{state.folio_id}/gather?removed={picture_id}", 303)


@router.post("/pictures/{picture_id}/put-back")
def put_back(app: App, actor: SignedIn, picture_id: int) -> Response:
    """Put a removed picture back."""
    folio_id = intake.put_back_picture(app.workshop, actor, picture_id)
    return RedirectResponse(f"/folios/{folio_id}/gather", 303)


@router.post("/pictures/{picture_id}/texts")
def write_texts(
    request: Request,
    app: App,
    actor: SignedIn,
    picture_id: int,
    version: Annotated[int, Form(ge=0)],
    alternative: Annotated[str, Form(max_length=20_000)] = "",
    caption: Annotated[str, Form(max_length=20_000)] = "",
    credit: Annotated[str, Form(max_length=20_000)] = "",
) -> HTMLResponse:
    """Write alternative text, caption and credit."""
    try:
        texts = Texts(alternative=alternative.strip(), caption=caption.strip(), credit=credit.strip())
    except ValidationError as error:
        field = str(error.errors()[0]["loc"][-1])
        raise OutOfRangeError(f"The {field} text is too long.") from error
    state = change(app.workshop, actor, picture_id, version, "Wrote the texts", edits.set_texts(texts))
    return partial(request, "gather/texts.html", state=state, saved=True)


@router.get("/pictures/{picture_id}/original")
def original(app: App, actor: SignedIn, picture_id: int) -> Response:
    """The original, byte for byte."""
    sha256, name, facts = sources.original_file(app.workshop, actor, picture_id)
    return stored_file(app.workshop.originals, sha256, facts.media_type, name)
