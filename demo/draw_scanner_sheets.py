"""Draws what can be laid on the simulated scanner's glass into demo/scanner: clean sheets, as they lie on a desk.

The scanner itself adds what a scan adds: the light, the paper's grain, the slant.

python demo/draw_scanner_sheets.py
"""

import math
import sys
from pathlib import Path

import cv2
import numpy as np
from PIL import Image, ImageDraw

sys.path.insert(0, str(Path(__file__).parent))

from drawing.lettering import emblem, font
from drawing.signature import STROKES, curve

FOLDER = Path(__file__).parent / "scanner"
DPI = 600
A5 = (3_496, 2_480)  # wide, at 600 dpi
BLUE, INK = (34, 44, 122), (29, 35, 38)


def pen_strokes(size, strokes, thickness, seed):
    """Ink of a pen along strokes: 0 to 1, thicker where the pen goes down, uneven where it is lifted."""
    random = np.random.default_rng(seed)
    finer = 2
    ink = np.zeros((size[1] * finer, size[0] * finer), np.uint8)
    for stroke in strokes:
        line = curve(np.array(stroke, float), 60)
        ahead = np.gradient(line, axis=0)
        down = ahead[:, 1] / (np.hypot(*ahead.T) + 1e-6)
        widths = thickness * (1 + 0.7 * np.clip(down, -0.4, 1) + 0.08 * np.sin(np.arange(len(line)) / 9))
        taper = np.clip(np.minimum(np.arange(len(line)), np.arange(len(line))[::-1]) / 14, 0.35, 1)
        for start, end, width in zip(line, line[1:], widths * taper):
            a, b = (tuple(int(v * finer) for v in p) for p in (start, end))
            cv2.line(ink, a, b, 255, max(2, int(width * finer)), cv2.LINE_AA)
    ink = cv2.resize(ink, size, interpolation=cv2.INTER_AREA).astype(np.float32) / 255
    blots = cv2.resize(random.normal(0, 1, (size[1] // 8, size[0] // 8)).astype(np.float32), size)
    return ink * np.clip(0.9 + 0.12 * blots, 0.62, 1)


def on_white(ink, colour):
    """Ink of a colour on white paper."""
    sheet = 255 * (1 - ink[..., None]) + np.array(colour, np.float32) * ink[..., None]
    return Image.fromarray(np.clip(np.rint(sheet / 5) * 5, 0, 255).astype(np.uint8))


def signature():
    """A signature in blue ink on an empty sheet of A5."""
    scaled = [[(x * 1.05 + 260, y * 1.05 + 180) for x, y in stroke] for stroke in STROKES]
    return on_white(pen_strokes(A5, scaled, 9.5, 4), BLUE)


def logo():
    """The emblem drawn by hand with a broad pen, and the name under it in capitals of a patient hand."""
    random = np.random.default_rng(9)
    middle, base, strokes = 1_748, 1_330, []

    def wobbling(points, by=7):
        return [(x + random.normal(0, by), y + random.normal(0, by)) for x, y in points]

    for share in (1.0, 0.64, 0.3):
        angles = np.linspace(math.pi, 2 * math.pi, 15)
        strokes.append(wobbling([(middle + 760 * share * math.cos(a), base + 900 * math.sin(a)) for a in angles]))
    strokes.append(wobbling([(middle, base - 985), (middle + 3, base - 500), (middle - 4, base - 8)]))
    strokes.append(wobbling([(middle - 700, base - 430), (middle, base - 436), (middle + 696, base - 428)]))
    for row, half in enumerate((880, 640, 380)):
        xs = np.linspace(-half, half, 9)
        strokes.append([(middle + x, base + 40 + 110 * row + 16 * math.sin(i * 1.5 + row)) for i, x in enumerate(xs)])
    ink = pen_strokes(A5, strokes, 20, 6)
    words = Image.new("L", A5, 0)
    ImageDraw.Draw(words).text((middle, 1_900), "MARROW LANE", 255, font(260, 560), "mm")
    bent = cv2.GaussianBlur(random.normal(0, 1, (A5[1] // 40, A5[0] // 40)).astype(np.float32), (0, 0), 1.4)
    shift = cv2.resize(bent, A5, interpolation=cv2.INTER_CUBIC) * 9
    x, y = np.meshgrid(np.arange(A5[0], dtype=np.float32), np.arange(A5[1], dtype=np.float32))
    by_hand = cv2.remap(np.asarray(words), x + shift, y + np.roll(shift, 90, 1), cv2.INTER_LINEAR)
    return on_white(np.maximum(ink, by_hand.astype(np.float32) / 255 * 0.96), INK)


def form():
    """A registration form for a workshop, filled in by hand and signed."""
    width, height = A5[1], A5[0]
    sheet = Image.new("RGB", (width, height), "white")
    draw = ImageDraw.Draw(sheet)
    sheet.paste(emblem(300, (24, 62, 52, 255)), (170, 190), emblem(300, (24, 62, 52, 255)))
    draw.text((520, 220), "Marrow Lane Glasshouse", INK, font(112, 640))
    draw.text((522, 370), "Registration for a workshop", (86, 93, 92), font(80, 420))
    rows = (
        ("Name", "Edda Marling"),
        ("Workshop", "Ferns from spores"),
        ("Day", "14 November, at two"),
        ("Persons", "2"),
    )
    for number, (label, answer) in enumerate(rows):
        top = 720 + 330 * number
        draw.text((180, top), label, (86, 93, 92), font(64, 460))
        draw.line((180, top + 210, width - 180, top + 210), INK, 4)
        written = Image.new("L", (width, 300), 0)
        hand = font(128, 380)
        ImageDraw.Draw(written).text((640, 60), answer, 255, hand)
        lean = written.transform(
            written.size, Image.Transform.AFFINE, (1, 0.28, -40, 0, 1, 0), Image.Resampling.BICUBIC
        )
        sheet.paste(Image.new("RGB", lean.size, BLUE), (0, top - 20), lean)
    for number, words in enumerate(("I bring a pot of my own", "I would like soup at noon")):
        top = 2_130 + 190 * number
        draw.rectangle((180, top, 270, top + 90), outline=INK, width=6)
        draw.text((330, top + 44), words, INK, font(72, 430), "lm")
        if number == 0:
            for line in (((190, 2_180), (222, 2_212)), ((222, 2_212), (300, 2_090))):
                draw.line(line, BLUE, 14)
    draw.text((180, 2_640), "Signature", (86, 93, 92), font(64, 460))
    draw.line((180, 3_130, width - 180, 3_130), INK, 4)
    small = [[(x * 0.62 + 420, y * 0.62 + 2_470) for x, y in stroke] for stroke in STROKES]
    ink = pen_strokes((width, height), small, 7, 5)
    pixels = np.asarray(sheet, np.float32) * (1 - ink[..., None]) + np.array(BLUE, np.float32) * ink[..., None]
    return Image.fromarray(np.clip(np.rint(pixels / 5) * 5, 0, 255).astype(np.uint8))


def main():
    """Draw all of them."""
    FOLDER.mkdir(exist_ok=True)
    for name, made in (("signature", signature), ("logo", logo), ("form", form)):
        sheet = made().quantize(64, dither=Image.Dither.NONE)
        sheet.save(FOLDER / f"{name}.png", dpi=(DPI, DPI), optimize=True)
        print(name, "drawn")


if __name__ == "__main__":
    main()
