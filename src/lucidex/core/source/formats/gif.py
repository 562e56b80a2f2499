"""GIF (89a): few colours; may move."""

import struct
from dataclasses import dataclass
from io import BufferedReader

import numpy as np

from lucidex.core.source.formats.base import Content, Holds, Part, SourceFormat, by_loader, tail
from lucidex.core.source.formats.gif_kernel import count_pixels

_EXTENSION, _IMAGE, _INTERLACED, _HAS_COLOURS = 0x21, 0x2C, 0x40, 0x80
_MOST_BLOCKS = 3_000_000  # of one picture: more than the largest one needs
_MOST_BITS = 11  # of a pixel: codes have one more, and never more than 12


@dataclass(frozen=True)
class _Counted:
    """A picture's sides, and how many pixels its codes stand for."""

    width: int
    height: int
    pixels: int
    is_in_order: bool
    is_interlaced: bool


def _first_picture(content: Content) -> _Counted | None:
    """What the first picture holds; None where there is none."""
    at = 13 + _colours_at(content, 10)
    while (kind := content[at : at + 1]) and kind[0] == _EXTENSION:
        _, at = _blocks(content, at + 2)
    head = content[at : at + 10]
    if len(head) < 10 or head[0] != _IMAGE:
        return None
    width, height = struct.unpack_from("<HH", head, 5)
    at += 10 + _colours_at(content, at + 9)
    bits = content[at : at + 1]
    if not bits or not 1 <= bits[0] <= _MOST_BITS:
        return None
    codes, _ = _blocks(content, at + 1)
    pixels, is_in_order = count_pixels(np.frombuffer(codes, np.uint8), bits[0], width * height)
    return _Counted(width, height, pixels, bool(is_in_order), bool(head[9] & _INTERLACED))


def _colours_at(content: Content, at: int) -> int:
    """Bytes of the table of colours that the flags at a place announce."""
    flags = content[at : at + 1]
    return 3 << ((flags[0] & 7) + 1) if flags and flags[0] & _HAS_COLOURS else 0


def _blocks(content: Content, at: int) -> tuple[bytearray, int]:
    """What a row of blocks holds, and where it ends."""
    whole = bytearray()
    for _ in range(_MOST_BLOCKS):
        size = content[at : at + 1]
        if not size or not size[0]:
            break
        whole += content[at + 1 : at + 1 + size[0]]
        at += 1 + size[0]
    return whole, at + 1


def ends_early(file: BufferedReader, size: int) -> bool:
    """It ends with its trailer."""
    return not tail(file, size).rstrip(b"\0\r\n").endswith(b"\x3b")


def is_sound(content: Content, part: Part) -> bool:
    """Whether the codes of the first picture stand for as many pixels as it has."""
    found = _first_picture(content)
    return found is not None and found.pixels == found.width * found.height and found.is_in_order


def missing_rows(content: Content, part: Part) -> int | None:
    """Rows of the first picture that no code stands for; unknown where they come in another order."""
    found = _first_picture(content)
    if found is None or found.is_interlaced or not found.width:
        return None
    return max(0, found.height - found.pixels // found.width)


FORMAT = SourceFormat(
    name="GIF",
    signatures=((b"GIF8", 0),),
    suffixes=(".gif",),
    media_type="image/gif",
    open=by_loader("gifload_source", has_pages=True),
    ends_early=ends_early,
    is_sound=is_sound,
    missing_rows=missing_rows,
    holds=Holds.FRAMES,
    bytes_at_once=8,
)
