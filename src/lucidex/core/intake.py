"""Any supported file to pixels and facts.

Everything here may meet hostile bytes: callers run it in a process of its own with limits on time and
memory. What leaves that process are raw pixels and the checked facts, never the file's own structures.
"""

from collections.abc import Callable
from enum import StrEnum
from pathlib import Path

import numpy as np
import pyvips
from pydantic import BaseModel, ConfigDict

from lucidex.core.colour import profile_description, usable_profile
from lucidex.core.errors import TooLargeError, UnreadableFileError
from lucidex.core.geometry import MAX_EDGE_PX, MAX_PIXELS, Size
from lucidex.core.levels import AnyPixels, PixelLayout, levels_of, reduce_level
from lucidex.core.transform import upright_size
from lucidex.core.units import MAX_PIXELS_PER_INCH, MIN_PIXELS_PER_INCH

MAX_FILE_BYTES = 200_000_000
INTAKE_REVISION = 1


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


class Facts(BaseModel):
    """What is known of an original: sizes in pixels, `pixels_per_inch` as recorded in the file."""

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


def guess_contents(head: bytes) -> str:
    """In a few words, what a file that is no known picture seems to be."""
    if head[4:12] in {b"ftypheic", b"ftypheix", b"ftypmif1", b"ftypavif", b"ftyphevc"}:
        return "a HEIC or AVIF picture, which cannot be read so far"
    if head.startswith(b"%PDF"):
        return "a PDF document"
    if head.startswith(b"PK"):
        return "an archive"
    if head.startswith(b"BM"):
        return "a BMP picture, which cannot be read so far"
    if b"\0" not in head and _is_text(head):
        return "text"
    return "something else"


def _is_text(head: bytes) -> bool:
    return sum(byte < 9 for byte in head) == 0 and len(head.decode("utf-8", "ignore")) > 0.6 * len(head)


def take_in(path: Path, put_level: Callable[[int, AnyPixels], None]) -> Facts:
    """Check and decode a file; hand every level of its pixels to `put_level`; return its facts.

    Raises UnreadableFileError or TooLargeError with a sentence that says what and why. The sentence begins
    with “It …”, for the caller to put the file's name before.
    """
    name = _checked_format(path)
    image = _open(path, name)
    facts = _facts(image, name)
    try:
        working = _working(image, facts)
        pixels = working.numpy().reshape(facts.stored_height, facts.stored_width, facts.bands)
        facts = facts.model_copy(update={"has_clear_areas": _has_clear_areas(pixels, facts)})
        for number in levels_of(facts.stored):
            put_level(number, pixels if number == 1 else reduce_level(pixels, number, facts.has_alpha))
    except pyvips.Error as error:
        raise UnreadableFileError(_broken(name, str(error))) from error
    return facts


def _checked_format(path: Path) -> SourceFormat:
    byte_count = path.stat().st_size
    if byte_count == 0:
        raise UnreadableFileError("It is empty: it holds no bytes at all.")
    if byte_count > MAX_FILE_BYTES:
        raise TooLargeError(
            f"It weighs {byte_count / 1e6:.0f} MB; files of up to {MAX_FILE_BYTES // 1_000_000} MB are taken."
        )
    with path.open("rb") as file:
        head = file.read(512)
    name = sniff(head)
    if name is None:
        raise UnreadableFileError(f"It is no picture: inside is {guess_contents(head)}. {READABLE} can be read.")
    return name


def _open(path: Path, name: SourceFormat) -> pyvips.Image:
    try:
        image = pyvips.Operation.call(_LOADERS[name], str(path), fail_on="truncated")
    except pyvips.Error as error:
        raise UnreadableFileError(_broken(name, str(error))) from error
    pages = _pages(image)
    if pages > 1 and name in {SourceFormat.GIF, SourceFormat.WEBP}:
        raise UnreadableFileError(
            f"It moves: it holds {pages} pictures one after the other. Only still pictures are taken."
        )
    if image.width > MAX_EDGE_PX or image.height > MAX_EDGE_PX or image.width * image.height > MAX_PIXELS:
        raise TooLargeError(
            f"It measures {image.width} × {image.height} pixels, "
            f"which is {image.width * image.height / 1e6:.0f} million. "
            f"Up to {MAX_PIXELS // 1_000_000} million are taken, and {MAX_EDGE_PX} along a side."
        )
    return image


