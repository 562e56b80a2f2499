"""The book of places: shipped and own places by purpose, drawn to one scale; import and export."""

from typing import Annotated, Any

from fastapi import APIRouter, Depends, File, Form, Query, Request, UploadFile
from starlette.responses import HTMLResponse, JSONResponse, RedirectResponse, Response

from lucidex.core.geometry.sizes import Size
from lucidex.core.places.book import MAX_BOOK_BYTES, Book, BookPlace, Purpose
from lucidex.core.places.demand import PlaceDemand, demand_words
from lucidex.core.places.linked_size import LinkedSize
from lucidex.core.places.measures import ExactSize
from lucidex.services.folios.folios import clean_name
from lucidex.services.places import book
from lucidex.web.request.body_limits import AROUND_A_FILE, takes
from lucidex.web.request.context import App, AppContext, SignedIn
from lucidex.web.request.security import check_csrf, message_before, say_next
from lucidex.web.shell.templating import page, partial
from lucidex.web.views.places.form import PlaceForm, linked_fields, size_fields

router = APIRouter(prefix="/book", dependencies=[Depends(check_csrf)], include_in_schema=False)

DRAWN_PER_PIXEL = 0.04  # screen pixels for each pixel of a place: one scale for the whole book
USUAL_PICTURE = Size(6000, 4000)  # what a place of one side is drawn for

_NEW = PlaceDemand(measure=ExactSize(width_px=1200, height_px=800))


@router.get("")
def book_page(
    request: Request,
    app: App,
    actor: SignedIn,
    edit: int | None = None,
    new: bool = False,
) -> HTMLResponse:
    """The whole book; one own place unfolded where it is being changed."""
    return page(request, "places/book.html", **_values(app, actor, edit, new), message=message_before(request))


def _values(app: AppContext, actor: SignedIn, edit: int | None, new: bool) -> dict[str, Any]:
    entries = book.read_entries(app.workshop, actor)
    editing = book.read_own(app.workshop, actor, edit).place if edit is not None else None
    demand = editing.demand if editing else _NEW
    return {
        "actor": actor,
        "groups": book.by_purpose(entries),
        "drawn": drawn_size,
        "demand_words": demand_words,
        "purposes": list(Purpose),
        "edit": edit,
        "new": new,
        "editing": editing,
        "demand": demand,
        "size_address": "/book/size",
        **size_fields(LinkedSize.of(demand), demand, None).values,
    }


def drawn_size(demand: PlaceDemand) -> tuple[float, float]:
    """Width and height of a place's outline on the page, in screen pixels."""
    size = demand.size_for(USUAL_PICTURE)
    return max(3.0, size.width * DRAWN_PER_PIXEL), max(3.0, size.height * DRAWN_PER_PIXEL)


@router.get("/size")
def linked_size(request: Request, actor: SignedIn, form: Annotated[PlaceForm, Query()]) -> HTMLResponse:
    """The linked numbers of the form after one of them was changed; nothing is recorded."""
    values = linked_fields(form, _NEW, None).values
    return partial(request, "places/size.html", **values, size_address="/book/size")


@router.post("")
def add_place(request: Request, app: App, actor: SignedIn, form: Annotated[PlaceForm, Form()]) -> Response:
    """Write a new place into the book."""
    book.add_own(app.workshop, actor, _place(form, _NEW))
    return _back(request, "The place is in your book.")


@router.post("/own/{own_id}")
def change_place(
    request: Request, app: App, actor: SignedIn, own_id: int, form: Annotated[PlaceForm, Form()]
) -> Response:
    """Write an own place anew."""
    before = book.read_own(app.workshop, actor, own_id).place
    book.change_own(app.workshop, actor, own_id, _place(form, before.demand))
    return _back(request, "The place was changed.")


def _place(form: PlaceForm, before: PlaceDemand) -> BookPlace:
    demand = form.demand(before)
    return BookPlace(purpose=form.purpose, name=clean_name(form.name, demand.measure.words()), demand=demand)


@router.post("/own/{own_id}/remove")
def remove_place(request: Request, app: App, actor: SignedIn, own_id: int) -> Response:
    """Take an own place out of the book; places that hang in folios stay."""
    removed = book.remove_own(app.workshop, actor, own_id)
    return _back(request, f"“{removed.name}” was taken out of the book. Places that hang in folios stay as they are.")


@router.post("/import")
@takes(MAX_BOOK_BYTES + AROUND_A_FILE)
def import_places(request: Request, app: App, actor: SignedIn, file: Annotated[UploadFile, File()]) -> Response:
    """Add the places of a JSON file, all or none."""
    done = book.import_book(app.workshop, actor, file.file.read(MAX_BOOK_BYTES + 1))
    known = f" {done.known} were in the book already." if done.known else ""
    return _back(request, f"{done.added} place{'' if done.added == 1 else 's'} added.{known}")


@router.get("/export")
def export_places(app: App, actor: SignedIn, shipped: bool = False) -> Response:
    """The own places, or all, as a JSON file."""
    text = book.export_book(app.workshop, actor, shipped).written()
    headers = {"Content-Disposition": 'attachment; filename="places.json"'}
    return Response(text, media_type="application/json", headers=headers)


@router.get("/schema")
def schema(actor: SignedIn) -> JSONResponse:
    """The JSON schema of the file."""
    return JSONResponse(Book.model_json_schema())


def _back(request: Request, message: str) -> RedirectResponse:
    say_next(request, message)
    return RedirectResponse("/book", 303)
