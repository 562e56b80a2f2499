"""Which face each letter is set in, and which words cannot be set at all."""

import re
import unicodedata
from collections.abc import Sequence
from dataclasses import dataclass

from lucidex.core.errors import OutOfRangeError
from lucidex.core.finish.text.faces import Face

MAX_LETTERS = 4_000  # of a text with its fields filled in
MAX_MARKS = 8  # on one letter: some scripts and phonetics need four
_JOINERS = frozenset({0x200C, 0x200D, *range(0xFE00, 0xFE10)})  # they shape the letters beside them
_MARKS = frozenset({"Mn", "Me"})  # Unicode's categories of marks upon letters
_UNSEEN = re.compile(r"[\s\u200b-\u200f\u2028\u2029\u202a-\u202e\u2060-\u2069\ufeff\u00ad]")
_CONTROL = re.compile(r"[\x00-\x08\x0b\x0c\x0e-\x1f\x7f-\x9f\ud800-\udfff\ufff9-\uffff]")


@dataclass(frozen=True)
class Run:
    """Neighbouring letters of one face."""

    face: Face
    text: str


@dataclass(frozen=True)
class Divided:
    """A text by faces. `missing` are letters that no face has, `other` those that are not of the first one."""

    runs: tuple[Run, ...]
    missing: str
    other: str


def settable(text: str) -> str:
    """A text as it is set: canonical composition, one kind of line end, no blanks around it.

    OutOfRangeError in words where it is too long, has control characters, or marks piled upon one letter.
    """
    if len(text) > MAX_LETTERS:
        raise OutOfRangeError(f"A text on a picture has at most {MAX_LETTERS} letters; this one has {len(text)}.")
    text = unicodedata.normalize("NFC", text.replace("\r\n", "\n").replace("\r", "\n").replace("\t", " "))
    if (control := _CONTROL.search(text)) is not None:
        raise OutOfRangeError(f"A control character (U+{ord(control[0]):04X}) cannot be set on a picture.")
    piled = 0
    for letter in text:
        piled = piled + 1 if unicodedata.category(letter) in _MARKS else 0
        if piled > MAX_MARKS:
            raise OutOfRangeError(f"More than {MAX_MARKS} marks are piled upon one letter of this text.")
    return "\n".join(line.rstrip() for line in text.split("\n")).strip("\n ")


def settable_part(text: str) -> tuple[str, bool]:
    """What of a text can be set, and whether that is less than all: of words that nobody could refuse any more."""
    kept: list[str] = []
    piled = 0
    for letter in text[:MAX_LETTERS]:
        piled = piled + 1 if unicodedata.category(letter) in _MARKS else 0
        if piled <= MAX_MARKS and not _CONTROL.match(letter):
            kept.append(letter)
    return settable("".join(kept)), len(kept) < len(text)


def divided(text: str, faces: Sequence[Face]) -> Divided:
    """A settable text with each letter, and the marks upon it, in the first of the faces that has all of it.

    What none has is left out of the runs and named.
    """
    runs: list[Run] = []
    missing, other = dict[str, None](), dict[str, None]()
    for cluster in _clusters(text):
        needed = {ord(letter) for letter in cluster if not _UNSEEN.match(letter)} - _JOINERS
        face = next((one for one in faces if needed <= one.letters), None)
        if face is None:
            missing[cluster] = None
            continue
        if not needed and runs:
            face = runs[-1].face  # blanks stay with what is before them
        if needed and face is not faces[0]:
            other[cluster] = None
        if runs and runs[-1].face is face:
            runs[-1] = Run(face, runs[-1].text + cluster)
        else:
            runs.append(Run(face, cluster))
    return Divided(tuple(runs), "".join(missing), "".join(other))


def _clusters(text: str) -> list[str]:
    """Letters with the marks and joiners that belong to them."""
    found: list[str] = []
    for letter in text:
        joins = unicodedata.category(letter).startswith("M") or ord(letter) in _JOINERS
        after_joiner = bool(found) and found[-1].endswith("\u200d")
        if found and (joins or after_joiner) and found[-1] not in {" ", "\n"}:
            found[-1] += letter
        else:
            found.append(letter)
    return found
