"""The last stage of a file: words are put into bytes that are encoded already, and no pixel is touched."""

from lucidex.core.encode import FormatName
from lucidex.core.stamp.older_records import exif_block, iim_records
from lucidex.core.stamp.packet import NO_STAMP, Carried, Stamp, reserved_for, stamp_of, xmp_packet
from lucidex.core.stamp.texts import NO_TEXTS, Texts


def stamped(content: bytes, name: FormatName, stamp: Stamp) -> bytes:
    """An encoded file with its words as XMP, and in the older records where its format has a place for them; the file
    as it is where there are none, or its format can carry none."""
    packet = xmp_packet(stamp)
    if not packet or name.output.stamp is None:
        return content
    exif, iim = exif_block(stamp.texts), iim_records(stamp.texts)
    if name.output.stamp_older is not None and exif:
        content = name.output.stamp_older(content, exif, iim)
    return name.output.stamp(content, packet)


__all__ = [
    "NO_STAMP",
    "NO_TEXTS",
    "Carried",
    "Stamp",
    "Texts",
    "reserved_for",
    "stamp_of",
    "stamped",
    "xmp_packet",
]
