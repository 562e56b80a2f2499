"""WebP (RFC 9649): photographs and clear areas; may move."""

import struct
from io import BufferedReader

from lucidex.core.source.formats.base import Holds, SourceFormat, by_loader


def ends_early(file: BufferedReader, size: int) -> bool:
    """It announces its length (RIFF)."""
    file.seek(4)
    return size < int(struct.unpack("<I", file.read(4))[0]) + 8


FORMAT = SourceFormat(
    name="WebP",
    signatures=((b"WEBP", 8),),
    suffixes=(".webp",),
    media_type="image/webp",
    open=by_loader("webpload_source", has_pages=True),
    ends_early=ends_early,
    holds=Holds.FRAMES,
    bytes_at_once=8,
)
