"""Sites that are written to by Micropub: which pages they have, and which pictures stand on them.

Source: W3C Recommendation Micropub (23 May 2017), its query of source, and microformats2 for what a page says.
"""

import json
from collections.abc import Iterator
from dataclasses import dataclass
from html.parser import HTMLParser
from typing import Any
from urllib.parse import urlencode, urljoin

from lucidex.core.errors import NotAllowedError, UnavailableError, UnreadableFileError, UserError
from lucidex.services.outside.base import Adapter
from lucidex.services.outside.client import OutsideClient
from lucidex.services.outside.service import Service

MAX_PAGES, AT_ONCE, MAX_PICTURES = 200, 50, 60
MAX_HTML, MAX_TEXT = 400_000, 1_000

Json = dict[str, Any]


@dataclass(frozen=True)
class Shown:
    """A picture as it stands on a page: its address, its texts, and how wide it is shown; None where nobody says."""

    address: str
    alternative: str = ""
    caption: str = ""
    shown_width: int | None = None


@dataclass(frozen=True)
class Page:
    """A published page with its pictures, in the order in which a reader meets them."""

    address: str
    name: str
    published: str
    summary: str
    pictures: tuple[Shown, ...]


@dataclass(frozen=True)
class Published:
    """The pages of a site; `is_all` is false where it has more."""

    pages: tuple[Page, ...]
    is_all: bool


def read_pages(client: OutsideClient, endpoint: str) -> Published:
    """The pages that a site lists, the newest first. Errors in words where it is none, or lists nothing."""
    pages: list[Page] = []
    seen: set[str] = set()
    while len(pages) < MAX_PAGES:
        items = _items(client, endpoint, len(pages))
        fresh = [page for page in map(_page, items) if page is not None and page.address not in seen]
        pages.extend(fresh)
        seen.update(page.address for page in fresh)
        if len(items) < AT_ONCE or not fresh:
            return Published(tuple(pages), True)
    return Published(tuple(pages[:MAX_PAGES]), False)


def _items(client: OutsideClient, endpoint: str, offset: int) -> list[Json]:
    query = urlencode({"q": "source", "limit": AT_ONCE, "offset": offset})
    joint = "&" if "?" in endpoint else "?"
    try:
        answer = client.get(f"{endpoint}{joint}{query}", accept="application/json")
        found = json.loads(answer.content)
    except (NotAllowedError, UnavailableError):
        raise
    except (UserError, ValueError, RecursionError) as error:
        raise UnreadableFileError("This address does not list its pages as Micropub says (q=source).") from error
    items = found.get("items") if isinstance(found, dict) else None
    if not isinstance(items, list):
        raise UnreadableFileError("This address does not list its pages as Micropub says (q=source).")
    return [one for one in items if isinstance(one, dict)]


def _page(item: Json) -> Page | None:
    said = item.get("properties")
    properties: Json = said if isinstance(said, dict) else {}
    address = _text(properties, "url")
    if not address.startswith(("http://", "https://")):
        return None
    pictures: dict[str, Shown] = {}
    for shown in (*_in_content(properties, address), *_photos(properties, address)):
        before = pictures.get(shown.address)
        if before is None:
            pictures[shown.address] = shown
        elif not before.alternative and shown.alternative:
            pictures[shown.address] = Shown(before.address, shown.alternative, before.caption, before.shown_width)
    name = _text(properties, "name") or _text(properties, "summary") or address.rsplit("/", 1)[-1]
    return Page(
        address[:MAX_TEXT],
        name[:MAX_TEXT],
        _text(properties, "published")[:40],
        _text(properties, "summary")[:MAX_TEXT],
        tuple(pictures.values())[:MAX_PICTURES],
    )


def _text(properties: Json, name: str) -> str:
    values = properties.get(name)
    first = values[0] if isinstance(values, list) and values else ""
    if isinstance(first, dict):
        first = first.get("value") or first.get("html") or ""
    return " ".join(str(first)[: MAX_TEXT * 2].split())


def _photos(properties: Json, base: str) -> Iterator[Shown]:
    values = properties.get("photo")
    for one in values[:MAX_PICTURES] if isinstance(values, list) else []:
        address, alternative = (one.get("value", ""), one.get("alt", "")) if isinstance(one, dict) else (one, "")
        if address:
            yield Shown(urljoin(base, str(address))[:MAX_TEXT], str(alternative)[:2_000])


def _in_content(properties: Json, base: str) -> Iterator[Shown]:
    values = properties.get("content")
    for one in values if isinstance(values, list) else []:
        if isinstance(one, dict) and one.get("html"):
            reader = _Figures(base)
            reader.feed(str(one["html"])[:MAX_HTML])
            reader.close()
            yield from reader.found[:MAX_PICTURES]


class _Figures(HTMLParser):
    """Pictures in the text of a page, with the caption of their figure."""

    def __init__(self, base: str) -> None:
        super().__init__()
        self._base, self.found = base, list[Shown]()
        self._from = 0  # the first picture of the figure that is open
        self._caption: list[str] | None = None

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        """A figure begins, its caption begins, or a picture stands there."""
        said = {name: value or "" for name, value in attrs}
        if tag == "figure":
            self._from, self._caption = len(self.found), None
        elif tag == "figcaption":
            self._caption = []
        elif tag == "img" and said.get("src") and not said["src"].startswith("data:"):
            width = said.get("width", "")
            shown = int(width) if width.isdecimal() and 0 < int(width[:6]) < 20_000 else None
            address = urljoin(self._base, said["src"])[:MAX_TEXT]
            self.found.append(Shown(address, said.get("alt", "")[:2_000], "", shown))

    def handle_endtag(self, tag: str) -> None:
        """What the caption said belongs to the pictures of its figure."""
        if tag == "figcaption" and self._caption is not None:
            words = " ".join("".join(self._caption).split())[:4_000]
            self._caption = None
            for number in range(self._from, len(self.found)):
                one = self.found[number]
                self.found[number] = Shown(one.address, one.alternative, words, one.shown_width)
        elif tag == "figure":
            self._from = len(self.found)

    def handle_data(self, data: str) -> None:
        """Words of a caption."""
        if self._caption is not None:
            self._caption.append(data)


def _describe(service: Service) -> str:
    with OutsideClient(service) as client:
        read = read_pages(client, service.address)
    pictures = sum(len(page.pictures) for page in read.pages)
    return f"It lists {len(read.pages)} pages with {pictures} pictures."


ADAPTER = Adapter(
    kind="site",
    name="site",
    heading="Sites",
    standard="Micropub",
    example="of its Micropub endpoint",
    describe=_describe,
    has_token=True,
)
