"""What is found while things are drawn onto a finished size: said on the bench and on the proof sheet."""

from enum import StrEnum

from pydantic import BaseModel, ConfigDict


class FindingKind(StrEnum):
    """What there is to be said."""

    HARD_TO_READ = "hard to read"
    SMALL = "small letters"
    SET_SMALLER = "set smaller"
    DIVIDED = "word divided"
    CUT = "cut off"
    LETTERS_MISSING = "letters missing"
    OTHER_FACE = "letters of another face"
    EMPTY_FIELD = "empty field"


class Finding(BaseModel):
    """Something that differs from what was asked for, or is hard to see.

    `amount` and `wanted` are what was measured and what would be right: a contrast ratio, pixels, or per cent;
    `named` is what it is about: letters, or the name of a field.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    kind: FindingKind
    amount: float = 0.0
    wanted: float = 0.0
    named: str = ""
