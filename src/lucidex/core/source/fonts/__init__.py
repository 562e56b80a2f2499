"""The faces that letters in drawings are drawn in."""

from pathlib import Path

FONTS = Path(__file__).parent
FONTS_LIST = FONTS / "fonts.conf"
