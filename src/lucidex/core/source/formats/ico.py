"""ICO: symbols of sites and programs, in several sizes; the largest is taken."""

import struct
from io import BufferedReader

from PIL import Image

from lucidex.core.source.formats.base import SourceFormat
from lucidex.core.source.formats.pillow_read import by_pillow, measure_by_pillow


def _sizes_note(image: Image.Image) -> tuple[str, ...]:
    sizes = len(set(image.info.get("sizes", ())))
    return (f"It holds {sizes} sizes; the largest was taken.",) if sizes > 1 else ()


def _meets(head: bytes) -> bool:
    """Its mark is plain zeros and ones, so that the first entry is looked at too."""
    if head[:4] != b"\0\0\1\0" or len(head) < 22:
        return False
    count, reserved = struct.unpack_from("<H", head, 4)[0], head[9]
    return 0 < count < 1_000 and reserved == 0 and struct.unpack_from("<I", head, 18)[0] >= 6 + 16 * count


def ends_early(file: BufferedReader, size: int) -> bool:
    """Its directory says where each of its pictures lies."""
    file.seek(4)
    (count,) = struct.unpack("<H", file.read(2))
    entries = [file.read(16) for _ in range(min(count, 1_000))]
    whole = [struct.unpack_from("<II", one, 8) for one in entries if len(one) == 16]
    return len(whole) < len(entries) or any(start + length > size for length, start in whole)


FORMAT = SourceFormat(
    name="ICO",
    signatures=(),
    meets=_meets,
    suffixes=(".ico",),
    media_type="image/vnd.microsoft.icon",
    open=by_pillow("ICO", _sizes_note),
    measure=measure_by_pillow("ICO"),
    ends_early=ends_early,
    bytes_at_once=10,
)
