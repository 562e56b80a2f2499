"""Leases of results, renewed for as long as somebody is at them."""

import threading
from collections.abc import Iterator
from contextlib import contextmanager, suppress

from sqlalchemy.exc import SQLAlchemyError

from lucidex.services.house.workshop import Workshop
from lucidex.services.rendering.results import LEASE, renew_leases_of

RENEWED_EVERY_S = LEASE.total_seconds() / 3


@contextmanager
def leases_kept(workshop: Workshop, holder: str) -> Iterator[None]:
    """Whatever `holder` computes inside takes as long as it takes: nobody takes it over meanwhile."""
    done = threading.Event()
    keeper = threading.Thread(target=_renew, args=(workshop, holder, done), name="leases", daemon=True)
    keeper.start()
    try:
        yield
    finally:
        done.set()


def _renew(workshop: Workshop, holder: str, done: threading.Event) -> None:
    while not done.wait(RENEWED_EVERY_S):
        # a database that is away renews nothing: what is computed then is recorded only where it is still held
        with suppress(SQLAlchemyError), workshop.database.begin() as session:
            renew_leases_of(session, holder)
