"""What files say of their making and their meaning: EXIF, XMP, and the older IPTC records.

Sources: CIPA DC-008 (Exif 3.0), ISO 16684-1 (XMP), the IPTC Photo Metadata Standard and IIM 4.2. What is broken or
too long is left out; what remains is text without control characters, and numbers within their ranges.
"""

import re
import struct
from calendar import monthrange
from collections.abc import Iterable, Iterator
from typing import Any
from xml.etree import ElementTree

from PIL import Image
from pydantic import BaseModel, ConfigDict

MAX_BYTES = 2_000_000  # of one kind of record
MAX_TEXT, MAX_LONG_TEXT, MAX_PEOPLE = 400, 4_000, 50
# the most letters of what is kept; what was longer is cut, and said (`Recorded.cut`)
_MOST = {"caption": MAX_LONG_TEXT, "alternative": 2_000, "credit": 1_000, "rights": MAX_TEXT}
_READ_AT_MOST = 20_000  # letters of any text
_JOINERS = "\u200c\u200d"  # of several scripts; no space, and not printable by themselves
_LIKE_A_TIME = re.compile(r"(\d{4})[:-](\d\d)[:-](\d\d)[ T](\d\d):(\d\d)(?::(\d\d))?")
_MAKE, _MODEL, _DESCRIPTION, _ARTIST, _RIGHTS = 0x010F, 0x0110, 0x010E, 0x013B, 0x8298
_EXIF_IFD, _GPS_IFD, _TAKEN = 0x8769, 0x8825, 0x9003
_RDF = "{http://www.w3.org/1999/02/22-rdf-syntax-ns#}"
_DC = "{http://purl.org/dc/elements/1.1/}"
_CREDIT = "{http://ns.adobe.com/photoshop/1.0/}Credit"
_WEB_STATEMENT = "{http://ns.adobe.com/xap/1.0/rights/}WebStatement"
_USAGE_TERMS = "{http://ns.adobe.com/xap/1.0/rights/}UsageTerms"
_LICENSE = "{http://creativecommons.org/ns#}license"
_HEADLINE = "{http://ns.adobe.com/photoshop/1.0/}Headline"
_ALTERNATIVE = "{http://iptc.org/std/Iptc4xmpCore/1.0/xmlns/}AltTextAccessibility"
_PEOPLE = "{http://iptc.org/std/Iptc4xmpExt/2008-02-29/}PersonInImage"
_IIM_TITLE, _BYLINE, _IIM_HEADLINE, _IIM_CREDIT, _IIM_RIGHTS, _CAPTION = 5, 80, 105, 110, 116, 120


class Recorded(BaseModel):
    """What was recorded in a file, in its own words; empty or None where nothing was.

    `taken_at` is the camera's own time without a zone, as `2026-10-12T17:42:00`; `latitude` and `longitude` are
    degrees, north and east positive; `rights_address` is where the rights are written out.
    """

    camera: str = ""
    taken_at: str = ""
    latitude: float | None = None
    longitude: float | None = None
    alternative: str = ""
    caption: str = ""
    credit: str = ""
    rights: str = ""
    rights_address: str = ""
    people: tuple[str, ...] = ()
    cut: tuple[str, ...] = ()  # the names of those texts that were longer than is kept

    model_config = ConfigDict(frozen=True)

    @property
    def has_location(self) -> bool:
        """Whether it says where it was taken."""
        return self.latitude is not None and self.longitude is not None


NOTHING_RECORDED = Recorded()


def read_recorded(exif: bytes, xmp: bytes, iptc: bytes) -> Recorded:
    """The records of a file together: XMP goes before IPTC records, these before EXIF."""
    found: dict[str, Any] = {}
    for read, blob in ((_from_exif, exif), (_from_iptc, iptc), (_from_xmp, xmp)):
        if 0 < len(blob) <= MAX_BYTES:
            found |= {key: value for key, value in read(blob).items() if value}
    found["credit"] = _both(found.pop("maker", ""), found.get("credit", ""))
    found["cut"] = tuple(name for name, most in _MOST.items() if len(found.get(name, "")) > most)
    for name in found["cut"]:
        found[name] = found[name][: _MOST[name]].rstrip()
    return Recorded(**found)


