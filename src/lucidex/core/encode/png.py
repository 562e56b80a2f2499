"""PNG (W3C Recommendation, third edition): without loss; clear areas kept."""

import pyvips

from lucidex.core.encode.base import SRGB_PROFILE, Encoding, OutputFormat


def save(image: pyvips.Image, encoding: Encoding) -> bytes:
    """PNG with adaptive filters."""
    return bytes(image.pngsave_buffer(compression=6, filter="all", keep="icc", profile=SRGB_PROFILE))


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
)
