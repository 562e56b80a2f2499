"""WebP (RFC 9649): photographs and clear areas, lighter than JPEG."""

import pyvips

from lucidex.core.encode.base import SRGB_PROFILE, Encoding, OutputFormat

FLAGS_AT, HAS_XMP = 20, 0x04


def save(image: pyvips.Image, encoding: Encoding) -> bytes:
    """Lossy WebP."""
    quality = encoding.quality or FORMAT.default_quality
    return bytes(image.webpsave_buffer(Q=quality, effort=4, keep="icc", profile=SRGB_PROFILE))


def stamp(content: bytes, packet: bytes) -> bytes:
    """XMP in a chunk at the end, announced in the extended header (RFC 9649, 2.7) that a profile brings along."""
    assert content[12:16] == b"VP8X"  # noqa: S101
    chunk = b"XMP " + len(packet).to_bytes(4, "little") + packet + b"\0" * (len(packet) % 2)
    flags = bytes([content[FLAGS_AT] | HAS_XMP])
    body = content[8:FLAGS_AT] + flags + content[FLAGS_AT + 1 :] + chunk
    return b"RIFF" + len(body).to_bytes(4, "little") + body


FORMAT = OutputFormat(
    name="webp",
    aliases=(),
    label="WebP",
    suffix=".webp",
    media_type="image/webp",
    keeps_clear=True,
    default_quality=80,
    max_edge=16_383,
    save=save,
    strength="light, read by all current browsers",
    stamp=stamp,
)
