"""PNG (W3C Recommendation, third edition): drawings, clear areas."""

from io import BufferedReader

from lucidex.core.source.formats.base import SourceFormat, by_loader, tail
from lucidex.core.source.formats.png_chunks import read_png_colour


def ends_early(file: BufferedReader, size: int) -> bool:
    """It ends with IEND and its checksum."""
    return b"IEND\xae\x42\x60\x82" not in tail(file, size)


FORMAT = SourceFormat(
    name="PNG",
    signatures=((b"\x89PNG\r\n\x1a\n", 0),),
    suffixes=(".png",),
    media_type="image/png",
    open=by_loader("pngload_source"),
    ends_early=ends_early,
    declares=read_png_colour,
)
