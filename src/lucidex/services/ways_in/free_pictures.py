"""Free pictures from sources outside: found by words, seen in a place, and taken in with credit and licence."""

import hashlib
import re
from collections.abc import Iterable
from dataclasses import dataclass, replace
from enum import StrEnum

from lucidex.core.document import PictureDocument
from lucidex.core.encode import JPEG, Effort, Encoding, encode
from lucidex.core.errors import NotFoundError, OutOfRangeError, UnreadableFileError, UserError
from lucidex.core.geometry.fit import Placement
from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.geometry.sizes import Size, Window
from lucidex.core.places.demand import PlaceDemand
from lucidex.core.source.facts import SourceFacts
from lucidex.core.stamp.texts import Texts
from lucidex.services.folios.folios import FolioView, read_folio
from lucidex.services.house.caches import OwnBriefCache
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.intake import BroughtIn
from lucidex.services.intake.origins import Origin, already_here
from lucidex.services.intake.sources import decode_once
from lucidex.services.outside.client import OutsideClient
from lucidex.services.outside.iiif import Contents, Item, read_source
from lucidex.services.outside.service import Service
from lucidex.services.people.people import Actor
from lucidex.services.pictures.documents import Alter
from lucidex.services.ways_in.fetching import fetch_into

KNOWN_FOR_S = 600.0
MAX_SHOWN = 120
MAX_FETCHED_BYTES, MAX_SMALL_BYTES, SMALL_QUALITY = 4_000_000, 300_000, 84
PICTURE_MAGIC = {b"\xff\xd8\xff": "image/jpeg", b"\x89PNG": "image/png", b"RIFF": "image/webp"}
SHAPE_NEARLY_SQUARE = 1.1


class Shape(StrEnum):
    """Which shape is looked for."""

    ANY = "any"
    WIDE = "wide"
    TALL = "tall"
    SQUARE = "square"

    def holds(self, size: Size) -> bool:
        """Whether a size has it."""
        ratio = size.width / size.height
        is_square = 1 / SHAPE_NEARLY_SQUARE <= ratio <= SHAPE_NEARLY_SQUARE
        return {
            Shape.ANY: True,
            Shape.SQUARE: is_square,
            Shape.WIDE: ratio > 1 and not is_square,
            Shape.TALL: ratio < 1 and not is_square,
        }[self]


@dataclass(frozen=True)
class Looked:
    """What is looked for: words that must all be met, a shape, the least sides in pixels."""

    words: str = ""
    shape: Shape = Shape.ANY
    least_width: int = 1
    least_height: int = 1


@dataclass(frozen=True)
class InPlace:
    """How a picture would sit in a place: the part that it shows, where it lies, and how much it is enlarged."""

    name: str
    placement: Placement

    @property
    def enlargement(self) -> float:
        """Above 1 where it is too small."""
        return self.placement.enlargement


@dataclass(frozen=True)
class Offer:
    """A picture that was found; `here` is the one of the folio that it became already, if it did."""

    service: Service
    item: Item
    in_place: InPlace | None = None
    here: int | None = None

    @property
    def key(self) -> str:
        """A short name of it."""
        return key_of(self.item.manifest)


@dataclass(frozen=True)
class Found:
    """What was found: the offers that are shown, how many there are, and what is to be said."""

    offers: tuple[Offer, ...]
    total: int
    of: int
    notes: tuple[str, ...]


def key_of(manifest: str) -> str:
    """A short name of a manifest."""
    return hashlib.sha256(manifest.encode()).hexdigest()[:20]


_contents: OwnBriefCache[tuple[int, str], Contents] = OwnBriefCache(12, KNOWN_FOR_S)


def contents_of(workshop: Workshop, service: Service) -> Contents:
    """All that a source holds, read anew after a while."""
    cache, key = _contents.of(workshop), (service.id, service.address)
    known = cache.get(key)
    if known is None:
        with OutsideClient(service) as client:
            known = read_source(client, service.address)
        cache.put(key, known)
    return known


def _has_words(item: Item, words: Iterable[str]) -> bool:
    """Whether every word stands in what is said of it, as a word or the beginning of one."""
    return all(re.search(rf"(?<!\w){re.escape(word)}", item.words) for word in words)


