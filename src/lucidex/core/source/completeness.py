"""Whether a file holds all that it announces: decided by its structure, never by what a decoder says of it."""

import mmap
import struct
from io import BufferedReader

TAIL_BYTES = 65_536  # where the end mark is looked for: some cameras and programs put something behind it


def ends_early(file: BufferedReader) -> bool:
    """Whether the end of a file is missing; a file of another format never does.

    JPEG ends with EOI (ISO/IEC 10918-1, B.1.1.3), PNG with IEND, GIF with its trailer, WebP announces its length
    (RIFF), a TIFF file's directories say where its strips and tiles lie (TIFF 6.0).
    """
    size = file.seek(0, 2)
    file.seek(0)
    signature = file.read(12)
    if signature.startswith(b"\xff\xd8"):
        return b"\xff\xd9" not in _tail(file)
    if signature.startswith(b"\x89PNG"):
        return b"IEND\xae\x42\x60\x82" not in _tail(file)
    if signature.startswith(b"GIF8"):
        return not _tail(file).rstrip(b"\0\r\n").endswith(b"\x3b")
    if signature[:4] == b"RIFF":
        return size < int(struct.unpack_from("<I", signature, 4)[0]) + 8
    if signature[:2] in {b"II", b"MM"}:
        return _tiff_ends_early(file, size)
    return False


def _tail(file: BufferedReader) -> bytes:
    file.seek(max(0, file.seek(0, 2) - TAIL_BYTES))
    return file.read()


_TYPES = {3: "H", 4: "I", 16: "Q"}
_STRIPS = {273: "offsets", 279: "counts", 324: "offsets", 325: "counts"}
MAX_STRIPS = 2_000_000


def _tiff_ends_early(file: BufferedReader, size: int) -> bool:
    with mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ) as held:
        try:
            lies = _first_directory(held, size)
        except struct.error:
            return True
    ends = [start + count for start, count in zip(lies.get("offsets", ()), lies.get("counts", ()), strict=False)]
    return any(end > size for end in ends) or any(start >= size for start in lies.get("offsets", ()))


def _first_directory(held: mmap.mmap, size: int) -> dict[str, tuple[int, ...]]:
    order = "<" if held[:2] == b"II" else ">"
    is_big = struct.unpack_from(order + "H", held, 2)[0] == 43
    (at,) = struct.unpack_from(order + ("Q" if is_big else "I"), held, 8 if is_big else 4)
    (count,) = struct.unpack_from(order + ("Q" if is_big else "H"), held, at)
    at += 8 if is_big else 2
    step, inline = (20, 8) if is_big else (12, 4)
    found: dict[str, tuple[int, ...]] = {}
    for index in range(min(count, 4_096)):
        tag, kind = struct.unpack_from(order + "HH", held, at + index * step)
        if tag not in _STRIPS or kind not in _TYPES:
            continue
        (many,) = struct.unpack_from(order + ("Q" if is_big else "I"), held, at + index * step + 4)
        value_at = at + index * step + (12 if is_big else 8)
        letter = _TYPES[kind]
        if many * struct.calcsize("=" + letter) > inline:
            (value_at,) = struct.unpack_from(order + ("Q" if is_big else "I"), held, value_at)
        found[_STRIPS[tag]] = struct.unpack_from(f"{order}{min(many, MAX_STRIPS)}{letter}", held, value_at)
    return found
