"""The book of places by API."""

from fastapi import APIRouter
from pydantic import BaseModel

from lucidex.core.places.book import Book, BookPlace
from lucidex.services.places import book
from lucidex.web.api.documents_in import ReadApart
from lucidex.web.request.body_limits import DOCUMENT_BYTES, takes
from lucidex.web.request.context import App, Bearer

router = APIRouter(tags=["book of places"], route_class=ReadApart)


class ImportedOut(BaseModel):
    """How many places were added, and how many were in the book already."""

    added: int
    known: int


@router.get("/book")
def read_book(app: App, actor: Bearer, shipped: bool = True) -> Book:
    """The person's own places, and the shipped ones, as a book."""
    return book.export_book(app.workshop, actor, shipped)


@router.post("/book", status_code=201)
@takes(DOCUMENT_BYTES)
def import_book(app: App, actor: Bearer, body: Book) -> ImportedOut:
    """Add the places of a book, all or none."""
    done = book.import_book(app.workshop, actor, body.written().encode())
    return ImportedOut(added=done.added, known=done.known)


@router.post("/book/places", status_code=201)
def add_place(app: App, actor: Bearer, body: BookPlace) -> BookPlace:
    """Write one place into the person's own book."""
    return book.read_own(app.workshop, actor, book.add_own(app.workshop, actor, body)).place
