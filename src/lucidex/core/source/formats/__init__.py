"""Formats that are read, one file each. Whoever adds one writes a file here and names it in `FORMATS`.

What is taken, what is said of files that are not, and how a file is opened follow from that.
"""

from lucidex.core.source.formats import avif, bmp, gif, heic, ico, jpeg, jpeg2000, pdf, png, svg, tga, tiff, webp
from lucidex.core.source.formats.base import Holds, Opened, Part, SourceFormat

FORMATS: tuple[SourceFormat, ...] = (
    jpeg.FORMAT,
    png.FORMAT,
    webp.FORMAT,
    gif.FORMAT,
    tiff.FORMAT,
    avif.FORMAT,
    heic.FORMAT,
    jpeg2000.FORMAT,
    bmp.FORMAT,
    ico.FORMAT,
    pdf.FORMAT,
    svg.FORMAT,
    tga.FORMAT,  # without a mark of its own: whatever has one comes before it
)
_BY_NAME = {one.name: one for one in FORMATS}
_NAMES = [one.name for one in FORMATS]
READABLE = f"{', '.join(_NAMES[:-1])} and {_NAMES[-1]}"
HEAD_BYTES = 4_096  # of a file, by which its format is known


def format_of(head: bytes) -> SourceFormat | None:
    """The format that the first bytes say, whatever the file is called; None where none is known."""
    return next((one for one in FORMATS if one.is_met_by(head)), None)


def format_named(name: str) -> SourceFormat:
    """A format by its standard name. KeyError where there is none."""
    return _BY_NAME[name]


__all__ = [
    "FORMATS",
    "HEAD_BYTES",
    "READABLE",
    "Holds",
    "Opened",
    "Part",
    "SourceFormat",
    "format_named",
    "format_of",
]
