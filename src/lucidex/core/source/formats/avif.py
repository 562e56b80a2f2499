"""AVIF (AV1 Image File Format): photographs of small weight; may move."""

from dataclasses import replace
from io import BufferedReader

from lucidex.core.source.formats.base import Holds, Opened, Part, SourceFormat, by_loader
from lucidex.core.source.formats.media_boxes import count_frames, ends_early, read_colours

_open = by_loader("heifload_source")


def open_first(file: BufferedReader, fail_on: str, part: Part) -> Opened:
    """The main picture; how many there are says the track beside it."""
    frames = count_frames(file)
    return replace(_open(file, fail_on, part), pages=frames)


def _meets(head: bytes) -> bool:
    """By the main brand, or for files of the general kind by the others."""
    return head[4:8] == b"ftyp" and (head[8:12] in (b"avif", b"avis") or _is_general_with_av1(head))


def _is_general_with_av1(head: bytes) -> bool:
    brands = head[16 : min(len(head), int.from_bytes(head[:4], "big"))]
    return head[8:12] in (b"mif1", b"msf1", b"miaf") and any(
        brands[at : at + 4] in (b"avif", b"avis") for at in range(0, len(brands), 4)
    )


FORMAT = SourceFormat(
    name="AVIF",
    signatures=(),
    meets=_meets,
    suffixes=(".avif",),
    media_type="image/avif",
    open=open_first,
    ends_early=ends_early,
    holds=Holds.FRAMES,
    bytes_at_once=12,
    declares=read_colours,
)
