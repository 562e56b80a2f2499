"""JPEG (ITU-T T.81): photographs."""

from io import BufferedReader

from lucidex.core.source.formats.base import SourceFormat, by_loader, tail


def ends_early(file: BufferedReader, size: int) -> bool:
    """It ends with EOI (ISO/IEC 10918-1, B.1.1.3)."""
    return b"\xff\xd9" not in tail(file, size)


FORMAT = SourceFormat(
    name="JPEG",
    signatures=((b"\xff\xd8\xff", 0),),
    suffixes=(".jpg", ".jpeg"),
    media_type="image/jpeg",
    open=by_loader("jpegload_source"),
    ends_early=ends_early,
)