def _both(maker: str, credit: str) -> str:
    """Who made it and to whom credit is due, where these are two."""
    if not maker or maker.casefold() in credit.casefold():
        return credit
    return f"{maker}, {credit}" if credit else maker


def _plain(text: object, most: int = MAX_TEXT) -> str:
    """One line of text."""
    return " ".join(_lines(text).split())[:most]


def _lines(text: object) -> str:
    """Text without control characters, its lines kept."""
    if isinstance(text, bytes):
        text = text.decode("utf-8", "replace")
    if not isinstance(text, str):
        return ""
    shown = "".join(
        c if c.isprintable() or c in _JOINERS or c == "\n" else " " for c in _newlines(text[:_READ_AT_MOST])
    )
    return "\n".join(" ".join(line.split()) for line in shown.split("\n")).strip()


def _newlines(text: str) -> str:
    return text.replace("\r\n", "\n").replace("\r", "\n").replace("\u2028", "\n")


def _exif_text(value: object) -> object:
    """Text of an Exif field: the standard says ASCII; what is written is mostly UTF-8, which is read as Latin-1."""
    if not isinstance(value, str):
        return value
    try:
        return value.encode("latin-1").decode("utf-8")
    except UnicodeError:
        return value


def _from_exif(blob: bytes) -> dict[str, Any]:
    exif = Image.Exif()
    try:
        exif.load(blob)
        made, gps = exif.get_ifd(_EXIF_IFD), exif.get_ifd(_GPS_IFD)
        make, model = _plain(exif.get(_MAKE)), _plain(exif.get(_MODEL))
        words = {
            "camera": model if model.lower().startswith(make.lower()) else f"{make} {model}".strip(),
            "taken_at": _moment(_plain(made.get(_TAKEN))),
            "caption": _lines(_exif_text(exif.get(_DESCRIPTION))),
            "maker": _plain(_exif_text(exif.get(_ARTIST))),
            "rights": _lines(_exif_text(exif.get(_RIGHTS))),
        }
    except (ValueError, KeyError, TypeError, SyntaxError, OSError, struct.error, OverflowError, MemoryError):
        return {}
    return words | _location(gps)


def _moment(text: str) -> str:
    found = _LIKE_A_TIME.match(text)
    if found is None:
        return ""
    year, month, day, hour, minute, second = (int(part or 0) for part in found.groups())
    is_day = 1 <= month <= 12 and year > 0 and 1 <= day <= monthrange(year, month)[1]
    if not is_day or hour > 23 or minute > 59 or second > 59:
        return ""
    return f"{year:04}-{month:02}-{day:02}T{hour:02}:{minute:02}:{second:02}"


def _location(gps: dict[int, Any]) -> dict[str, float]:
    try:
        latitude = _degrees(gps[2], gps[1], "S", 90)
        longitude = _degrees(gps[4], gps[3], "W", 180)
    except (KeyError, TypeError, ValueError, ZeroDivisionError, OverflowError):
        return {}
    return {"latitude": latitude, "longitude": longitude} if latitude or longitude else {}


def _degrees(parts: Iterable[object], side: object, negative: str, most: int) -> float:
    degrees, minutes, seconds = (float(part) for part in parts)  # type: ignore[arg-type]
    value = degrees + minutes / 60 + seconds / 3_600
    if not 0 <= value <= most:  # also where it is no number
        raise ValueError("no place on the globe")
    return round(-value if _plain(side).upper().startswith(negative) else value, 6)


