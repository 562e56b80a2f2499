"""JPEG (ITU-T T.81): photographs."""

from io import BufferedReader

import pyvips

from lucidex.core.source.formats import jpeg_scan
from lucidex.core.source.formats.base import Content, Opened, Part, SourceFormat, by_loader, held, opened_by_vips

_open = by_loader("jpegload_source")


def open_jpeg(file: BufferedReader, fail_on: str, part: Part) -> Opened:
    """From the file itself; where its headers say what only makes decoders complain, from a copy put right."""
    content = held(file)
    right = jpeg_scan.put_right(content)
    if right is content:
        return _open(file, fail_on, part)
    return opened_by_vips(pyvips.Operation.call("jpegload_buffer", right, fail_on=fail_on, access="sequential"))


def ends_early(file: BufferedReader, size: int) -> bool:
    """It ends with EOI (ISO/IEC 10918-1, B.1.1.3)."""
    return jpeg_scan.end_of(held(file)) is None


def refusal(file: BufferedReader) -> str | None:
    """Of 12 bits a channel, lossless and arithmetic coding the standard knows, and hardly a decoder (B.2.2)."""
    content = held(file)
    for marker, at, _ in jpeg_scan.segments(content):
        if marker in jpeg_scan.FRAME_HEADERS:
            bits = (content[at : at + 1] or b"\x08")[0]
            is_deep = f"It is a JPEG file of {bits} bits a channel, which is not read. Save it with 8 bits."
            return is_deep if bits > 8 else None
    return None


def is_sound(content: Content, part: Part) -> bool:
    """Whether its codes come out even."""
    return jpeg_scan.is_sound(content)


def missing_rows(content: Content, part: Part) -> int | None:
    """Rows at the bottom for which it holds no codes."""
    return jpeg_scan.missing_rows(content)


FORMAT = SourceFormat(
    name="JPEG",
    signatures=((b"\xff\xd8\xff", 0),),
    suffixes=(".jpg", ".jpeg", ".jpe", ".jfif"),
    media_type="image/jpeg",
    open=open_jpeg,
    ends_early=ends_early,
    refusal=refusal,
    is_sound=is_sound,
    missing_rows=missing_rows,
)
