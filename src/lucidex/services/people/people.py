"""Accounts: who there is, passwords, and what an administrator does with both."""

import secrets
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerifyMismatchError
from sqlalchemy import delete, func, select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from lucidex.core.errors import NotAllowedError, NotFoundError, OutOfRangeError
from lucidex.records.models import MAX_NAME, ApiToken, Person, SignIn, now
from lucidex.services.house.workshop import Workshop
from lucidex.services.people.events import EventKind, note
from lucidex.services.people.known_sessions import known_sessions

MIN_PASSWORD, MAX_PASSWORD = 10, 1_000
MAX_PEOPLE = 2_000
FRESH_PASSWORD_BYTES = 12

_hasher = PasswordHasher()
_DECOY = _hasher.hash(secrets.token_hex(8))


@dataclass(frozen=True)
class Actor:
    """The person who acts. `may_change` is false where a token of theirs only looks."""

    id: int
    login: str
    name: str
    is_admin: bool = False
    may_change: bool = True


@contextmanager
def _changing(workshop: Workshop) -> Iterator[Session]:
    """A transaction after which nobody is known as they were before."""
    with workshop.database.begin() as session:
        yield session
    known_sessions(workshop).clear()


def actor_of(person: Person, may_change: bool = True) -> Actor:
    """The person of a row."""
    return Actor(person.id, person.login, person.name, person.is_admin, may_change)


def clean_login(login: str) -> str:
    """A sign-in name as it is kept: small letters, no blanks around. OutOfRangeError where it is none."""
    restored = login.strip().lower()
    if not restored or len(restored) > MAX_NAME or not restored.isprintable():
        raise OutOfRangeError(f"A sign-in name has 1 to {MAX_NAME} characters.")
    return restored


def check_new_password(password: str) -> str:
    """The password, where it can be one. OutOfRangeError where it is too short or too long."""
    if not MIN_PASSWORD <= len(password) <= MAX_PASSWORD:
        raise OutOfRangeError(f"The password must have at least {MIN_PASSWORD} characters, at most {MAX_PASSWORD}.")
    return password


def add_person(workshop: Workshop, login: str, name: str, password: str, is_admin: bool | None = None) -> Actor:
    """Open an account; the very first one is an administrator's unless said otherwise.

    Raises OutOfRangeError for a short password or a login name that is taken.
    """
    hashed = _hasher.hash(check_new_password(password))
    person = Person(login=clean_login(login), name=name.strip()[:MAX_NAME] or login.strip(), password_hash=hashed)
    try:
        with workshop.database.begin() as session:
            count = session.scalar(select(func.count()).select_from(Person)) or 0
            if count >= MAX_PEOPLE:
                raise OutOfRangeError(f"There are {count} accounts, and no more are opened here.")
            person.is_admin = count == 0 if is_admin is None else is_admin
            session.add(person)
            session.flush()
            return actor_of(person)
    except IntegrityError as error:
        raise OutOfRangeError(f"The sign-in name “{login.strip()[:60]}” is taken.") from error


def find_login(workshop: Workshop, login: str) -> Actor | None:
    """The person with a login name."""
    with workshop.database.begin() as session:
        person = session.scalar(select(Person).where(Person.login == login.strip().lower()[:MAX_NAME]))
        return actor_of(person) if person else None


def check_password(workshop: Workshop, login: str, password: str) -> Actor | None:
    """The person whose name and password these are, unless the account is closed; takes as long where none exists."""
    with workshop.database.begin() as session:
        person = session.scalar(select(Person).where(Person.login == login.strip().lower()[:MAX_NAME]))
        hashed = person.password_hash if person else _DECOY
    # not within the transaction: it takes a while, and a connection is dear
    try:
        _hasher.verify(hashed, password[:MAX_PASSWORD])
    except (VerifyMismatchError, InvalidHashError):
        return None
    return actor_of(person) if person and person.disabled_at is None else None


def read_people(workshop: Workshop, actor: Actor) -> list[Person]:
    """All accounts, by name. NotAllowedError for anybody but an administrator."""
    check_admin(actor)
    with workshop.database.begin() as session:
        return list(session.scalars(select(Person).order_by(Person.name, Person.id)))


def check_admin(actor: Actor) -> None:
    """NotAllowedError where somebody is no administrator."""
    if not actor.is_admin:
        raise NotAllowedError("Only an administrator can see this.")


def _person(session: Session, person_id: int) -> Person:
    person = session.get(Person, person_id, with_for_update=True)
    if person is None:
        raise NotFoundError("There is no such account.")
    return person


