"""Formats that are read, and what is known of an original."""

from enum import StrEnum

from pydantic import BaseModel, ConfigDict

from lucidex.core.geometry.sizes import Size
from lucidex.core.geometry.transform import upright_size
from lucidex.core.source.pyramid import PixelLayout

MAX_FILE_BYTES = 200_000_000
INTAKE_REVISION = 2


class SourceFormat(StrEnum):
    """Formats that are read."""

    JPEG = "JPEG"
    PNG = "PNG"
    WEBP = "WebP"
    GIF = "GIF"
    TIFF = "TIFF"


_SIGNATURES: tuple[tuple[bytes, int, SourceFormat], ...] = (
    (b"\xff\xd8\xff", 0, SourceFormat.JPEG),
    (b"\x89PNG\r\n\x1a\n", 0, SourceFormat.PNG),
    (b"WEBP", 8, SourceFormat.WEBP),
    (b"GIF8", 0, SourceFormat.GIF),
    (b"II*\0", 0, SourceFormat.TIFF),
    (b"MM\0*", 0, SourceFormat.TIFF),
    (b"II+\0", 0, SourceFormat.TIFF),
    (b"MM\0+", 0, SourceFormat.TIFF),
)
_LOADERS = {
    SourceFormat.JPEG: "jpegload",
    SourceFormat.PNG: "pngload",
    SourceFormat.WEBP: "webpload",
    SourceFormat.GIF: "gifload",
    SourceFormat.TIFF: "tiffload",
}
SUFFIXES = {
    SourceFormat.JPEG: (".jpg", ".jpeg"),
    SourceFormat.PNG: (".png",),
    SourceFormat.WEBP: (".webp",),
    SourceFormat.GIF: (".gif",),
    SourceFormat.TIFF: (".tif", ".tiff"),
}
_MEDIA_TYPES = {
    SourceFormat.JPEG: "image/jpeg",
    SourceFormat.PNG: "image/png",
    SourceFormat.WEBP: "image/webp",
    SourceFormat.GIF: "image/gif",
    SourceFormat.TIFF: "image/tiff",
}
READABLE = "JPEG, PNG, WebP, GIF and TIFF"


class SourceFacts(BaseModel):
    """What is known of an original: sizes in pixels, `pixels_per_inch` as recorded in the file.

    `damage` says in a sentence what is missing or wrong where the file came in although it is damaged; `notes` are
    sentences about what was read otherwise than somebody might expect; `frames` counts those of a moving picture.
    """

    format: SourceFormat
    stored_width: int
    stored_height: int
    orientation: int = 1
    bands: int
    pixel_format: str
    interpretation: str
    has_alpha: bool = False
    has_clear_areas: bool = False
    profile: bytes | None = None
    colour: str = "sRGB"
    pixels_per_inch: float | None = None
    pages: int = 1
    frames: int = 1
    damage: str | None = None
    notes: tuple[str, ...] = ()
    intake_revision: int = 1

    model_config = ConfigDict(frozen=True, ser_json_bytes="base64", val_json_bytes="base64")

    @property
    def stored(self) -> Size:
        """Size of the stored pixels."""
        return Size(self.stored_width, self.stored_height)

    @property
    def upright(self) -> Size:
        """Size as seen, the orientation honoured."""
        return upright_size(self.stored, self.orientation)

    @property
    def layout(self) -> PixelLayout:
        """How the raw pixels lie."""
        return PixelLayout(self.bands, self.pixel_format, self.interpretation, self.has_alpha)

    @property
    def media_type(self) -> str:
        """The registered media type."""
        return _MEDIA_TYPES[self.format]


def sniff(head: bytes) -> SourceFormat | None:
    """The format that the first bytes say, whatever the file is called; None where none is known."""
    for signature, offset, name in _SIGNATURES:
        if head[offset : offset + len(signature)] == signature:
            return name
    return None


_OTHER_PICTURES = (
    (b"ftyphei", 4, "HEIC"),
    (b"ftyphev", 4, "HEIC"),
    (b"ftypmif1", 4, "HEIF"),
    (b"ftypavif", 4, "AVIF"),
    (b"ftypavis", 4, "AVIF"),
    (b"BM", 0, "BMP"),
    (b"\0\0\1\0", 0, "ICO"),
    (b"\0\0\0\x0cjP  ", 0, "JPEG 2000"),
    (b"\xff\x4f\xff\x51", 0, "JPEG 2000"),
)


def other_picture(head: bytes) -> str | None:
    """The name of a format of pictures that is known but not read."""
    return next(
        (name for signature, at, name in _OTHER_PICTURES if head[at : at + len(signature)] == signature), None
    )


def guess_contents(head: bytes) -> str:
    """In a few words, what a file that is no picture seems to be."""
    if head.startswith(b"%PDF"):
        return "a PDF document"
    if head.startswith(b"PK"):
        return "an archive"
    if b"\0" not in head and _is_text(head):
        return "text"
    return "something else"


def _is_text(head: bytes) -> bool:
    return sum(byte < 9 for byte in head) == 0 and len(head.decode("utf-8", "ignore")) > 0.6 * len(head)