def _pages(image: pyvips.Image) -> int:
    return int(image.get("n-pages")) if image.get_typeof("n-pages") else 1


def _broken(name: SourceFormat, cause: str) -> str:
    said = cause.lower()
    if any(
        word in said
        for word in (
            "premature",
            "truncated",
            "end of file",
            "eof",
            "not enough data",
            "read error",
            "too short",
            "unexpected end",
        )
    ):
        return f"It ends too early: the {name} file is cut off and part of it is missing. Fetch or copy it again."
    if "memory" in said or "alloc" in said:
        return f"Decoding this {name} file takes more memory than is allowed for one picture."
    return f"It is a damaged {name} file: its contents cannot be decoded."


def _facts(image: pyvips.Image, name: SourceFormat) -> Facts:
    orientation = image.get("orientation") if image.get_typeof("orientation") else 1
    working = _normalised(image)
    return Facts(
        format=name,
        stored_width=image.width,
        stored_height=image.height,
        orientation=orientation if orientation in range(1, 9) else 1,
        bands=working.bands,
        pixel_format=working.format,
        interpretation=working.interpretation,
        has_alpha=bool(working.hasalpha()),
        profile=usable_profile(working),
        colour=_colour_words(image),
        pixels_per_inch=_density(image),
        pages=_pages(image),
    )


def _working(image: pyvips.Image, facts: Facts) -> pyvips.Image:
    working = _normalised(image)
    if (working.bands, working.format) != (facts.bands, facts.pixel_format):
        raise UnreadableFileError(_broken(facts.format, "layout"))
    return working


def _normalised(image: pyvips.Image) -> pyvips.Image:
    """8 or 16 bits, in one of the few interpretations that rendering knows."""
    if image.format not in {"uchar", "ushort"} or image.interpretation not in _KNOWN:
        deep = image.format not in {"uchar", "char"}
        image = image.colourspace("rgb16" if deep else "srgb").cast("ushort" if deep else "uchar")
    if image.interpretation == "multiband":
        image = image.copy(interpretation="b-w" if image.bands < 3 else "srgb")
    if image.format == "ushort" and image.interpretation in {"srgb", "rgb"}:
        image = image.copy(interpretation="rgb16")
    if image.format == "ushort" and image.interpretation == "b-w":
        image = image.copy(interpretation="grey16")
    limit = {"cmyk": 4}.get(image.interpretation, 4 if image.bands >= 3 else 2)
    return image.extract_band(0, n=limit) if image.bands > limit else image


_KNOWN = {"srgb", "rgb", "rgb16", "grey16", "b-w", "cmyk", "multiband"}


def _has_clear_areas(pixels: AnyPixels, facts: Facts) -> bool:
    return facts.has_alpha and bool(pixels[..., -1].min() < np.iinfo(pixels.dtype).max)


def _colour_words(image: pyvips.Image) -> str:
    space = {"cmyk": "CMYK", "b-w": "grey", "grey16": "grey"}.get(image.interpretation, "sRGB")
    if image.get_typeof("icc-profile-data"):
        named = profile_description(bytes(image.get("icc-profile-data")))
        return (named or "own profile")[:80]
    return space


def _density(image: pyvips.Image) -> float | None:
    """Recorded resolution; libvips reports 1 pixel a millimetre where the file says nothing."""
    recorded = float(image.xres) * 25.4
    if abs(image.xres - 1.0) < 1e-6 or not MIN_PIXELS_PER_INCH <= recorded <= MAX_PIXELS_PER_INCH:
        return None
    return round(recorded, 2)
