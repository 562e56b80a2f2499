"""Whether a service answers as its kind should, in a sentence."""

from collections.abc import Callable

from lucidex.core.errors import UserError
from lucidex.services.outside.client import OutsideClient
from lucidex.services.outside.iiif import read_source
from lucidex.services.outside.micropub import read_pages
from lucidex.services.outside.scanner import read_glass
from lucidex.services.outside.settings import Kind, Service


def _scanner(service: Service) -> str:
    glass = read_glass(service)
    return (
        f"It is “{glass.name}”, with a glass of {glass.width_mm:.0f} × {glass.height_mm:.0f} mm, up to "
        f"{glass.resolutions[-1]} dpi."
    )


def _pictures(service: Service) -> str:
    with OutsideClient(service) as client:
        read = read_source(client, service.address)
    more = "" if read.is_all else " It holds more than that, or some could not be read."
    return f"It is “{read.title or service.name}” with {len(read.items)} pictures.{more}"


def _site(service: Service) -> str:
    with OutsideClient(service) as client:
        read = read_pages(client, service.address)
    pictures = sum(len(page.pictures) for page in read.pages)
    return f"It lists {len(read.pages)} pages with {pictures} pictures."


ASKED: dict[Kind, Callable[[Service], str]] = {Kind.SCANNER: _scanner, Kind.PICTURES: _pictures, Kind.SITE: _site}


def tried(service: Service) -> str:
    """What it says of itself, or why it does not."""
    try:
        return ASKED[service.kind](service)
    except UserError as error:
        return error.sentence
