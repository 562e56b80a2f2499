"""The connection to MariaDB."""

from collections.abc import Iterator
from contextlib import contextmanager

from sqlalchemy import Engine, create_engine
from sqlalchemy.orm import Session, sessionmaker


class Database:
    """Hands out sessions; one transaction each."""

    def __init__(self, url: str) -> None:
        self.engine: Engine = create_engine(
            url, isolation_level="READ COMMITTED", pool_size=10, max_overflow=30, pool_pre_ping=True
        )
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)

    @contextmanager
    def begin(self) -> Iterator[Session]:
        """A transaction: committed at the end, rolled back by any exception."""
        with self._sessions() as session, session.begin():
            yield session

    def close(self) -> None:
        """Close all connections."""
        self.engine.dispose()
