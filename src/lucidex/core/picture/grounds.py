"""Grounds: what shows where the picture is not. A colour, or clear."""

from typing import Annotated

from pydantic import Field

CLEAR = "clear"
Colour = tuple[int, int, int]
Ground = Annotated[str, Field(pattern=r"^(clear|#[0-9a-f]{6})$", description="clear, or a colour such as #d4d4d4")]
HexColour = Annotated[str, Field(pattern=r"^#[0-9a-f]{6}$", description="a colour such as #1d2326")]

_NAMES = {"#ffffff": "white", "#000000": "black", CLEAR: CLEAR}


def colour_of(ground: str) -> Colour | None:
    """Red, green and blue of a ground such as #d4d4d4, None for clear."""
    if ground == CLEAR:
        return None
    return int(ground[1:3], 16), int(ground[3:5], 16), int(ground[5:7], 16)


def ground_words(ground: str) -> str:
    """A ground in words: white, black, clear, or the colour's number.

    >>> ground_words("#ffffff"), ground_words("#d4d4d4")
    ('white', '#d4d4d4')
    """
    return _NAMES.get(ground, ground)


def read_ground(text: str) -> str | None:
    """The ground meant by white, black, clear or #rrggbb, or None."""
    names = {words: ground for ground, words in _NAMES.items()}
    return names.get(text, text if text.startswith("#") else None)
