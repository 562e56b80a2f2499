"""AVIF (AV1 Image File Format): photographs of small weight; may move."""

from dataclasses import replace
from io import BufferedReader

import imagecodecs
import numpy as np
from PIL import Image

from lucidex.core.source.formats.base import Holds, Opened, Part, SourceFormat, held
from lucidex.core.source.formats.media_boxes import boxes, count_frames, ends_early, read_colours
from lucidex.core.source.formats.pillow_read import as_decoder_error, image_of_array, measure_by_pillow, opened_with

_ORIENTATION = 0x0112
_PLUGIN = "AVIF"
_THREADS = 2
_ = imagecodecs.avif_decode  # loaded now: whoever is confined cannot load it any more


def open_first(file: BufferedReader, fail_on: str, part: Part) -> Opened:
    """The main picture, by libavif, which blends halved colour as other readers do."""
    bits, frames = _bits(file), count_frames(file)
    with as_decoder_error():
        file.seek(0)
        described = Image.open(file, formats=[_PLUGIN])
        turned = described.getexif().get(_ORIENTATION, 1)
        if bits > 8 and frames == 1:
            pixels = _deep(np.asarray(imagecodecs.avif_decode(held(file), numthreads=_THREADS)), bits)
        else:
            described.load()
            pixels = np.asarray(described)
        opened = opened_with(image_of_array(pixels), described.info)
    said = (f"It has {bits} bits a channel, of which 8 were read.",) if bits > 8 and frames > 1 else ()
    return replace(opened, pages=frames, notes=said, orientation=turned if turned in range(1, 9) else 1)


def _deep(pixels: "np.typing.NDArray[np.generic]", bits: int) -> "np.typing.NDArray[np.uint16]":
    largest = (1 << bits) - 1
    return ((pixels.astype(np.uint32) * 65_535 + largest // 2) // largest).astype(np.uint16)


def _bits(file: BufferedReader) -> int:
    """Bits of a channel (`av1C`, AV1 in ISOBMFF 2.3.3)."""
    for kind, body in boxes(file, 0, file.seek(0, 2)):
        if kind == b"av1C" and len(body) > 2:
            return 12 if body[2] & 0x60 == 0x60 else 10 if body[2] & 0x40 else 8
    return 8


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
    measure=measure_by_pillow(_PLUGIN),
    ends_early=ends_early,
    holds=Holds.FRAMES,
    bytes_at_once=12,
    declares=read_colours,
)
