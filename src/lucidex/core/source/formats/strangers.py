"""What is said of files that cannot be read here: what they are by their first bytes, and what helps."""

_OPEN_AND_SAVE = "Open it in the program that made it, and save it as PNG or TIFF."
_RAW = "It is what a camera's sensor saw: develop it in a program for raw files, and save it as TIFF or JPEG."
_FILM = "It is a film, not a picture: save one of its frames as PNG or JPEG."
_UNPACK = "Unpack it first, or pack the pictures as ZIP or TAR."
_PRINT = "Save it as PDF, or as PNG at the resolution that is needed."

# where the mark stands, the mark, what it is, what helps; more telling ones before those that begin alike
_KNOWN: tuple[tuple[int, bytes, str, str], ...] = (
    (0, b"8BPS", "a layered picture (PSD)", _OPEN_AND_SAVE),
    (0, b"\xff\x0a", "a JPEG XL picture", _OPEN_AND_SAVE),
    (0, b"\0\0\0\x0cJXL ", "a JPEG XL picture", _OPEN_AND_SAVE),
    (0, b"II\xbc", "a JPEG XR picture", _OPEN_AND_SAVE),
    (0, b"BPG\xfb", "a BPG picture", _OPEN_AND_SAVE),
    (0, b"FLIF", "a FLIF picture", _OPEN_AND_SAVE),
    (0, b"qoif", "a QOI picture", _OPEN_AND_SAVE),
    (0, b"v/1\x01", "an OpenEXR picture", _OPEN_AND_SAVE),
    (0, b"#?RADIANCE", "a Radiance HDR picture", _OPEN_AND_SAVE),
    (0, b"#?RGBE", "a Radiance HDR picture", _OPEN_AND_SAVE),
    (0, b"SIMPLE  =", "a FITS picture", _OPEN_AND_SAVE),
    (128, b"DICM", "a DICOM picture", _OPEN_AND_SAVE),
    (0, b"AT&TFORM", "a DjVu document", _PRINT),
    (0, b"%!PS", "a PostScript drawing", _PRINT),
    (0, b"\xc5\xd0\xd3\xc6", "a PostScript drawing (EPS)", _PRINT),
    (0, b"\xd7\xcd\xc6\x9a", "a drawing (WMF)", _PRINT),
    (40, b" EMF", "a drawing (EMF)", _PRINT),
    (0, b"icns", "a set of icons (ICNS)", _OPEN_AND_SAVE),
    (0, b"\0\0\x02\0", "a mouse pointer (CUR)", _OPEN_AND_SAVE),
    (0, b"DDS ", "a texture (DDS)", _OPEN_AND_SAVE),
    (0, b"\xabKTX", "a texture (KTX)", _OPEN_AND_SAVE),
    (0, b"\x01\xda\x01", "an SGI picture", _OPEN_AND_SAVE),
    (0, b"\x01\xda\0", "an SGI picture", _OPEN_AND_SAVE),
    (0, b"\x59\xa6\x6a\x95", "a Sun raster picture", _OPEN_AND_SAVE),
    (0, b"\x0a\x05\x01", "a PCX picture", _OPEN_AND_SAVE),
    (0, b"\x0a\x03\x01", "a PCX picture", _OPEN_AND_SAVE),
    (0, b"/* XPM */", "an XPM picture", _OPEN_AND_SAVE),
    (0, b"#define ", "an XBM picture, or a program", _OPEN_AND_SAVE),
    (0, b"FORM", "an IFF picture", _OPEN_AND_SAVE),
    (0, b"PF\n", "a portable float map (PFM)", _OPEN_AND_SAVE),
    *(
        (0, b"P%d%c" % (kind, gap), "a portable any map (PNM)", _OPEN_AND_SAVE)
        for kind in range(1, 8)
        for gap in b"\n \t\r"
    ),
    (0, b"FUJIFILMCCD-RAW", "a raw photograph (RAF)", _RAW),
    (0, b"IIRO", "a raw photograph (ORF)", _RAW),
    (0, b"IIRS", "a raw photograph (ORF)", _RAW),
    (0, b"IIU\0", "a raw photograph (RW2)", _RAW),
    (0, b"FOVb", "a raw photograph (X3F)", _RAW),
    (0, b"\0MRM", "a raw photograph (MRW)", _RAW),
    (4, b"ftypcrx", "a raw photograph (CR3)", _RAW),
    (4, b"ftypqt", "a film (QuickTime)", _FILM),
    (4, b"ftypmp4", "a film (MP4)", _FILM),
    (4, b"ftypisom", "a film (MP4)", _FILM),
    (4, b"ftypM4V", "a film (MP4)", _FILM),
    (0, b"\x1aE\xdf\xa3", "a film (Matroska or WebM)", _FILM),
    (8, b"AVI ", "a film (AVI)", _FILM),
    (0, b"7z\xbc\xaf\x27\x1c", "an archive (7z)", _UNPACK),
    (0, b"Rar!\x1a\x07", "an archive (RAR)", _UNPACK),
    (0, b"\x1f\x8b", "packed by gzip, as tar.gz archives are", _UNPACK),
    (0, b"BZh", "packed by bzip2, as tar.bz2 archives are", _UNPACK),
    (0, b"\xfd7zXZ\0", "packed by xz, as tar.xz archives are", _UNPACK),
    (0, b"\x28\xb5\x2f\xfd", "packed by zstd", _UNPACK),
    (257, b"ustar", "an archive (TAR)", _UNPACK),
    (0, b"PK", "an archive (ZIP), or a document that is one inside", _UNPACK),
    (0, b"\xd0\xcf\x11\xe0", "an office document", _PRINT),
    (0, b"{\\rtf", "a text document", ""),
)


def guess_contents(head: bytes) -> str:
    """What a file seems to be, in a few words: `a film (MP4)`."""
    return _found(head)[0]


def advice_for(head: bytes) -> str:
    """A sentence that says what to do with it; empty where nothing is known of it."""
    return _found(head)[1]


def _found(head: bytes) -> tuple[str, str]:
    for at, mark, words, advice in _KNOWN:
        if head[at : at + len(mark)] == mark:
            return words, advice
    if b"\0" not in head and _is_text(head):
        return "text", ""
    return "something else", ""


def _is_text(head: bytes) -> bool:
    return sum(byte < 9 for byte in head) == 0 and len(head.decode("utf-8", "ignore")) > 0.6 * len(head)
