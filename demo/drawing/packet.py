"""A seed packet with a few spilled seeds on a sheet of grey paper, lit from the upper left."""

import math

import numpy as np
from numba import njit, prange
from PIL import Image, ImageDraw, ImageFilter

from drawing.leaf import leaf, shadow
from drawing.lettering import emblem, font, spaced
from drawing.noise import FAST, fbm, film, noise, smooth
from drawing.rosette import pebble

EDGE = 3000


@njit(parallel=True, **FAST)
def paper(edge):
    """Grey paper: fibres, a gentle fall of light, the shadow of a window bar."""
    out = np.empty((edge, edge, 3), np.float32)
    for row in prange(edge):
        for column in range(edge):
            x, y = column / edge, row / edge
            fibre = 0.5 * fbm(x * 260 + 40 * noise(x * 9, y * 9), y * 90, 4) + 0.5 * fbm(x * 80, y * 290, 4)
            light = 0.56 - 0.30 * math.hypot(x - 0.12, y - 0.08) + 0.05 * fbm(x * 2, y * 2, 3)
            bar = smooth(0.035, 0.10, abs(x * 0.62 + y * 0.4 - 0.93)) * 0.12 + 0.88
            value = light * (0.94 + 0.12 * fibre) * bar * 0.62
            out[row, column, 0] = value * 0.985
            out[row, column, 1] = value * 0.995
            out[row, column, 2] = value * 1.02
    return out


def flower(size):
    """Love-in-a-mist as it is printed on the packet: threads, petals, a crown of stamens."""
    random = np.random.default_rng(6)
    picture = np.full((size, size, 3), (0.80, 0.77, 0.66), np.float32)
    middle = size / 2
    for k in range(90):
        a = k * 2.399
        leaf(
            picture,
            middle,
            middle * 1.02,
            a,
            size * random.uniform(0.30, 0.47),
            size * 0.0045,
            0.7,
            random.normal(0, 0.25),
            np.array([0.20, 0.33, 0.15]),
            np.array([0.30, 0.42, 0.20]),
            0.95,
            0.0,
            0.0,
            k,
        )
    for ring, (count, length) in enumerate(((6, 0.36), (6, 0.30), (5, 0.22))):
        for k in range(count):
            a = (k + ring * 0.5) * 2 * math.pi / count + 0.2
            shadow(picture, middle, middle, a, size * length, size * length * 0.36, 1.4, 0.25, size * 0.01)
            leaf(
                picture,
                middle,
                middle,
                a,
                size * length,
                size * length * 0.36,
                1.4,
                0.02,
                np.array([0.42, 0.52, 0.80]) * (0.8 + 0.15 * ring),
                np.array([0.17, 0.27, 0.62]),
                0.98,
                0.03,
                0.8,
                k + 9.0 * ring,
            )
    for k in range(46):
        a = k * 2.399
        leaf(
            picture,
            middle,
            middle,
            a,
            size * random.uniform(0.08, 0.14),
            size * 0.006,
            1.6,
            random.normal(0, 0.2),
            np.array([0.10, 0.13, 0.30]),
            np.array([0.05, 0.04, 0.16]),
            0.9,
            0.05,
            0.0,
            k,
        )
    for k in range(5):
        leaf(
            picture,
            middle,
            middle,
            k * 1.257 - 0.3,
            size * 0.10,
            size * 0.02,
            1.2,
            0.3,
            np.array([0.28, 0.42, 0.12]),
            np.array([0.40, 0.48, 0.2]),
            1.0,
            0.1,
            0.3,
            k,
        )
    return Image.fromarray((np.clip(picture, 0, 1) ** (1 / 2.2) * 255).astype(np.uint8))


