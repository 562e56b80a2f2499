"""Typed words in one form: small letters, British spelling, short units, one blank between words, numbers and signs.

`1,600×900px, “Grayscale”` becomes `1,600 x 900 px , greyscale`. Everything that reads typed words reads this form, so
that a pattern knows one spelling of each thing. Linear in the length of what is typed.
"""

import re
import unicodedata
from dataclasses import dataclass

_TOKEN = re.compile(
    r"#[0-9a-f]{6}(?![0-9a-f])|#[0-9a-f]{3}(?![0-9a-f])"  # colours
    r"|b[/&+]w(?![a-z])"
    r"|(?<![a-z])[abc]\d{1,2}(?![\d.,x]|[a-z])"  # sheets of paper
    r"|(?:(?<![\d.,)%])[+-])?\d{1,12}(?:[.,]\d{1,6})?"  # numbers, with a sign where no number stands right before it
    r"|[^\W\d_]+(?:'[^\W\d_]+)*"
    r"|\S"
)
_SIGNS = str.maketrans({"×": "x", "–": "-", "—": "-", "−": "-", "’": "'", "‘": "'", "“": '"', "”": '"', "„": '"'})
_SIGNS |= str.maketrans({"″": '"', "′": "'", "≤": "<", "⁄": "/", "∶": ":", "º": "°", "·": " ", "…": " ", "‑": "-"})
_LISTED = re.compile(r"(?<=\dx)(\d{1,5}),(?=\d{3,5} ?x ?\d)")  # 1600x900,800x600: two sizes, not a decimal comma
_THOUSANDS_DOT = re.compile(
    r"(?<![\d.,])([1-9]\d?)\.(\d{3})(?= ?(?:px|pixels?|[x*] ?(?:\d{3}|\d{1,2}\.\d{3}(?!\d))|by ?\d{3}|wide|high))"
)
_THOUSANDS = re.compile(r"(?<![\d.,])([1-9]\d?),(\d{3})(?= ?(?:px|pixels?|x ?\d|by ?\d|dpi|wide|high|kb))")
_TOGETHER = (
    (re.compile(r"\b(?:counter|anti)[- ]?clock ?wise\b"), "anticlockwise"),
    (re.compile(r"\bper cent\b"), "%"),
    (re.compile(r"\b(top|bottom) (?:centre|center|middle)\b"), r"\1"),
    (re.compile(r"\bminus (?=\d)"), "-"),
    (re.compile(r"\bplus (?=\d)"), "+"),
    (re.compile(r"(?<=\d),(?=\d{4})"), ", "),
    (re.compile(r"\b(?:pixels|pixel|px|dots) ?(?:per|/) ?inch\b"), "dpi"),
    (re.compile(r"\bblack ?& ?white\b"), "black and white"),
    (re.compile(r"(?<![\d.,)%])([+-]) (?=\d)"), r"\1"),  # a sign and a blank before its number
)
_UNIT_BEFORE_X = re.compile(r"(px|mm|cm|in|inch|m)x$")

