"""Accounts, passwords and tokens."""

import hashlib
import secrets
from dataclasses import dataclass
from datetime import timedelta

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerifyMismatchError
from limits import RateLimitItemPerMinute
from limits.storage import MemoryStorage
from limits.strategies import MovingWindowRateLimiter
from sqlalchemy import delete, select
from sqlalchemy.exc import IntegrityError

from lucidex.core.errors import NotFoundError, OutOfRangeError, TooManyTriesError
from lucidex.records.models import ApiToken, Person, now
from lucidex.services.workshop import Workshop

MIN_PASSWORD = 10
TRIES_A_MINUTE = 8
TRIES_A_MINUTE_BY_ADDRESS = 60
TOKEN_BYTES = 32

_hasher = PasswordHasher()
_DECOY = _hasher.hash(secrets.token_hex(8))


@dataclass(frozen=True)
class Who:
    """The person who acts."""

    id: int
    login: str
    name: str


def _who(person: Person) -> Who:
    return Who(person.id, person.login, person.name)


class SignInLimiter:
    """Counts failed tries within a minute: strictly for one name, loosely for one address that tries many."""

    def __init__(self) -> None:
        self._limiter = MovingWindowRateLimiter(MemoryStorage())
        self._name_rate = RateLimitItemPerMinute(TRIES_A_MINUTE)
        self._address_rate = RateLimitItemPerMinute(TRIES_A_MINUTE_BY_ADDRESS)

    def check(self, address: str, login: str) -> None:
        """Raise TooManyTriesError where there were too many failures within a minute."""
        if not all(self._limiter.test(rate, key) for rate, key in self._counts(address, login)):
            raise TooManyTriesError("Too many tries. Wait a minute, then sign in again.")

    def failed(self, address: str, login: str) -> None:
        """Count a failure."""
        for rate, key in self._counts(address, login):
            self._limiter.hit(rate, key)

    def _counts(self, address: str, login: str) -> tuple[tuple[RateLimitItemPerMinute, str], ...]:
        return (self._name_rate, f"login {login.strip().lower()}"), (self._address_rate, f"address {address}")


def add_person(workshop: Workshop, login: str, name: str, password: str) -> Who:
    """Open an account. Raises OutOfRangeError for a short password or a login name that is taken."""
    if len(password) < MIN_PASSWORD:
        raise OutOfRangeError(f"The password must have at least {MIN_PASSWORD} characters.")
    person = Person(login=login.strip().lower(), name=name.strip(), password_hash=_hasher.hash(password))
    try:
        with workshop.database.begin() as session:
            session.add(person)
            session.flush()
            return _who(person)
    except IntegrityError as error:
        raise OutOfRangeError(f"The sign-in name “{login}” is taken.") from error


def find_login(workshop: Workshop, login: str) -> Who | None:
    """The person with a login name."""
    with workshop.database.begin() as session:
        person = session.scalar(select(Person).where(Person.login == login.strip().lower()))
        return _who(person) if person else None


def check_password(workshop: Workshop, login: str, password: str) -> Who | None:
    """The person whose name and password these are; takes as long where the name does not exist."""
    with workshop.database.begin() as session:
        person = session.scalar(select(Person).where(Person.login == login.strip().lower()[:120]))
        try:
            _hasher.verify(person.password_hash if person else _DECOY, password)
        except (VerifyMismatchError, InvalidHashError):
            return None
        return _who(person) if person else None


def person_by_id(workshop: Workshop, person_id: int) -> Who | None:
    """The person of a session."""
    with workshop.database.begin() as session:
        person = session.get(Person, person_id)
        return _who(person) if person else None


def _digest(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()


def make_token(workshop: Workshop, who: Who, name: str) -> str:
    """A new token; this is the only time that it is seen."""
    token = secrets.token_urlsafe(TOKEN_BYTES)
    with workshop.database.begin() as session:
        session.add(ApiToken(person_id=who.id, name=name.strip()[:120] or "script", digest=_digest(token)))
    return token


def person_by_token(workshop: Workshop, token: str) -> Who | None:
    """The person whose token this is."""
    with workshop.database.begin() as session:
        row = session.scalar(select(ApiToken).where(ApiToken.digest == _digest(token)))
        if row is None:
            return None
        if row.last_used_at is None or now() - row.last_used_at > timedelta(minutes=1):
            row.last_used_at = now()
        return _who(row.person)


def list_tokens(workshop: Workshop, who: Who) -> list[ApiToken]:
    """A person's tokens, newest first."""
    with workshop.database.begin() as session:
        return list(
            session.scalars(select(ApiToken).where(ApiToken.person_id == who.id).order_by(ApiToken.id.desc()))
        )


def revoke_token(workshop: Workshop, who: Who, token_id: int) -> None:
    """Make a token worthless. Raises NotFoundError where it is not the person's own."""
    with workshop.database.begin() as session:
        gone = session.execute(delete(ApiToken).where(ApiToken.id == token_id, ApiToken.person_id == who.id))
        if gone.rowcount == 0:  # type: ignore[attr-defined]
            raise NotFoundError("There is no such token.")
