"""WebP (RFC 9649): photographs and clear areas, lighter than JPEG."""

import pyvips

from lucidex.core.encode.base import SRGB_PROFILE, Encoding, OutputFormat


def save(image: pyvips.Image, encoding: Encoding) -> bytes:
    """Lossy WebP."""
    quality = encoding.quality or FORMAT.default_quality
    return bytes(image.webpsave_buffer(Q=quality, effort=4, keep="icc", profile=SRGB_PROFILE))


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
)
