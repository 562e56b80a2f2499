"""Words set in the product's own type."""

from pathlib import Path

from PIL import Image, ImageDraw, ImageFont

FONTS = Path(__file__).parents[2] / "src/lucidex/web/shell/static/fonts"


def font(size, weight=400, mono=False):
    """The shipped sans or mono at a size in pixels and a weight of 100 to 900."""
    name = "spline-sans-mono-latin-wght-normal.woff2" if mono else "hanken-grotesk-latin-wght-normal.woff2"
    face = ImageFont.truetype(str(FONTS / name), int(size))
    face.set_variation_by_axes([weight])
    return face


def spaced(draw, xy, text, face, fill, tracking):
    """Text with extra space between its letters; returns the width."""
    x, y = xy
    for letter in text:
        draw.text((x, y), letter, font=face, fill=fill)
        x += draw.textlength(letter, font=face) + tracking
    return x - xy[0] - tracking


def emblem(size, colour):
    """The house's sign: a dome of ribs over three lines of water, on clear ground."""
    big = size * 4
    sheet = Image.new("RGBA", (big, big), (0, 0, 0, 0))
    draw = ImageDraw.Draw(sheet)
    width = big // 42
    left, top, right, base = big * 0.1, big * 0.14, big * 0.9, big * 0.66
    height = 2 * (base - top)
    for share in (1.0, 0.66, 0.30):
        middle, half = big / 2, (right - left) / 2 * share
        draw.arc((middle - half, top, middle + half, top + height), 180, 360, fill=colour, width=width)
    draw.line((big / 2, top - big * 0.06, big / 2, base), fill=colour, width=width)
    rise = (base - top) * 0.48
    draw.line((left + big * 0.054, base - rise, right - big * 0.054, base - rise), fill=colour, width=width)
    for row, (start, end) in enumerate(((0.06, 0.94), (0.16, 0.84), (0.30, 0.70))):
        y = base + row * big * 0.085
        draw.line((big * start, y, big * end, y), fill=colour, width=width)
    return sheet.resize((size, size), Image.Resampling.LANCZOS)
