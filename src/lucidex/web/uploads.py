"""Files on their way in: streamed, counted, never held in memory."""

from collections.abc import AsyncIterator, Iterator

from anyio import from_thread
from fastapi import Request

from lucidex.core.errors import TooLargeError
from lucidex.core.intake import MAX_FILE_BYTES

MAX_DRAINED_BYTES = 2_000_000_000


def declared_length(request: Request) -> int | None:
    """The announced length of the body."""
    announced = request.headers.get("content-length", "")
    return int(announced) if announced.isdecimal() else None


async def refuse_oversized(request: Request, file_name: str) -> None:
    """Refuse a body that announces more than is taken; read it away first, so that the answer can be heard."""
    length = declared_length(request)
    if length is None or length <= MAX_FILE_BYTES:
        return
    if length <= MAX_DRAINED_BYTES:
        async for _ in request.stream():
            pass
    raise TooLargeError(
        f"“{file_name[:60]}” was not taken. It weighs {length / 1e6:.0f} MB; "
        f"files of up to {MAX_FILE_BYTES // 1_000_000} MB are taken."
    )


def body_chunks(request: Request) -> Iterator[bytes]:
    """The body piece by piece, for a worker thread."""
    stream = request.stream()
    while True:
        chunk = from_thread.run(_next_chunk, stream)
        if chunk is None:
            return
        yield chunk


async def _next_chunk(stream: AsyncIterator[bytes]) -> bytes | None:
    return await anext(stream, None)