def rename_person(workshop: Workshop, actor: Actor, person_id: int, name: str) -> None:
    """Another name for an account, one's own or, for an administrator, anybody's."""
    if person_id != actor.id:
        check_admin(actor)
    with _changing(workshop) as session:
        person = _person(session, person_id)
        person.name = " ".join(name.split())[:MAX_NAME] or person.name


def change_password(
    workshop: Workshop,
    actor: Actor,
    old: str,
    new: str,
    keep_session: int | None = None,
    ends_tokens: bool = True,
) -> int:
    """Another password of one's own; every other session ends, and all tokens unless they are to stay. How many
    tokens go on counting. OutOfRangeError where the old password is wrong."""
    hashed = _hasher.hash(check_new_password(new))
    if check_password(workshop, actor.login, old) is None:
        raise OutOfRangeError("The present password is another one.")
    with _changing(workshop) as session:
        person = _person(session, actor.id)
        person.password_hash = hashed
        _end_sessions(session, person.id, keep_session)
        if ends_tokens:
            session.execute(delete(ApiToken).where(ApiToken.person_id == person.id))
        left = len(session.scalars(select(ApiToken.id).where(ApiToken.person_id == person.id)).all())
        tokens = "all tokens, too" if ends_tokens else f"{left} tokens stayed"
        said = f"Changed their own password; all other sessions were ended, {tokens}."
        note(session, actor.id, EventKind.PASSWORD, said)
        return left


def reset_password(workshop: Workshop, actor: Actor, person_id: int) -> str:
    """A fresh password for somebody who lost theirs, to be seen this once; all their sessions and tokens end."""
    check_admin(actor)
    fresh = secrets.token_urlsafe(FRESH_PASSWORD_BYTES)
    hashed = _hasher.hash(fresh)
    with _changing(workshop) as session:
        person = _person(session, person_id)
        person.password_hash = hashed
        _end_sessions(session, person.id)
        session.execute(delete(ApiToken).where(ApiToken.person_id == person.id))
        message = f"Gave {person.login} a fresh password; their sessions and tokens were ended."
        note(session, actor.id or None, EventKind.PASSWORD, message)
    return fresh


def disable_person(workshop: Workshop, actor: Actor, person_id: int) -> None:
    """Close an account: its sessions and tokens are worthless from now on; what it owns stays.

    OutOfRangeError where nobody would be left to open one again.
    """
    check_admin(actor)
    with _changing(workshop) as session:
        person = _person(session, person_id)
        admins = select(func.count()).select_from(Person).where(Person.is_admin, Person.disabled_at.is_(None))
        if person.is_admin and person.disabled_at is None and (session.scalar(admins.with_for_update()) or 0) < 2:
            raise OutOfRangeError("This is the only administrator; make somebody else one first.")
        person.disabled_at = person.disabled_at or now()
        _end_sessions(session, person.id)
        session.execute(delete(ApiToken).where(ApiToken.person_id == person.id))
        note(session, actor.id or None, EventKind.PEOPLE, f"Closed the account of {person.login}.")


def enable_person(workshop: Workshop, actor: Actor, person_id: int) -> None:
    """Open a closed account again."""
    check_admin(actor)
    with _changing(workshop) as session:
        person = _person(session, person_id)
        person.disabled_at = None
        note(session, actor.id or None, EventKind.PEOPLE, f"Opened the account of {person.login} again.")


def make_admin(workshop: Workshop, actor: Actor, person_id: int, is_admin: bool) -> None:
    """Make somebody an administrator, or no longer. OutOfRangeError where none would be left."""
    check_admin(actor)
    with _changing(workshop) as session:
        person = _person(session, person_id)
        admins = select(func.count()).select_from(Person).where(Person.is_admin, Person.disabled_at.is_(None))
        if person.is_admin and not is_admin and (session.scalar(admins.with_for_update()) or 0) < 2:
            raise OutOfRangeError("This is the only administrator; make somebody else one first.")
        person.is_admin = is_admin
        message = "an administrator" if is_admin else "no longer an administrator"
        note(session, actor.id or None, EventKind.PEOPLE, f"Made {person.login} {message}.")


def invite_person(workshop: Workshop, actor: Actor, login: str, name: str) -> tuple[Actor, str]:
    """A new account, and its first password, to be seen this once."""
    check_admin(actor)
    fresh = secrets.token_urlsafe(FRESH_PASSWORD_BYTES)
    added = add_person(workshop, login, name, fresh, is_admin=False)
    with workshop.database.begin() as session:
        note(session, actor.id or None, EventKind.PEOPLE, f"Opened an account for {added.login}.")
    return added, fresh


def _end_sessions(session: Session, person_id: int, but: int | None = None) -> None:
    ended = delete(SignIn).where(SignIn.person_id == person_id)
    session.execute(ended if but is None else ended.where(SignIn.id != but))
