"""Sites that are written to by Micropub: which pages they have, and which pictures stand on them.

Source: W3C Recommendation Micropub (23 May 2017), its query of source, and microformats2 for what a page says.
"""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import Annotated
from urllib.parse import urlencode

from pydantic import BeforeValidator

from lucidex.core.errors import NotAllowedError, UnavailableError, UnreadableFileError, UserError
from lucidex.services.house.workshop import Workshop
from lucidex.services.outside.base import Adapter
from lucidex.services.outside.client import OutsideClient
from lucidex.services.outside.foreign import (
    Foreign,
    Json,
    LongText,
    NeededAddress,
    Text,
    address_of,
    json_of,
    object_of,
    objects_of,
    whole_of,
)
from lucidex.services.outside.service import Service
from lucidex.services.outside.texts_of_pages import Figure, figures_in

MAX_PAGES, AT_ONCE, MAX_PICTURES = 200, 50, 60
MAX_HTML, WIDEST_SHOWN = 400_000, 20_000
NO_SITE = "This address does not list its pages as Micropub says (q=source)."

Figures = Callable[[Sequence[str]], list[list[Figure]]]


class Shown(Foreign):
    """A picture as it stands on a page: its address, its texts, and how wide it is shown; None where nobody says."""

    address: NeededAddress
    alternative: LongText = ""
    caption: LongText = ""
    shown_width: Annotated[int | None, BeforeValidator(lambda value: whole_of(value, WIDEST_SHOWN) or None)] = None


class Page(Foreign):
    """A published page with its pictures, in the order in which a reader meets them."""

    address: NeededAddress
    name: Text
    published: Text = ""
    summary: Text = ""
    pictures: tuple[Shown, ...] = ()


@dataclass(frozen=True)
class Published:
    """The pages of a site; `is_all` is false where it has more."""

    pages: tuple[Page, ...]
    is_all: bool


def read_pages(client: OutsideClient, endpoint: str, figures: Figures) -> Published:
    """The pages that a site lists, the newest first. Errors in words where it is none, or lists nothing.

    `figures` finds the pictures in texts of pages.
    """
    pages: list[Page] = []
    seen: set[str] = set()
    while len(pages) < MAX_PAGES:
        items = _items(client, endpoint, len(pages))
        fresh = [page for page in _pages(items, figures) if page.address not in seen]
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
        items = json_of(answer.content, NO_SITE).get("items")
    except (NotAllowedError, UnavailableError):
        raise
    except UserError as error:
        raise UnreadableFileError(NO_SITE) from error
    if not isinstance(items, list):
        raise UnreadableFileError(NO_SITE)
    return objects_of(items, AT_ONCE * 4)


def _pages(items: list[Json], figures: Figures) -> Iterator[Page]:
    found = [object_of(item.get("properties")) for item in items]
    for properties, in_text in zip(found, figures([_html(one) for one in found]), strict=True):
        page = _page(properties, in_text)
        if page is not None:
            yield page


def _page(properties: Json, in_text: list[Figure]) -> Page | None:
    address = address_of(_value(properties, "url"))
    pictures: dict[str, Shown] = {}
    for shown in (*_in_text(in_text, address), *_photos(properties, address)):
        before = pictures.get(shown.address)
        if before is None:
            pictures[shown.address] = shown
        elif not before.alternative and shown.alternative:
            pictures[shown.address] = before.model_copy(update={"alternative": shown.alternative})
    name = _value(properties, "name") or _value(properties, "summary") or address.rsplit("/", 1)[-1]
    return Page.read(
        address=address,
        name=name,
        published=_value(properties, "published"),
        summary=_value(properties, "summary"),
        pictures=tuple(pictures.values())[:MAX_PICTURES],
    )


def _value(properties: Json, name: str) -> object:
    values = properties.get(name)
    first = values[0] if isinstance(values, list) and values else ""
    return first.get("value") or first.get("html") or "" if isinstance(first, dict) else first


def _photos(properties: Json, base: str) -> Iterator[Shown]:
    values = properties.get("photo")
    for one in values[:MAX_PICTURES] if isinstance(values, list) else []:
        said = one if isinstance(one, dict) else {"value": one}
        shown = Shown.read(address=address_of(said.get("value"), base), alternative=said.get("alt", ""))
        if shown is not None:
            yield shown


def _html(properties: Json) -> str:
    """All texts of a page in HTML."""
    texts = [str(one.get("html") or "") for one in objects_of(properties.get("content"), 10)]
    return "\n".join(texts)[:MAX_HTML].encode("utf-8", "replace").decode()


def _in_text(figures: list[Figure], base: str) -> Iterator[Shown]:
    for one in figures:
        width = whole_of(one.width, WIDEST_SHOWN) or whole_of(one.sizes.removesuffix("px"), WIDEST_SHOWN)
        shown = Shown.read(
            address=address_of(largest_candidate(one.srcset) or one.src, base),
            alternative=one.alt,
            caption=one.caption,
            shown_width=width,
        )
        if shown is not None:
            yield shown


def largest_candidate(srcset: str) -> str:
    """The address of the widest, or densest, picture of a `srcset`; empty where there is none (HTML, 4.8.4.3).

    >>> largest_candidate("a.jpg 640w, /full/1600,/0/default.jpg 1600w, c.jpg 800w")
    '/full/1600,/0/default.jpg'
    """
    best, most, rest = "", -1.0, srcset
    while rest := rest.lstrip(" \t\n\f\r,"):
        address, _, after = rest.partition(" ")
        if address.endswith(","):  # nothing is said of it, which means 1x
            said, rest = "", after
        else:
            said, _, rest = after.partition(",")
        if (size := _descriptor(said)) > most:
            best, most = address.rstrip(","), size
    return best


def _descriptor(said: str) -> float:
    number, unit = said.strip()[:-1], said.strip()[-1:]
    if not said.strip():
        return 1.0
    is_number = number.replace(".", "", 1).isdecimal() and number.isascii() and len(number) < 10
    return float(number) if unit in {"w", "x"} and is_number else 0.0


def _describe(workshop: Workshop, service: Service) -> str:
    with OutsideClient(service) as client:
        read = read_pages(client, service.address, figures_in(workshop))
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
