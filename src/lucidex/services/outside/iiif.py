"""Sources of pictures that speak IIIF: collections and manifests (Presentation 3 and 2), images (Image 2 and 3).

Source: IIIF Presentation API 3.0 and 2.1, IIIF Image API 3.0 and 2.1. What is read comes from outside: everything is
bounded and typed (`foreign`), and what does not look as the standards say is passed over.
"""

import re
import time
from collections.abc import Iterator
from dataclasses import dataclass
from html import unescape

from lucidex.core.cancellation import check_wanted
from lucidex.core.errors import UnreadableFileError, UserError
from lucidex.core.geometry.sizes import Size, Window
from lucidex.core.stamp.licences import licence_at
from lucidex.services.house.workshop import Workshop
from lucidex.services.outside.base import Adapter
from lucidex.services.outside.client import OutsideClient
from lucidex.services.outside.foreign import (
    Address,
    Foreign,
    Json,
    LongText,
    NeededAddress,
    Pixels,
    Text,
    address_of,
    cleaned,
    json_of,
    object_of,
    objects_of,
    whole_of,
)
from lucidex.services.outside.service import Service

MAX_MANIFESTS, MAX_DEPTH, MAX_COLLECTIONS, MAX_PICTURES = 400, 3, 30, 2_000
MAX_CANVASES, MAX_METADATA, MAX_PARTS, MAX_WORDS = 400, 60, 20, 4_000
MAX_ASKED_SIZES = 60  # image services that are asked how large their image is, where nothing else says so
READ_WITHIN_S = 40.0
ACCEPT = 'application/ld+json;profile="http://iiif.io/api/presentation/3/context.json", application/json;q=0.9'
NO_IIIF = "This address does not answer with IIIF, but with something else."
_TAGS = re.compile(r"<[^<>]{0,400}>")
_MAKERS = {"creator", "author", "artist", "photographer", "maker", "illustrator", "painter", "attribution"}


class Item(Foreign):
    """A picture that a source offers: its manifest, what is said of it, and where its image is delivered.

    `service` is the address of its image service, empty where there is only the whole image at `image`.
    """

    manifest: LongText
    title: Text
    words: LongText
    maker: Text
    licence: Text
    licence_address: Address
    statement: Text
    width: Pixels
    height: Pixels
    image: NeededAddress
    service: Address = ""

    @property
    def size(self) -> Size:
        """Its full size in pixels."""
        return Size(self.width, self.height)

    def part(self, window: Window, size: Size) -> str:
        """The address of a part of it, no larger than the part itself."""
        if not self.service:
            return self.image
        left, top = max(0, round(window.left)), max(0, round(window.top))
        width = max(1, min(round(window.width), self.width - left))
        height = max(1, min(round(window.height), self.height - top))
        scale = min(1.0, size.width / width, size.height / height)
        wide = max(1, round(width * scale))  # the width alone: that is what every level can do
        return f"{self.service}/{left},{top},{width},{height}/{wide},/0/default.jpg"

    @property
    def whole(self) -> str:
        """The address of the whole image, as large as it is given."""
        return f"{self.service}/full/max/0/default.jpg" if self.service else self.image

    @property
    def credit(self) -> str:
        """What is to stand beside it: its maker, and the statement that its source requires."""
        both = f"{self.maker}. {self.statement}" if self.statement else self.maker
        return self.statement if self.maker.casefold() in self.statement.casefold() else both


@dataclass(frozen=True)
class Contents:
    """All that was read of a source; `is_all` is false where it holds more than was looked at."""

    title: str
    items: tuple[Item, ...]
    is_all: bool


def read_source(client: OutsideClient, address: str) -> Contents:
    """The pictures of a collection, or of a single manifest. UnreadableFileError where it is neither."""
    first = json_of(client.get(address, accept=ACCEPT).content, NO_IIIF)
    walk = _Walk(client)
    if _kind(first) == "Manifest":
        found = walk.pictures_of(first, address)
    elif _kind(first) == "Collection":
        found = walk.items_of(first, 0)
    else:
        raise UnreadableFileError("This address leads to no IIIF collection and no manifest.")
    items: list[Item] = []
    for item in found:
        if len(items) == MAX_PICTURES:
            walk.is_all = False
            break
        items.append(item)
    return Contents(_text(first.get("label")), tuple(items), walk.is_all)