def _from_iptc(blob: bytes) -> dict[str, Any]:
    read = {_CAPTION: "caption", _BYLINE: "maker", _IIM_CREDIT: "credit", _IIM_RIGHTS: "rights"}
    read |= {_IIM_HEADLINE: "headline", _IIM_TITLE: "title"}
    found: dict[str, Any] = {}
    for number, value in _iim_records(_iim_of(blob)):
        if number in read:
            text = value.decode("utf-8") if _is_utf8(value) else value.decode("latin-1")
            found[read[number]] = _lines(text)
    return _titled(found)


def _titled(found: dict[str, Any]) -> dict[str, Any]:
    """Where there is no caption, a headline or a title is what a picture is called."""
    headline, title = found.pop("headline", ""), found.pop("title", "")
    return {**found, "caption": found.get("caption") or headline or title}


def _is_utf8(value: bytes) -> bool:
    try:
        value.decode("utf-8")
    except UnicodeDecodeError:
        return False
    return True


def _iim_of(blob: bytes) -> bytes:
    """The records themselves, out of the resource blocks in which JPEG files carry them."""
    at = blob.find(b"8BIM\x04\x04")
    if at < 0:
        return blob
    name = blob[at + 6] if len(blob) > at + 6 else 0
    start = at + 6 + name + 1 + (name + 1) % 2
    size = int.from_bytes(blob[start : start + 4], "big")
    return blob[start + 4 : start + 4 + size]


def _iim_records(blob: bytes) -> Iterator[tuple[int, bytes]]:
    """Numbers and values of the second record; what is broken ends the list."""
    at = 0
    while at + 5 <= len(blob) and blob[at] == 0x1C:
        record, number, size = struct.unpack_from(">BBH", blob, at + 1)
        if size & 0x8000:
            return
        if record == 2:
            yield number, blob[at + 5 : at + 5 + size]
        at += 5 + size


def _from_xmp(blob: bytes) -> dict[str, Any]:
    try:
        text = blob.decode("utf-8").strip("\0\ufeff \r\n\t")
        if "<!DOCTYPE" in text:  # without it there are no entities
            return {}
        root = ElementTree.fromstring(text)  # noqa: S314
    except (ElementTree.ParseError, ValueError):
        return {}
    found: dict[str, Any] = {}
    for described in root.iter(f"{_RDF}Description"):
        found |= {key: value for key, value in _described(described).items() if value}
    terms = found.pop("terms", "")
    return _titled({**found, "rights": found.get("rights") or terms})


def _described(element: ElementTree.Element) -> dict[str, Any]:
    people = [_plain(one) for one in _values(element, _PEOPLE)]
    return {
        "alternative": _lines(_first(element, _ALTERNATIVE)),
        "caption": _lines(_first(element, f"{_DC}description")),
        "headline": _plain(_first(element, _HEADLINE)),
        "title": _plain(_first(element, f"{_DC}title")),
        "credit": _lines(_first(element, _CREDIT)),
        "maker": _plain(", ".join(_values(element, f"{_DC}creator")[:5])),
        "rights": _lines(_first(element, f"{_DC}rights")),
        "terms": _lines(_first(element, _USAGE_TERMS)),
        "rights_address": _plain(_first(element, _WEB_STATEMENT)) or _plain(_link(element, _LICENSE)),
        "people": tuple(one for one in people if one)[:MAX_PEOPLE],
    }


def _link(element: ElementTree.Element, name: str) -> str:
    """An address that is written as a resource, or as text."""
    found = element.find(name)
    return "" if found is None else found.get(f"{_RDF}resource", "") or found.text or ""


def _first(element: ElementTree.Element, name: str) -> str:
    return next(iter(_values(element, name)), "")


def _values(element: ElementTree.Element, name: str) -> list[str]:
    """An attribute, the text of an element, or the items of the list in it; those for every language first."""
    if name in element.attrib:
        return [element.attrib[name]]
    found = element.find(name)
    if found is None:
        return []
    items = sorted(
        found.iter(f"{_RDF}li"),
        key=lambda item: item.get("{http://www.w3.org/XML/1998/namespace}lang", "x-default") != "x-default",
    )
    return [item.text or "" for item in items] if items else [found.text or ""]
