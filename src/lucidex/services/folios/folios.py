"""Folios: who may see one, its pictures and its places. Every way to a picture leads through here."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import ColumnElement, bindparam, delete, func, literal, or_, select, true
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session, joinedload

from lucidex.core.errors import NotAllowedError, NotFoundError, OutOfRangeError
from lucidex.records.models import MAX_NAME, Document, Folio, FolioShare, Person, Picture, Place, Scope, Source, now
from lucidex.services.house.workshop import Workshop
from lucidex.services.people.events import EventKind, note
from lucidex.services.people.people import Actor

MAX_OFFERED = 300  # colleagues in a list to choose from
ASKED_AT_ONCE = 400
_STANDS = Picture.removed_at.is_(None) & Picture.trial_of.is_(None)
IN_ORDER = (func.coalesce(Picture.arrival_id, Picture.id), Picture.arrival_number, Picture.id)
_NO_FOLIO = "There is no such folio, or it is not shared with you."
NO_PICTURE = "There is no such picture, or its folio is not shared with you."


@dataclass(frozen=True)
class FolioRow:
    """A folio in a list."""

    id: int
    name: str
    owner: str
    is_own: bool
    pictures: int
    changed_at: datetime
    first_picture_id: int | None


def _allowed(actor: Actor) -> ColumnElement[bool]:
    return _allowed_to(literal(actor.id))


def _allowed_to(person_id: ColumnElement[int]) -> ColumnElement[bool]:
    shared = select(FolioShare.folio_id).where(FolioShare.person_id == person_id)
    return or_(Folio.owner_id == person_id, Folio.id.in_(shared))


def folio_of(session: Session, actor: Actor, folio_id: int, to_change: bool = False) -> Folio:
    """The folio, or NotFoundError where it is neither the person's own nor shared.

    Who will change it, or put something into it, says so: then others wait their turn from here on. A row that is put
    in holds its folio shared, so that two who did this and changed the folio afterwards would wait for each other.
    """
    found = select(Folio).where(Folio.id == folio_id, _allowed(actor))
    folio = session.scalar(found.with_for_update(of=Folio) if to_change else found)
    if folio is None:
        raise NotFoundError(_NO_FOLIO)
    if to_change:
        check_may_change(session, actor, folio.id)
    return folio


def check_may_change(session: Session, actor: Actor, folio_id: int) -> None:
    """NotAllowedError where a folio that the person may see is shared with them to look at only."""
    if not actor.may_change:
        raise NotAllowedError("This token only looks. Make one that may change things on the account page.")
    share = session.get(FolioShare, (folio_id, actor.id))
    owner_id = session.scalar(select(Folio.owner_id).where(Folio.id == folio_id))
    if owner_id != actor.id and (share is None or share.scope != Scope.CHANGE):
        raise NotAllowedError("This folio is shared with you to look at. Ask its owner to let you change it.")


def picture_of(session: Session, actor: Actor, picture_id: int, to_change: bool = False) -> Picture:
    """The picture, or NotFoundError where its folio is neither the person's own nor shared.

    Whoever will change it says so: NotAllowedError where its folio is shared with them to look at only.
    """
    picture = _picture(session, actor, picture_id, Picture.removed_at.is_(None))
    if to_change:
        check_may_change(session, actor, picture.folio_id)
    return picture


def removed_picture_of(session: Session, actor: Actor, picture_id: int) -> Picture:
    """The picture to be put back, even where it was taken out of its folio, or errors as above."""
    picture = _picture(session, actor, picture_id, true())
    check_may_change(session, actor, picture.folio_id)
    return picture


def _picture(session: Session, actor: Actor, picture_id: int, also: ColumnElement[bool]) -> Picture:
    # with its original, which is asked for next wherever a picture is shown
    found = select(Picture).join(Folio).options(joinedload(Picture.source).joinedload(Source.original))
    picture = session.scalar(found.where(Picture.id == picture_id, also, _allowed(actor)))
    if picture is None:
        raise NotFoundError(NO_PICTURE)
    return picture


def allowed_pictures(actor: Actor) -> ColumnElement[bool]:
    """The condition that a picture stands in a folio which the person may see."""
    return Picture.removed_at.is_(None) & Picture.folio_id.in_(select(Folio.id).where(_allowed(actor)))


def changeable_pictures(actor: Actor) -> ColumnElement[bool]:
    """The condition that a picture stands in a folio which the person may change: all that it was made of is theirs
    to use."""
    shared = select(FolioShare.folio_id).where(FolioShare.person_id == actor.id, FolioShare.scope == Scope.CHANGE)
    mine = select(Folio.id).where(or_(Folio.owner_id == actor.id, Folio.id.in_(shared)))
    return Picture.removed_at.is_(None) & Picture.folio_id.in_(mine)


@dataclass(frozen=True)
class Seen:
    """The version of a picture's document, and who asks: somebody who may only look, with originals or without."""

    version: int
    only_looks: bool
    originals: bool

    @classmethod
    def of(cls, version: int, owner_id: int, scope: str | None, originals: bool | None, actor: Actor) -> "Seen":
        """From what is written down."""
        return cls(version, owner_id != actor.id and scope != Scope.CHANGE, bool(originals))


