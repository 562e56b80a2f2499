"""The first pages of the site, as its readers find them: text, and pictures with their texts."""

import json
from dataclasses import dataclass
from datetime import datetime
from html import escape
from pathlib import Path
from typing import Any

import pyvips

from standins.site.media import Media
from standins.site.posts import Posts, Properties

QUALITY = 84
HOUSE = "Marrow Lane Glasshouse"
PAGES = Path(__file__).with_name("first_pages.json")
LICENCE = ("CC BY 4.0", "https://creativecommons.org/licenses/by/4.0/")


@dataclass(frozen=True)
class Figure:
    """A picture in a page: its file, the width that was published, and how wide it is shown."""

    file: str
    published_width: int
    shown_width: int
    alternative: str
    caption: str = ""
    credit: str = HOUSE


def moment(text: str) -> datetime:
    """A moment as it is written down."""
    return datetime.fromisoformat(text)


def write_first_pages(folder: Path, posts: Posts, media: Media, pictures: Path) -> None:
    """Write them, unless they were written before; a start that was killed goes on."""
    done = folder / "first-pages"
    if done.exists():
        return
    there = {post.text("name") for post in posts.listed()}
    for page in json.loads(PAGES.read_text()):
        parts = [one if isinstance(one, str) else Figure(**one) for one in page["parts"]]
        files = [pictures / one.file for one in parts if isinstance(one, Figure)]
        if page["name"] in there or not all(file.exists() for file in files):
            continue
        posts.create(_properties(page, parts, media, pictures), page["name"])
    done.touch()


def _properties(page: dict[str, Any], parts: list[str | Figure], media: Media, pictures: Path) -> Properties:
    body: list[str] = []
    photos: list[object] = []
    for part in parts:
        if isinstance(part, str):
            body.append(f"<p>{escape(part)}</p>")
            continue
        name, width, height = _publish(part, media, pictures)
        photos.append({"value": f"/media/{name}", "alt": part.alternative})
        shown_height = round(height * part.shown_width / width)
        words = f"<figcaption>{escape(part.caption)}</figcaption>" if part.caption else ""
        body.append(
            f'<figure><img src="/media/{name}" alt="{escape(part.alternative)}" width="{part.shown_width}" '
            f'height="{shown_height}">{words}</figure>'
        )
    return {
        "name": [page["name"]],
        "summary": [page["summary"]],
        "content": [{"html": "".join(body)}],
        "photo": photos,
        "category": page["categories"],
        "published": [page["published"]],
    }


def _publish(figure: Figure, media: Media, pictures: Path) -> tuple[str, int, int]:
    """The file as it was once published: reduced, with its credit in it."""
    image = pyvips.Image.thumbnail(str(pictures / figure.file), figure.published_width, height=10_000)
    image = image.copy()
    if figure.credit:
        image.set_type(pyvips.GValue.blob_type, "xmp-data", _packet(figure.credit))
    is_clear = image.hasalpha()
    content = image.pngsave_buffer(keep="xmp") if is_clear else image.jpegsave_buffer(Q=QUALITY, keep="xmp")
    return media.put(bytes(content), figure.file), image.width, image.height


def _packet(credit: str) -> bytes:
    """Credit and licence as XMP (ISO 16684-1)."""
    name, address = LICENCE
    return (
        '<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">'
        '<rdf:Description rdf:about="" xmlns:dc="http://purl.org/dc/elements/1.1/" '
        'xmlns:xmpRights="http://ns.adobe.com/xap/1.0/rights/" xmlns:photoshop="http://ns.adobe.com/photoshop/1.0/">'
        f"<photoshop:Credit>{escape(credit)}</photoshop:Credit>"
        f"<dc:creator><rdf:Seq><rdf:li>{escape(credit)}</rdf:li></rdf:Seq></dc:creator>"
        f'<xmpRights:UsageTerms><rdf:Alt><rdf:li xml:lang="x-default">{name}</rdf:li></rdf:Alt>'
        "</xmpRights:UsageTerms>"
        f"<xmpRights:WebStatement>{address}</xmpRights:WebStatement>"
        "</rdf:Description></rdf:RDF></x:xmpmeta>"
    ).encode()
