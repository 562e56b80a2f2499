"""An item more in a file of the High Efficiency Image File Format (ISO/IEC 23008-12), behind all others.

Only what `avif.save` writes is read: one `meta` box before the coded pixels, sizes of four bytes, places in the file.
"""

import struct
from collections.abc import Iterator
from dataclasses import dataclass

_HEAD = 8  # size and name of a box
_FULL = 4  # version and flags behind them
_FOUR_BYTES = {
    b"\x44\x00": 0,
    b"\x44\x40": 4,
}  # of offsets and lengths; and of a base before them, where there is one


@dataclass(frozen=True)
class _Box:
    name: bytes
    content: bytes

    @property
    def written(self) -> bytes:
        return struct.pack(">I4s", _HEAD + len(self.content), self.name) + self.content


def with_xmp(content: bytes, packet: bytes) -> bytes:
    """The file with a packet of XMP that describes its picture (ISO 16684-3, 1.1.7). ValueError for other files."""
    return _with_item(content, b"mime", b"XMP\0application/rdf+xml\0\0", packet)


def with_exif(content: bytes, exif: bytes, iim: bytes) -> bytes:
    """The same with Exif (ISO/IEC 23008-12, A.2.1), behind how far it is away; no place for IIM."""
    return _with_item(content, b"Exif", b"\0", bytes(4) + exif)


def _with_item(content: bytes, kind: bytes, called: bytes, packet: bytes) -> bytes:
    boxes = list(_boxes(content))
    before = [box for box in boxes if box.name == b"meta"]
    if len(before) != 1:
        raise ValueError("this file has no single list of items")
    full, parts = before[0].content[:_FULL], list(_boxes(before[0].content[_FULL:]))
    primary = _part(parts, b"pitm").content
    (described,) = struct.unpack_from(">H" if primary[0] == 0 else ">I", primary, _FULL)
    number = 1 + max(_numbers(_part(parts, b"iinf").content))
    entry = struct.pack(">HH4s", number, 0, kind) + called
    added = _Box(b"infe", b"\2\0\0\0" + entry).written
    reference = _Box(b"cdsc", struct.pack(">HHH", number, 1, described)).written
    changed = [_changed(box, added, reference, number, len(packet)) for box in parts]
    if not any(box.name == b"iref" for box in parts):
        changed.append(_Box(b"iref", b"\0\0\0\0" + reference))
    grown = sum(len(box.written) for box in changed) - sum(len(box.written) for box in parts)
    data = _Box(b"mdat", packet).written
    place = len(content) + grown + _HEAD
    moved = [_located(box, grown, number, place) if box.name == b"iloc" else box for box in changed]
    meta = _Box(b"meta", full + b"".join(box.written for box in moved))
    return b"".join((meta if box.name == b"meta" else box).written for box in boxes) + data


def _boxes(content: bytes) -> Iterator[_Box]:
    at = 0
    while at + _HEAD <= len(content):
        size, name = struct.unpack_from(">I4s", content, at)
        if size < _HEAD or at + size > len(content):
            raise ValueError("a box is longer than its file")
        yield _Box(name, content[at + _HEAD : at + size])
        at += size


def _part(parts: list[_Box], name: bytes) -> _Box:
    found = next((box for box in parts if box.name == name), None)
    if found is None:
        raise ValueError(f"this file has no {name.decode()}")
    return found


def _numbers(items: bytes) -> list[int]:
    """The numbers of all items of an `iinf` of version 0."""
    return [struct.unpack_from(">H", box.content, _FULL)[0] for box in _boxes(items[_FULL + 2 :])]


def _changed(box: _Box, added: bytes, reference: bytes, number: int, length: int) -> _Box:
    """A part of `meta` with the new item in it; where that lies is not known yet."""
    if box.name == b"iinf":
        (count,) = struct.unpack_from(">H", box.content, _FULL)
        return _Box(box.name, box.content[:_FULL] + struct.pack(">H", count + 1) + box.content[_FULL + 2 :] + added)
    if box.name == b"iref":
        return _Box(box.name, box.content + reference)
    if box.name == b"iloc":
        version, sizes = box.content[0], box.content[_FULL : _FULL + 2]
        if version > 1 or sizes not in _FOUR_BYTES:
            raise ValueError("its items are not placed by four bytes each")
        (count,) = struct.unpack_from(">H", box.content, _FULL + 2)
        method, base = b"\0\0" if version == 1 else b"", bytes(_FOUR_BYTES[sizes])
        entry = struct.pack(">H", number) + method + b"\0\0" + base + struct.pack(">HII", 1, 0, length)
        head = box.content[: _FULL + 2] + struct.pack(">H", count + 1)
        return _Box(box.name, head + box.content[_FULL + 4 :] + entry)
    return box


def _located(box: _Box, grown: int, number: int, place: int) -> _Box:
    """All items so many bytes further on, and the new one at its place."""
    content, at, base = bytearray(box.content), _FULL + 4, _FOUR_BYTES[box.content[_FULL : _FULL + 2]]
    (count,) = struct.unpack_from(">H", content, _FULL + 2)
    for _ in range(count):
        (item,) = struct.unpack_from(">H", content, at)
        at += 2
        is_in_file = True
        if content[0] == 1:
            is_in_file = struct.unpack_from(">H", content, at)[0] & 0xF == 0
            at += 2
        at += 2
        if base and is_in_file and item != number:
            struct.pack_into(">I", content, at, struct.unpack_from(">I", content, at)[0] + grown)
        (extents,) = struct.unpack_from(">H", content, at + base)
        at += base + 2
        for _ in range(extents):
            if is_in_file and (item == number or not base):
                (offset,) = struct.unpack_from(">I", content, at)
                struct.pack_into(">I", content, at, place if item == number else offset + grown)
            at += 8
    return _Box(box.name, bytes(content))
