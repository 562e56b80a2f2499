"""A picture by its address in the web, fetched so that nobody can reach into this machine's own network.

A name is looked up once for each hop, every address it has must be public, and the connection goes to the address
that was looked at, whatever the name says a moment later. All of it, redirections included, has one deadline.
Source: RFC 9110 (HTTP semantics), RFC 6890 (special-purpose addresses).
"""

import contextlib
import http.client
import ipaddress
import re
import socket
import ssl
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from urllib.parse import SplitResult, parse_qsl, unquote, urlencode, urljoin, urlsplit, urlunsplit

from lucidex.core.errors import NotAllowedError, NotUnderstoodError, TooSlowError, UnreadableFileError
from lucidex.records.store import Received
from lucidex.services.house.workshop import Workshop

MAX_ADDRESS, MAX_REDIRECTS = 2_000, 5
WHOLE_SECONDS, IDLE_SECONDS = 60.0, 10.0
PIECE_BYTES = 1 << 16
PORTS = {"http": 80, "https": 443}
_REDIRECTIONS = {301, 302, 303, 307, 308}
_SAID = {
    401: "asks for a password",
    403: "does not let it be fetched",
    404: "has nothing at this address",
    410: "has nothing at this address any more",
    429: "was asked too often; try again later",
}
_SIZE_IN_NAME = re.compile(r"[-_@](\d{2,5}x\d{2,5}|\d{2,4}w|small|thumb|thumbnail)(?=\.[a-z0-9]+$)", re.IGNORECASE)
_SIZE_IN_QUERY = {"w", "width", "h", "height", "size", "resize", "fit", "s", "dpr"}

# networks whose addresses carry an IPv4 address in their last 32 bits: compatible ones (RFC 4291, 2.5.5.1), and
# translated ones (RFC 6052, RFC 8215, RFC 2765)
_WRAPPING = tuple(ipaddress.ip_network(one) for one in ("::/96", "64:ff9b::/96", "64:ff9b:1::/48", "::ffff:0:0:0/96"))

LookUp = Callable[[str, int], list[str]]


@dataclass(frozen=True)
class Fetched:
    """A file from an address: what arrived, what it is called, and where it came from in the end."""

    received: Received
    file_name: str
    address: str


def look_up(host: str, port: int) -> list[str]:
    """All addresses of a name."""
    return [str(found[4][0]) for found in socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)]


def is_public(address: str) -> bool:
    """Whether an IP address is one that anybody in the world may reach, also within those that wrap another one.

    >>> is_public("127.0.0.1"), is_public("::ffff:10.0.0.1"), is_public("2002:7f00:1::"), is_public("9.9.9.9")
    (False, False, False, True)
    """
    try:
        found = ipaddress.ip_address(address.partition("%")[0])
    except ValueError:
        return False
    if isinstance(found, ipaddress.IPv6Address):
        wrapped = [one for one in (found.ipv4_mapped, found.sixtofour, *(found.teredo or ())) if one is not None]
        if any(found in network for network in _WRAPPING):
            wrapped.append(ipaddress.IPv4Address(int(found) & 0xFFFFFFFF))
        if any(not is_public(str(one)) for one in wrapped):
            return False
    return found.is_global and not found.is_multicast and not found.is_reserved


@contextmanager
def fetched(
    workshop: Workshop,
    address: str,
    is_allowed: Callable[[str], bool] = is_public,
    find: LookUp = look_up,
    seconds: float = WHOLE_SECONDS,
) -> Iterator[Fetched]:
    """The file at an address, gone at the end unless it was kept. Sentences of errors begin with “It …”."""
    deadline, address = time.monotonic() + seconds, address.strip()
    for _ in range(MAX_REDIRECTS + 1):
        parts = _split(address)
        with _connected(parts, is_allowed, find, deadline) as connection:
            answer = _asked(connection, parts)
            if answer.status in _REDIRECTIONS and (goal := answer.getheader("Location")):
                address = urljoin(address, goal)
                continue
            _check(answer)
            with workshop.originals.receive(_pieces(answer, deadline), workshop.limits.file_bytes) as received:
                if received.byte_count == 0:
                    raise UnreadableFileError("It is empty: there are no bytes at this address.")
                _check_whole(answer, received)
                yield Fetched(received, _file_name(parts), address)
                return
    raise UnreadableFileError(f"It leads on to another address more than {MAX_REDIRECTS} times.")


def _split(address: str) -> SplitResult:
    try:
        parts = urlsplit(address if "://" in address else f"https://{address}")
        port, host = parts.port, parts.hostname
    except ValueError as error:
        raise NotUnderstoodError("This is no address of the web.") from error
    if len(address) > MAX_ADDRESS or parts.scheme not in PORTS or not host or any(ord(c) <= 32 for c in address):
        raise NotUnderstoodError("This is no address of the web. One begins with https:// or http://.")
    if parts.username is not None or parts.password is not None:
        raise NotUnderstoodError("An address with a name and a password in it is not fetched.")
    if port is not None and not (port in PORTS.values() or port >= 1_024):
        raise NotAllowedError("This address asks for a service that is no web server, so it is not fetched.")
    return parts


