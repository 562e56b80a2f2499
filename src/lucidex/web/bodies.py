"""Limits on what a request may bring along, looked at before any of it is understood.

Who asks is looked up first; then the body is read with a limit on its bytes and on its time, and only then handed on.
Files are not read here but streamed by their routes (`web.uploads`), which know their own limits.
"""

import asyncio
import re
from dataclasses import dataclass

from starlette.requests import Request
from starlette.responses import Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from lucidex.core.errors import TooLargeError, TooSlowError, UserError
from lucidex.core.source.limits import IntakeLimits
from lucidex.web import problems
from lucidex.web.context import AppContext, find_visitor, is_scripted, not_signed_in

FORM_BYTES = 300_000
JSON_BYTES = 2_000_000
SIGN_IN_BYTES = 8_000
MULTIPART_BYTES = 32_000_000  # a logo, or routines with theirs
BODY_SECONDS = 30.0
DRAINED_BYTES = 2_000_000  # read away, so that a refusal can be heard; beyond, the connection is closed
SAFE = {"GET", "HEAD", "OPTIONS"}
_STREAMED = re.compile(
    r"^(/start/pictures|/uploads/[0-9a-f]{32}|/folios/\d{1,18}/pictures|/api/folios/\d{1,18}/pictures|/api/logos)$"
)
_MULTIPART = re.compile(r"^(/pictures/\d{1,18}/steps/[^/]{1,40}/logo-file|/routines-import|/book/import)$")


@dataclass(frozen=True)
class _Limit:
    max_bytes: int
    is_streamed: bool = False


def _limit(scope: Scope, limits: IntakeLimits) -> _Limit:
    path = scope["path"]
    if path == "/sign-in":
        return _Limit(SIGN_IN_BYTES)
    if _STREAMED.match(path):
        most = limits.archive_bytes if path.startswith("/uploads/") else limits.file_bytes
        return _Limit(most, is_streamed=True)
    if _MULTIPART.match(path):
        return _Limit(MULTIPART_BYTES)
    return _Limit(JSON_BYTES if is_scripted(path) else FORM_BYTES)


class Bodies:
    """Reads bodies with limits, of people who are known."""

    def __init__(self, app: ASGIApp, context: AppContext) -> None:
        self._app, self._context = app, context

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Passes a request on once its body is here, or answers it."""
        if scope["type"] != "http" or scope["method"] in SAFE:
            await self._app(scope, receive, send)
            return
        request = Request(scope, receive)
        try:
            if scope["path"] != "/sign-in" and await find_visitor(request, self._context) is None:
                raise not_signed_in(scope["path"])
            limit = _limit(scope, self._context.workshop.limits)
            request.state.is_streamed = limit.is_streamed
            if limit.is_streamed:
                await self._app(scope, receive, send)
                return
            body = await _read(request, limit.max_bytes)
        except UserError as error:
            await _drain(receive, request)
            response: Response = problems.answer_said(request, error)
            response.headers["Connection"] = "close"
            await response(scope, receive, send)
            return
        if body is not None:
            await self._app(scope, _replay(body, receive), send)


async def _read(request: Request, max_bytes: int) -> bytes | None:
    """The whole body; None where its sender has gone. TooLargeError and TooSlowError beyond the limits."""
    announced = request.headers.get("content-length", "")
    if announced.isdecimal() and int(announced[:18]) > max_bytes:
        raise _too_large(max_bytes)
    body = bytearray()
    try:
        async with asyncio.timeout(BODY_SECONDS):
            while True:
                message = await request.receive()
                if message["type"] != "http.request":
                    return None
                body += message.get("body", b"")
                if len(body) > max_bytes:
                    raise _too_large(max_bytes)
                if not message.get("more_body"):
                    return bytes(body)
    except TimeoutError as error:
        raise TooSlowError(f"The request took longer than {BODY_SECONDS:.0f} seconds to arrive.") from error


def _too_large(max_bytes: int) -> TooLargeError:
    message = f"{max_bytes / 1e6:.0f} MB" if max_bytes >= 1_000_000 else f"{max_bytes // 1_000} kB"
    return TooLargeError(f"This request is larger than {message}, the most that is taken here.")


async def _drain(receive: Receive, request: Request) -> None:
    """Read a little of what is still coming, so that the answer can be heard."""
    announced = request.headers.get("content-length", "")
    if announced.isdecimal() and int(announced[:18]) > DRAINED_BYTES:
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


def _replay(body: bytes, receive: Receive) -> Receive:
    """Hands the body on as one message, and then what the server says of the connection."""
    given = False

    async def once() -> Message:
        nonlocal given
        if not given:
            given = True
            return {"type": "http.request", "body": body, "more_body": False}
        return await receive()

    return once
