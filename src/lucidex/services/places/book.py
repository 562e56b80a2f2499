"""The book of places: what is shipped, and each person's own places."""

from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session

from lucidex.core.errors import NotFoundError, OutOfRangeError
from lucidex.core.places.book import MAX_PLACES, Book, BookPlace, Purpose, read_book, shipped_book
from lucidex.records.models import OwnPlace, Person
from lucidex.services.house.workshop import Workshop
from lucidex.services.people.people import Actor


@dataclass(frozen=True)
class BookEntry:
    """A place in the book; `own_id` is None where it is shipped."""

    place: BookPlace
    own_id: int | None = None


def _entry(row: OwnPlace) -> BookEntry:
    body = {"purpose": row.purpose, "name": row.name, "demand": row.demand}
    return BookEntry(BookPlace.model_validate(body), row.id)


def _own(session: Session, actor: Actor) -> list[OwnPlace]:
    return list(session.scalars(select(OwnPlace).where(OwnPlace.person_id == actor.id).order_by(OwnPlace.id)))


def read_entries(workshop: Workshop, actor: Actor) -> list[BookEntry]:
    """Own places first, then the shipped ones, each group in its order."""
    with workshop.database.begin() as session:
        own = [_entry(row) for row in _own(session, actor)]
    return own + [BookEntry(place) for place in shipped_book().places]


def find_by_name(workshop: Workshop, actor: Actor, name: str) -> BookEntry | None:
    """The place of that name, own ones first; case does not count."""
    wanted = " ".join(name.casefold().split())
    return next((e for e in read_entries(workshop, actor) if e.place.name.casefold() == wanted), None)


def add_own(workshop: Workshop, actor: Actor, place: BookPlace) -> int:
    """Write a place into the person's own book; its id."""
    with workshop.database.begin() as session:
        return _add(session, actor, place)


def _add(session: Session, actor: Actor, place: BookPlace) -> int:
    session.get_one(Person, actor.id, with_for_update=True)  # others of the same person wait here
    if len(_own(session, actor)) >= MAX_PLACES:
        raise OutOfRangeError(f"The book holds at most {MAX_PLACES} places of one's own.")
    row = OwnPlace(
        person_id=actor.id, purpose=place.purpose, name=place.name, demand=place.demand.model_dump(mode="json")
    )
    session.add(row)
    session.flush()
    return row.id


def read_own(workshop: Workshop, actor: Actor, own_id: int) -> BookEntry:
    """One of the person's own places."""
    with workshop.database.begin() as session:
        return _entry(_row(session, actor, own_id))


def _row(session: Session, actor: Actor, own_id: int) -> OwnPlace:
    row = session.get(OwnPlace, own_id)
    if row is None or row.person_id != actor.id:
        raise NotFoundError("There is no such place in your book.")
    return row


def change_own(workshop: Workshop, actor: Actor, own_id: int, place: BookPlace) -> None:
    """Write a place anew."""
    with workshop.database.begin() as session:
        row = _row(session, actor, own_id)
        row.purpose, row.name, row.demand = place.purpose, place.name, place.demand.model_dump(mode="json")


def remove_own(workshop: Workshop, actor: Actor, own_id: int) -> BookPlace:
    """Take a place out of the book; it is given back, so that it can be added again."""
    with workshop.database.begin() as session:
        row = _row(session, actor, own_id)
        removed = _entry(row).place
        session.delete(row)
        return removed


@dataclass(frozen=True)
class Imported:
    """What became of an imported file."""

    added: int
    known: int


def import_book(workshop: Workshop, actor: Actor, text: bytes) -> Imported:
    """Add the places of a file, all or none; what is there already is not added twice."""
    book = read_book(text)
    with workshop.database.begin() as session:
        known = [_entry(row).place for row in _own(session, actor)] + list(shipped_book().places)
        new = []
        for place in book.places:
            if place not in known and place not in new:
                new.append(place)
        for place in new:
            _add(session, actor, place)
    return Imported(len(new), len(book.places) - len(new))


def export_book(workshop: Workshop, actor: Actor, with_shipped: bool = False) -> Book:
    """The person's own places as a book, with the shipped ones where wished."""
    entries = read_entries(workshop, actor)
    return Book(places=tuple(entry.place for entry in entries if with_shipped or entry.own_id is not None))


def by_purpose(entries: list[BookEntry]) -> list[tuple[Purpose, list[BookEntry]]]:
    """The entries of each purpose that has some."""
    grouped = [(purpose, [e for e in entries if e.place.purpose is purpose]) for purpose in Purpose]
    return [(purpose, found) for purpose, found in grouped if found]