# built once: it is asked for by every draft of a moving slider
_VERSION = (
    select(Document.version, Folio.owner_id, FolioShare.scope, FolioShare.originals)
    .join(Picture, Picture.id == Document.picture_id)
    .join(Folio)
    .outerjoin(FolioShare, (FolioShare.folio_id == Folio.id) & (FolioShare.person_id == bindparam("actor_id")))
    .where(Picture.id == bindparam("picture_id"), Picture.removed_at.is_(None), _allowed_to(bindparam("actor_id")))
)


def version_of(session: Session, actor: Actor, picture_id: int) -> Seen:
    """The version of a picture's document, and how it is seen; or NotFoundError as for the picture."""
    row = session.execute(_VERSION, {"picture_id": picture_id, "actor_id": actor.id}).one_or_none()
    if row is None:
        raise NotFoundError(NO_PICTURE)
    return Seen.of(*row, actor)


def versions_of(session: Session, actor: Actor, picture_ids: Sequence[int]) -> dict[int, Seen]:
    """The versions of several pictures' documents, as far as the person may see them."""
    found: dict[int, Seen] = {}
    mine = (FolioShare.folio_id == Folio.id) & (FolioShare.person_id == actor.id)
    for start in range(0, len(picture_ids), ASKED_AT_ONCE):
        some = picture_ids[start : start + ASKED_AT_ONCE]
        asked = select(
            Document.picture_id, Document.version, Folio.owner_id, FolioShare.scope, FolioShare.originals
        ).join(Picture, Picture.id == Document.picture_id)
        rows = session.execute(
            asked.join(Folio, Folio.id == Picture.folio_id)
            .outerjoin(FolioShare, mine)
            .where(Picture.id.in_(some), allowed_pictures(actor))
        )
        found |= {one: Seen.of(version, owner, scope, shown, actor) for one, version, owner, scope, shown in rows}
    return found


def place_of(session: Session, actor: Actor, place_id: int, to_change: bool = False) -> Place:
    """The place, also one that was taken down, or errors as for its folio."""
    place = session.scalar(
        select(Place).join(Folio, Folio.id == Place.folio_id).where(Place.id == place_id, _allowed(actor))
    )
    if place is None:
        raise NotFoundError("There is no such place, or its folio is not shared with you.")
    if to_change:
        check_may_change(session, actor, place.folio_id)
    return place


def clean_name(name: str, otherwise: str) -> str:
    """A name without control characters, of a length that the table holds."""
    restored = " ".join("".join(c for c in name if c.isprintable()).split())[:MAX_NAME]
    return restored or otherwise


def list_folios(workshop: Workshop, actor: Actor) -> list[FolioRow]:
    """All folios that the person may see, the last changed first."""
    with workshop.database.begin() as session:
        counted = (
            select(Folio, func.count(Picture.id), func.min(Picture.id))
            .outerjoin(Picture, (Picture.folio_id == Folio.id) & _STANDS)
            .where(_allowed(actor))
            .group_by(Folio.id)
            .order_by(Folio.changed_at.desc(), Folio.id.desc())
        )
        return [
            FolioRow(f.id, f.name, f.owner.name, f.owner_id == actor.id, count, f.changed_at, first)
            for f, count, first in session.execute(counted)
        ]


def make_folio(workshop: Workshop, actor: Actor, name: str) -> int:
    """A new, empty folio; its id."""
    with workshop.database.begin() as session:
        folio = Folio(owner_id=actor.id, name=clean_name(name, "Untitled"))
        session.add(folio)
        session.flush()
        return folio.id


def rename_folio(workshop: Workshop, actor: Actor, folio_id: int, name: str) -> None:
    """Give a folio another name."""
    with workshop.database.begin() as session:
        folio = folio_of(session, actor, folio_id, to_change=True)
        folio.name = clean_name(name, folio.name)
        folio.changed_at = now()


def share_folio(
    workshop: Workshop,
    actor: Actor,
    folio_id: int,
    login: str,
    scope: Scope = Scope.CHANGE,
    originals: bool = False,
) -> None:
    """Let a colleague see a folio, and change it too or only look, with `originals` or without. Only its owner may;
    the colleague must have an account. Sharing once more changes the scope."""
    with workshop.database.begin() as session:
        folio = _owned(session, actor, folio_id)
        person = _colleague(session, login)
        if person.id == actor.id:
            raise OutOfRangeError("This folio is yours already.")
        shared = insert(FolioShare).values(folio_id=folio_id, person_id=person.id, scope=scope, originals=originals)
        session.execute(shared.on_duplicate_key_update(scope=scope, originals=originals))
        seen = ", originals too" if originals and scope == Scope.LOOK else ""
        said = f"Shared the folio “{folio.name}” with {person.login} to {scope}{seen}."
        note(session, actor.id, EventKind.SHARE, said)


