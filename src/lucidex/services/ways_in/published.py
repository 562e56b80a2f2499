"""Pictures that are published on a site already: seen page by page, and taken into a folio with their texts."""

import re
from dataclasses import dataclass
from urllib.parse import unquote, urlsplit

from lucidex.core.document import PictureDocument
from lucidex.core.encode import JPEG, Effort, Encoding, encode
from lucidex.core.errors import NotFoundError
from lucidex.core.source.facts import SourceFacts
from lucidex.services.folios.folios import read_folio
from lucidex.services.house.caches import OwnBriefCache
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.intake import BroughtIn
from lucidex.services.intake.origins import Origin, already_here
from lucidex.services.intake.sources import decode_once
from lucidex.services.outside.client import OutsideClient
from lucidex.services.outside.micropub import Page, Published, Shown, read_pages
from lucidex.services.outside.service import Service
from lucidex.services.outside.texts_of_pages import figures_in
from lucidex.services.people.people import Actor
from lucidex.services.pictures.documents import Alter
from lucidex.services.ways_in.fetching import fetch_into

KNOWN_FOR_S, SMALL_KEPT_S = 20.0, 300.0
SMALL_EDGE, MAX_LOOKED_AT = 420, 60_000_000
_KEYED = re.compile(r"^[0-9a-f]{8,64}-(?=.)")  # the key of the content, with which names of media often begin
_published: OwnBriefCache[tuple[int, str], Published] = OwnBriefCache(8, KNOWN_FOR_S)


# an address of another site may show another picture tomorrow
_small: OwnBriefCache[tuple[int, str], bytes] = OwnBriefCache(400, SMALL_KEPT_S)


@dataclass(frozen=True)
class SitePages:
    """What a site shows, and which of its pictures the folio has already, by their addresses."""

    published: Published
    here: dict[str, int]


def published_of(workshop: Workshop, service: Service) -> Published:
    """The pages of a site, read anew after some seconds."""
    cache, key = _published.of(workshop), (service.id, service.address)
    known = cache.get(key)
    if known is None:
        with OutsideClient(service) as client:
            known = read_pages(client, service.address, figures_in(workshop))
        cache.put(key, known)
    return known


def read_site(workshop: Workshop, actor: Actor, folio_id: int, service: Service) -> SitePages:
    """The pages of a site for a folio."""
    read_folio(workshop, actor, folio_id)
    published = published_of(workshop, service)
    addresses = [shown.address for page in published.pages for shown in page.pictures]
    return SitePages(published, already_here(workshop, actor, folio_id, addresses))


def find_shown(workshop: Workshop, service: Service, page_address: str, address: str) -> tuple[Page, Shown]:
    """A picture on a page. NotFoundError where it does not stand there any more."""
    for page in published_of(workshop, service).pages:
        if page.address == page_address:
            for shown in page.pictures:
                if shown.address == address:
                    return page, shown
    raise NotFoundError(f"This picture no longer stands on this page of “{service.name}”.")


def take_published(
    workshop: Workshop, actor: Actor, folio_id: int, service: Service, page_address: str, address: str
) -> BroughtIn:
    """Fetch a published picture into a folio, with the texts that its page gives it."""
    page, shown = find_shown(workshop, service, page_address, address)
    origin = Origin(shown.address, page.address, page.name, shown.shown_width)
    name = file_name_of(shown.address)
    return fetch_into(workshop, actor, folio_id, service, shown.address, name, origin, texts_from(shown))


def file_name_of(address: str) -> str:
    """The name of a published file without the key of its content.

    >>> file_name_of("https://example.org/media/0123456789abcdef-dome-at-dusk.jpg")
    'dome-at-dusk.jpg'
    """
    last = unquote(urlsplit(address).path.rsplit("/", 1)[-1])[:200]
    return _KEYED.sub("", last) or "picture"


def texts_from(shown: Shown) -> Alter:
    """A change that fills what is empty with what the page says; credit and licence come with the file itself."""

    def alter(document: PictureDocument, _: SourceFacts) -> PictureDocument:
        before = document.texts
        given = {
            "alternative": before.alternative or shown.alternative,
            "caption": before.caption or shown.caption,
        }
        return document.model_copy(update={"texts": before.model_copy(update=given)})

    return alter


def small_copy(workshop: Workshop, service: Service, address: str) -> bytes:
    """A small JPEG of a published picture; only to look at. It is read like any file from outside."""
    cache, key = _small.of(workshop), (service.id, address)
    known = cache.get(key)
    if known is not None:
        return known
    with OutsideClient(service) as client, client.answer("GET", address, headers={"Accept": "image/*"}) as answer:
        response, pieces = answer
        client.check(response.status_code)
        with workshop.originals.receive(pieces, MAX_LOOKED_AT) as received:
            image = decode_once(workshop, received.path)
    flat = image.flatten(background=255) if image.hasalpha() else image
    reduced = flat.thumbnail_image(SMALL_EDGE, height=SMALL_EDGE, size="down")
    content = encode(reduced, JPEG, Encoding(84, effort=Effort.DRAFT))
    cache.put(key, content)
    return content
