"""Lets people who are known send bodies, within the limits that routes declare (`web.request.body_limits`).

Who asks is looked up first. Then a body is read for as long as it keeps to its limits in bytes and seconds, before
any of it is understood.
"""

import asyncio
import time

from fastapi import Request
from sqlalchemy.exc import SQLAlchemyError
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from lucidex.core.errors import TooLargeError, TooSlowError, UserError
from lucidex.web.request.body_limits import RefusedBody, limit_of
from lucidex.web.request.context import AppContext, find_visitor, not_signed_in
from lucidex.web.shell import problems

BODY_SECONDS = 30.0
DRAINED_BYTES = 2_000_000  # read away, so that a refusal can be heard; beyond, the connection is closed
SAFE = {"GET", "HEAD", "OPTIONS"}
SIGN_IN = "/sign-in"  # the only address whose body strangers may send


class Bodies:
    """Lets people who are known send bodies, within limits."""

    def __init__(self, app: ASGIApp, context: AppContext) -> None:
        self._app, self._context = app, context

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Passes a request on, with a body that ends where its limits are reached; or answers it."""
        if scope["type"] != "http" or scope["method"] in SAFE:
            await self._app(scope, receive, send)
            return
        request = Request(scope, receive)
        try:
            if scope["path"] != SIGN_IN and await find_visitor(request, self._context) is None:
                raise not_signed_in(scope["path"])
        except (UserError, SQLAlchemyError) as error:  # handlers of routes are further inside
            await _drain(scope, receive)
            if isinstance(error, UserError):
                response = problems.answer_said(request, error)
            else:
                response = problems.answer_of_database(request, error)
            response.headers["Connection"] = "close"
            await response(scope, receive, send)
            return
        await self._app(scope, _Limited(scope, receive), send)


class _Limited:
    """A body that is counted and timed while it comes. What its limits are is known once its route was found."""

    def __init__(self, scope: Scope, receive: Receive) -> None:
        self._scope, self._receive = scope, receive
        self._read, self._deadline, self._is_over = 0, 0.0, False

    async def __call__(self) -> Message:
        """The next piece. RefusedBody beyond the limits."""
        most = limit_of(self._scope).most_bytes
        if self._is_over or most is None:
            return await self._receive()  # after the body: what the server says of the connection
        announced = _announced(self._scope)
        if not self._deadline:
            self._deadline = time.monotonic() + BODY_SECONDS
            if announced is not None and announced > most:
                await self._refuse(_too_large(most))
        try:
            async with asyncio.timeout(max(0.0, self._deadline - time.monotonic())):
                message = await self._receive()
        except TimeoutError:
            await self._refuse(TooSlowError(f"The request took longer than {BODY_SECONDS:.0f} seconds to arrive."))
        self._is_over = message["type"] != "http.request" or not message.get("more_body")
        self._read += len(message.get("body", b""))
        if self._read > most:
            await self._refuse(_too_large(most))
        return message

    async def _refuse(self, error: UserError) -> None:
        if not self._is_over and not isinstance(error, TooSlowError):
            await _drain(self._scope, self._receive)
        self._is_over = True
        raise RefusedBody(error)


def _announced(scope: Scope) -> int | None:
    said = next((value for name, value in scope["headers"] if name == b"content-length"), b"")
    return int(said[:18]) if said.isdigit() else None


def _too_large(max_bytes: int) -> TooLargeError:
    message = f"{max_bytes / 1e6:.0f} MB" if max_bytes >= 1_000_000 else f"{max_bytes // 1_000} kB"
    return TooLargeError(f"This request is larger than {message}, the most that is taken here.")


async def _drain(scope: Scope, receive: Receive) -> None:
    """Read a little of what is still coming, so that the answer can be heard."""
    if (_announced(scope) or 0) > DRAINED_BYTES:
        return
    read = 0
    try:
        async with asyncio.timeout(1.0):
            while read < DRAINED_BYTES:
                message = await receive()
                read += len(message.get("body", b""))
                if message["type"] != "http.request" or not message.get("more_body"):
                    return
    except TimeoutError:
        return