@contextmanager
def _connected(
    parts: SplitResult, is_allowed: Callable[[str], bool], find: LookUp, deadline: float
) -> Iterator[http.client.HTTPConnection]:
    host, port = _ascii(parts.hostname or ""), parts.port or PORTS[parts.scheme]
    try:
        found = find(host, port)
    except (OSError, UnicodeError) as error:
        raise UnreadableFileError(f"It cannot be found: nobody knows “{host[:80]}”.") from error
    if not found or not all(is_allowed(one) for one in found):
        raise NotAllowedError(f"“{host[:80]}” lies in a private network, from which nothing is fetched.")
    connection = http.client.HTTPConnection(host, port, timeout=IDLE_SECONDS)
    watch: threading.Timer | None = None
    try:
        connection.sock = socket.create_connection((found[0], port), min(IDLE_SECONDS, _left(deadline)))
        # a server that sends a byte now and then is ended by the deadline all the same
        watch = threading.Timer(_left(deadline), _cut, [connection])
        watch.daemon = True
        watch.start()
        if parts.scheme == "https":
            connection.sock = ssl.create_default_context().wrap_socket(connection.sock, server_hostname=host)
        yield connection
    except TimeoutError as error:
        raise TooSlowError(f"“{host[:80]}” does not answer.") from error
    except ssl.SSLError as error:
        raise UnreadableFileError(f"“{host[:80]}” does not prove that it is who it says.") from error
    except (OSError, http.client.HTTPException) as error:
        if time.monotonic() >= deadline:
            raise TooSlowError(f"“{host[:80]}” did not answer in time.") from error
        if isinstance(error, _STORE_ERRORS):
            raise
        raise UnreadableFileError(f"“{host[:80]}” cannot be reached, or breaks off.") from error
    finally:
        if watch is not None:
            watch.cancel()
        connection.close()


_STORE_ERRORS = (FileExistsError, PermissionError, IsADirectoryError)


def _ascii(host: str) -> str:
    try:
        return host if host.isascii() else host.encode("idna").decode("ascii")
    except UnicodeError as error:
        raise NotUnderstoodError("This is no address of the web.") from error


def _cut(connection: http.client.HTTPConnection) -> None:
    with contextlib.suppress(OSError, AttributeError):
        connection.sock.shutdown(socket.SHUT_RDWR)


def _left(deadline: float) -> float:
    left = deadline - time.monotonic()
    if left <= 0:
        raise TooSlowError("It did not arrive in time.")
    return left


def _asked(connection: http.client.HTTPConnection, parts: SplitResult) -> http.client.HTTPResponse:
    path = urlunsplit(("", "", parts.path or "/", parts.query, ""))
    asked = "".join(c if c.isascii() else "".join(f"%{b:02X}" for b in c.encode("utf-8", "replace")) for c in path)
    connection.request("GET", asked, headers={"Accept": "image/*, */*;q=0.1", "Accept-Encoding": "identity"})
    return connection.getresponse()


def _check(answer: http.client.HTTPResponse) -> None:
    if answer.status != 200:
        said = _SAID.get(answer.status, "has trouble of its own" if answer.status >= 500 else "does not send it")
        raise UnreadableFileError(f"Its server {said} (it answered {answer.status}).")
    if (answer.getheader("Content-Type") or "").partition(";")[0].strip().lower() in (
        "text/html",
        "application/xhtml+xml",
    ):
        raise UnreadableFileError(
            "It is a page, not a picture. Open the picture itself, by its own menu, and copy that address."
        )


def _pieces(answer: http.client.HTTPResponse, deadline: float) -> Iterator[bytes]:
    while piece := answer.read(PIECE_BYTES):
        _left(deadline)
        yield piece


def _check_whole(answer: http.client.HTTPResponse, received: Received) -> None:
    announced = answer.getheader("Content-Length") or ""
    if announced.isdecimal() and int(announced[:18]) > received.byte_count:
        raise UnreadableFileError(
            f"It broke off: {received.byte_count} of {announced[:18]} bytes arrived. Try again."
        )


def _file_name(parts: SplitResult) -> str:
    return unquote(parts.path.rsplit("/", 1)[-1])[:400] or "picture"


def larger_address(address: str) -> str | None:
    """Where the full picture may be of which an address names a reduced copy; None where nothing in it says so.

    >>> larger_address("https://example.org/a/dome-300x200.jpg?v=2&w=300")
    'https://example.org/a/dome.jpg?v=2'
    """
    parts = urlsplit(address if "://" in address else f"https://{address}")
    kept = [(key, value) for key, value in parse_qsl(parts.query) if key.lower() not in _SIZE_IN_QUERY]
    query = urlencode(kept) if len(kept) < len(parse_qsl(parts.query)) else parts.query
    found = urlunsplit(parts._replace(path=_SIZE_IN_NAME.sub("", parts.path), query=query))
    return None if found == urlunsplit(parts) else found
