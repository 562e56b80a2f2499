"""Grounds: what shows where the picture is not. A colour, or clear."""

from typing import Annotated

from pydantic import Field

CLEAR = "clear"
Colour = tuple[int, int, int]
Ground = Annotated[str, Field(pattern=r"^(clear|#[0-9a-f]{6})$", description="clear, or a colour such as #d4d4d4")]
HexColour = Annotated[str, Field(pattern=r"^#[0-9a-f]{6}$", description="a colour such as #1d2326")]

_TYPED = {
    "white": "#ffffff",
    "black": "#000000",
    CLEAR: CLEAR,
    "transparent": CLEAR,
    # the basic colours of CSS Color Module Level 4, section 6.1, that people name
    "grey": "#808080",
    "silver": "#c0c0c0",
    "red": "#ff0000",
    "green": "#008000",
    "blue": "#0000ff",
    "yellow": "#ffff00",
    "navy": "#000080",
    "teal": "#008080",
    "maroon": "#800000",
    "olive": "#808000",
    "purple": "#800080",
    "orange": "#ffa500",
    "pink": "#ffc0cb",
    "brown": "#a52a2a",
    "beige": "#f5f5dc",
    "light grey": "#d3d3d3",
    "dark grey": "#a9a9a9",
    "dark green": "#006400",
    "dark red": "#8b0000",
    "dark blue": "#00008b",
    "light green": "#90ee90",
    "light blue": "#add8e6",
    "light yellow": "#ffffe0",
    "gold": "#ffd700",
    "ivory": "#fffff0",
    "cream": "#fffdd0",
}
_NAMES = {ground: words for words, ground in _TYPED.items() if words != "transparent"}
GROUND = rf"({'|'.join(sorted(_TYPED, key=len, reverse=True))}|#[0-9a-f]{{6}}|#[0-9a-f]{{3}})"  # as it is typed


def colour_of(ground: str) -> Colour | None:
    """Red, green and blue of a ground such as #d4d4d4, None for clear."""
    if ground == CLEAR:
        return None
    return int(ground[1:3], 16), int(ground[3:5], 16), int(ground[5:7], 16)


def ground_words(ground: str) -> str:
    """A ground in words: clear, the name of a basic colour, or the colour's number.

    >>> ground_words("#ffffff"), ground_words("#d4d4d4")
    ('white', '#d4d4d4')
    """
    return _NAMES.get(ground, ground)


def read_ground(text: str) -> str | None:
    """The ground meant by clear, the name of a basic colour, #rrggbb or #rgb; None for other words.

    >>> read_ground("white"), read_ground("#fa0"), read_ground("mauve")
    ('#ffffff', '#ffaa00', None)
    """
    if text.startswith("#") and len(text) == 4:
        return "#" + "".join(digit * 2 for digit in text[1:])
    return text if text.startswith("#") else _TYPED.get(text)
