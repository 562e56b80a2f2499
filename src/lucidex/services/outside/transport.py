"""Bytes from services outside: every read has the deadline of the whole, headers too, and ends where nobody waits.

httpx limits each read alone: headers that trickle, a byte in some seconds, would hold a thread for as long as they
like.
"""

import time
import zlib
from collections.abc import Iterable, Iterator
from functools import cache
from ssl import SSLContext
from typing import Any

import httpcore
import httpx

from lucidex.core.cancellation import check_wanted
from lucidex.core.errors import UnreadableFileError

LOOK_EVERY_S = 0.5
PIECE_BYTES = 1 << 16
BROKEN_OFF = (httpcore.NetworkError, httpcore.ProtocolError, httpcore.UnsupportedProtocol, httpx.TransportError)
TOO_SLOW = (httpcore.TimeoutException, httpx.TimeoutException)


class Clock:
    """The deadline of what is being asked; one request after another."""

    def __init__(self) -> None:
        self.until = float("inf")

    def left(self, most: float | None) -> float:
        """Seconds that are left, and no more than `most`. ReadTimeout where none are."""
        check_wanted()
        left = self.until - time.monotonic()
        if left <= 0:
            raise httpcore.ReadTimeout("the whole took too long")
        return left if most is None else min(left, most)


class _Timed(httpcore.NetworkStream):
    """A connection whose reads look at the clock, and twice a second whether anybody still waits."""

    def __init__(self, inner: httpcore.NetworkStream, clock: Clock) -> None:
        self._inner, self._clock = inner, clock

    def read(self, max_bytes: int, timeout: float | None = None) -> bytes:
        idle_from = time.monotonic()
        while True:
            try:
                return self._inner.read(max_bytes, self._clock.left(LOOK_EVERY_S))
            except httpcore.ReadTimeout:
                self._clock.left(None)
                if timeout is not None and time.monotonic() - idle_from > timeout:
                    raise

    def write(self, buffer: bytes, timeout: float | None = None) -> None:
        self._inner.write(buffer, self._clock.left(timeout))

    def close(self) -> None:
        self._inner.close()

    def start_tls(
        self, ssl_context: SSLContext, server_hostname: str | None = None, timeout: float | None = None
    ) -> "_Timed":
        return _Timed(self._inner.start_tls(ssl_context, server_hostname, self._clock.left(timeout)), self._clock)

    def get_extra_info(self, info: str) -> Any:  # noqa: ANN401 - as httpcore has it
        return self._inner.get_extra_info(info)


class _Backend(httpcore.NetworkBackend):
    """Connections that look at a clock."""

    def __init__(self, clock: Clock) -> None:
        self._clock, self._inner = clock, httpcore.SyncBackend()

    def connect_tcp(
        self,
        host: str,
        port: int,
        timeout: float | None = None,
        local_address: str | None = None,
        socket_options: Iterable[Any] | None = None,
    ) -> httpcore.NetworkStream:
        stream = self._inner.connect_tcp(host, port, self._clock.left(timeout), local_address, socket_options)
        return _Timed(stream, self._clock)


@cache
def _trusting() -> SSLContext:
    """Whom to trust: read once, which takes as long as many answers do."""
    return httpx.create_ssl_context(trust_env=False)


class _Body(httpx.SyncByteStream):
    def __init__(self, response: httpcore.Response) -> None:
        self._response = response

    def __iter__(self) -> Iterator[bytes]:
        yield from self._response.iter_stream()

    def close(self) -> None:
        self._response.close()


class TimedTransport(httpx.BaseTransport):
    """What httpx sends its requests through."""

    def __init__(self, clock: Clock) -> None:
        self._pool = httpcore.ConnectionPool(_trusting(), network_backend=_Backend(clock), max_connections=4)

    def handle_request(self, request: httpx.Request) -> httpx.Response:
        """The answer to a request; its body comes piece by piece."""
        target = request.url
        asked = httpcore.Request(
            request.method,
            httpcore.URL(scheme=target.raw_scheme, host=target.raw_host, port=target.port, target=target.raw_path),
            headers=request.headers.raw,
            content=request.stream,
            extensions=request.extensions,
        )
        answer = self._pool.handle_request(asked)
        return httpx.Response(answer.status, headers=answer.headers, stream=_Body(answer))

    def close(self) -> None:
        """Let go of all connections."""
        self._pool.close()


def unpacked(encoding: str, pieces: Iterable[bytes]) -> Iterator[bytes]:
    """Pieces as they were before they were compressed for the way: once at most, and never much at once.

    UnreadableFileError for any other encoding (RFC 9110, 8.4), several of them among these.
    """
    named = encoding.strip().lower()
    if named in {"", "identity"}:
        yield from pieces
        return
    if named not in {"gzip", "x-gzip"}:
        raise UnreadableFileError("It is packed for its way in a manner that was not asked for.")
    unpacking = zlib.decompressobj(wbits=31)
    try:
        for piece in pieces:
            rest = piece
            while rest and not unpacking.eof:
                yield unpacking.decompress(rest, PIECE_BYTES)
                rest = unpacking.unconsumed_tail
    except zlib.error as error:
        raise UnreadableFileError("It is packed for its way, and damaged.") from error
    if not unpacking.eof:
        raise UnreadableFileError("It is packed for its way, and broke off.")
