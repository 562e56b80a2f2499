"""JPEG (ITU-T T.81): photographs; no clear areas."""

import cv2
import numpy as np
import numpy.typing as npt
import pyvips

from lucidex.core.encode.base import FOR_PRINT, Effort, Encoding, OutputFormat, profile_of
from lucidex.core.encode.ceiling import ALL_QUALITIES

# measured: up to 96, bytes are better spent on finer steps than on all the pixels of colour; from there on the other
# way round. The encoder's own numbers behind ours, so that no step weighs half as much again as the one below it
FULL_CHROMA_FROM = {97: 95, 98: 96, 99: 98, 100: 100}
FULL_ON_SCREEN_FROM = 90
QUANTISATION = 2  # of the encoder's tables the one that was lightest at equal likeness (`bench/weights.py`)
# what the encoder does beyond the customary: coefficients chosen by what they cost, no rings around white, all of it
# in scans that come coarse first, cut where that is lightest
_SEARCH = {"trellis_quant": True, "overshoot_deringing": True, "interlace": True, "optimize_scans": True}


def save(image: pyvips.Image, encoding: Encoding) -> bytes:
    """JPEG of 8 bits with its profile; with a resolution, that too."""
    # libvips writes the resolution only together with an Exif block of its own making; nothing else is in it,
    # because a rendered image carries no metadata of its source
    profile = profile_of(image)
    return compressed(image, encoding, profile if encoding.pixels_per_inch is None else {**profile, "keep": "all"})


def compressed(image: pyvips.Image, encoding: Encoding, carried: dict[str, str]) -> bytes:
    """JPEG that carries so much; full colour resolution where the content asks for it, or at the finest qualities."""
    quality = encoding.quality or FORMAT.default_quality or 82
    full = encoding.full_chroma or (encoding.effort is Effort.DRAFT and quality >= FULL_ON_SCREEN_FROM)
    if not full and quality in FULL_CHROMA_FROM:
        full, quality = True, FULL_CHROMA_FROM[quality]
    return bytes(
        image.jpegsave_buffer(
            Q=quality,
            quant_table=QUANTISATION,
            optimize_coding=encoding.effort is not Effort.DRAFT,
            subsample_mode="off" if full else "on",
            **carried,
            **(_SEARCH if encoding.effort is Effort.THOROUGH else {}),
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


def stamp_older(content: bytes, exif: bytes, iim: bytes) -> bytes:
    """Exif in an APP1 segment (CIPA DC-008, 4.5.4), IIM in the resource block of an APP13 one."""
    after = 2
    if content[after : after + 2] == b"\xff\xe0":
        after += 2 + int.from_bytes(content[after + 2 : after + 4])
    block = b"8BIM\x04\x04\0\0" + len(iim).to_bytes(4) + iim + b"\0" * (len(iim) % 2)
    segments = ((b"\xff\xe1", b"Exif\0\0" + exif), (b"\xff\xed", b"Photoshop 3.0\0" + block))
    written = b"".join(mark + (len(body) + 2).to_bytes(2) + body for mark, body in segments if len(body) < _SEGMENT)
    return content[:after] + written + content[after:]


_SEGMENT = 65_533  # bytes that one holds

FORMAT = OutputFormat(
    name="jpeg",
    aliases=("jpg",),
    label="JPEG",
    suffix=".jpg",
    media_type="image/jpeg",
    keeps_clear=False,
    default_quality=82,
    qualities=ALL_QUALITIES,
    max_edge=65_500,
    save=save,
    quick_weighs=1.12,
    halves_chroma=True,
    colours=FOR_PRINT,
    ladder=(82, 50, 94, 25, 70),
    strength="photographs, read everywhere",
    stamp=stamp,
    stamp_older=stamp_older,
)
