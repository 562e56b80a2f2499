"""Whether a service answers as its kind should, in a sentence."""

from collections.abc import Callable

from lucidex.core.errors import UserError
from lucidex.services.outside.scanner import read_glass
from lucidex.services.outside.settings import Kind, Service


def _scanner(service: Service) -> str:
    glass = read_glass(service)
    return (
        f"It is “{glass.name}”, with a glass of {glass.width_mm:.0f} × {glass.height_mm:.0f} mm, up to "
        f"{glass.resolutions[-1]} dpi."
    )


ASKED: dict[Kind, Callable[[Service], str]] = {Kind.SCANNER: _scanner}


def tried(service: Service) -> str:
    """What it says of itself, or why it does not."""
    try:
        return ASKED[service.kind](service)
    except UserError as error:
        return error.sentence
