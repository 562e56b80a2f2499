"""GIF (89a): few colours; may move."""

from io import BufferedReader

from lucidex.core.source.formats.base import Holds, SourceFormat, by_loader, tail


def ends_early(file: BufferedReader, size: int) -> bool:
    """It ends with its trailer."""
    return not tail(file, size).rstrip(b"\0\r\n").endswith(b"\x3b")


FORMAT = SourceFormat(
    name="GIF",
    signatures=((b"GIF8", 0),),
    suffixes=(".gif",),
    media_type="image/gif",
    open=by_loader("gifload_source", has_pages=True),
    ends_early=ends_early,
    holds=Holds.FRAMES,
    bytes_at_once=8,
)
