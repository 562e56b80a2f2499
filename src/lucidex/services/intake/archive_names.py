"""Names in archives that do not say how they are written: the encoding that fits all of them best.

ZIP knows two encodings, cp437 and UTF-8 (APPNOTE, appendix D); many programs write those of their own system instead.
"""

import unicodedata
from collections.abc import Sequence
from itertools import pairwise

# what is tried, in this order; the first of those that fit equally well counts
ENCODINGS = (
    ("utf-8", "UTF-8"),
    ("shift_jis", "Shift-JIS"),
    ("cp866", "cp866"),
    ("cp1251", "cp1251"),
    ("cp437", "cp437"),
    ("cp1252", "Latin-1"),
)
_ODD = ("BOX", "BLOCK", "GREEK", "HALFWIDTH")  # as beginnings of the names of characters
_JAPANESE = {"CJK", "HIRAGANA", "KATAKANA"}
_SURE = {"utf-8"}  # what others write cannot be read so by chance


def encoding_of(names: Sequence[bytes]) -> tuple[str, str]:
    """The codec and the words for the encoding in which some names are written, none of them in plain ASCII."""
    best, most = ENCODINGS[-2], -10.0
    for codec, words in ENCODINGS:
        try:
            read = [name.decode(codec) for name in names]
        except UnicodeDecodeError:
            continue
        if codec in _SURE:
            return codec, words
        fits = sum(map(_plausibility, read)) / len(read)
        if fits > most + 1e-6:
            best, most = (codec, words), fits
    return best


def _plausibility(name: str) -> float:
    """From -1, drawing signs and scripts mixed within a word, to 1, letters of one script."""
    foreign = [c for c in name if not c.isascii()]
    if not foreign:
        return 0.0
    letters = sum(c.isalpha() for c in foreign)
    odd = sum(unicodedata.name(c, "").startswith(_ODD) for c in foreign)
    words = _words(name)
    mixed = sum(map(_is_mixed, words)) / max(1, len(words))
    unlike = sum(a.islower() and b.isupper() for word in words for a, b in pairwise(word))
    return (letters - odd - 0.5 * unlike) / len(foreign) - mixed


def _words(name: str) -> list[str]:
    return "".join(c if c.isalpha() else " " for c in name).split()


def _is_mixed(word: str) -> bool:
    scripts = {unicodedata.name(c, "?").split()[0].partition("-")[0] for c in word}
    return len({"CJK" if script in _JAPANESE else script for script in scripts}) > 1
