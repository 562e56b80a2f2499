"""TIFF (6.0, and BigTIFF): scans, print; may hold pages."""

import mmap
import struct
from contextlib import suppress
from dataclasses import replace
from io import BufferedReader

import pyvips
from PIL import Image

from lucidex.core.errors import UnreadableFileError
from lucidex.core.geometry.sizes import Size
from lucidex.core.source.formats.base import Holds, Opened, Part, SourceFormat, by_loader
from lucidex.core.source.formats.tiff_read import (
    ASSOCIATED,
    BY_JPEG,
    CIELAB,
    COLOURS,
    ICCLAB,
    SEPARATE,
    UNASSOCIATED,
    YCBCR,
    Page,
    blob_of,
    count_pages,
    page_of,
    read_page,
    refusal_of,
)

_TYPES = {3: "H", 4: "I", 16: "Q"}
_STRIPS = {273: "offsets", 279: "counts", 324: "offsets", 325: "counts"}
MAX_STRIPS = 2_000_000


def ends_early(file: BufferedReader, size: int) -> bool:
    """Its directories say where its strips and tiles lie; those of the first page are looked at."""
    with mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ) as held:
        try:
            lies = _first_directory(held, size)
        except (struct.error, OverflowError, ValueError):  # it says that something lies where nothing can
            return True
    ends = [start + count for start, count in zip(lies.get("offsets", ()), lies.get("counts", ()), strict=False)]
    return any(end > size for end in ends) or any(start >= size for start in lies.get("offsets", ()))


def _first_directory(held: mmap.mmap, size: int) -> dict[str, tuple[int, ...]]:
    order = "<" if held[:2] == b"II" else ">"
    is_big = struct.unpack_from(order + "H", held, 2)[0] == 43
    (at,) = struct.unpack_from(order + ("Q" if is_big else "I"), held, 8 if is_big else 4)
    (count,) = struct.unpack_from(order + ("Q" if is_big else "H"), held, at)
    at += 8 if is_big else 2
    step, inline = (20, 8) if is_big else (12, 4)
    found: dict[str, tuple[int, ...]] = {}
    for index in range(min(count, 4_096)):
        tag, kind = struct.unpack_from(order + "HH", held, at + index * step)
        if tag not in _STRIPS or kind not in _TYPES:
            continue
        (many,) = struct.unpack_from(order + ("Q" if is_big else "I"), held, at + index * step + 4)
        value_at = at + index * step + (12 if is_big else 8)
        letter = _TYPES[kind]
        if many * struct.calcsize("=" + letter) > inline:
            (value_at,) = struct.unpack_from(order + ("Q" if is_big else "I"), held, value_at)
        found[_STRIPS[tag]] = struct.unpack_from(f"{order}{min(many, MAX_STRIPS)}{letter}", held, value_at)
    return found


_open = by_loader("tiffload_source", has_pages=True)
_COMPRESSIONS = {1, 2, 3, 4, 5, 7, 8, 32_773, 32_946, 50_001}  # what libvips reads, as it comes here
_BITS = {1, 2, 4, 8, 16, 32}
_XMP, _IPTC, _ACROSS, _ORIENTATION, _UNIT, _CENTIMETRE = 700, 33_723, 282, 274, 296, 3
_WORDS = (270, 315, 33_432)  # ImageDescription, Artist, Copyright


def open_tiff(file: BufferedReader, fail_on: str, part: Part) -> Opened:
    """A page: by libvips where that reads it rightly, else whole by another reader."""
    page = _known(file, part)
    if page is None:
        return _open(file, fail_on, part)
    if _is_usual(page):
        opened = _open(file, fail_on, part)
    else:
        if (sentence := refusal_of(page)) is not None:
            raise UnreadableFileError(sentence)
        opened = _described(page, read_page(page), count_pages(file))
    image, notes = _without_strangers(opened.image, page)
    return replace(opened, image=image, notes=notes, exif=opened.exif or _words_of(page))


def _known(file: BufferedReader, part: Part) -> Page | None:
    """What its directory says; None where only libvips makes something of it."""
    with suppress(pyvips.Error):
        return page_of(file, part.page)
    return None


def measure(file: BufferedReader, part: Part) -> Size | None:
    """The size of a page that has to be loaded whole."""
    page = _known(file, part)
    if page is None or _is_usual(page) or refusal_of(page) is not None:
        return None
    return Size(page.imagewidth, page.imagelength)


def _is_usual(page: Page) -> bool:
    return (
        page.compression in _COMPRESSIONS
        and page.bitspersample in _BITS
        and not (page.is_tiled and page.planarconfig == SEPARATE and page.samplesperpixel > 1)
        and page.photometric in COLOURS
        and page.photometric not in {CIELAB, ICCLAB}
        and not (page.photometric == YCBCR and page.compression not in BY_JPEG)
        and not (ASSOCIATED in page.extrasamples and len(page.extrasamples) > 1)
    )


def _without_strangers(image: pyvips.Image, page: Page) -> tuple[pyvips.Image, tuple[str, ...]]:
    """Colours and what is said to be transparency; other samples are marks, selections or further inks."""
    colours = COLOURS.get(page.photometric, 0)
    further = image.bands - colours
    if not colours or further < 1 or len(page.extrasamples) < further:  # some programs do not say that it is alpha
        return image, ()
    kinds = page.extrasamples[-further:]
    clear = next((place for place, kind in enumerate(kinds) if kind in {ASSOCIATED, UNASSOCIATED}), None)
    kept = image.extract_band(0, n=colours)
    if clear is not None:
        kept = kept.bandjoin(image.extract_band(colours + clear)).copy(interpretation=image.interpretation)
        if kinds[clear] == ASSOCIATED and not _is_usual(page):  # else libvips has divided already
            kept = kept.unpremultiply().cast(image.format)
    left = further - (clear is not None)
    said = f"It holds {left} further channel{'s' if left > 1 else ''} beside its colours, left out here."
    return kept.copy(interpretation=image.interpretation), (said,) if left else ()


def _described(page: Page, image: pyvips.Image, pages: int) -> Opened:
    across, unit, turned = (page.tags.get(tag) for tag in (_ACROSS, _UNIT, _ORIENTATION))
    density = None
    if across is not None and across.value[1] and unit is not None and unit.value in {2, _CENTIMETRE}:
        density = across.value[0] / across.value[1] * (2.54 if unit.value == _CENTIMETRE else 1)
    return Opened(
        image,
        pages=pages,
        orientation=turned.value if turned is not None and turned.value in range(1, 9) else 1,
        pixels_per_inch=density,
        xmp=blob_of(page, _XMP),
        iptc=blob_of(page, _IPTC),
    )


def _words_of(page: Page) -> bytes:
    """Its description, maker and rights as a block of Exif, which these fields come from."""
    exif = Image.Exif()
    for tag in _WORDS:
        found = page.tags.get(tag)
        if found is not None and isinstance(found.value, str) and found.value.strip():
            exif[tag] = found.value.encode()
    return exif.tobytes() if len(exif) else b""


FORMAT = SourceFormat(
    name="TIFF",
    signatures=((b"II*\0", 0), (b"MM\0*", 0), (b"II+\0", 0), (b"MM\0+", 0)),
    suffixes=(".tif", ".tiff"),
    media_type="image/tiff",
    open=open_tiff,
    measure=measure,
    ends_early=ends_early,
    holds=Holds.PAGES,
    bytes_at_once=30,
)
