"""Sources of pictures that speak IIIF: collections and manifests (Presentation 3), images (Image 2 and 3).

Source: IIIF Presentation API 3.0, IIIF Image API 3.0. What is read comes from outside: everything is bounded, and
what does not look as the standard says is passed over.
"""

import json
import re
import time
from collections.abc import Iterator
from dataclasses import dataclass
from html import unescape
from typing import Any

from lucidex.core.cancellation import check_wanted
from lucidex.core.errors import UnreadableFileError, UserError
from lucidex.core.geometry.sizes import Size, Window
from lucidex.core.stamp.licences import licence_at
from lucidex.services.outside.base import Adapter
from lucidex.services.outside.client import OutsideClient
from lucidex.services.outside.service import Service

MAX_MANIFESTS, MAX_DEPTH, MAX_COLLECTIONS = 400, 3, 30
MAX_WORDS, MAX_TEXT = 4_000, 400
READ_WITHIN_S = 40.0
ACCEPT = 'application/ld+json;profile="http://iiif.io/api/presentation/3/context.json", application/json;q=0.9'
_TAGS = re.compile(r"<[^>]{0,2000}>")

Json = dict[str, Any]


@dataclass(frozen=True)
class Item:
    """A picture that a source offers: its manifest, what is said of it, and where its image is delivered.

    `service` is the address of its image service, None where there is only the whole image at `image`.
    """

    manifest: str
    title: str
    words: str
    maker: str
    licence: str
    licence_address: str
    statement: str
    width: int
    height: int
    image: str
    service: str | None

    @property
    def size(self) -> Size:
        """Its full size in pixels."""
        return Size(self.width, self.height)

    def part(self, window: Window, size: Size) -> str:
        """The address of a part of it, no larger than the part itself."""
        if self.service is None:
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
        return self.image if self.service is None else f"{self.service}/full/max/0/default.jpg"


@dataclass(frozen=True)
class Contents:
    """All that was read of a source; `is_all` is false where it holds more than was looked at."""

    title: str
    items: tuple[Item, ...]
    is_all: bool


def read_source(client: OutsideClient, address: str) -> Contents:
    """The pictures of a collection, or of a single manifest. UnreadableFileError where it is neither."""
    first = _read(client, address)
    title = _text(first.get("label"))
    if _kind(first) == "Manifest":
        return Contents(title, tuple(_items(first, address)), True)
    if _kind(first) != "Collection":
        raise UnreadableFileError("This address leads to no IIIF collection and no manifest of version 3.")
    walk = _Walk(client)
    items = tuple(walk.items_of(first, 0))
    return Contents(title, items, walk.is_all)


class _Walk:
    """Through a collection and those in it, for so long as somebody may be kept waiting."""

    def __init__(self, client: OutsideClient) -> None:
        self._client, self._manifests, self._collections, self.is_all = client, 0, 0, True
        self._until = time.monotonic() + READ_WITHIN_S
        self._seen: set[str] = set()

    def items_of(self, collection: Json, depth: int) -> Iterator[Item]:
        """Its pictures; one whose manifest cannot be read is passed over."""
        for one in _list(collection.get("items")):
            check_wanted()
            if time.monotonic() > self._until:
                self.is_all = False
                return
            address = str(one.get("id", ""))
            if not address or address in self._seen:
                continue
            self._seen.add(address)
            if _kind(one) == "Collection":
                self._collections += 1
                if depth >= MAX_DEPTH or self._collections > MAX_COLLECTIONS:
                    self.is_all = False
                    continue
                inner = one if one.get("items") else self._try(address)
                yield from self.items_of(inner, depth + 1)
            elif _kind(one) == "Manifest":
                self._manifests += 1
                if self._manifests > MAX_MANIFESTS:
                    self.is_all = False
                    return
                yield from _items(self._try(address), address)

    def _try(self, address: str) -> Json:
        try:
            return _read(self._client, address)
        except UserError:
            self.is_all = False
            return {}


def _read(client: OutsideClient, address: str) -> Json:
    answer = client.get(address, accept=ACCEPT)
    try:
        found = json.loads(answer.content)
    except (ValueError, RecursionError) as error:
        raise UnreadableFileError("This address does not answer with IIIF, but with something else.") from error
    if not isinstance(found, dict):
        raise UnreadableFileError("This address does not answer with IIIF, but with something else.")
    return found


