"""WebP (RFC 9649): photographs and clear areas, lighter than JPEG."""

import pyvips

from lucidex.core.encode.base import SRGB_PROFILE, Encoding, OutputFormat


def save(image: pyvips.Image, encoding: Encoding) -> bytes:
    """Lossy WebP."""
    quality = encoding.quality or FORMAT.default_quality
    return bytes(image.webpsave_buffer(Q=quality, effort=4, keep="icc", profile=SRGB_PROFILE))


FORMAT = OutputFormat("WebP", ".webp", "image/webp", True, 80, 16_383, save, "light, read by all current browsers")