def label(width, height):
    """The printed front of the packet."""
    front = Image.new("RGB", (width, height), (226, 214, 186))
    draw_on = ImageDraw.Draw(front)
    ink = (38, 66, 54)
    draw_on.rectangle((0, 0, width, int(height * 0.115)), fill=(38, 66, 54))
    spaced(
        draw_on,
        (width * 0.085, height * 0.033),
        "SEED SWAP",
        font(width * 0.068, 640),
        (226, 214, 186),
        width * 0.014,
    )
    draw_on.text(
        (width * 0.735, height * 0.042),
        "No. 14",
        font=font(width * 0.048, 400, mono=True),
        fill=(226, 214, 186),
    )
    draw_on.text((width * 0.08, height * 0.145), "Love-in-a-mist", font=font(width * 0.118, 660), fill=ink)
    draw_on.text(
        (width * 0.083, height * 0.228),
        "Nigella damascena, blue",
        font=font(width * 0.05, 430),
        fill=(88, 96, 80),
    )
    edge = int(width * 0.84)
    front.paste(flower(edge), (int(width * 0.08), int(height * 0.292)))
    draw_on.rectangle(
        (width * 0.08, height * 0.292, width * 0.92, height * 0.292 + edge),
        outline=ink,
        width=max(2, width // 300),
    )
    y = height * 0.845
    front.paste(Image.new("RGB", (1, 1)), (0, 0))
    sign = emblem(int(width * 0.17), (*ink, 255))
    front.paste(sign, (int(width * 0.075), int(y + height * 0.012)), sign)
    draw_on.text(
        (width * 0.275, y + height * 0.018), "Marrow Lane Glasshouse", font=font(width * 0.054, 600), fill=ink
    )
    draw_on.text(
        (width * 0.275, y + height * 0.062),
        "Sow March to May, 2 mm deep",
        font=font(width * 0.042, 400),
        fill=(70, 80, 68),
    )
    draw_on.text(
        (width * 0.275, y + height * 0.096),
        "1.5 g  ·  height 45 cm",
        font=font(width * 0.036, 400, mono=True),
        fill=(70, 80, 68),
    )
    return front


def draw(scale=1.0):
    """The finished 8-bit picture."""
    edge = int(EDGE * scale)
    sheet = paper(edge)
    width, height = int(edge * 0.44), int(edge * 0.66)
    front = np.asarray(label(width, height)).astype(np.float32) / 255
    x, y = np.meshgrid(np.linspace(0, 1, width), np.linspace(0, 1, height))
    bulge = 0.86 + 0.22 * np.sin(np.pi * np.clip(x * 0.9 + 0.05, 0, 1)) ** 0.5 - 0.10 * x - 0.05 * y
    crease = 1 - 0.16 * np.exp(-(((y - 0.118) / 0.0025) ** 2)) + 0.10 * np.exp(-(((y - 0.123) / 0.003) ** 2))
    side = 1 - 0.10 * np.exp(-(((x - 0.025) / 0.004) ** 2)) + 0.08 * np.exp(-(((x - 0.975) / 0.006) ** 2))
    random = np.random.default_rng(2)
    tooth = 1 + random.normal(0, 0.012, (height, width))
    shade = (bulge * crease * side * tooth)[..., None]
    face = front**2.2 * shade * 0.60
    cut = Image.fromarray((np.clip(front, 0, 1) * 255).astype(np.uint8))
    mask = Image.new("L", cut.size, 0)
    inset = max(2, width // 200)
    ImageDraw.Draw(mask).rounded_rectangle(
        (inset, inset, width - inset, height - inset), radius=width // 60, fill=255
    )
    angle, place = 7.5, (int(edge * 0.235), int(edge * 0.125))
    turned_mask = mask.rotate(angle, Image.Resampling.BICUBIC, expand=True)
    full_mask = Image.new("L", (edge, edge), 0)
    full_mask.paste(turned_mask, place)
    for offset, blur, dark in ((0.006, 0.004, 0.42), (0.020, 0.020, 0.50)):
        fallen = Image.new("L", (edge, edge), 0)
        fallen.paste(turned_mask, (place[0] + int(edge * offset), place[1] + int(edge * offset * 1.2)))
        fallen = fallen.filter(ImageFilter.GaussianBlur(edge * blur))
        sheet *= 1 - dark * (np.asarray(fallen, np.float32) / 255)[..., None]
    for band in range(3):
        plane = Image.fromarray(face[..., band].astype(np.float32), mode="F").rotate(
            angle, Image.Resampling.BICUBIC, expand=True
        )
        full = Image.new("F", (edge, edge), 0)
        full.paste(plane, place)
        cover = np.asarray(full_mask, np.float32) / 255
        sheet[..., band] = sheet[..., band] * (1 - cover) + np.asarray(full) * cover
    for _ in range(64):
        sx, sy = edge * (0.80 + random.normal(0, 0.055)), edge * (0.855 + random.normal(0, 0.045))
        tone = random.uniform(0.014, 0.03)
        pebble(
            sheet,
            sx,
            sy,
            edge * random.uniform(0.0062, 0.0085),
            0.62,
            random.random() * 3.1,
            np.array([1.1, 1.0, 0.92]) * tone,
            1.0,
        )
    return film(sheet * 2.2, grain=0.010, seed=3)
