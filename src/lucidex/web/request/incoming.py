"""Files on their way in: streamed to the disk, counted and timed, holding no thread while they trickle."""

import asyncio
import time
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from typing import Protocol

from fastapi import Request
from starlette.concurrency import run_in_threadpool
from starlette.requests import ClientDisconnect

from lucidex.core.errors import TooSlowError, UserError
from lucidex.core.source.limits import IntakeLimits
from lucidex.records.store import Received
from lucidex.services.intake.intake import not_taken
from lucidex.services.people.people import Actor
from lucidex.web.request.context import AppContext
from lucidex.web.request.queues import while_wanted

PIECE_BYTES = 1 << 20
IDLE_SECONDS = 30.0
FROM_SECONDS, SLOWEST_BYTES_A_SECOND = 60.0, 2_000
WHOLE_SECONDS = 1_800.0
DRAINED_BYTES = 400_000_000


@asynccontextmanager
async def received(request: Request, app: AppContext, actor: Actor, file_name: str) -> AsyncIterator[Received]:
    """The body as a file that has arrived; then a seat where files are read, and whoever has gone stops that.

    Errors of the `UserError` family name the file.
    """
    try:
        async with app.queues.uploads.seat(actor.id):
            await _refuse_oversized(request, app.workshop.limits)
            context = app.workshop.originals.incoming(app.workshop.limits.file_bytes)
            incoming = await run_in_threadpool(context.__enter__)
            try:
                await stream_into(request, incoming)
                arrived = await run_in_threadpool(incoming.received)
                async with app.queues.decoding.seat(actor.id), while_wanted(request):
                    yield arrived
            except BaseException as error:
                if not await run_in_threadpool(context.__exit__, type(error), error, error.__traceback__):
                    raise
            else:
                await run_in_threadpool(context.__exit__, None, None, None)
    except UserError as error:
        raise not_taken(file_name, error) from error


class Writer(Protocol):
    """Takes a file piece by piece."""

    def write(self, chunk: bytes) -> None:
        """Add a piece."""


async def stream_into(request: Request, incoming: Writer) -> None:
    """Write a body as it comes; TooSlowError where it trickles or stops."""
    held, count, began = bytearray(), 0, time.monotonic()
    try:
        async with asyncio.timeout(WHOLE_SECONDS):
            async for chunk in _not_idle(request):
                held += chunk
                count += len(chunk)
                if (passed := time.monotonic() - began) > FROM_SECONDS and count < SLOWEST_BYTES_A_SECOND * passed:
                    raise TooSlowError("It arrives too slowly to wait for. Send it again over a better connection.")
                if len(held) >= PIECE_BYTES:
                    await run_in_threadpool(incoming.write, bytes(held))
                    held.clear()
    except TimeoutError as error:
        raise TooSlowError("It did not arrive in time. Send it again.") from error
    await run_in_threadpool(incoming.write, bytes(held))


async def _not_idle(request: Request) -> AsyncIterator[bytes]:
    stream = request.stream()
    while True:
        try:
            async with asyncio.timeout(IDLE_SECONDS):
                yield await anext(stream)
        except StopAsyncIteration:
            return


async def _refuse_oversized(request: Request, limits: IntakeLimits) -> None:
    """Refuse a body that announces more than is taken; read it away first, so that the answer can be heard."""
    announced = request.headers.get("content-length", "")
    length = int(announced[:18]) if announced.isdecimal() else 0
    if length <= limits.file_bytes:
        return
    if length <= DRAINED_BYTES:
        try:
            async with asyncio.timeout(IDLE_SECONDS):
                async for _ in request.stream():
                    pass
        except (TimeoutError, ClientDisconnect):
            pass
    limits.check_file(length)
