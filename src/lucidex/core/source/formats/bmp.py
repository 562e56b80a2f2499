"""BMP (Windows bitmap, all versions of its header): screenshots, old scans."""

import struct
from io import BufferedReader

from lucidex.core.source.formats.base import SourceFormat
from lucidex.core.source.formats.pillow_read import by_pillow, measure_by_pillow

_HEADERS = {12, 16, 40, 52, 56, 64, 108, 124}


def _meets(head: bytes) -> bool:
    """Two letters are not enough: the length of the header behind them is one of the known ones."""
    return head[:2] == b"BM" and len(head) >= 18 and struct.unpack_from("<I", head, 14)[0] in _HEADERS


def ends_early(file: BufferedReader, size: int) -> bool:
    """It says where its pixels begin, and how long it is; zero where the writer did not care."""
    file.seek(2)
    announced, _, start = struct.unpack("<III", file.read(12))
    return bool(start >= size or (announced and announced > size + 4))


FORMAT = SourceFormat(
    name="BMP",
    signatures=(),
    meets=_meets,
    suffixes=(".bmp", ".dib"),
    media_type="image/bmp",
    open=by_pillow("BMP"),
    measure=measure_by_pillow("BMP"),
    ends_early=ends_early,
    bytes_at_once=10,
)
