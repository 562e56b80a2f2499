"""Whoever asks for many pages at once waits for himself: so many are answered at once for each session or token.

Only looks count (GET): what is sent has queues of its own. A seat is free again once an answer begins, so that
streams and downloads hold none.
"""

import asyncio
import hashlib
from dataclasses import dataclass, field

from fastapi import Request
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from lucidex.core.errors import BusyError
from lucidex.web.request.context import SESSION_KEY
from lucidex.web.shell import problems

AT_ONCE, MOST_WAITING = 6, 400  # of one session or token
STRANGERS_AT_ONCE, MOST_STRANGERS = 8, 400  # of all who have neither


@dataclass
class _Share:
    seats: asyncio.Semaphore
    waiting: int = 0


@dataclass
class Fairness:
    """Passes looks on, so many of each at once."""

    app: ASGIApp
    _shares: dict[str, _Share] = field(default_factory=dict)

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Waits for a seat, and lets go of it once the answer begins."""
        if scope["type"] != "http" or scope["method"] != "GET" or scope["path"].startswith("/static/"):
            await self.app(scope, receive, send)
            return
        request = Request(scope, receive)
        key = _key_of(request)
        share = self._shares.setdefault(key, _Share(asyncio.Semaphore(AT_ONCE if key else STRANGERS_AT_ONCE)))
        if share.waiting >= (MOST_WAITING if key else MOST_STRANGERS):
            busy = problems.answer_said(request, BusyError("Too much is asked for at once. Try again in a moment."))
            await busy(scope, receive, send)
            return
        share.waiting += 1
        is_seated = False
        try:
            await share.seats.acquire()
            is_seated = True

            async def send_and_let_go(message: Message) -> None:
                nonlocal is_seated
                if is_seated and message["type"] == "http.response.start":
                    is_seated = False
                    share.seats.release()
                await send(message)

            await self.app(scope, receive, send_and_let_go)
        finally:
            if is_seated:
                share.seats.release()
            share.waiting -= 1
            if not share.waiting:
                self._shares.pop(key, None)


def _key_of(request: Request) -> str:
    """Who asks, as far as that is known before anything is looked up: a signed session, or a token as it was sent."""
    secret = request.session.get(SESSION_KEY)
    said = secret if isinstance(secret, str) else request.headers.get("authorization", "")
    return hashlib.sha256(said.encode()).hexdigest() if said else ""
