"""Whether a PNG keeps to the letter of its standard in what is taken along where it passes as it came in.

Source: W3C PNG (third edition), 5.3, 5.6 and 11. Decoders differ in what they forgive: a file that needs forgiving is
written anew instead of being passed on.
"""

import struct
import zlib
from collections.abc import Iterator
from typing import BinaryIO

KEPT = frozenset({b"IHDR", b"PLTE", b"tRNS", b"IDAT", b"IEND", b"iCCP", b"sRGB", b"gAMA", b"cHRM", b"sBIT"})
START = b"\x89PNG\r\n\x1a\n"
MAX_CHUNKS = 100_000
MAX_CHUNK_BYTES = 8_000_000  # of those that are looked into
_MAX_PROFILE = 8_000_000
_GREY, _RGB, _PALETTE, _GREY_CLEAR, _RGB_CLEAR = 0, 2, 3, 4, 6
_DEPTHS = {
    _GREY: {1, 2, 4, 8, 16},
    _RGB: {8, 16},
    _PALETTE: {1, 2, 4, 8},
    _GREY_CLEAR: {8, 16},
    _RGB_CLEAR: {8, 16},
}
_SIGNIFICANT = {_GREY: 1, _RGB: 3, _PALETTE: 3, _GREY_CLEAR: 2, _RGB_CLEAR: 4}
_BEFORE_PALETTE = {b"iCCP", b"sRGB", b"gAMA", b"cHRM", b"sBIT"}


def is_to_the_letter(file: BinaryIO) -> bool:
    """Whether all chunks that would be kept are in order, of the right length, there once, and uncorrupted.

    The coded pixels are not looked into.
    """
    try:
        return _is_in_order(list(_chunks(file)))
    except (struct.error, ValueError, zlib.error):
        return False


def _chunks(file: BinaryIO) -> Iterator[tuple[bytes, bytes | None]]:
    """Names and contents up to the end, those of coded pixels and of what is left behind as None."""
    file.seek(0)
    if file.read(len(START)) != START:
        raise ValueError
    for _ in range(MAX_CHUNKS):
        length, name = struct.unpack(">I4s", file.read(8))
        if name in KEPT and name != b"IDAT":
            if length > MAX_CHUNK_BYTES:
                raise ValueError
            body = file.read(length)
            (checked,) = struct.unpack(">I", file.read(4))
            if checked != zlib.crc32(name + body):
                raise ValueError
            yield name, body
        else:
            file.seek(length + 4, 1)
            yield name, None
        if name == b"IEND":
            return
    raise ValueError


def _is_in_order(chunks: list[tuple[bytes, bytes | None]]) -> bool:
    names = [name for name, _ in chunks]
    kept = [name for name in names if name in KEPT]
    first, last = names.index(b"IDAT"), len(names) - names[::-1].index(b"IDAT")
    bodies = {name: body for name, body in chunks if body is not None}
    if len(bodies) != len(kept) - kept.count(b"IDAT") or set(names[first:last]) != {b"IDAT"}:
        return False
    after = {name for name in names[last:] if name in KEPT}
    unknown = {name for name in names if name[:1].isupper()} - KEPT
    palette = names.index(b"PLTE") if b"PLTE" in names else first
    is_late = any(names.index(name) > palette for name in _BEFORE_PALETTE & bodies.keys())
    return names[0] == b"IHDR" and after == {b"IEND"} and not unknown and not is_late and _are_right(bodies, names)


def _are_right(bodies: dict[bytes, bytes], names: list[bytes]) -> bool:
    _, _, depth, kind, compression, order, interlacing = struct.unpack(">IIBBBBB", bodies[b"IHDR"])
    if depth not in _DEPTHS.get(kind, set()) or compression or order or interlacing > 1 or bodies[b"IEND"]:
        return False
    lengths = {b"sRGB": 1, b"gAMA": 4, b"cHRM": 32, b"sBIT": _SIGNIFICANT[kind]}
    if any(len(bodies[name]) != length for name, length in lengths.items() if name in bodies):
        return False
    if bodies.get(b"sRGB", b"\0")[0] > 3 or bodies.get(b"gAMA") == bytes(4):
        return False
    most = 8 if kind == _PALETTE else depth
    if any(not 1 <= bits <= most for bits in bodies.get(b"sBIT", b"")):
        return False
    return _has_right_colours(bodies, names, kind, depth) and _is_profile(bodies.get(b"iCCP"))


def _has_right_colours(bodies: dict[bytes, bytes], names: list[bytes], kind: int, depth: int) -> bool:
    palette, clear = bodies.get(b"PLTE"), bodies.get(b"tRNS")
    entries = len(palette) // 3 if palette is not None else 0
    if palette is not None and (len(palette) % 3 or not 1 <= entries <= 256 or kind in {_GREY, _GREY_CLEAR}):
        return False
    if kind == _PALETTE and not 1 <= entries <= 1 << depth:
        return False
    if clear is None:
        return True
    lengths = {_GREY: range(2, 3), _RGB: range(6, 7), _PALETTE: range(1, entries + 1)}
    is_after = palette is None or names.index(b"tRNS") > names.index(b"PLTE")
    return len(clear) in lengths.get(kind, ()) and is_after and names.index(b"tRNS") < names.index(b"IDAT")


def _is_profile(body: bytes | None) -> bool:
    if body is None:
        return True
    name, found, packed = body.partition(b"\0")
    if not found or not 1 <= len(name) <= 79 or packed[:1] != b"\0":
        return False
    unpacking = zlib.decompressobj()
    profile = unpacking.decompress(packed[1:], _MAX_PROFILE)
    return unpacking.eof and len(profile) >= 132 and int.from_bytes(profile[:4], "big") == len(profile)
