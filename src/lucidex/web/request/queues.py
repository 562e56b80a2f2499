"""Who waits for what: separate, bounded queues, so that nobody's long work holds up everybody's pages.

Whoever waits holds no thread. Each person has a share; beyond it, or where too many wait, the answer is 503 with a
sentence, at once. What nobody waits for any more is told to stop.
"""

import asyncio
import contextlib
import threading
from collections import Counter
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from dataclasses import dataclass, field

from fastapi import Request

from lucidex.core.cancellation import until
from lucidex.core.errors import BusyError

LOOK_EVERY_S = 0.25  # whether somebody has gone


@dataclass
class Queue:
    """So many at once, so many waiting, so many for each person, and how long anybody waits."""

    what: str
    at_once: int
    most: int
    share: int
    patience_s: float
    _seats: asyncio.Semaphore | None = field(default=None, repr=False)
    _held: Counter[int] = field(default_factory=Counter, repr=False)

    @asynccontextmanager
    async def seat(self, person_id: int) -> AsyncIterator[None]:
        """A seat in this queue; BusyError where there is none to be had."""
        if self._seats is None:
            self._seats = asyncio.Semaphore(self.at_once)
        if self._held[person_id] >= self.share or self._held.total() >= self.most:
            raise BusyError(f"Too many {self.what} are asked for at the moment. Try again in a few seconds.")
        self._held[person_id] += 1
        try:
            try:
                async with asyncio.timeout(self.patience_s):
                    await self._seats.acquire()
            except TimeoutError as error:
                raise BusyError(
                    f"Other {self.what} take longer than usual, so that this was not begun. Try again in a minute."
                ) from error
            try:
                yield
            finally:
                self._seats.release()
        finally:
            self._held[person_id] -= 1
            if not self._held[person_id]:
                del self._held[person_id]


@dataclass
class Queues:
    """All queues of an application."""

    previews: Queue = field(default_factory=lambda: Queue("previews", 2, 120, 40, 30.0))
    files: Queue = field(default_factory=lambda: Queue("files", 2, 240, 80, 120.0))
    uploads: Queue = field(default_factory=lambda: Queue("uploads", 40, 40, 12, 1.0))
    decoding: Queue = field(default_factory=lambda: Queue("pictures being read", 2, 60, 12, 180.0))
    addresses: Queue = field(default_factory=lambda: Queue("addresses being fetched", 4, 20, 4, 120.0))
    outside: Queue = field(default_factory=lambda: Queue("things from outside", 4, 20, 4, 60.0))
    documents: Queue = field(default_factory=lambda: Queue("documents being read", 1, 40, 4, 30.0))
    small: Queue = field(default_factory=lambda: Queue("small pictures", 4, 240, 130, 60.0))
    passwords: Queue = field(default_factory=lambda: Queue("sign-ins", 2, 40, 40, 20.0))


@asynccontextmanager
async def while_wanted(request: Request) -> AsyncIterator[None]:
    """Work inside is told to stop where whoever asked has gone."""
    gone = threading.Event()

    async def watch() -> None:
        while not await request.is_disconnected():
            await asyncio.sleep(LOOK_EVERY_S)
        gone.set()

    watching = asyncio.create_task(watch())
    try:
        with until(gone):
            yield
    finally:
        watching.cancel()
        with contextlib.suppress(asyncio.CancelledError):
            await watching
