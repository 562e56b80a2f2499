"""Faces that somebody brings in: read in full, refused in words, and written anew under a name of their own.

What is written is made from what was understood: no programs (hints), no signatures, nothing of what else a file may
carry. Two files can never be taken for one another, whatever they call themselves.
"""

from io import BytesIO
from typing import Annotated

from fontTools.ttLib import TTFont
from pydantic import BaseModel, ConfigDict, Field

from lucidex.core.errors import TooLargeError, UnreadableFileError

MAX_FONT_BYTES = 25_000_000
MAX_GLYPHS = 66_000
_RESTRICTED, _PREVIEW, _EDITABLE = 0x2, 0x4, 0x8  # OpenType, OS/2.fsType
_SINGLE = frozenset({b"\x00\x01\x00\x00", b"OTTO", b"true"})
_NAMED = {b"ttcf": "a collection of several faces", b"wOFF": "a web font", b"wOF2": "a web font"}
_KEPT = {"GlyphOrder", "head", "hhea", "maxp", "OS/2", "hmtx", "cmap", "loca", "glyf", "name", "post", "vhea", "vmtx"}
_KEPT |= {"VORG", "CFF ", "GDEF", "GPOS", "GSUB", "BASE"}


class FontFacts(BaseModel):
    """What a face says of itself. `rights` is what its maker says about embedding."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    family: Annotated[str, Field(max_length=120)]
    style: Annotated[str, Field(max_length=120)]
    letters: Annotated[int, Field(ge=0)]
    rights: Annotated[str, Field(max_length=120)]


def prepared_face(content: bytes, family: str) -> tuple[FontFacts, bytes]:
    """A TTF or OTF file as it is used, with another name of its family, and what it says of itself.

    UnreadableFileError where it is none, is damaged or may not be embedded; TooLargeError where it is too large.
    """
    if len(content) > MAX_FONT_BYTES:
        raise TooLargeError(f"It is larger than {MAX_FONT_BYTES // 1_000_000} MB, the most for a face.")
    if content[:4] in _NAMED:
        raise UnreadableFileError(f"It is {_NAMED[content[:4]]}. Bring in a single face as TTF or OTF.")
    if content[:4] not in _SINGLE:
        raise UnreadableFileError("It is no font: neither TTF nor OTF.")
    try:
        return _written(TTFont(BytesIO(content), lazy=False, recalcTimestamp=False), family)
    except (UnreadableFileError, TooLargeError, MemoryError):
        raise
    except Exception as error:
        raise UnreadableFileError("It is a damaged font.") from error


def _written(font: TTFont, family: str) -> tuple[FontFacts, bytes]:
    if not {"cmap", "head", "hhea", "hmtx", "maxp", "OS/2", "name"} <= set(font.keys()):
        raise UnreadableFileError("It is a damaged font: parts that every font has are missing.")
    if "glyf" not in font and "CFF " not in font:
        raise UnreadableFileError("Its letters are no plain outlines (TrueType or CFF), so they cannot be used.")
    if font["maxp"].numGlyphs > MAX_GLYPHS:
        raise TooLargeError("It has more letters than any font can have.")
    letters = font.getBestCmap() or {}
    if not letters:
        raise UnreadableFileError("It has no letters that Unicode knows of.")
    facts = FontFacts(
        family=_said(font, 16) or _said(font, 1) or "without a name",
        style=_said(font, 17) or _said(font, 2) or "",
        letters=len(letters),
        rights=_rights(font["OS/2"].fsType),
    )
    for tag in set(font.keys()) - _KEPT:
        del font[tag]
    if "glyf" in font:
        for glyph in font.getGlyphOrder():
            outline = font["glyf"][glyph]
            outline.expand(font["glyf"])
            outline.removeHinting()
    font["name"].names = []
    for number, words in ((1, family), (2, "Regular"), (3, family), (4, family), (6, family.replace(" ", "-"))):
        font["name"].setName(words, number, 3, 1, 0x409)
    font["OS/2"].usWeightClass, font["OS/2"].fsSelection, font["head"].macStyle = 400, 0x40, 0
    out = BytesIO()
    font.save(out)
    TTFont(BytesIO(out.getvalue()), lazy=False).getBestCmap()
    return facts, out.getvalue()


def _said(font: TTFont, number: int) -> str:
    words = font["name"].getDebugName(number) or ""
    return "".join(letter for letter in words if letter.isprintable()).strip()[:120]


def _rights(fs_type: int) -> str:
    """Embedding rights in words. UnreadableFileError where there are none. Source: OpenType 1.9, OS/2, fsType."""
    if fs_type & _EDITABLE:
        return "may be embedded in what is edited"
    if fs_type & _PREVIEW:
        return "may be embedded for looking and printing"
    if fs_type & _RESTRICTED:
        raise UnreadableFileError("Its maker does not allow it to be embedded in pictures or documents.")
    return "may be embedded"
