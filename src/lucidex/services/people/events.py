"""The log of what an administrator may want to know later: sign-ins, tokens, shares, removals, downloads, people."""

from collections.abc import Sequence
from datetime import timedelta
from enum import StrEnum

from sqlalchemy import delete, select
from sqlalchemy.orm import Session, joinedload

from lucidex.core.errors import NotAllowedError
from lucidex.records.models import Event, now
from lucidex.services.house.workshop import Workshop

KEPT_FOR = timedelta(days=400)
AT_ONCE = 200
MAX_SUBJECT = 400


class EventKind(StrEnum):
    """Kinds of events, as they are filtered."""

    SIGN_IN = "sign-in"
    REFUSED = "refused sign-in"
    SIGN_OUT = "sign-out"
    PASSWORD = "password"  # noqa: S105
    TOKEN = "token"  # noqa: S105
    SHARE = "share"
    REMOVAL = "removal"
    DOWNLOAD = "download"
    PEOPLE = "people"
    STORE = "store"


def note(session: Session, person_id: int | None, kind: EventKind, subject: str, address: str = "") -> None:
    """Write an event down, within the transaction of what happened."""
    session.add(Event(person_id=person_id, kind=kind, subject=subject[:MAX_SUBJECT], address=address[:60]))


def note_alone(workshop: Workshop, person_id: int | None, kind: EventKind, subject: str, address: str = "") -> None:
    """Write an event down that changes nothing else."""
    with workshop.database.begin() as session:
        note(session, person_id, kind, subject, address)


def read_events(
    workshop: Workshop, is_admin: bool, kind: EventKind | None = None, before: int | None = None
) -> Sequence[Event]:
    """The newest events, at most `AT_ONCE`, of one kind or of all, those before an id. For administrators."""
    if not is_admin:
        raise NotAllowedError("Only an administrator can see this.")
    found = select(Event).options(joinedload(Event.person)).order_by(Event.id.desc()).limit(AT_ONCE)
    if kind is not None:
        found = found.where(Event.kind == kind)
    if before is not None:
        found = found.where(Event.id < before)
    with workshop.database.begin() as session:
        return session.scalars(found).all()


def forget_old_events(session: Session) -> None:
    """Events are kept for a little more than a year."""
    session.execute(delete(Event).where(Event.at < now() - KEPT_FOR))
