"""What was found while words were drawn onto the finished size: hard to read, cut, set smaller, letters missing."""

from collections.abc import Callable

from lucidex.core.finish.findings import Finding, FindingKind
from lucidex.core.proof.warnings.base import Case, Found, ProofWarning, WayOut
from lucidex.core.units import format_number


def _hard_to_read(found: Finding) -> Found:
    measured, wanted = format_number(found.amount, 1), format_number(found.wanted, 1)
    return Found(
        "hard to read",
        f"The words are hard to read here: the contrast is {measured} : 1 where it is least; {wanted} is needed.",
    )


def _small(found: Finding) -> Found:
    size = format_number(found.amount, 0)
    return Found(f"letters {size} px small", f"The letters are only {size} pixels high here.")


def _smaller(found: Finding) -> Found:
    size, asked = format_number(found.amount, 0), format_number(found.wanted, 0)
    sentence = f"The words do not fit here at {asked} pixels; they are set at {size}."
    return Found("words set smaller", sentence)


def _divided(found: Finding) -> Found:
    return Found(
        "a word divided", f"No line here holds this in one piece, so it is divided with a hyphen: {found.named}"
    )


def _cut(found: Finding) -> Found:
    return Found("words cut off", "The words do not fit here at any size; the end of them is missing.")


def _missing(found: Finding) -> Found:
    return Found("letters missing", f"No face here has these letters, so they are left out: {found.named}")


def _other_face(found: Finding) -> Found:
    return Found(
        "letters of another face", f"The chosen face does not have these; another one gives them: {found.named}"
    )


def _empty(found: Finding) -> Found:
    return Found(
        f"{{{found.named}}} is empty", f"The words name {{{found.named}}}, and this picture says nothing there."
    )


_SAID: dict[FindingKind, Callable[[Finding], Found]] = {
    FindingKind.HARD_TO_READ: _hard_to_read,
    FindingKind.DIVIDED: _divided,
    FindingKind.CUT: _cut,
    FindingKind.SET_SMALLER: _smaller,
    FindingKind.SMALL: _small,
    FindingKind.LETTERS_MISSING: _missing,
    FindingKind.OTHER_FACE: _other_face,
    FindingKind.EMPTY_FIELD: _empty,
}
_REASONS = {
    FindingKind.HARD_TO_READ: "What cannot be told from its ground is not read.",
    FindingKind.DIVIDED: "Where a word is divided can change what is read first.",
    FindingKind.CUT: "Half a sentence says something else.",
    FindingKind.SET_SMALLER: "Small words are read by fewer people.",
    FindingKind.SMALL: "Letters of fewer than nine pixels blur.",
    FindingKind.LETTERS_MISSING: "A name without one of its letters is another name.",
    FindingKind.OTHER_FACE: "Letters of two faces in one word look like a mistake.",
    FindingKind.EMPTY_FIELD: "Something is missing that was meant to be there.",
}


def _warning(kind: FindingKind) -> ProofWarning:
    def find(case: Case) -> Found | None:
        findings = case.statistics.findings if case.statistics else ()
        return next((_SAID[kind](one) for one in findings if one.kind is kind), None)

    ways = (WayOut.PLATE, WayOut.OTHER_COLOUR) if kind is FindingKind.HARD_TO_READ else ()
    unless = frozenset({FindingKind.CUT.value}) if kind is FindingKind.SET_SMALLER else frozenset[str]()
    return ProofWarning(kind.value, _REASONS[kind], find, ways, unless)


HARD_TO_READ = _warning(FindingKind.HARD_TO_READ)
DIVIDED = _warning(FindingKind.DIVIDED)
CUT = _warning(FindingKind.CUT)
SET_SMALLER = _warning(FindingKind.SET_SMALLER)
SMALL = _warning(FindingKind.SMALL)
LETTERS_MISSING = _warning(FindingKind.LETTERS_MISSING)
OTHER_FACE = _warning(FindingKind.OTHER_FACE)
EMPTY_FIELD = _warning(FindingKind.EMPTY_FIELD)
ALL = (HARD_TO_READ, DIVIDED, CUT, SET_SMALLER, SMALL, LETTERS_MISSING, OTHER_FACE, EMPTY_FIELD)
