"""A service outside: its address, and the hosts that may be asked for it."""

import ipaddress
from dataclasses import dataclass
from urllib.parse import urlsplit

from lucidex.core.errors import NotUnderstoodError


@dataclass(frozen=True)
class Service:
    """A service that is set up: its address, and the hosts (`scheme://host:port`) that may be asked for it."""

    id: int
    kind: str
    name: str
    address: str
    further: tuple[str, ...] = ()
    token: str = ""
    is_shipped: bool = False
    is_on: bool = True

    @property
    def origins(self) -> frozenset[str]:
        """The only hosts to which anything is sent for it."""
        return frozenset((origin_of(self.address), *self.further))


def origin_of(address: str) -> str:
    """Scheme, host and port of an address (RFC 6454), for example `http://127.0.0.1:8451`.

    NotUnderstoodError where it is none of the web.
    """
    try:
        parts = urlsplit(address)
        port = parts.port or {"http": 80, "https": 443}[parts.scheme]
    except (ValueError, KeyError) as error:
        raise NotUnderstoodError("This is no address of the web. One begins with https:// or http://.") from error
    if not parts.hostname or parts.username is not None or any(ord(c) <= 32 for c in address):
        raise NotUnderstoodError("This is no address of the web. One begins with https:// or http://.")
    host = f"[{parts.hostname}]" if ":" in parts.hostname else parts.hostname
    return f"{parts.scheme}://{host}:{port}"


def is_on_this_machine(address: str) -> bool:
    """Whether an address leads to this very machine."""
    host = urlsplit(address).hostname or ""
    try:
        return ipaddress.ip_address(host).is_loopback
    except ValueError:
        return host == "localhost"