class _Walk:
    """Through a collection, its pages and those in it, for so long as somebody may be kept waiting."""

    def __init__(self, client: OutsideClient) -> None:
        self._client, self._manifests, self._collections, self.is_all = client, 0, 0, True
        self._until, self._sizes_asked = time.monotonic() + READ_WITHIN_S, 0
        self._seen: set[str] = set()

    def items_of(self, collection: Json, depth: int) -> Iterator[Item]:
        """Its pictures; one whose manifest cannot be read is passed over."""
        for one in self._members(collection):
            check_wanted()
            if time.monotonic() > self._until:
                self.is_all = False
                return
            address = _id(one)
            if not address or address in self._seen:
                continue
            self._seen.add(address)
            if _kind(one) == "Collection":
                self._collections += 1
                if depth >= MAX_DEPTH or self._collections > MAX_COLLECTIONS:
                    self.is_all = False
                    continue
                yield from self.items_of(one if _members(one) else self._try(address), depth + 1)
            elif _kind(one) == "Manifest":
                self._manifests += 1
                if self._manifests > MAX_MANIFESTS:
                    self.is_all = False
                    return
                yield from self.pictures_of(self._try(address), address)

    def _members(self, collection: Json) -> Iterator[Json]:
        """What stands in a collection, and on its further pages."""
        yield from _members(collection)
        following = _linked(collection.get("first")) or _linked(collection.get("next"))
        while following and following not in self._seen:
            self._seen.add(following)
            self._collections += 1
            if self._collections > MAX_COLLECTIONS:
                self.is_all = False
                return
            page = self._try(following)
            yield from _members(page)
            following = _linked(page.get("next"))

    def _try(self, address: str) -> Json:
        try:
            return json_of(self._client.get(address, accept=ACCEPT).content, NO_IIIF)
        except UserError:
            self.is_all = False
            return {}

    def pictures_of(self, manifest: Json, address: str) -> Iterator[Item]:
        """The first painted image of each canvas; most manifests of pictures have one."""
        said = _Said.of(manifest)
        canvases = _canvases(manifest)
        for number, canvas in enumerate(canvases, 1):
            body = _painted(canvas)
            if body is None:
                continue
            service = _service(body)
            width, height = (whole_of(body.get(side)) or whole_of(canvas.get(side)) for side in ("width", "height"))
            if not (width and height) and service:
                width, height = self._size_at(service)
            item = Item.read(
                manifest=(_id(manifest) or address) + (f"#{number - 1}" if number > 1 else ""),
                title=said.title if len(canvases) == 1 else f"{said.title}, {_text(canvas.get('label')) or number}",
                words=said.words,
                maker=said.maker,
                licence=said.licence,
                licence_address=said.rights,
                statement=said.statement,
                width=width,
                height=height,
                image=_id(body) or (f"{service}/full/max/0/default.jpg" if service else ""),
                service=service,
            )
            if item is not None:
                yield item

    def _size_at(self, service: str) -> tuple[int, int]:
        """What an image service says of its image; nothing, where too many were asked already."""
        self._sizes_asked += 1
        if self._sizes_asked > MAX_ASKED_SIZES or time.monotonic() > self._until:
            self.is_all = False
            return 0, 0
        said = self._try(f"{service}/info.json")
        return whole_of(said.get("width")), whole_of(said.get("height"))


@dataclass(frozen=True)
class _Said:
    """What a manifest says of its pictures."""

    title: str
    words: str
    maker: str
    rights: str
    licence: str
    statement: str

    @classmethod
    def of(cls, manifest: Json) -> "_Said":
        """From either version."""
        title = _text(manifest.get("label"))
        metadata = objects_of(manifest.get("metadata"), MAX_METADATA)
        about = [(_text(one.get("label")), _text(one.get("value"))) for one in metadata]
        statement = _text(object_of(manifest.get("requiredStatement")).get("value")) or _text(
            manifest.get("attribution")
        )
        maker = next((value for label, value in about if label.casefold() in _MAKERS), "")
        said = manifest.get("rights") or manifest.get("license") or ""
        rights = address_of(said[0] if isinstance(said, list) and said else said)
        licence = licence_at(rights) if rights else None
        summary = _text(manifest.get("summary")) or _text(manifest.get("description"))
        words = " ".join((title, summary, statement, *(value for _, value in about)))[:MAX_WORDS].casefold()
        # where a licence is none of the usual ones, its own address says what it is
        return cls(title, words, maker, rights, licence.name if licence else rights.partition("//")[2], statement)


