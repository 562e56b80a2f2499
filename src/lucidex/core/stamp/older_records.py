"""The same words in the records that were there before XMP, which many readers look at first, or alone.

Sources: IPTC-NAA Information Interchange Model 4.2 (records of the second kind, UTF-8 announced by 1:90), CIPA DC-008
(Exif 3.0: Artist, Copyright, ImageDescription in the first directory).
"""

import struct

from lucidex.core.stamp.texts import Texts

_UTF8 = b"\x1c\x01\x5a\x00\x03\x1b%G"
_BYLINE, _CREDIT, _RIGHTS, _CAPTION = 80, 110, 116, 120
_MOST = {_BYLINE: 32, _CREDIT: 32, _RIGHTS: 128, _CAPTION: 2_000}  # bytes that the model holds
_DESCRIPTION, _ARTIST, _COPYRIGHT = 0x010E, 0x013B, 0x8298
_ASCII = 2


def iim_records(texts: Texts) -> bytes:
    """Caption, by-line, credit and rights as IIM; empty where there are none. What is too long for it is cut there,
    at a whole character, and stands in XMP in full."""
    words = {_BYLINE: texts.credit, _CREDIT: texts.credit, _RIGHTS: texts.licence, _CAPTION: texts.caption}
    records = [_record(number, _cut(text, _MOST[number])) for number, text in sorted(words.items()) if text]
    return _UTF8 + b"".join(records) if records else b""


def _record(number: int, value: bytes) -> bytes:
    return struct.pack(">BBBH", 0x1C, 2, number, len(value)) + value


def _cut(text: str, most: int) -> bytes:
    return text.encode("utf-8", "ignore")[:most].decode("utf-8", "ignore").encode()


def exif_block(texts: Texts) -> bytes:
    """Description, artist and copyright as a TIFF block of Exif, UTF-8; empty where there are none."""
    words = {_DESCRIPTION: texts.caption, _ARTIST: texts.credit, _COPYRIGHT: texts.licence}
    fields = {tag: text.encode("utf-8", "ignore") + b"\0" for tag, text in words.items() if text}
    if not fields:
        return b""
    at, entries, values = 8 + 2 + 12 * len(fields) + 4, b"", b""
    for tag, value in sorted(fields.items()):
        entries += struct.pack("<HHI", tag, _ASCII, len(value))
        if len(value) <= 4:
            entries += value.ljust(4, b"\0")
        else:
            entries += struct.pack("<I", at + len(values))
            values += value + b"\0" * (len(value) % 2)
    return b"II*\0" + struct.pack("<IH", 8, len(fields)) + entries + b"\0\0\0\0" + values
