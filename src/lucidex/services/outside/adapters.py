"""All adapters. Whoever adds one writes a file beside this one and names it in `ADAPTERS`; the settings follow."""

from lucidex.core.errors import NotUnderstoodError
from lucidex.services.outside import iiif, micropub, scanner
from lucidex.services.outside.base import Adapter

ADAPTERS: tuple[Adapter, ...] = (scanner.ADAPTER, iiif.ADAPTER, micropub.ADAPTER)
SCANNER, PICTURES, SITE = (one.ADAPTER.kind for one in (scanner, iiif, micropub))


def adapter_of(kind: str) -> Adapter:
    """The adapter for a kind of service. NotUnderstoodError where there is none."""
    for one in ADAPTERS:
        if one.kind == kind:
            return one
    raise NotUnderstoodError("Services of this kind are not known here.")