def _kind(one: Json) -> str:
    """`Collection`, `Manifest` and so on, in the words of version 3."""
    return cleaned(one.get("type") or one.get("@type")).removeprefix("sc:")


def _id(one: Json) -> str:
    return address_of(one.get("id") or one.get("@id"))


def _linked(value: object) -> str:
    """Where a page of a collection is found, which is named by its address, or stands there in short."""
    return _id(value) if isinstance(value, dict) else address_of(value)


def _members(collection: Json) -> list[Json]:
    names = ("items", "members", "collections", "manifests")
    return [one for name in names for one in objects_of(collection.get(name))]


def _text(value: object) -> str:
    """A language map in English, in no language, or in the first one, as either version has it; without markup."""
    parts = value[:MAX_PARTS] if isinstance(value, list) else [value]
    english = [one for one in parts if isinstance(one, dict) and cleaned(one.get("@language")).startswith("en")]
    words = " ".join(_words(one) for one in english or parts)[:MAX_WORDS]
    return cleaned(unescape(_TAGS.sub(" ", words)), MAX_WORDS)


def _words(value: object) -> str:
    if not isinstance(value, dict):
        return cleaned(value, MAX_WORDS)
    said = value.get("@value") or value.get("en") or value.get("none") or next(iter(value.values()), "")
    return " ".join(cleaned(one, MAX_WORDS) for one in (said[:MAX_PARTS] if isinstance(said, list) else [said]))


def _canvases(manifest: Json) -> list[Json]:
    sequences = objects_of(manifest.get("sequences"), 1)
    return objects_of(sequences[0].get("canvases") if sequences else manifest.get("items"), MAX_CANVASES)


def _painted(canvas: Json) -> Json | None:
    annotations = [one for page in objects_of(canvas.get("items")) for one in objects_of(page.get("items"))]
    bodies = [body for one in annotations for body in objects_of(one.get("body"))]
    bodies += [body for one in objects_of(canvas.get("images")) for body in objects_of(one.get("resource"))]
    return next((image for body in bodies if (image := _image(body)) is not None), None)


def _image(body: Json, depth: int = 0) -> Json | None:
    """The image of a body: itself, the first of a choice, or that of which a part is meant."""
    kind = _kind(body)
    if kind in {"Image", "dctypes:Image"}:
        return body
    if depth > MAX_DEPTH:
        return None
    if kind in {"Choice", "oa:Choice"}:
        choices = objects_of(body.get("items"), 1) or objects_of(body.get("default"), 1)
        return _image(choices[0], depth + 1) if choices else None
    if kind in {"SpecificResource", "oa:SpecificResource"}:
        source = object_of(body.get("source") or body.get("full"))
        return _image(source, depth + 1)
    return None


def _service(body: Json) -> str:
    """The image service of version 3 or 2 that can cut and scale; empty for one of level 0, or none."""
    for one in objects_of(body.get("service"), 10):
        kind, context = cleaned(one.get("type") or one.get("@type")), cleaned(one.get("@context"))
        profile = one.get("profile")
        said = cleaned(profile[0] if isinstance(profile, list) and profile else profile)
        is_image = kind in {"ImageService3", "ImageService2"} or "/image/2" in context or "/image/2" in said
        if (address := _id(one)) and is_image and "level0" not in said:
            return address.rstrip("/")
    return ""


def _describe(workshop: Workshop, service: Service) -> str:
    with OutsideClient(service) as client:
        read = read_source(client, service.address)
    more = "" if read.is_all else " It holds more than that, or some could not be read."
    return f"It is “{read.title or service.name}” with {len(read.items)} pictures.{more}"


ADAPTER = Adapter(
    kind="pictures",
    name="source of pictures",
    heading="Sources of free pictures",
    standard="IIIF Presentation 3 or 2",
    example="of a collection or a manifest",
    describe=_describe,
    has_further_hosts=True,
)
