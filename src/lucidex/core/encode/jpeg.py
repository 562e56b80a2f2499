"""JPEG (ITU-T T.81): photographs; no clear areas."""

import cv2
import numpy as np
import numpy.typing as npt
import pyvips

from lucidex.core.encode.base import SRGB_PROFILE, Encoding, OutputFormat

FULL_CHROMA_FROM = 90


def save(image: pyvips.Image, encoding: Encoding) -> bytes:
    """Baseline JPEG with optimised coding; full colour resolution from quality 90 on."""
    quality = encoding.quality or FORMAT.default_quality or 82
    # under a ceiling it stays the same for all qualities, or the weight would jump in the middle of the search
    subsampling = "off" if quality >= FULL_CHROMA_FROM and encoding.max_bytes is None else "on"
    # libvips writes the resolution only together with an Exif block of its own making; nothing else is in it,
    # because a rendered image carries no metadata of its source
    keep = "icc" if encoding.pixels_per_inch is None else "all"
    optimised = not encoding.hurried
    return bytes(
        image.jpegsave_buffer(
            Q=quality, optimize_coding=optimised, subsample_mode=subsampling, keep=keep, profile=SRGB_PROFILE
        )
    )


def draft(pixels: npt.NDArray[np.uint8], quality: int) -> bytes:
    """A picture that is seen for a moment while a control moves: height × width × 3 bytes of sRGB, not tagged.

    OpenCV hands them to the same encoder without the copies that a tagged file needs, in half the time.
    """
    reversed_bands = cv2.cvtColor(pixels, cv2.COLOR_RGB2BGR)
    return cv2.imencode(FORMAT.suffix, reversed_bands, [cv2.IMWRITE_JPEG_QUALITY, quality])[1].tobytes()


def stamp(content: bytes, packet: bytes) -> bytes:
    """XMP in an APP1 segment (ISO 16684-3, 1.1.3), behind the JFIF segment, which must be the first."""
    after = 2  # the marker that begins the image
    if content[after : after + 2] == b"\xff\xe0":
        after += 2 + int.from_bytes(content[after + 2 : after + 4])
    body = b"http://ns.adobe.com/xap/1.0/\0" + packet
    return content[:after] + b"\xff\xe1" + (len(body) + 2).to_bytes(2) + body + content[after:]


FORMAT = OutputFormat(
    name="jpeg",
    aliases=("jpg",),
    label="JPEG",
    suffix=".jpg",
    media_type="image/jpeg",
    keeps_clear=False,
    default_quality=82,
    max_edge=65_500,
    save=save,
    strength="photographs, read everywhere",
    stamp=stamp,
)
