"""Whether somebody still waits for what is computed: long work looks now and then, and stops where nobody does."""

import threading
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar

from lucidex.core.errors import NoLongerWantedError

_gone: ContextVar[threading.Event | None] = ContextVar("gone", default=None)


@contextmanager
def until(gone: threading.Event) -> Iterator[None]:
    """Work inside is wanted until the event is set; it holds for threads that carry this context along."""
    token = _gone.set(gone)
    try:
        yield
    finally:
        _gone.reset(token)


def present_event() -> threading.Event | None:
    """The event of the present work, to be handed to threads that do not carry the context along."""
    return _gone.get()


def check_wanted(gone: threading.Event | None = None) -> None:
    """Raise NoLongerWantedError where whoever asked has gone."""
    event = gone or _gone.get()
    if event is not None and event.is_set():
        raise NoLongerWantedError("Nobody waits for this any more, so it was stopped.")