def _kind(one: Json) -> str:
    return str(one.get("type", ""))


def _list(value: object) -> list[Json]:
    return [one for one in value if isinstance(one, dict)] if isinstance(value, list) else []


def _text(value: object) -> str:
    """A language map in English, in no language, or in the first one; markup is left out."""
    if isinstance(value, str):
        said: object = [value]
    elif isinstance(value, dict) and value:
        said = value.get("en") or value.get("none") or next(iter(value.values()))
    else:
        return ""
    words = " ".join(str(one) for one in said) if isinstance(said, list) else str(said)
    return " ".join(unescape(_TAGS.sub(" ", words[:MAX_WORDS])).split())


def _items(manifest: Json, address: str) -> Iterator[Item]:
    """The first painted image of each canvas; most manifests of pictures have one."""
    title = _text(manifest.get("label"))[:MAX_TEXT]
    about = [(_text(one.get("label")), _text(one.get("value"))) for one in _list(manifest.get("metadata"))]
    statement = manifest.get("requiredStatement")
    required = _text(statement.get("value")) if isinstance(statement, dict) else ""
    maker = next((value for label, value in about if label.casefold() in _MAKERS), "")
    rights = str(manifest.get("rights", ""))[:1_000]
    licence = licence_at(rights)
    words = " ".join((title, _text(manifest.get("summary")), required, *(value for _, value in about)))
    canvases = _list(manifest.get("items"))
    for number, canvas in enumerate(canvases[:MAX_MANIFESTS]):
        body = _painted(canvas)
        if body is None:
            continue
        width, height = (_whole(body.get(side)) or _whole(canvas.get(side)) for side in ("width", "height"))
        image = str(body.get("id", ""))
        if not (width and height and image):
            continue
        named = title if len(canvases) == 1 else f"{title}, {_text(canvas.get('label')) or number + 1}"
        yield Item(
            str(manifest.get("id") or address)[:1_000] + (f"#{number}" if number else ""),
            named[:MAX_TEXT],
            words[:MAX_WORDS].casefold(),
            maker[:MAX_TEXT],
            licence.name if licence else _rights_words(rights),
            rights if rights.startswith(("http://", "https://")) else "",
            required[:MAX_TEXT],
            width,
            height,
            image,
            _service(body),
        )


_MAKERS = {"creator", "author", "artist", "photographer", "maker", "illustrator", "painter", "attribution"}


def _rights_words(rights: str) -> str:
    """What stands where a licence is none of the usual ones: its own address says what it is."""
    return rights.partition("//")[2][:MAX_TEXT]


def _painted(canvas: Json) -> Json | None:
    for page in _list(canvas.get("items")):
        for annotation in _list(page.get("items")):
            body = annotation.get("body")
            bodies = _list(body) if isinstance(body, list) else [body] if isinstance(body, dict) else []
            for one in bodies:
                choices = _list(one.get("items")) if _kind(one) == "Choice" else [one]
                if choices and _kind(choices[0]) == "Image":
                    return choices[0]
    return None


def _service(body: Json) -> str | None:
    """The image service of version 3 or 2 that can cut and scale; None for one of level 0, or none."""
    for one in _list(body.get("service")):
        kind = str(one.get("type") or one.get("@type") or "")
        address, profile = str(one.get("id") or one.get("@id") or ""), str(one.get("profile", ""))
        if address and kind in {"ImageService3", "ImageService2"} and "level0" not in profile:
            return address.rstrip("/")[:1_000]
    return None


def _whole(value: object) -> int:
    return value if isinstance(value, int) and not isinstance(value, bool) and 0 < value < 1_000_000 else 0


def _describe(service: Service) -> str:
    with OutsideClient(service) as client:
        read = read_source(client, service.address)
    more = "" if read.is_all else " It holds more than that, or some could not be read."
    return f"It is “{read.title or service.name}” with {len(read.items)} pictures.{more}"


ADAPTER = Adapter(
    kind="pictures",
    name="source of pictures",
    heading="Sources of free pictures",
    standard="IIIF Presentation 3",
    example="of a collection or a manifest",
    describe=_describe,
    has_further_hosts=True,
)
