"""TIFF (6.0, and BigTIFF): scans, print; may hold pages."""

import mmap
import struct
from io import BufferedReader

from lucidex.core.source.formats.base import Holds, SourceFormat, by_loader

_TYPES = {3: "H", 4: "I", 16: "Q"}
_STRIPS = {273: "offsets", 279: "counts", 324: "offsets", 325: "counts"}
MAX_STRIPS = 2_000_000


def ends_early(file: BufferedReader, size: int) -> bool:
    """Its directories say where its strips and tiles lie; those of the first page are looked at."""
    with mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ) as held:
        try:
            lies = _first_directory(held, size)
        except (struct.error, OverflowError, ValueError):  # it says that something lies where nothing can
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


FORMAT = SourceFormat(
    name="TIFF",
    signatures=((b"II*\0", 0), (b"MM\0*", 0), (b"II+\0", 0), (b"MM\0+", 0)),
    suffixes=(".tif", ".tiff"),
    media_type="image/tiff",
    open=by_loader("tiffload_source", has_pages=True),
    ends_early=ends_early,
    holds=Holds.PAGES,
)
