"""The only way out to services that are set up: to their own hosts, bounded in bytes and seconds, with plain errors.

No redirect is followed to a host that is not set up for the service, and nothing is sent to one.
"""

import time
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any
from urllib.parse import urljoin

import httpx

from lucidex.core.errors import (
    BusyError,
    NotAllowedError,
    TooLargeError,
    TooSlowError,
    UnavailableError,
    UnreadableFileError,
)
from lucidex.services.outside.service import Service, origin_of
from lucidex.services.outside.transport import BROKEN_OFF, TOO_SLOW, Clock, TimedTransport, unpacked

CONNECT_S, IDLE_S, WHOLE_S = 3.0, 20.0, 60.0
MAX_DOCUMENT_BYTES = 4_000_000
MAX_REDIRECTS = 4


@dataclass(frozen=True)
class Answer:
    """What a service answered."""

    status: int
    headers: httpx.Headers
    content: bytes
    url: str


class OutsideClient:
    """Speaks to one service."""

    def __init__(self, service: Service) -> None:
        self._service = service
        headers = {"User-Agent": "Lucidex", "Accept-Encoding": "gzip, identity"}
        timeout = httpx.Timeout(IDLE_S, connect=CONNECT_S)
        self._clock = Clock()
        # a proxy that the environment names would see what is meant for this service alone
        self._http = httpx.Client(
            transport=TimedTransport(self._clock),
            timeout=timeout,
            headers=headers,
            follow_redirects=False,
            trust_env=False,
        )

    def __enter__(self) -> "OutsideClient":
        return self

    def __exit__(self, *given: object) -> None:
        self._http.close()

    def address(self, path: str) -> str:
        """An address of the service, from one that may be relative to its own."""
        return self._joined(self._service.address, path)

    def _joined(self, base: str, path: str) -> str:
        try:
            return urljoin(base, path)
        except ValueError as error:
            raise UnreadableFileError(f"“{self._service.name}” leads to something that is no address.") from error

    def ask(
        self,
        method: str,
        address: str,
        *,
        most_bytes: int = MAX_DOCUMENT_BYTES,
        seconds: float = WHOLE_S,
        **given: Any,  # noqa: ANN401 - as httpx takes it
    ) -> Answer:
        """Ask and read all of the answer, whatever its status. Errors are sentences that name the service."""
        with self.answer(method, address, seconds=seconds, **given) as (response, pieces):
            content = bytearray()
            for piece in pieces:
                content += piece
                if len(content) > most_bytes:
                    raise TooLargeError(f"“{self._service.name}” answers with more than can be read here.")
            return Answer(response.status_code, response.headers, bytes(content), str(response.url))

    def get(self, address: str, *, most_bytes: int = MAX_DOCUMENT_BYTES, accept: str = "*/*") -> Answer:
        """An answer with status 200; an error in words for any other."""
        answer = self.ask("GET", address, most_bytes=most_bytes, headers={"Accept": accept})
        self.check(answer.status)
        return answer

    def check(self, status: int) -> None:
        """An error in words for anything but success."""
        name = self._service.name
        if 200 <= status < 300:
            return
        if status in {401, 403}:
            raise NotAllowedError(
                f"“{name}” does not let us in (it answered {status}). Its token may be out of date."
            )
        if status in {404, 410}:
            raise UnreadableFileError(f"“{name}” no longer has this (it answered {status}).")
        if status in {429, 503}:
            raise BusyError(f"“{name}” is busy. Try again in a moment.")
        raise UnavailableError(f"“{name}” has trouble of its own (it answered {status}).")

    def _token_for(self, address: str) -> dict[str, str]:
        """The service's secret goes to its own host alone, not to those from which it also delivers."""
        is_own = origin_of(address) == origin_of(self._service.address)
        return {"Authorization": f"Bearer {self._service.token}"} if is_own and self._service.token else {}

    @contextmanager
    def answer(
        self,
        method: str,
        address: str,
        *,
        seconds: float = WHOLE_S,
        headers: Mapping[str, str] | None = None,
        **given: Any,  # noqa: ANN401 - as httpx takes it
    ) -> Iterator[tuple[httpx.Response, Iterator[bytes]]]:
        """An answer whose pieces are read one by one, until the deadline, and while it is wanted."""
        name = self._service.name
        before, self._clock.until = self._clock.until, min(self._clock.until, time.monotonic() + seconds)
        try:
            for _ in range(MAX_REDIRECTS + 1):
                if origin_of(address) not in self._service.origins:
                    raise NotAllowedError(
                        f"“{name}” leads to {origin_of(address)}, which is not set up for it, so nothing was asked "
                        "there. An administrator can add it under “Outside”."
                    )
                sent = {**(headers or {}), **self._token_for(address)}
                with self._http.stream(method, address, headers=sent, **given) as response:
                    if response.is_redirect and method == "GET" and "location" in response.headers:
                        address = self._joined(address, response.headers["location"])
                        continue
                    yield response, self._pieces(response)
                    return
            raise UnreadableFileError(f"“{name}” leads on to other addresses without end.")
        except TOO_SLOW as error:
            raise TooSlowError(f"“{name}” does not answer. Is it switched on? Then try again.") from error
        except (*BROKEN_OFF, httpx.InvalidURL) as error:
            raise UnavailableError(
                f"“{name}” cannot be reached, or broke off. See that it is switched on, then try again."
            ) from error
        finally:
            self._clock.until = before

    def _pieces(self, response: httpx.Response) -> Iterator[bytes]:
        encoding = response.headers.get("content-encoding", "")
        for piece in unpacked(encoding, response.iter_raw()):
            self._clock.left(None)
            yield piece
