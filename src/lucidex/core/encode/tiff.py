"""TIFF (revision 6.0): without loss, for print and for handing on."""

import struct

import pyvips

from lucidex.core.encode.base import FOR_PRINT, Effort, Encoding, OutputFormat, as_grey, profile_of

XMP_FIELD, BYTES = 700, 1


def save(image: pyvips.Image, encoding: Encoding) -> bytes:
    """TIFF in strips, grey in one band; compressed by Deflate, or LZW, which every program reads, where it shall be
    quick."""
    image = as_grey(image) or image
    how = "deflate" if encoding.effort is Effort.THOROUGH else "lzw"
    settings = {"compression": how, "predictor": "horizontal", **profile_of(image)}
    return bytes(image.tiffsave_buffer(resunit="inch", xres=image.xres, yres=image.yres, **settings))


def stamp(content: bytes, packet: bytes) -> bytes:
    """XMP in a field of its own (ISO 16684-3, 1.1.6): the directory is written anew at the end, in order."""
    order = "<" if content[:2] == b"II" else ">"
    (at,) = struct.unpack_from(f"{order}I", content, 4)
    (count,) = struct.unpack_from(f"{order}H", content, at)
    entries = [content[at + 2 + 12 * i : at + 14 + 12 * i] for i in range(count)]
    start = len(content) + len(content) % 2
    field = struct.pack(f"{order}HHII", XMP_FIELD, BYTES, len(packet), start)
    entries = sorted([*entries, field], key=lambda entry: struct.unpack_from(f"{order}H", entry)[0])
    body = packet + b"\0" * (len(packet) % 2)
    directory = struct.pack(f"{order}H", len(entries)) + b"".join(entries) + b"\0\0\0\0"
    head = content[:4] + struct.pack(f"{order}I", start + len(body)) + content[8:]
    return head + b"\0" * (start - len(content)) + body + directory


FORMAT = OutputFormat(
    name="tiff",
    aliases=("tif",),
    label="TIFF",
    suffix=".tif",
    media_type="image/tiff",
    keeps_clear=True,
    default_quality=None,
    qualities=(),
    max_edge=200_000,
    save=save,
    stamp=stamp,
    shown_by_browsers=False,
    keeps_16_bits=True,
    colours=FOR_PRINT,
    strength="print and archives, no loss",
)
