"""What a format that is read declares: how it is known, what it says of itself, how it is opened."""

import mmap
from collections.abc import Callable
from dataclasses import dataclass, field
from enum import StrEnum
from io import BufferedReader

import pyvips

from lucidex.core.errors import UnreadableFileError
from lucidex.core.geometry.sizes import Size
from lucidex.core.source.formats.png_chunks import PngColour

TAIL_BYTES = 65_536  # where an end mark is looked for: some cameras and programs put something behind it


@dataclass(frozen=True)
class Part:
    """Which part of a file is opened: a page from 1, and how densely it is drawn where it is no raster.

    `density` is in the unit that the format declares (`Drawn`); None is the format's usual one. `plainly` leaves out
    what takes too long to draw, where a format `has_effects`.
    """

    page: int = 1
    density: int | None = None
    plainly: bool = field(default=False, repr=False)


@dataclass(frozen=True)
class Opened:
    """An image, and what its file says beside the pixels.

    `pages` counts pages or frames, `notes` are sentences about what was read otherwise than somebody might expect;
    `orientation` is that of EXIF (1 to 8); `exif`, `xmp` and `iptc` are what was recorded, as it lies in the file.
    """

    image: pyvips.Image
    pages: int = 1
    notes: tuple[str, ...] = ()
    orientation: int = 1
    pixels_per_inch: float | None = None
    exif: bytes = b""
    xmp: bytes = b""
    iptc: bytes = b""


Open = Callable[[BufferedReader, str, Part], Opened]
Content = bytes | mmap.mmap  # a file's bytes, without a place in them


class Holds(StrEnum):
    """What it means where a file holds several pictures."""

    ONE = "one"
    PAGES = "pages"
    FRAMES = "frames"


@dataclass(frozen=True)
class Drawn:
    """A format without pixels of its own: its densities, in `unit`, the usual one, and all that are offered.

    `grows` says that it is drawn as large as the places of a folio ask for where it comes in.
    """

    unit: str
    usual: int
    offered: tuple[int, ...]
    largest: int
    grows: bool = False


@dataclass(frozen=True)
class SourceFormat:
    """A format that is read.

    `name` is its standard name; `signatures` are bytes and where they stand, `meets` tells from the first bytes where
    there are none. `open` takes the file, what to fail on (`warning` or `none`) and a part, and raises pyvips.Error.
    `ends_early` tells from the file's structure, never from what a decoder says, whether its end is missing.

    `bytes_at_once` are bytes of memory a pixel where it cannot be decoded in strips; then `measure` gives the size
    before anything is decoded (None: this one can be in strips), unless the image that is opened is decoded later.
    `is_sound` is a second look at the bytes for faults that its decoder passes over in silence, `missing_rows` counts
    rows at the bottom for which there are none in a damaged file (None: unknown). `declares` reads what it says of
    its colours beside the pixels, `refusal` a sentence for what a valid file may hold and nothing here can read.
    """

    name: str
    signatures: tuple[tuple[bytes, int], ...]
    suffixes: tuple[str, ...]
    media_type: str
    open: Open
    ends_early: Callable[[BufferedReader, int], bool]
    holds: Holds = Holds.ONE
    bytes_at_once: int = 0
    declares: Callable[[BufferedReader], PngColour] | None = None
    meets: Callable[[bytes], bool] | None = None
    measure: Callable[[BufferedReader, Part], Size | None] | None = None
    refusal: Callable[[BufferedReader], str | None] | None = None
    is_sound: Callable[[Content, Part], bool] | None = None
    missing_rows: Callable[[Content, Part], int | None] | None = None
    drawn: Drawn | None = None
    has_effects: bool = False  # a few lines of it may take minutes to draw

    def is_met_by(self, head: bytes) -> bool:
        """Whether a file begins like this format, whatever it is called."""
        if self.meets is not None:
            return self.meets(head)
        return any(head[at : at + len(mark)] == mark for mark, at in self.signatures)


def by_loader(loader: str, has_pages: bool = False) -> Open:
    """Opened by one of libvips' loaders from a source, in one pass from the top."""

    def open_file(file: BufferedReader, fail_on: str, part: Part) -> Opened:
        if has_pages and part.page > 1:
            check_page(part.page, opened_by_vips(_loaded(file, loader, fail_on, {"page": 0})).pages)
        return opened_by_vips(_loaded(file, loader, fail_on, {"page": part.page - 1} if has_pages else {}))

    return open_file


def _loaded(file: BufferedReader, loader: str, fail_on: str, options: dict[str, int]) -> pyvips.Image:
    file.seek(0)
    source = pyvips.Source.new_from_descriptor(file.fileno())
    return pyvips.Operation.call(loader, source, fail_on=fail_on, access="sequential", **options)


def check_page(page: int, pages: int) -> None:
    """UnreadableFileError where a file has no such page."""
    if page > pages:
        raise UnreadableFileError(f"It has no page {page}: it holds {pages}.")


def opened_by_vips(image: pyvips.Image) -> Opened:
    """An image with what libvips found beside its pixels; it reports 1 pixel a millimetre where nothing was said."""
    is_said = abs(image.xres - 1.0) > 1e-6
    orientation = _number(image, "orientation")
    return Opened(
        image,
        pages=_number(image, "n-pages"),
        orientation=orientation if orientation in range(1, 9) else 1,
        pixels_per_inch=float(image.xres) * 25.4 if is_said else None,
        exif=_blob(image, "exif-data"),
        xmp=_blob(image, "xmp-data"),
        iptc=_blob(image, "iptc-data"),
    )


def _number(image: pyvips.Image, name: str) -> int:
    return int(image.get(name)) if image.get_typeof(name) else 1


def _blob(image: pyvips.Image, name: str) -> bytes:
    return bytes(image.get(name)) if image.get_typeof(name) else b""


def unreadable_numbers(called: str) -> str:
    """What is said of pixels that are no whole numbers from 0 on."""
    return f"Its pixels are {called}, which cannot be read rightly here. Save it with 8 or 16 bits a channel."


def held(file: BufferedReader) -> Content:
    """The bytes of a file, none of them read before they are looked at."""
    return mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ)


def tail(file: BufferedReader, size: int) -> bytes:
    """The last bytes of a file."""
    file.seek(max(0, size - TAIL_BYTES))
    return file.read()


def never_early(file: BufferedReader, size: int) -> bool:
    """For formats whose structure does not say where they end."""
    return False
