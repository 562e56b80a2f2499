"""JPEG (ITU-T T.81): photographs; no clear areas."""

import pyvips

from lucidex.core.encode.base import SRGB_PROFILE, Encoding, OutputFormat

FULL_CHROMA_FROM = 90


def save(image: pyvips.Image, encoding: Encoding) -> bytes:
    """Baseline JPEG with optimised coding; full colour resolution from quality 90 on."""
    quality = encoding.quality or FORMAT.default_quality or 82
    subsampling = "off" if quality >= FULL_CHROMA_FROM else "on"
    return bytes(
        image.jpegsave_buffer(
            Q=quality, optimize_coding=True, subsample_mode=subsampling, keep="icc", profile=SRGB_PROFILE
        )
    )


FORMAT = OutputFormat("JPEG", ".jpg", "image/jpeg", False, 82, 65_500, save, "photographs, read everywhere")
