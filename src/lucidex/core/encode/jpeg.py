"""JPEG (ITU-T T.81): photographs; no clear areas."""

import pyvips

from lucidex.core.encode.base import SRGB_PROFILE, Encoding, OutputFormat

FULL_CHROMA_FROM = 90


def save(image: pyvips.Image, encoding: Encoding) -> bytes:
    """Baseline JPEG with optimised coding; full colour resolution from quality 90 on."""
    quality = encoding.quality or FORMAT.default_quality or 82
    subsampling = "off" if quality >= FULL_CHROMA_FROM else "on"
    # libvips writes the resolution only together with an Exif block of its own making; nothing else is in it,
    # because a rendered image carries no metadata of its source
    keep = "icc" if encoding.pixels_per_inch is None else "all"
    return bytes(
        image.jpegsave_buffer(
            Q=quality, optimize_coding=True, subsample_mode=subsampling, keep=keep, profile=SRGB_PROFILE
        )
    )


FORMAT = OutputFormat("JPEG", ".jpg", "image/jpeg", False, 82, 65_500, save, "photographs, read everywhere")
