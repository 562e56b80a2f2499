"""What can be known of a PDF without drawing it: whether what a page is made of can be unpacked.

What draws a page passes over broken parts in silence. Source: ISO 32000-1, 7.3.8 and 7.4; RFC 1950. Streams that
carry no sum for checking, and those of fax, JPEG 2000 and JBIG2, may be changed without a trace.
"""

import zlib
from collections.abc import Iterator
from io import BytesIO

import pikepdf
import pyvips

from lucidex.core.source.formats import jpeg_scan
from lucidex.core.source.formats.base import Content
from lucidex.core.source.formats.pillow_read import as_decoder_error

MAX_PARTS = 20_000  # of one page
PIECE_BYTES = 1_000_000
_UNPACKED = {"/FlateDecode", "/LZWDecode", "/ASCII85Decode", "/ASCIIHexDecode", "/RunLengthDecode"}
_ELSEWHERE = {"/Parent", "/P", "/Dest", "/A", "/StructParent", "/B"}  # what leads from a page to others


def is_page_sound(content: Content, number: int) -> bool:
    """Whether the directory needed no mending, and all streams that a page, from 1, leads to can be unpacked."""
    try:
        with as_decoder_error(), pikepdf.open(BytesIO(content), suppress_warnings=True) as document:
            streams = _streams_of(document.pages[number - 1].obj)
            return all(_is_readable(stream) for stream in streams) and not document.get_warnings()
    except (pikepdf.PdfError, pyvips.Error):
        return False


def _streams_of(page: pikepdf.Object) -> Iterator[pikepdf.Stream]:
    waiting, seen = [page], set[tuple[int, int]]()
    while waiting and len(seen) < MAX_PARTS:
        part = waiting.pop()
        if part.is_indirect:
            if part.objgen in seen:
                continue
            seen.add(part.objgen)
        if isinstance(part, pikepdf.Stream):
            yield part
        if isinstance(part, pikepdf.Dictionary | pikepdf.Stream):
            waiting += [value for key, value in part.items() if key not in _ELSEWHERE and _leads_on(value)]
        elif isinstance(part, pikepdf.Array):
            waiting += [value for value in part if _leads_on(value)]


def _leads_on(value: object) -> bool:
    return isinstance(value, pikepdf.Dictionary | pikepdf.Stream | pikepdf.Array)


def _is_readable(stream: pikepdf.Stream) -> bool:
    filters = stream.get("/Filter", pikepdf.Array())
    names = [str(name) for name in ([filters] if isinstance(filters, pikepdf.Name) else filters)]
    if names == ["/DCTDecode"]:
        return jpeg_scan.is_sound(stream.read_raw_bytes())
    if names == ["/FlateDecode"]:
        return _is_inflatable(stream.read_raw_bytes())
    if _UNPACKED.issuperset(names):
        stream.read_bytes(decode_level=pikepdf.StreamDecodeLevel.specialized)
    return True


def _is_inflatable(packed: bytes) -> bool:
    """Whether it can be unpacked, and its sum is right; how much comes of it does not matter."""
    unpacking = zlib.decompressobj()
    try:
        while packed and not unpacking.eof:
            unpacking.decompress(packed, PIECE_BYTES)
            packed = unpacking.unconsumed_tail
    except zlib.error:
        return False
    return True
