"""PNG (W3C Recommendation, third edition): without loss; clear areas kept."""

import zlib

import pyvips

from lucidex.core.encode.base import SRGB_PROFILE, Encoding, OutputFormat

HEADER_END = 33  # the signature and the chunk IHDR


def save(image: pyvips.Image, encoding: Encoding) -> bytes:
    """PNG with adaptive filters."""
    return bytes(image.pngsave_buffer(compression=6, filter="all", keep="icc", profile=SRGB_PROFILE))


def stamp(content: bytes, packet: bytes) -> bytes:
    """XMP in an iTXt chunk (PNG, 11.3.3.4; ISO 16684-3, 1.1.5), behind the header."""
    body = b"iTXtXML:com.adobe.xmp\0\0\0\0\0" + packet  # not compressed, no language, no translated keyword
    chunk = (len(body) - 4).to_bytes(4) + body + zlib.crc32(body).to_bytes(4)
    return content[:HEADER_END] + chunk + content[HEADER_END:]


FORMAT = OutputFormat(
    name="png",
    aliases=(),
    label="PNG",
    suffix=".png",
    media_type="image/png",
    keeps_clear=True,
    default_quality=None,
    max_edge=2_000_000,
    save=save,
    strength="drawings and clear areas, no loss",
    stamp=stamp,
)
