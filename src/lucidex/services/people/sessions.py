"""Who is signed in where, and tokens for scripts: kept in the database, so that both can be ended."""

import hashlib
import secrets
from dataclasses import dataclass
from datetime import timedelta

from sqlalchemy import delete, select
from sqlalchemy.orm import joinedload

from lucidex.core.errors import NotFoundError, OutOfRangeError
from lucidex.records.models import ApiToken, Scope, SignIn, now
from lucidex.services.house.workshop import Workshop
from lucidex.services.people.events import EventKind, note
from lucidex.services.people.known_sessions import known_sessions
from lucidex.services.people.people import Actor, actor_of

SECRET_BYTES = 32
LASTS = timedelta(days=14)  # a session that nobody uses
SEEN_EVERY = timedelta(minutes=1)
MAX_TOKENS = 50
TOKEN_DAYS = (1, 7, 30, 90, 365)


@dataclass(frozen=True)
class Session:
    """A session and its person."""

    id: int
    actor: Actor


def _digest(secret: str) -> str:
    return hashlib.sha256(secret.encode()).hexdigest()


def begin_session(workshop: Workshop, actor: Actor, address: str, browser: str) -> str:
    """Sign somebody in; what the browser is to hold."""
    secret = secrets.token_urlsafe(SECRET_BYTES)
    with workshop.database.begin() as session:
        session.execute(delete(SignIn).where(SignIn.seen_at < now() - LASTS))
        row = SignIn(person_id=actor.id, digest=_digest(secret), address=address[:60], browser=browser[:120])
        session.add(row)
        note(session, actor.id, EventKind.SIGN_IN, f"{actor.login} signed in.", address)
    return secret


def find_session(workshop: Workshop, secret: str) -> Session | None:
    """The session of what a browser holds; None where it ended, ran out, or its account is closed."""
    digest = _digest(secret)
    known = known_sessions(workshop).get(digest)
    if isinstance(known, Session):
        return known
    with workshop.database.begin() as session:
        found = select(SignIn).options(joinedload(SignIn.person)).where(SignIn.digest == digest)
        row = session.scalar(found)
        moment = now()
        if row is None or row.person.disabled_at is not None or moment - row.seen_at > LASTS:
            return None
        if moment - row.seen_at > SEEN_EVERY:
            row.seen_at = moment
        present = Session(row.id, actor_of(row.person))
    known_sessions(workshop).put(digest, present)
    return present


def end_session(workshop: Workshop, secret: str) -> None:
    """Sign out: what the browser holds is worthless from now on."""
    with workshop.database.begin() as session:
        row = session.scalar(select(SignIn).where(SignIn.digest == _digest(secret)))
        if row is not None:
            note(session, row.person_id, EventKind.SIGN_OUT, "Signed out.", row.address)
            session.delete(row)
    known_sessions(workshop).clear()


def list_sessions(workshop: Workshop, actor: Actor) -> list[SignIn]:
    """Where a person is signed in, the last used first."""
    with workshop.database.begin() as session:
        return list(
            session.scalars(select(SignIn).where(SignIn.person_id == actor.id).order_by(SignIn.seen_at.desc()))
        )


def end_session_of(workshop: Workshop, actor: Actor, session_id: int) -> None:
    """End a session of one's own. NotFoundError where it is not."""
    with workshop.database.begin() as session:
        row = session.get(SignIn, session_id)
        if row is None or row.person_id != actor.id:
            raise NotFoundError("There is no such session of yours.")
        session.delete(row)
        note(session, actor.id, EventKind.SIGN_OUT, "Ended a session elsewhere.", row.address)
    known_sessions(workshop).clear()


def make_token(
    workshop: Workshop, actor: Actor, name: str, scope: Scope = Scope.CHANGE, days: int | None = None
) -> str:
    """A new token; this is the only time that it is seen. `days` until it expires, None for never."""
    token = secrets.token_urlsafe(SECRET_BYTES)
    with workshop.database.begin() as session:
        mine = session.scalars(select(ApiToken.id).where(ApiToken.person_id == actor.id)).all()
        if len(mine) >= MAX_TOKENS:
            raise OutOfRangeError(f"At most {MAX_TOKENS} tokens are kept. Make one worthless first.")
        expires_at = now() + timedelta(days=days) if days else None
        named = name.strip()[:120] or "script"
        row = ApiToken(person_id=actor.id, name=named, digest=_digest(token), scope=scope, expires_at=expires_at)
        session.add(row)
        note(session, actor.id, EventKind.TOKEN, f"Made a token to {scope} named “{named}”.")
    return token


def person_by_token(workshop: Workshop, token: str) -> Actor | None:
    """The person whose token this is; None where it expired or the account is closed."""
    with workshop.database.begin() as session:
        found = select(ApiToken).options(joinedload(ApiToken.person)).where(ApiToken.digest == _digest(token))
        row, moment = session.scalar(found), now()
        if row is None or row.person.disabled_at is not None:
            return None
        if row.expires_at is not None and row.expires_at <= moment:
            return None
        if row.last_used_at is None or moment - row.last_used_at > SEEN_EVERY:
            row.last_used_at = moment
        return actor_of(row.person, row.scope == Scope.CHANGE)


def list_tokens(workshop: Workshop, actor: Actor) -> list[ApiToken]:
    """A person's tokens, newest first."""
    with workshop.database.begin() as session:
        return list(
            session.scalars(select(ApiToken).where(ApiToken.person_id == actor.id).order_by(ApiToken.id.desc()))
        )


def revoke_token(workshop: Workshop, actor: Actor, token_id: int) -> None:
    """Make a token worthless. Raises NotFoundError where it is not the person's own."""
    with workshop.database.begin() as session:
        row = session.get(ApiToken, token_id)
        if row is None or row.person_id != actor.id:
            raise NotFoundError("There is no such token.")
        session.delete(row)
        note(session, actor.id, EventKind.TOKEN, f"Made the token “{row.name}” worthless.")
