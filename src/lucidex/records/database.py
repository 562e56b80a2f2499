"""The connection to MariaDB."""

import errno
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import timedelta

from sqlalchemy import ColumnElement, Engine, create_engine, func, text
from sqlalchemy.exc import DBAPIError, InterfaceError, OperationalError
from sqlalchemy.orm import Session, sessionmaker

CONNECT_SECONDS = 3
ANSWER_SECONDS = 60  # for one statement: whoever waits longer for a lock or a lost server gives up
POOL, MORE = 10, 30
WAIT_FOR_CONNECTION_S = 10
_NO_TABLE_SPACE = {1021, 1114, 3675, 28, errno.ENOSPC, errno.EDQUOT}  # of MariaDB, and the system's own


def database_clock() -> ColumnElement[object]:
    """This moment by the database's clock: the only one by which leases are given and judged."""
    return func.utc_timestamp(6)


def from_now(span: timedelta) -> ColumnElement[object]:
    """A moment so much later, by the database's clock."""
    return func.timestampadd(text("MICROSECOND"), int(span.total_seconds() * 1_000_000), func.utc_timestamp(6))


def is_away(error: DBAPIError) -> bool:
    """Whether the server could not be reached or went away, so that the same may work a little later."""
    return error.connection_invalidated or isinstance(error, InterfaceError | OperationalError)


def is_full(error: DBAPIError) -> bool:
    """Whether the server has no room left to write to."""
    arguments: tuple[object, ...] = getattr(error.orig, "args", ())
    return bool(arguments) and arguments[0] in _NO_TABLE_SPACE


class Database:
    """Hands out sessions; one transaction each."""

    def __init__(self, url: str) -> None:
        self.engine: Engine = create_engine(
            url,
            isolation_level="READ COMMITTED",
            pool_size=POOL,
            max_overflow=MORE,
            pool_timeout=WAIT_FOR_CONNECTION_S,
            pool_pre_ping=True,
            connect_args={
                "connect_timeout": CONNECT_SECONDS,
                "read_timeout": ANSWER_SECONDS,
                "write_timeout": ANSWER_SECONDS,
            },
        )
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)

    @contextmanager
    def begin(self) -> Iterator[Session]:
        """A transaction: committed at the end, rolled back by any exception."""
        with self._sessions() as session, session.begin():
            yield session

    def answers(self) -> bool:
        """Whether the server answers."""
        try:
            with self.engine.connect() as connection:
                connection.execute(text("SELECT 1"))
        except DBAPIError:
            return False
        return True

    def close(self) -> None:
        """Close all connections."""
        self.engine.dispose()
