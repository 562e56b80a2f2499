"""The word mark of Marrow Lane Glasshouse on a clear ground."""

import numpy as np
from PIL import Image, ImageDraw

from drawing.lettering import emblem, font, spaced

WIDTH, HEIGHT = 2400, 640
INK = (24, 62, 52, 255)


def draw(scale=1.0):
    """8-bit with alpha."""
    sheet = Image.new("RGBA", (WIDTH * 2, HEIGHT * 2), (24, 62, 52, 0))
    sheet.alpha_composite(emblem(1040, INK), (90, 120))
    draw_on = ImageDraw.Draw(sheet)
    spaced(draw_on, (1250, 205), "Marrow Lane", font(500, 620), INK, -6)
    spaced(draw_on, (1262, 790), "GLASSHOUSE", font(228, 430), INK, 172)
    size = int(WIDTH * scale), int(HEIGHT * scale)
    small = sheet.resize(size, Image.Resampling.LANCZOS)
    return np.asarray(small)
