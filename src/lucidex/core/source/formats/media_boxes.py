"""What HEIF and AVIF files say beside their pixels, in the boxes of ISO/IEC 14496-12 and 23008-12."""

import struct
from collections.abc import Iterator
from io import BufferedReader

from lucidex.core.source.formats.png_chunks import PngColour

MAX_BOXES = 4_000
_NESTED = {b"meta": 4, b"iprp": 0, b"ipco": 0, b"moov": 0, b"trak": 0, b"mdia": 0, b"minf": 0, b"stbl": 0}
_READ_UP_TO = 64


def boxes(file: BufferedReader, start: int, end: int, depth: int = 0) -> Iterator[tuple[bytes, bytes]]:
    """The kind and the first bytes of all boxes that matter here; what is broken ends the list."""
    at, count = start, 0
    while at + 8 <= end and count < MAX_BOXES and depth < 8:
        count += 1
        file.seek(at)
        head = file.read(16)
        if len(head) < 8:
            return
        length, kind = struct.unpack_from(">I4s", head)
        header = 8
        if length == 1 and len(head) == 16:
            length, header = struct.unpack_from(">Q", head, 8)[0], 16
        stop = end if length == 0 else at + length
        if stop > end or stop < at + header:
            return
        if kind in _NESTED:
            yield from boxes(file, at + header + _NESTED[kind], stop, depth + 1)
        else:
            file.seek(at + header)
            yield kind, file.read(min(_READ_UP_TO, stop - at - header))
        at = stop


def read_colours(file: BufferedReader) -> PngColour:
    """How colours are coded (ITU-T H.273) where a `colr` box says so and no profile does."""
    coded, has_profile = None, False
    for kind, body in boxes(file, 0, file.seek(0, 2)):
        if kind == b"colr" and body[:4] in (b"prof", b"rICC"):
            has_profile = True
        if kind == b"colr" and body[:4] == b"nclx" and len(body) >= 11:
            primaries, transfer, _ = struct.unpack_from(">HHH", body, 4)
            coded = coded or (primaries, transfer)
    if has_profile or coded is None or 2 in coded:
        return PngColour(has_profile=has_profile, is_srgb=not has_profile)
    if coded in {(1, 13), (1, 1), (6, 6), (5, 6), (1, 6)}:
        return PngColour(is_srgb=True)  # what is shown as sRGB everywhere
    # the decoder has gone from luma and differences to full-range RGB already
    return PngColour(coded=(*coded, 0, 1))


def count_frames(file: BufferedReader) -> int:
    """Of how many pictures the longest track consists; 1 where there is none."""
    counts = [
        struct.unpack_from(">I", body, 8)[0]
        for kind, body in boxes(file, 0, file.seek(0, 2))
        if kind == b"stsz" and len(body) >= 12
    ]
    return int(max([1, *counts]))


def ends_early(file: BufferedReader, size: int) -> bool:
    """Each box at the top says how long it is."""
    at = 0
    while at + 8 <= size:
        file.seek(at)
        length = struct.unpack(">I", file.read(4))[0]
        if length == 1:
            file.seek(at + 8)
            wide = file.read(8)
            length = struct.unpack(">Q", wide)[0] if len(wide) == 8 else size + 1
        if length == 0:
            return False
        at += max(8, length)
    return at > size
