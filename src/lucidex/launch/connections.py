"""Connections to the application: no stranger holds one without saying what it is for.

uvicorn's own limits count connections and requests, and answer 503 to everybody beyond. They know no deadline for
headers, no bound on them, and nothing of who holds a connection; so they are kept here, over its own protocol. A
proxy in front would do it too, but would be one more program to install, configure and watch on each machine.
"""

import asyncio
from collections import defaultdict
from collections.abc import Callable
from typing import Any

from uvicorn.config import Config
from uvicorn.protocols.http.httptools_impl import HttpToolsProtocol

HEADER_SECONDS = 10.0  # until all headers of a request are there, from the connection's or the request's beginning
HEADER_BYTES = 64_000
STALLED_SECONDS = 60.0  # while whoever asked takes nothing of the answer
MOST, MOST_OF_ONE = 380, 200  # connections, and those of one address
_ANSWERS = {
    408: b"HTTP/1.1 408 Request Timeout\r\ncontent-length: 0\r\nconnection: close\r\n\r\n",
    431: b"HTTP/1.1 431 Request Header Fields Too Large\r\ncontent-length: 0\r\nconnection: close\r\n\r\n",
}


class Doors:
    """Who is connected, and who of them waits: sends no request yet, or has not sent all of its headers.

    Where there are too many, those who wait the longest are let go. `trusted` is the address of a proxy, which speaks
    for many.
    """

    def __init__(self, trusted: str | None = None) -> None:
        self._trusted = trusted
        self._connected: defaultdict[str, set[GuardedProtocol]] = defaultdict(set)
        self._waiting: dict[GuardedProtocol, None] = {}  # in the order in which they began to wait

    def come_in(self, one: "GuardedProtocol") -> None:
        """A new connection; where that is one too many, another one has to go, or this one."""
        mine = self._connected[one.address]
        mine.add(one)
        if len(mine) > MOST_OF_ONE and one.address != self._trusted:
            self._make_room(one, lambda other: other.address == one.address)
        elif sum(map(len, self._connected.values())) > MOST:
            self._make_room(one, lambda other: True)
        self._waiting[one] = None

    def _make_room(self, newest: "GuardedProtocol", may_go: Callable[["GuardedProtocol"], bool]) -> None:
        oldest = next((one for one in self._waiting if may_go(one)), newest)
        self.leave(oldest)
        oldest.transport.abort()

    def wait(self, one: "GuardedProtocol") -> None:
        """It has had its answer, and may ask for more."""
        self._waiting[one] = None

    def be_served(self, one: "GuardedProtocol") -> None:
        """All headers of a request of it are here."""
        self._waiting.pop(one, None)

    def leave(self, one: "GuardedProtocol") -> None:
        """It is gone."""
        self._waiting.pop(one, None)
        mine = self._connected[one.address]
        mine.discard(one)
        if not mine:
            del self._connected[one.address]


class GuardedProtocol(HttpToolsProtocol):
    """uvicorn's protocol with deadlines for headers and for answers that nobody takes."""

    doors: Doors

    def __init__(self, config: Config, *given: Any, **named: Any) -> None:  # noqa: ANN401 - as uvicorn passes them
        super().__init__(config, *given, **named)
        self.address = ""
        self._header_bytes = 0
        self._has_begun = False  # a request of which not all headers are here
        self._timer: asyncio.TimerHandle | None = None
        self._stalled: asyncio.TimerHandle | None = None

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        """Somebody connects."""
        super().connection_made(transport)
        self.address = self.client[0] if self.client else ""
        self._expect_headers()
        self.doors.come_in(self)

    def connection_lost(self, exc: Exception | None) -> None:
        """Gone, whoever closed it."""
        self.doors.leave(self)
        self._cancel_timers()
        super().connection_lost(exc)

    def data_received(self, data: bytes) -> None:
        """Something arrives; where headers are still expected, it is counted."""
        if self._timer is None and (self.cycle is None or self.cycle.response_complete):
            self._expect_headers()
        if self._timer is not None:
            self._header_bytes += len(data)
        super().data_received(data)
        if self._timer is not None and self._header_bytes > HEADER_BYTES:
            self._refuse(431)

    def on_message_begin(self) -> None:
        """A request begins, perhaps while the one before it is being answered."""
        super().on_message_begin()
        self._has_begun = True

    def on_headers_complete(self) -> None:
        """A request can be answered."""
        self._has_begun = False
        if self._timer is not None:
            self._timer.cancel()
            self._timer = None
        self._header_bytes = 0
        self.doors.be_served(self)
        super().on_headers_complete()

    def on_response_complete(self) -> None:
        """An answer was sent."""
        super().on_response_complete()
        if not self.transport.is_closing() and self.cycle.response_complete:
            self.doors.wait(self)
            if self._has_begun:
                self._expect_headers()

    def pause_writing(self) -> None:
        """Whoever asked takes nothing at the moment."""
        super().pause_writing()
        if self._stalled is None:
            self._stalled = self.loop.call_later(STALLED_SECONDS, self.transport.abort)

    def resume_writing(self) -> None:
        """It is taken again."""
        super().resume_writing()
        if self._stalled is not None:
            self._stalled.cancel()
            self._stalled = None

    def _expect_headers(self) -> None:
        self._header_bytes = 0
        self._timer = self.loop.call_later(HEADER_SECONDS, self._refuse, 408)

    def _refuse(self, status: int) -> None:
        self._cancel_timers()
        if not self.transport.is_closing():
            if self._header_bytes or self._has_begun:
                self.transport.write(_ANSWERS[status])
            self.transport.close()

    def _cancel_timers(self) -> None:
        for timer in (self._timer, self._stalled):
            if timer is not None:
                timer.cancel()
        self._timer = self._stalled = None


def guarded(trusted: str | None = None) -> type[GuardedProtocol]:
    """The protocol for one server, with doors of its own."""

    class OfOneServer(GuardedProtocol):
        doors = Doors(trusted)

    return OfOneServer
