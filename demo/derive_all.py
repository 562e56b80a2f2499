"""Writes what others send into demo/pictures, from the drawn pictures: a programme page as PDF, the printer's CMYK, a
telephone's HEIC, the word mark as SVG, a preview of the terraces, a near duplicate of the dome.

python demo/derive_all.py
"""

from pathlib import Path

import pillow_heif
import pyvips
from fontTools.pens.svgPathPen import SVGPathPen
from fontTools.pens.transformPen import TransformPen
from fontTools.ttLib import TTFont
from PIL import Image, ImageDraw, ImageFont, TiffImagePlugin

FOLDER = Path(__file__).parent / "pictures"
FACES = Path(__file__).parents[1] / "src/lucidex/core/source/fonts"
INK, GREEN, PAPER = "#1d2326", "#0f6a58", "#f5f2ea"
A5_AT_200 = (1_165, 1_654)
EVENINGS = (
    ("2 December", "The dome by lamplight", "A walk among the palms, and soup"),
    ("9 December", "Seeds that wait", "Swap what you have, take what you need"),
    ("16 December", "Orchids after dark", "With the keeper and his lantern"),
    ("22 December", "The longest night", "Doors open until ten, choir at eight"),
)


def face(size: int, weight: int = 400) -> ImageFont.FreeTypeFont:
    """The product's own face."""
    return ImageFont.truetype(str(FACES / f"hanken-grotesk-{weight}.ttf"), size)


def programme() -> None:
    """Two pages of A5: a cover with the dome, and the evenings."""
    cover = Image.new("RGB", A5_AT_200, PAPER)
    dome = Image.open(FOLDER / "dome-at-dusk.jpg")
    width, height = A5_AT_200[0], 1_000
    scale = height / dome.height
    left = int(dome.width * scale * 0.62 - width / 2)
    cover.paste(dome.resize((int(dome.width * scale), height)).crop((left, 0, left + width, height)), (0, 0))
    pen = ImageDraw.Draw(cover)
    pen.text((90, 1_090), "Winter evenings", INK, face(118, 700))
    pen.text((94, 1_240), "Marrow Lane Glasshouse", GREEN, face(54, 700))
    pen.text((94, 1_320), "Wednesdays in December, from six", INK, face(46))
    pen.line((94, 1_540, A5_AT_200[0] - 94, 1_540), INK, 3)
    inside = Image.new("RGB", A5_AT_200, "#ffffff")
    pen = ImageDraw.Draw(inside)
    pen.text((90, 110), "The evenings", INK, face(72, 700))
    for number, (day, title, words) in enumerate(EVENINGS):
        top = 290 + 310 * number
        pen.line((94, top - 30, A5_AT_200[0] - 94, top - 30), "#d6d0c1", 2)
        pen.text((94, top), day, GREEN, face(40, 700))
        pen.text((94, top + 62), title, INK, face(62, 700))
        pen.text((94, top + 148), words, "#565d5c", face(42))
    cover.save(
        FOLDER / "programme.pdf", "PDF", save_all=True, append_images=[inside], resolution=200, quality=80,
        creationDate=None, modDate=None,
    )  # fmt: skip


def from_the_printer() -> None:
    """The seed packet in printing inks, as the printer sent it back."""
    packet = pyvips.Image.thumbnail(str(FOLDER / "seed-packet.jpg"), 1_100, height=1_430)
    inks = packet.icc_transform("cmyk", input_profile="srgb", intent="perceptual")
    inks.jpegsave(str(FOLDER / "packet-for-print.jpg"), Q=82, optimize_coding=True, keep="icc")


def from_a_telephone() -> None:
    """The nave once more, upright, with where and when it was taken."""
    nave = Image.open(FOLDER / "IMG_0412.JPG")
    upright = nave.transpose(Image.Transpose.ROTATE_270).resize((1_512, 2_016))
    exif = Image.Exif()
    exif[0x010F], exif[0x0110] = "Fennel", "Pocket 4"
    exif.get_ifd(0x8769)[0x9003] = "2026:10:12 17:42:08"
    rational = TiffImagePlugin.IFDRational
    exif.get_ifd(0x8825).update(
        {1: "N", 2: (rational(12), rational(34), rational(0)), 3: "W", 4: (rational(31), rational(12), rational(0))}
    )
    pillow_heif.from_pillow(upright).save(str(FOLDER / "IMG_0415.HEIC"), quality=55, exif=exif.tobytes())


def word_mark() -> None:
    """The word mark in outlines."""
    font = TTFont(FACES / "hanken-grotesk-700.ttf")
    glyphs, names, scale = font.getGlyphSet(), font.getBestCmap(), 64 / font["head"].unitsPerEm
    at, paths = 92.0, []
    for letter in "Marrow Lane Glasshouse":
        glyph = glyphs[names[ord(letter)]]
        pen = SVGPathPen(glyphs, ntos=lambda number: f"{number:.1f}".rstrip("0").rstrip("."))
        glyph.draw(TransformPen(pen, (scale, 0, 0, -scale, at, 74)))
        paths.append(pen.getCommands())
        at += glyph.width * scale
    width = round(at + 12)
    FOLDER.joinpath("word-mark.svg").write_text(
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {width} 104" width="{width}" height="104">'
        f'<g fill="none" stroke="{GREEN}" stroke-width="5"><path d="M14 84V52a31 31 0 0 1 62 0v32z"/>'
        '<path d="M45 21v63M14 52h62M29 27q-7 25-7 57M61 27q7 25 7 57"/></g>'
        f'<path fill="{INK}" d="{"".join(paths)}"/></svg>\n'
    )


def copies() -> None:
    """A preview of the terraces, and the dome as somebody saved it for the site."""
    small = pyvips.Image.thumbnail(str(FOLDER / "terraces.jpg"), 240, height=160, size="force")
    small.jpegsave(str(FOLDER / "terraces-small.jpg"), Q=70)
    dome = pyvips.Image.thumbnail(str(FOLDER / "dome-at-dusk.jpg"), 1_500)
    dome.jpegsave(str(FOLDER / "dome-for-the-site.jpg"), Q=58, optimize_coding=True)


if __name__ == "__main__":
    for derive in (programme, from_the_printer, from_a_telephone, word_mark, copies):
        derive()
        print(derive.__name__, "written")
