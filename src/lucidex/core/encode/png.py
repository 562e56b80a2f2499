"""PNG (W3C Recommendation, third edition): without loss; clear areas kept."""

import zlib

import oxipng
import pyvips

from lucidex.core.encode.base import SRGB_PROFILE, Effort, Encoding, OutputFormat, as_grey
from lucidex.core.encode.ceiling import ALL_QUALITIES

HEADER_END = 33  # the signature and the chunk IHDR


_NO_LOSS = 100
# how far the search goes: on photographs, the second level takes twice as long for 1 %, the fourth six times for 2 %
_LEVEL, _LEVEL_OF_MANY_PIXELS, _MANY_PIXELS = 2, 1, 1_000_000
_SRGB_PERCEPTUAL = b"\0"


def save(image: pyvips.Image, encoding: Encoding) -> bytes:
    """PNG in as few bands, bits and colours as hold every pixel; at a quality below 100 in at most 256 colours.

    The lower the quality, the fewer the colours; they are spread so that the eye mixes them (dithering).
    """
    if encoding.effort is Effort.DRAFT:
        return bytes(image.pngsave_buffer(compression=1, filter="up", keep="icc", profile=SRGB_PROFILE))
    if encoding.quality is not None and encoding.quality < _NO_LOSS:
        effort = 7 if encoding.effort is Effort.THOROUGH else 4
        content = image.pngsave_buffer(
            palette=True, Q=encoding.quality, effort=effort, compression=9, keep="icc", profile=SRGB_PROFILE
        )
    elif (grey := as_grey(image)) is not None:
        content = with_chunk(grey.pngsave_buffer(compression=6, filter="all", keep="none"), b"sRGB", _SRGB_PERCEPTUAL)
    else:
        content = image.pngsave_buffer(compression=6, filter="all", keep="icc", profile=SRGB_PROFILE)
    # the search also finds out whether fewer bits, or a palette, hold every pixel
    level = _LEVEL if image.width * image.height <= _MANY_PIXELS else _LEVEL_OF_MANY_PIXELS
    if encoding.effort is Effort.QUICK:
        level = 0
    return bytes(oxipng.optimize_from_memory(content, level=level))


def with_chunk(content: bytes, name: bytes, body: bytes) -> bytes:
    """A file with a chunk behind its header (PNG, 5.3)."""
    chunk = len(body).to_bytes(4) + name + body + zlib.crc32(name + body).to_bytes(4)
    return content[:HEADER_END] + chunk + content[HEADER_END:]


def stamp(content: bytes, packet: bytes) -> bytes:
    """XMP in an iTXt chunk (PNG, 11.3.3.4; ISO 16684-3, 1.1.5), behind the header."""
    # not compressed, no language, no translated keyword
    return with_chunk(content, b"iTXt", b"XML:com.adobe.xmp\0\0\0\0\0" + packet)


def stamp_older(content: bytes, exif: bytes, iim: bytes) -> bytes:
    """Exif in an eXIf chunk (PNG, 11.3.3.1); there is no place for IIM."""
    return with_chunk(content, b"eXIf", exif)


FORMAT = OutputFormat(
    name="png",
    aliases=(),
    label="PNG",
    suffix=".png",
    media_type="image/png",
    keeps_clear=True,
    default_quality=None,
    qualities=ALL_QUALITIES,
    max_edge=2_000_000,
    save=save,
    quick_weighs=1.0,
    exact_quality=_NO_LOSS,
    keeps_16_bits=True,
    ladder=(_NO_LOSS, 60, 95),
    strength="drawings and clear areas, no loss",
    stamp=stamp,
    stamp_older=stamp_older,
)
