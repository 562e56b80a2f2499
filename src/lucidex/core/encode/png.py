"""PNG (W3C Recommendation, third edition): without loss; clear areas kept."""

import pyvips

from lucidex.core.encode.base import SRGB_PROFILE, Encoding, OutputFormat


def save(image: pyvips.Image, encoding: Encoding) -> bytes:
    """PNG with adaptive filters."""
    return bytes(image.pngsave_buffer(compression=6, filter="all", keep="icc", profile=SRGB_PROFILE))


FORMAT = OutputFormat("PNG", ".png", "image/png", True, None, 2_000_000, save, "drawings and clear areas, no loss")
