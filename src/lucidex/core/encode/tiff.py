"""TIFF (revision 6.0): without loss, for print and for handing on."""

import struct

import pyvips

from lucidex.core.encode.base import FOR_PRINT, Effort, Encoding, OutputFormat, as_grey, profile_of

XMP_FIELD, IPTC_FIELD, BYTES, TEXT, ANYTHING = 700, 33_723, 1, 2, 7


def save(image: pyvips.Image, encoding: Encoding) -> bytes:
    """TIFF in strips, grey in one band; compressed by Deflate, or LZW, which every program reads, where it shall be
    quick."""
    image = as_grey(image) or image
    how = "deflate" if encoding.effort is Effort.THOROUGH else "lzw"
    settings = {"compression": how, "predictor": "horizontal", **profile_of(image)}
    return bytes(image.tiffsave_buffer(resunit="inch", xres=image.xres, yres=image.yres, **settings))


def stamp(content: bytes, packet: bytes) -> bytes:
    """XMP in a field of its own (ISO 16684-3, 1.1.6)."""
    return _with_fields(content, {XMP_FIELD: (BYTES, packet)})


def stamp_older(content: bytes, exif: bytes, iim: bytes) -> bytes:
    """The fields of Exif are those of TIFF itself; IIM has one of its own."""
    fields = {tag: (TEXT, value) for tag, value in texts_of_exif(exif).items()}
    return _with_fields(content, fields | ({IPTC_FIELD: (ANYTHING, iim)} if iim else {}))


def texts_of_exif(exif: bytes) -> dict[int, bytes]:
    """The texts of a block that was written here (`stamp.older_records`): little-endian, one directory."""
    found = {}
    (count,) = struct.unpack_from("<H", exif, 8)
    for at in range(10, 10 + 12 * count, 12):
        tag, _, length, place = struct.unpack_from("<HHII", exif, at)
        start = place if length > 4 else at + 8
        found[tag] = exif[start : start + length]
    return found


def _with_fields(content: bytes, fields: dict[int, tuple[int, bytes]]) -> bytes:
    """With fields of bytes, each with its type: the directory is written anew at the end, in order."""
    order = "<" if content[:2] == b"II" else ">"
    (at,) = struct.unpack_from(f"{order}I", content, 4)
    (count,) = struct.unpack_from(f"{order}H", content, at)
    entries = [content[at + 2 + 12 * i : at + 14 + 12 * i] for i in range(count)]
    kept = [entry for entry in entries if struct.unpack_from(f"{order}H", entry)[0] not in fields]
    start, values = len(content) + len(content) % 2, b""
    for tag, (kind, value) in fields.items():
        head = struct.pack(f"{order}HHI", tag, kind, len(value))
        if len(value) <= 4:
            kept.append(head + value.ljust(4, b"\0"))
        else:
            kept.append(head + struct.pack(f"{order}I", start + len(values)))
            values += value + b"\0" * (len(value) % 2)
    kept.sort(key=lambda entry: struct.unpack_from(f"{order}H", entry)[0])
    directory = struct.pack(f"{order}H", len(kept)) + b"".join(kept) + b"\0\0\0\0"
    first = content[:4] + struct.pack(f"{order}I", start + len(values)) + content[8:]
    return first + b"\0" * (start - len(content)) + values + directory


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
    stamp_older=stamp_older,
    shown_by_browsers=False,
    keeps_16_bits=True,
    colours=FOR_PRINT,
    strength="print and archives, no loss",
)
