"""The faces that letters in drawings are drawn in."""

from pathlib import Path

FONTS = Path(__file__).resolve().parent
FACES = tuple(sorted(FONTS.glob("*.ttf")))
FONTS_LIST = FONTS / "fonts.conf"