def colleagues(workshop: Workshop, actor: Actor) -> list[tuple[str, str]]:
    """Whom somebody may share with: what they sign in with, and their name; at most so many as a list can show."""
    wanted = select(Person.login, Person.name).where(Person.id != actor.id, Person.disabled_at.is_(None))
    with workshop.database.begin() as session:
        return [(login, name) for login, name in session.execute(wanted.order_by(Person.name).limit(MAX_OFFERED))]


def _colleague(session: Session, login: str) -> Person:
    person = session.scalar(select(Person).where(Person.login == login.strip().lower()[:MAX_NAME]))
    if person is None or person.disabled_at is not None:
        raise NotFoundError(f"Nobody signs in as “{login.strip()[:60]}” here.")
    return person


def hand_over_folio(workshop: Workshop, actor: Actor, folio_id: int, login: str) -> None:
    """Give a folio to a colleague; whoever had it may still change it. Only its owner, or an administrator, may."""
    with workshop.database.begin() as session:
        folio = session.get(Folio, folio_id, with_for_update=True) if actor.is_admin else None
        folio = folio or _owned(session, actor, folio_id)
        person, before = _colleague(session, login), folio.owner_id
        if person.id == before:
            raise OutOfRangeError(f"This folio is {person.name}'s already.")
        folio.owner_id, folio.changed_at = person.id, now()
        kept = insert(FolioShare).values(folio_id=folio_id, person_id=before, scope=Scope.CHANGE)
        session.execute(kept.on_duplicate_key_update(scope=Scope.CHANGE))
        session.execute(delete(FolioShare).where(FolioShare.folio_id == folio_id, FolioShare.person_id == person.id))
        note(session, actor.id, EventKind.SHARE, f"Handed the folio “{folio.name}” over to {person.login}.")


def unshare_folio(workshop: Workshop, actor: Actor, folio_id: int, person_id: int) -> None:
    """Stop sharing a folio with a colleague."""
    with workshop.database.begin() as session:
        folio = _owned(session, actor, folio_id)
        share = session.get(FolioShare, (folio_id, person_id))
        if share is not None:
            note(session, actor.id, EventKind.SHARE, f"Stopped sharing “{folio.name}” with {share.person.login}.")
            session.delete(share)


def _owned(session: Session, actor: Actor, folio_id: int) -> Folio:
    folio = folio_of(session, actor, folio_id)
    if folio.owner_id != actor.id:
        raise NotAllowedError(f"Only {folio.owner.name}, whose folio this is, can share it.")
    return folio


@dataclass(frozen=True)
class FolioView:
    """A folio with what stands in it."""

    folio: Folio
    is_own: bool
    pictures: list[Picture]
    places: list[Place]
    shared_with: list[Person]
    may_change: bool = True
    only_looking: frozenset[int] = frozenset()  # of those with whom it is shared
    see_originals: frozenset[int] = frozenset()  # of those who only look

    @property
    def weight(self) -> int:
        """Bytes of all originals."""
        return sum(picture.source.original.byte_count for picture in self.pictures)

    def position(self, picture_id: int) -> int | None:
        """Where a picture stands, from 0; None for one that stands apart, because a routine is tried on it."""
        return next((i for i, picture in enumerate(self.pictures) if picture.id == picture_id), None)


def read_folio(workshop: Workshop, actor: Actor, folio_id: int) -> FolioView:
    """A folio with its pictures and its hanging places."""
    with workshop.database.begin() as session:
        return read_folio_in(session, actor, folio_id)


def read_folio_in(session: Session, actor: Actor, folio_id: int) -> FolioView:
    """The same within a transaction that does more."""
    folio = folio_of(session, actor, folio_id)
    shares = select(FolioShare).options(joinedload(FolioShare.person)).where(FolioShare.folio_id == folio.id)
    shared = sorted(session.scalars(shares), key=lambda share: share.person.name)
    lookers = frozenset(share.person_id for share in shared if share.scope == Scope.LOOK)
    pictures = select(Picture).options(joinedload(Picture.source).joinedload(Source.original))
    pictures = pictures.where(Picture.folio_id == folio.id, _STANDS)
    view = FolioView(
        folio,
        folio.owner_id == actor.id,
        list(session.scalars(pictures.order_by(*IN_ORDER))),
        hanging_places(session, folio.id),
        [share.person for share in shared],
        actor.may_change and actor.id not in lookers,
        lookers,
        frozenset(share.person_id for share in shared if share.originals) & lookers,
    )
    _ = folio.owner
    return view


def hanging_places(session: Session, folio_id: int) -> list[Place]:
    """Places of a folio that were not taken down, in the order in which they were hung."""
    return list(
        session.scalars(
            select(Place).where(Place.folio_id == folio_id, Place.taken_down_at.is_(None)).order_by(Place.id)
        )
    )
