"""What can be known of a JPEG's coded data without looking at the picture: whether it is whole, and where it ends.

Source: ITU-T T.81, B.1 and B.2. Nothing in a JPEG is summed up for checking, so that a changed bit is noticed only
where the codes after it no longer come out even; a change that leads to other valid codes is not.
"""

from collections.abc import Iterator

import numpy as np
import simplejpeg

from lucidex.core.source.formats.base import Content

_MAX_SEGMENTS, _MOST_FILLING = 2_000, 4_096
_MOST_SCANS = 8  # of a sequential file, which has at most one for each of four colours
_START_OF_SCAN, _APP0, _APP14 = 0xDA, 0xE0, 0xEE
FRAME_HEADERS = frozenset(range(0xC0, 0xD0)) - {0xC4, 0xC8, 0xCC}
_SEQUENTIAL = frozenset({0xC0, 0xC1})
_PROGRESSIVE = frozenset({0xC2, 0xC6, 0xCA, 0xCE})
_ALONE = frozenset({0x01, *range(0xD0, 0xD9)})
_END, _SCAN = b"\xff\xd9", b"\xff\xda"
_WHOLE_SCAN = b"\0\x3f\0"  # all coefficients at once, which is the only way in a sequential file
_FILLING = bytes((37 * place + 11) % 255 for place in range(6_000))


def segments(content: Content) -> Iterator[tuple[int, int, int]]:
    """The marker, the place of the first byte after its length, and the end, of each segment up to the first scan."""
    at = 2
    for _ in range(_MAX_SEGMENTS):
        filling = content[at : at + _MOST_FILLING]  # before a marker as many as somebody likes, within reason
        at += max(0, len(filling) - len(filling.lstrip(b"\xff")) - 1)
        mark = content[at : at + 4]
        if len(mark) < 4 or mark[0] != 0xFF:
            return
        if mark[1] in _ALONE:
            at += 2
            continue
        end = at + 2 + int.from_bytes(mark[2:4], "big")
        yield mark[1], at + 4, end
        if mark[1] == _START_OF_SCAN:
            return
        at = end


def end_of(content: Content) -> int | None:
    """Where the end mark of the first picture stands, behind its first scan; None where there is none."""
    scan = next((end for marker, _, end in segments(content) if marker == _START_OF_SCAN), None)
    at = content.find(_END, scan) if scan is not None else -1
    return at if at >= 0 else None


def put_right(content: Content) -> Content:
    """With an end mark where it has none, and without what decoders complain of though it changes no pixel."""
    changes: dict[int, bytes] = {}
    is_sequential, scan, bands = False, None, 3
    for marker, at, end in segments(content):
        body = content[at:end]
        if marker in FRAME_HEADERS and len(body) > 5:
            is_sequential, bands = marker in _SEQUENTIAL, body[5]
        elif marker == _APP0 and body[:5] == b"JFIF\0" and len(body) > 5 and body[5] not in {1, 2}:
            changes[at + 5] = b"\x01"
        elif marker == _APP14 and body[:5] == b"Adobe" and len(body) > 11 and body[11] > 2:
            changes[at + 11] = b"\x02" if bands == 4 else b"\x01"
        elif marker == _START_OF_SCAN:
            scan = at
    for _ in range(_MOST_SCANS if is_sequential else 0):
        if scan is None or not content[scan : scan + 1]:
            break
        says = scan + 1 + 2 * content[scan]
        if content[says : says + 3] != _WHOLE_SCAN:
            changes[says] = _WHOLE_SCAN
        following = content.find(_SCAN, says)
        scan = following + 4 if following >= 0 else None
    is_open = end_of(content) is None
    if not changes and not is_open:
        return content
    right = bytearray(content)
    for at, value in changes.items():
        right[at : at + len(value)] = value
    return bytes(right) + _END * is_open


def is_sound(content: Content) -> bool:
    """Whether a strict decoder reads its codes to the end without a complaint; padding with zeros is no fault."""
    right = put_right(content)
    if _decoded(right) is not None:
        return True
    end = end_of(right)
    if end is None:
        return False
    padded = right[max(0, end - 65_536) : end]
    zeros = len(padded) - len(padded.rstrip(b"\0"))
    return zeros > 1 and _decoded(right[: end - zeros] + right[end:]) is not None


def missing_rows(content: Content) -> int:
    """How many rows at the bottom no code was there for: those that change where more codes are put at the end.

    Of a progressive file none are missing once its first scan was there: the others make it finer.
    """
    right = put_right(content)
    end = end_of(right)
    if end is None or (_is_progressive(right) and bytes(right).count(_SCAN, 0, end) > 1):
        return 0
    plain, filled = (_decoded(one, strictly=False) for one in (right, right[:end] + _FILLING + right[end:]))
    if plain is None or filled is None or plain.shape != filled.shape:
        return 0
    changed = np.flatnonzero((plain != filled).any(axis=(1, 2)))
    return plain.shape[0] - int(changed[0]) if changed.size else 0


def _is_progressive(content: Content) -> bool:
    return any(marker in _PROGRESSIVE for marker, _, _ in segments(content))


def _decoded(content: Content, strictly: bool = True) -> "np.typing.NDArray[np.uint8] | None":
    """Its lightness: an eighth as large where only the decoder's judgement is wanted. None where it complains."""
    try:
        colours = simplejpeg.decode_jpeg_header(content, strict=False)[2]
        space = "CMYK" if colours in {"CMYK", "YCCK"} else "GRAY"
        small = {"min_height": 1, "min_width": 1} if strictly else {}
        return np.asarray(simplejpeg.decode_jpeg(content, space, strict=strictly, **small))
    except ValueError:
        return None