SPELLINGS = {
    "gray": "grey",
    "broad": "wide",
    "breadth": "width",
    "filesize": "file size",
    "fullscreen": "full screen",
    "middle": "centre",
    "it's": "it",
    "grayscale": "greyscale",
    "color": "colour",
    "colors": "colours",
    "colored": "coloured",
    "colorful": "colourful",
    "colorless": "colourless",
    "decolor": "decolour",
    "center": "centre",
    "centered": "centred",
    "watercolor": "watercolour",
    "neutralize": "neutralise",
    "optimize": "optimise",
    "minimize": "minimise",
    "maximize": "maximise",
    "oversaturate": "oversaturated",
    "pixel": "px",
    "pixels": "px",
    "pxl": "px",
    "pix": "px",
    "millimetre": "mm",
    "millimetres": "mm",
    "millimeter": "mm",
    "millimeters": "mm",
    "centimetre": "cm",
    "centimetres": "cm",
    "centimeter": "cm",
    "centimeters": "cm",
    "inch": "in",
    "inches": "in",
    "ins": "in",
    "metres": "m",
    "percent": "%",
    "pct": "%",
    "procent": "%",
    "kilobyte": "kb",
    "kilobytes": "kb",
    "kbyte": "kb",
    "kbytes": "kb",
    "kib": "kb",
    "kbs": "kb",
    "megabyte": "mb",
    "megabytes": "mb",
    "mbyte": "mb",
    "mbytes": "mb",
    "meg": "mb",
    "megs": "mb",
    "mib": "mb",
    "mbs": "mb",
    "byte": "b",
    "bytes": "b",
    "ppi": "dpi",
    "megapixel": "mp",
    "megapixels": "mp",
    "mpx": "mp",
    "mpix": "mp",
    "mpixel": "mp",
    "degree": "°",
    "degrees": "°",
    "deg": "°",
    "bg": "background",
    "backgrounds": "background",
    "b/w": "bw",
    "b&w": "bw",
    "b+w": "bw",
    "email": "e mail",
    "autocrop": "auto crop",
    "autocontrast": "auto contrast",
    "autocolour": "auto colour",
    "autolevels": "auto levels",
    "autofix": "auto fix",
    "widescreen": "wide screen",
    "wordmark": "word mark",
    "letter-box": "letterbox",
    "ccw": "anticlockwise",
    "cw": "clockwise",
    "counterclockwise": "anticlockwise",
    "counter-clockwise": "anticlockwise",
    "dont": "do not",
    "don't": "do not",
    "doesn't": "not",
    "don": "do",
    "jpg's": "jpg",
    "colour's": "colours",
    "landscap": "landscape",
    "upside-down": "upside down",
    "horizontally": "horizontal",
    "vertically": "vertical",
    "horizontaly": "horizontal",
    "longer": "longest",
    "shorter": "shortest",
    "plz": "please",
    "pls": "please",
    "foto": "photo",
    "fullhd": "full hd",
    "ultrahd": "ultra hd",
}
_DROPPED = frozenset("?!()[]{}\"'`°=~_|\\;:.-") - frozenset(";:")


@dataclass(frozen=True)
class Token:
    """One word, number or sign, in the one form, and whether it stood right behind the one before it."""

    text: str
    glued: bool

    @property
    def is_number(self) -> bool:
        """Whether it is a number."""
        return self.text[-1].isdigit() and self.text[0] not in "#abc"


def tokens_of(text: str) -> list[Token]:
    """What was typed, token by token.

    >>> " ".join(token.text for token in tokens_of('4" x 6" Gray, −1,5°'))
    '4 in x 6 in grey , -1,5'
    """
    plain = unicodedata.normalize("NFKC", text.replace("½", " half ")).lower().translate(_SIGNS)
    for pattern, instead in _TOGETHER:
        plain = pattern.sub(instead, plain)
    plain = _THOUSANDS_DOT.sub(r"\1\2", plain)
    plain = _THOUSANDS.sub(r"\1\2", _LISTED.sub(r"\1, ", plain))
    raw = [(match.group(), match.start(), match.end()) for match in _TOKEN.finditer(plain)]
    found: list[Token] = []
    for index, (word, start, _) in enumerate(raw):
        before = raw[index - 1] if index else None
        after = raw[index + 1] if index + 1 < len(raw) else None
        glued = before is not None and before[2] == start
        if word == '"' and glued and found and found[-1].is_number:
            found.append(Token("in", True))
        elif word in _DROPPED or (word in "/:" and not (before and after and _are_numbers(before[0], after[0]))):
            continue
        elif word == "in" and after is not None and after[0] in {"width", "height"}:
            continue  # 800 in width: no inches
        elif word == "*" and found and found[-1].is_number:
            found.append(Token("x", glued))
        elif word == "@":
            found.append(Token("at", glued))
        elif word in {"&", "+"}:
            found.append(Token("and" if word == "&" else "+", glued))
        else:
            glued_number = glued and before is not None and before[0][-1:].isdigit()
            found += [Token(part, glued) for part in _words(word, glued_number)]
    return found


def in_one_form(text: str) -> str:
    """What was typed as one text: its tokens with single blanks between them."""
    return " ".join(token.text for token in tokens_of(text))


def _are_numbers(before: str, after: str) -> bool:
    return before[-1].isdigit() and after[0].isdigit()


def _words(word: str, behind_number: bool) -> list[str]:
    if behind_number and (unit := _UNIT_BEFORE_X.fullmatch(word)) is not None:
        return [SPELLINGS.get(unit[1], unit[1]), "x"]
    if behind_number and word == "k":
        return ["k"]
    spelt = SPELLINGS.get(word, word)
    return [part for part in spelt.split() if part != "°"]
