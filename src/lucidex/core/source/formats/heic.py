"""HEIC and HEIF (ISO/IEC 23008-12): what telephones write."""

from dataclasses import replace
from io import BufferedReader

import numpy as np
import pillow_heif

from lucidex.core.geometry.sizes import Size
from lucidex.core.source.formats.base import Opened, Part, SourceFormat
from lucidex.core.source.formats.media_boxes import ends_early, read_colours
from lucidex.core.source.formats.pillow_read import as_decoder_error, image_of_array, opened_with

_BRANDS = {b"heic", b"heix", b"heim", b"heis", b"hevc", b"hevx", b"mif1", b"msf1", b"miaf"}

pillow_heif.options.THUMBNAILS = False
pillow_heif.options.DEPTH_IMAGES = False
pillow_heif.options.AUX_IMAGES = False
pillow_heif.options.DECODE_THREADS = 1


def _opened(file: BufferedReader) -> pillow_heif.HeifFile:
    file.seek(0)
    return pillow_heif.open_heif(file, convert_hdr_to_8bit=False, bgr_mode=False)


def measure(file: BufferedReader, part: Part) -> Size:
    """The size that the file announces."""
    with as_decoder_error():
        found = _opened(file)
        return Size(*found[found.primary_index].size)


def open_heic(file: BufferedReader, fail_on: str, part: Part) -> Opened:
    """The main picture, upright as the file itself says."""
    with as_decoder_error():
        found = _opened(file)
        main = found[found.primary_index]
        pixels = np.asarray(main)
        notes = (f"It holds {len(found)} pictures; the main one was taken.",) if len(found) > 1 else ()
        # the decoder has turned it already: the orientation that EXIF repeats no longer counts
        return replace(opened_with(image_of_array(pixels), main.info), notes=notes)


FORMAT = SourceFormat(
    name="HEIC",
    signatures=tuple((b"ftyp" + brand, 4) for brand in sorted(_BRANDS)),
    suffixes=(".heic", ".heif", ".hif"),
    media_type="image/heic",
    open=open_heic,
    measure=measure,
    ends_early=ends_early,
    bytes_at_once=14,
    declares=read_colours,
)