def look_for(
    workshop: Workshop, actor: Actor, folio_id: int, service: Service, looked: Looked, place_id: int | None = None
) -> Found:
    """Pictures of a source that hold all the words, each as it would sit in a place of the folio."""
    folio = read_folio(workshop, actor, folio_id)
    contents = contents_of(workshop, service)
    words = looked.words.casefold().split()[:20]
    fitting = [
        item
        for item in contents.items
        if looked.shape.holds(item.size)
        and item.width >= looked.least_width
        and item.height >= looked.least_height
        and _has_words(item, words)
    ]
    shown = fitting[:MAX_SHOWN]
    here = already_here(workshop, actor, folio_id, [item.manifest for item in shown])
    offers = tuple(Offer(service, item, _in_place(item, folio, place_id), here.get(item.manifest)) for item in shown)
    notes = []
    if not contents.is_all:
        notes.append(f"“{service.name}” holds more than was looked at: {len(contents.items)} pictures of it.")
    if len(fitting) > len(shown):
        notes.append(f"The first {len(shown)} of {len(fitting)} are shown. Another word makes them fewer.")
    return Found(offers, len(fitting), len(contents.items), tuple(notes))


def _in_place(item: Item, folio: FolioView, place_id: int | None) -> InPlace | None:
    place = next((one for one in folio.places if one.id == place_id), None)
    if place is None:
        return None
    try:
        demand = PlaceDemand.model_validate(place.demand)
        placement = PictureDocument().placement(PictureGeometry.of(item.size), str(place.id), demand)
    except OutOfRangeError:
        return None
    return InPlace(place.name, placement)


def place_shown(workshop: Workshop, actor: Actor, folio_id: int, item: Item, place_id: int | None) -> Window | None:
    """The part of a picture that a place of the folio would show; None for all of it."""
    seen = _in_place(item, read_folio(workshop, actor, folio_id), place_id)
    return seen.placement.window if seen is not None else None


def find_item(workshop: Workshop, service: Service, key: str) -> Item:
    """A picture of a source by its short name. NotFoundError where it is not there any more."""
    for item in contents_of(workshop, service).items:
        if key_of(item.manifest) == key:
            return item
    raise NotFoundError(f"“{service.name}” no longer offers this picture.")


def small_picture(
    workshop: Workshop, service: Service, item: Item, size: Size, window: Window | None
) -> tuple[bytes, str]:
    """A small copy of a picture, or of a part of it, and its media type; only to look at."""
    whole = Window(0, 0, item.width, item.height)
    with OutsideClient(service) as client:
        answer = client.get(item.part(window or whole, size), most_bytes=MAX_FETCHED_BYTES, accept="image/*")
    for magic, media_type in PICTURE_MAGIC.items():
        if answer.content.startswith(magic) and len(answer.content) <= MAX_SMALL_BYTES:
            return answer.content, media_type
    return _reduced(workshop, service, answer.content, size), JPEG.output.media_type


def _reduced(workshop: Workshop, service: Service, content: bytes, size: Size) -> bytes:
    """What came far larger than it was asked for, as a small JPEG: many of them are held until somebody took them."""
    with workshop.originals.receive([content], MAX_FETCHED_BYTES) as received:
        try:
            image = decode_once(workshop, received.path)
        except UserError as error:
            raise UnreadableFileError(f"“{service.name}” sent something that is no picture.") from error
    flat = image.flatten(background=255) if image.hasalpha() else image
    reduced = flat.thumbnail_image(size.width, height=size.height, size="down")
    return encode(reduced, JPEG, Encoding(SMALL_QUALITY, effort=Effort.DRAFT))


def take_in(workshop: Workshop, actor: Actor, folio_id: int, service: Service, item: Item) -> BroughtIn:
    """Fetch the full picture into a folio, with its texts. What is there already is not fetched twice."""
    origin = Origin(item.manifest)
    taken = fetch_into(workshop, actor, folio_id, service, item.whole, _file_name(item), origin, texts_from(item))
    return replace(taken, notes=(*taken.notes, *_size_note(service, item, taken.facts)))


def _size_note(service: Service, item: Item, facts: SourceFacts) -> list[str]:
    if facts.upright.pixels >= item.size.pixels:
        return []
    return [f"“{service.name}” gives it out at {facts.upright} only; it is said to be {item.size}."]


def _file_name(item: Item) -> str:
    stem = re.sub(r"[^\w]+", "-", item.title, flags=re.UNICODE).strip("-").lower()[:80] or "picture"
    suffix = re.search(r"\.(jpe?g|png|webp|tiff?)$", item.whole.partition("?")[0].lower())
    return f"{stem}.{suffix[1] if suffix else 'jpg'}"


def texts_from(item: Item) -> Alter:
    """A change that fills the texts that are empty."""

    def alter(document: PictureDocument, _: SourceFacts) -> PictureDocument:
        before = document.texts
        texts = Texts(
            alternative=before.alternative,
            caption=before.caption or item.title,
            credit=before.credit or item.credit,
            licence=before.licence or item.licence,
            licence_address=before.licence_address or (item.licence_address if not before.licence else ""),
            people=before.people,
        )
        return document.model_copy(update={"texts": texts})

    return alter
