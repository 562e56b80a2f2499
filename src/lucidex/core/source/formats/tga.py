"""TGA (version 1 and 2): pictures from games and drawing programs. It has no mark at its beginning."""

import struct

from lucidex.core.source.formats.base import SourceFormat, never_early
from lucidex.core.source.formats.pillow_read import by_pillow, measure_by_pillow

_DEPTHS = {1: {8}, 2: {15, 16, 24, 32}, 3: {8, 16}}


def _meets(head: bytes) -> bool:
    """Whether every field of the header has a value that the format knows."""
    if len(head) < 18:
        return False
    _, has_map, kind, map_start, map_length, map_depth, _, _, width, height, depth, flags = struct.unpack_from(
        "<BBBHHBHHHHBB", head
    )
    plain = kind & 7
    if has_map not in (0, 1) or kind not in (1, 2, 3, 9, 10, 11) or not width or not height or flags & 0xC0:
        return False
    is_mapped = plain == 1
    if is_mapped != bool(has_map) or (not has_map and (map_start, map_length, map_depth) != (0, 0, 0)):
        return False
    if is_mapped and (map_depth not in (15, 16, 24, 32) or not 0 < map_length <= 256):
        return False
    return depth in _DEPTHS[plain]


FORMAT = SourceFormat(
    name="TGA",
    signatures=(),
    meets=_meets,
    suffixes=(".tga", ".vda", ".icb", ".vst"),
    media_type="image/x-tga",
    open=by_pillow("TGA"),
    measure=measure_by_pillow("TGA"),
    ends_early=never_early,
    bytes_at_once=10,
)
