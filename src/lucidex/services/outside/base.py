"""What every adapter declares: which services it speaks to, by which open standard."""

from collections.abc import Callable
from dataclasses import dataclass

from lucidex.services.house.workshop import Workshop
from lucidex.services.outside.service import Service, origin_of


@dataclass(frozen=True)
class Adapter:
    """A kind of service.

    `kind` is stored, `name` is one of them in words, `heading` several; `example` says which address is asked for.
    `describe` asks a service what it is, and answers in a sentence, or raises the `UserError` family. `leads_to` says
    to what an address leads, in one form, or raises NotUnderstoodError: a host of the web, unless the adapter
    declares another kind of address (a folder, say). A secret never follows an address that leads elsewhere.
    """

    kind: str
    name: str
    heading: str
    standard: str
    example: str
    describe: Callable[[Workshop, Service], str]
    leads_to: Callable[[str], str] = origin_of
    has_token: bool = False
    has_further_hosts: bool = False
