"""Strangers' connections: however many there are, somebody else's page is answered."""

import asyncio
import socket
import threading
from collections.abc import AsyncIterator, Iterator
from contextlib import closing

import httpx
import pytest
from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import PlainTextResponse, Response, StreamingResponse
from starlette.routing import Route

from lucidex.launch import connections
from lucidex.launch.server import CONNECTIONS
from tests.standins.running import serving


async def page(request: Request) -> Response:
    return PlainTextResponse("here")


async def endless(request: Request) -> Response:
    async def pieces() -> AsyncIterator[bytes]:
        while True:
            yield b"x" * 100_000
            await asyncio.sleep(0)

    return StreamingResponse(pieces())


APPLICATION = Starlette(routes=[Route("/", page), Route("/endless", endless)])
HALF = b"GET / HTTP/1.1\r\nHost: 127.0.0.1\r\nX-Slow: "


@pytest.fixture
def served() -> Iterator[str]:
    with serving(APPLICATION, http=connections.guarded(), limit_concurrency=CONNECTIONS) as address:
        yield address


def connected(address: str, sent: bytes = b"") -> socket.socket:
    host, port = address.removeprefix("http://").split(":")
    one = socket.create_connection((host, int(port)), timeout=20)
    one.sendall(sent)
    return one


def test_half_sent_headers_keep_nobody_out(served: str) -> None:
    """410 connections without signing in were 503 for everybody, for as long as they stayed."""
    held = []
    try:
        for _ in range(CONNECTIONS + 30):
            held.append(connected(served, HALF))
        assert httpx.get(served).text == "here"
        with httpx.Client() as visitor:
            assert [visitor.get(served).status_code for _ in range(5)] == [200] * 5
    finally:
        for one in held:
            one.close()


def test_whoever_waits_between_two_requests_goes_before_whoever_is_being_served(
    served: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(connections, "MOST", 4)
    with closing(connected(served, b"GET /endless HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n")) as busy:
        assert busy.recv(15) == b"HTTP/1.1 200 OK"
        idle = connected(served, b"GET / HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n")
        assert idle.recv(15) == b"HTTP/1.1 200 OK"
        held = [connected(served) for _ in range(6)]
        while idle.recv(1_000):
            pass  # what was left of its answer; then it is let go
        assert busy.recv(15)
        for one in (idle, *held):
            one.close()


def test_an_address_has_no_more_than_its_share(served: str, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(connections, "MOST_OF_ONE", 3)
    held = [connected(served, HALF) for _ in range(4)]
    assert held[0].recv(100) == b"", "the oldest was let go"
    held[3].sendall(b"x\r\n\r\n")
    assert held[3].recv(15) == b"HTTP/1.1 200 OK"
    for one in held:
        one.close()


def test_a_proxy_speaks_for_many(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(connections, "MOST_OF_ONE", 1)
    with serving(APPLICATION, http=connections.guarded("127.0.0.1")) as address:
        held = [connected(address, HALF) for _ in range(5)]
        for one in held:
            one.sendall(b"x\r\n\r\n")
            assert one.recv(15) == b"HTTP/1.1 200 OK"
            one.close()


@pytest.mark.parametrize("beginning", [b"", HALF, b"GET / HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n" + HALF])
def test_headers_that_do_not_come_are_given_up(
    served: str, monkeypatch: pytest.MonkeyPatch, beginning: bytes
) -> None:
    """Of a first request and of a later one."""
    monkeypatch.setattr(connections, "HEADER_SECONDS", 0.2)
    with closing(connected(served, beginning)) as one:
        answer = b""
        while piece := one.recv(10_000):
            answer += piece
    assert (b"408 Request Timeout" in answer) == bool(beginning)


def test_headers_without_end_are_refused(served: str) -> None:
    with closing(connected(served, HALF)) as one, pytest.raises(OSError, match=r"reset|pipe"):  # it hung up
        one.sendall(b"x" * 50_000_000)


def test_an_answer_that_nobody_takes_is_given_up(served: str, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(connections, "STALLED_SECONDS", 0.2)
    gone = threading.Event()
    lost = connections.GuardedProtocol.connection_lost

    def noted(self: connections.GuardedProtocol, error: Exception | None) -> None:
        gone.set()
        lost(self, error)

    monkeypatch.setattr(connections.GuardedProtocol, "connection_lost", noted)
    with closing(connected(served, b"GET /endless HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n")):
        assert gone.wait(20)
