"""WebP (RFC 9649): photographs and clear areas, lighter than JPEG."""

import pyvips

from lucidex.core.encode.base import SRGB_PROFILE, Effort, Encoding, OutputFormat
from lucidex.core.encode.ceiling import ALL_QUALITIES

FLAGS_AT, HAS_XMP, HAS_EXIF = 20, 0x04, 0x08


EFFORT = {Effort.DRAFT: 0, Effort.QUICK: 4, Effort.THOROUGH: 6}  # measured: `bench/weights.py`
CLEAR_EFFORT = 4  # alpha is kept exactly: of a photograph, more takes 30 times as long and saves 4 % of the bytes
USUAL, NO_LOSS = 86, 100
LOSSLESS_EFFORT = 4
NEARLY = 60  # how much of the finest differences stays: what is left out is not seen at actual pixels
DEBLOCKED_FROM = 40  # below it the search for the filter takes twice as long
NEARLY_EFFORT = 2  # more takes twice as long and hardly saves a byte


def save(image: pyvips.Image, encoding: Encoding) -> bytes:
    """Lossy WebP, without loss at quality 100; drawings nearly without loss wherever that is no heavier."""
    quality, effort = encoding.quality or USUAL, EFFORT[encoding.effort]
    if image.hasalpha():
        effort = min(effort, CLEAR_EFFORT)
    carried = {"keep": "icc", "profile": SRGB_PROFILE}
    if quality == NO_LOSS:
        return bytes(image.webpsave_buffer(lossless=True, effort=min(effort, LOSSLESS_EFFORT), **carried))
    lossy = image.webpsave_buffer(
        Q=quality,
        effort=effort,
        smart_subsample=bool(encoding.full_chroma),
        smart_deblock=encoding.effort is Effort.THOROUGH and quality >= DEBLOCKED_FROM,
        **carried,
    )
    if not encoding.is_drawn:
        return bytes(lossy)
    nearly = image.webpsave_buffer(near_lossless=True, Q=NEARLY, effort=NEARLY_EFFORT, **carried)
    return bytes(min(nearly, lossy, key=len))


def stamp(content: bytes, packet: bytes) -> bytes:
    """XMP in a chunk at the end (RFC 9649, 2.7.1.6)."""
    return _with_chunk(content, b"XMP ", packet, HAS_XMP)


def stamp_older(content: bytes, exif: bytes, iim: bytes) -> bytes:
    """Exif in a chunk before that; there is no place for IIM."""
    return _with_chunk(content, b"EXIF", exif, HAS_EXIF)


def _with_chunk(content: bytes, name: bytes, inside: bytes, flag: int) -> bytes:
    """Behind all others, announced in the extended header (RFC 9649, 2.7) that a profile brings along."""
    assert content[12:16] == b"VP8X"  # noqa: S101
    chunk = name + len(inside).to_bytes(4, "little") + inside + b"\0" * (len(inside) % 2)
    flags = bytes([content[FLAGS_AT] | flag])
    body = content[8:FLAGS_AT] + flags + content[FLAGS_AT + 1 :] + chunk
    return b"RIFF" + len(body).to_bytes(4, "little") + body


FORMAT = OutputFormat(
    name="webp",
    aliases=(),
    label="WebP",
    suffix=".webp",
    media_type="image/webp",
    keeps_clear=True,
    default_quality=USUAL,
    qualities=ALL_QUALITIES,
    max_edge=16_383,
    save=save,
    quick_weighs=1.0,
    keeps_resolution=False,
    halves_chroma=True,
    knows_drawings=True,
    exact_quality=NO_LOSS,
    ladder=(86, 45, 94),
    strength="light, read by all current browsers",
    stamp=stamp,
    stamp_older=stamp_older,
)
