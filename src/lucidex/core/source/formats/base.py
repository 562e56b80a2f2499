"""What a format that is read declares: how it is known, what it says of itself, how it is opened."""

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum
from io import BufferedReader

import pyvips

from lucidex.core.source.formats.png_chunks import PngColour

TAIL_BYTES = 65_536  # where an end mark is looked for: some cameras and programs put something behind it

Open = Callable[[BufferedReader, str, int], pyvips.Image]


class Holds(StrEnum):
    """What it means where a file holds several pictures."""

    ONE = "one"
    PAGES = "pages"
    FRAMES = "frames"


@dataclass(frozen=True)
class SourceFormat:
    """A format that is read.

    `name` is its standard name; `signatures` are bytes and where they stand; `open` takes the file, what to fail on
    (`warning` or `none`) and a page from 1, and raises pyvips.Error. `ends_early` tells from the file's structure,
    never from what a decoder says, whether its end is missing. `bytes_at_once` are bytes of memory a pixel where it
    cannot be decoded in strips, and `declares` reads what it says of its colours beside the pixels.
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

    def is_met_by(self, head: bytes) -> bool:
        """Whether a file begins like this format, whatever it is called."""
        return any(head[at : at + len(mark)] == mark for mark, at in self.signatures)


def by_loader(loader: str, has_pages: bool = False) -> Open:
    """Opened by one of libvips' loaders from a source, in one pass from the top."""

    def open_file(file: BufferedReader, fail_on: str, page: int) -> pyvips.Image:
        file.seek(0)
        source = pyvips.Source.new_from_descriptor(file.fileno())
        options = {"page": page - 1} if has_pages else {}
        return pyvips.Operation.call(loader, source, fail_on=fail_on, access="sequential", **options)

    return open_file


def tail(file: BufferedReader, size: int) -> bytes:
    """The last bytes of a file."""
    file.seek(max(0, size - TAIL_BYTES))
    return file.read()
