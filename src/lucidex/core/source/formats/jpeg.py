"""JPEG (ITU-T T.81): photographs."""

from io import BufferedReader

from lucidex.core.source.formats.base import SourceFormat, by_loader, tail

_MAX_SEGMENTS = 2_000


def ends_early(file: BufferedReader, size: int) -> bool:
    """It ends with EOI (ISO/IEC 10918-1, B.1.1.3)."""
    return b"\xff\xd9" not in tail(file, size)


_FRAME_HEADERS = frozenset(range(0xC0, 0xD0)) - {0xC4, 0xC8, 0xCC}
_ALONE = frozenset({0x01, *range(0xD0, 0xD9)})


def refusal(file: BufferedReader) -> str | None:
    """Of 12 bits a channel, lossless and arithmetic coding the standard knows, and hardly a decoder (B.2.2)."""
    file.seek(2)
    for _ in range(_MAX_SEGMENTS):
        if file.read(1) != b"\xff":
            return None
        while (kind := file.read(1)) == b"\xff":
            pass
        if not kind or kind[0] == 0xDA:
            return None
        if kind[0] in _ALONE:
            continue
        head = file.read(3)
        if len(head) < 3:
            return None
        if kind[0] in _FRAME_HEADERS:
            if head[2] > 8:
                return f"It is a JPEG file of {head[2]} bits a channel, which is not read. Save it with 8 bits."
            return None
        file.seek(int.from_bytes(head[:2], "big") - 3, 1)
    return None


FORMAT = SourceFormat(
    name="JPEG",
    signatures=((b"\xff\xd8\xff", 0),),
    suffixes=(".jpg", ".jpeg", ".jpe", ".jfif"),
    media_type="image/jpeg",
    open=by_loader("jpegload_source"),
    ends_early=ends_early,
    refusal=refusal,
)
