"""A page of PDF (ISO 32000-1) with the picture on it, as large as its resolution says."""

from dataclasses import dataclass
from functools import cache

import pyvips

from lucidex.core.encode import jpeg
from lucidex.core.encode.base import FOR_PRINT, PRESS_PROFILE, SRGB_PROFILE, Encoding, OutputFormat

POINTS_AN_INCH = 72.0
_NEXT = 7  # the number after those of the objects of `save`


def save(image: pyvips.Image, encoding: Encoding) -> bytes:
    """One page that is wholly covered by the picture, as JPEG; without a resolution, a pixel is a point."""
    picture, colours = jpeg.compressed(image, encoding, {"keep": "none"}), _COLOURS[image.bands]
    scale = POINTS_AN_INCH / (encoding.pixels_per_inch or POINTS_AN_INCH)
    width, height = f"{image.width * scale:.4f}", f"{image.height * scale:.4f}"
    drawing = f"q {width} 0 0 {height} 0 0 cm /Picture Do Q".encode()
    return _file(
        [
            b"<< /Type /Catalog /Pages 2 0 R >>",
            b"<< /Type /Pages /Kids [3 0 R] /Count 1 >>",
            f"<< /Type /Page /Parent 2 0 R /MediaBox [0 0 {width} {height}] /Contents 4 0 R"
            " /Resources << /XObject << /Picture 5 0 R >> >> >>".encode(),
            _stream(b"", drawing),
            _stream(
                f" /Type /XObject /Subtype /Image /Width {image.width} /Height {image.height} /BitsPerComponent 8"
                f" /ColorSpace {colours.space}{colours.turned} /Filter /DCTDecode".encode(),
                picture,
            ),
            _stream(f" /N {image.bands} /Alternate {colours.alternate}".encode(), _profile(colours.profile)),
        ]
    )


def picture_in(content: bytes) -> bytes:
    """The JPEG in a file of `save`."""
    start = content.index(b"stream\n", content.index(b"/DCTDecode")) + 7
    return content[start : content.index(b"\nendstream\nendobj\n6 0 obj", start)]


def read(content: bytes) -> pyvips.Image:
    """What a file of `save` shows."""
    return pyvips.Image.new_from_buffer(picture_in(content), "")


def stamp(content: bytes, packet: bytes) -> bytes:
    """XMP as the document's metadata (14.3.2), by an update at the end (7.5.6): a new catalogue, and the packet."""
    before = int(content[content.rindex(b"startxref\n") + 10 : content.rindex(b"\n%%EOF")])
    catalogue = b"1 0 obj\n<< /Type /Catalog /Pages 2 0 R /Metadata %d 0 R >>\nendobj\n" % _NEXT
    metadata = b"%d 0 obj\n%s\nendobj\n" % (_NEXT, _stream(b" /Type /Metadata /Subtype /XML", packet))
    first, second = len(content), len(content) + len(catalogue)
    table = b"xref\n0 2\n0000000000 65535 f \n%010d 00000 n \n%d 1\n%010d 00000 n \n" % (first, _NEXT, second)
    trailer = b"trailer\n<< /Size %d /Root 1 0 R /Prev %d >>\nstartxref\n%d\n%%%%EOF\n"
    body = content + catalogue + metadata
    return body + table + trailer % (_NEXT + 1, before, len(body))


@dataclass(frozen=True)
class _Colours:
    """How pixels of so many bands are read: JPEG files of ink hold it turned around (T.872, 6.5.3)."""

    alternate: str
    profile: str
    turned: str = ""

    @property
    def space(self) -> str:
        return "[/ICCBased 6 0 R]" if self.profile != _NO_PROFILE else self.alternate


_NO_PROFILE = ""
_COLOURS = {
    1: _Colours("/DeviceGray", _NO_PROFILE),
    3: _Colours("/DeviceRGB", SRGB_PROFILE),
    4: _Colours("/DeviceCMYK", PRESS_PROFILE, " /Decode [1 0 1 0 1 0 1 0]"),
}


@cache
def _profile(name: str) -> bytes:
    """The profile that files carry."""
    return bytes(pyvips.Image.profile_load(name)) if name != _NO_PROFILE else b""


def _stream(entries: bytes, content: bytes) -> bytes:
    return b"<<%s /Length %d >>\nstream\n%s\nendstream" % (entries, len(content), content)


def _file(objects: list[bytes]) -> bytes:
    """The objects with a table of where they begin (7.5.4), the first one being the catalogue."""
    file, starts = b"%PDF-1.4\n%\xe2\xe3\xcf\xd3\n", []
    for number, content in enumerate(objects, 1):
        starts.append(len(file))
        file += b"%d 0 obj\n%s\nendobj\n" % (number, content)
    table = b"".join(b"%010d 00000 n \n" % start for start in starts)
    count = len(objects) + 1
    return (
        file
        + b"xref\n0 %d\n0000000000 65535 f \n%strailer\n<< /Size %d /Root 1 0 R >>\nstartxref\n%d\n%%%%EOF\n"
        % (
            count,
            table,
            count,
            len(file),
        )
    )


FORMAT = OutputFormat(
    name="pdf",
    aliases=(),
    label="PDF",
    suffix=".pdf",
    media_type="application/pdf",
    keeps_clear=False,
    default_quality=90,
    qualities=jpeg.FORMAT.qualities,
    max_edge=65_500,
    save=save,
    read=read,
    stamp=stamp,
    shown_by_browsers=False,
    strength="a page with the picture on it",
    halves_chroma=True,
    colours=FOR_PRINT,
)
