"""JPEG 2000 (ISO/IEC 15444-1): archives, museums."""

from dataclasses import replace
from io import BufferedReader

from lucidex.core.source.formats.base import Opened, Part, SourceFormat, tail
from lucidex.core.source.formats.pillow_read import by_pillow, measure_by_pillow

_SIZ = b"\xff\x4f\xff\x51"
_LOOKED_AT = 65_536


def _depth(file: BufferedReader) -> int:
    """Bits of the first component (Ssiz of SIZ, ISO/IEC 15444-1, A.5.1); 8 where it is not found."""
    file.seek(0)
    head = file.read(_LOOKED_AT)
    at = head.find(_SIZ)
    return (head[at + 42] & 0x7F) + 1 if at >= 0 and len(head) > at + 42 else 8


def ends_early(file: BufferedReader, size: int) -> bool:
    """The codestream ends with EOC (ISO/IEC 15444-1, A.4.4)."""
    return b"\xff\xd9" not in tail(file, size)


_open = by_pillow("JPEG2000")


def open_with_depth(file: BufferedReader, fail_on: str, part: Part) -> Opened:
    """Pillow gives 8 bits of deeper colours, which is said."""
    depth = _depth(file)
    opened = _open(file, fail_on, part)
    if depth > 8 and opened.image.format == "uchar":
        return replace(opened, notes=(f"It has {depth} bits a channel, of which 8 were read.",))
    return opened


FORMAT = SourceFormat(
    name="JPEG 2000",
    signatures=((b"\0\0\0\x0cjP  ", 0), (_SIZ, 0)),
    suffixes=(".jp2", ".j2k", ".jpf", ".jpx", ".j2c", ".jpc"),
    media_type="image/jp2",
    open=open_with_depth,
    measure=measure_by_pillow("JPEG2000"),
    ends_early=ends_early,
    bytes_at_once=14,
)
