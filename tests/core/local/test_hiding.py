"""Hiding: what is hidden cannot be worked back, neither by undoing a blur nor by trying out what could be below."""

import random
from collections import Counter
from functools import cache
from pathlib import Path

import numpy as np
import pytest
from PIL import Image, ImageDraw, ImageFont

import lucidex.core.source.fonts
from lucidex.core.areas.area import Area
from lucidex.core.areas.shapes import Ellipse, Outline, Rectangle
from lucidex.core.geometry.sizes import Box, Size
from lucidex.core.source.derivation import StoredPixels
from lucidex.core.source.local.hiding import Hidden, Hiding, blocks_of
from lucidex.core.source.profiles import SRGB_CURVE, MatrixProfile
from lucidex.core.steps.hide import UNREADABLE_FROM, Hide
from tests.core.local.pixels import changed, lively

FACE = Path(lucidex.core.source.fonts.__file__).parent / "hanken-grotesk-700.ttf"
LETTERS, FIGURES = "ABCDEFGHJKLMNPRSTUVWXYZ", "0123456789"
FIRST = [
    "Ada",
    "Bo",
    "Cleo",
    "Dorothea",
    "Ewan",
    "Fay",
    "Gus",
    "Hilda",
    "Ines",
    "Jasper",
    "Kim",
    "Lottie",
    "Maximilian",
    "Nora",
    "Otto",
    "Pia",
    "Quentin",
    "Rosa",
]
LAST = [
    "Ash",
    "Birch",
    "Clover",
    "Dale",
    "Elderflower",
    "Fern",
    "Gale",
    "Heath",
    "Ivy",
    "Larkspur",
    "Moss",
    "Nettle",
    "Oakes",
    "Pine",
    "Quince",
    "Reed",
]
EVERYWHERE = Area(shapes=(Outline(points=((-0.1, -0.1), (1.1, -0.1), (1.1, 1.1), (-0.1, 1.1))),))
DEFAULT = Hide().strength / 100


@cache
def face(size: int) -> ImageFont.FreeTypeFont:
    return ImageFont.truetype(str(FACE), size)


def written(words: str, size: int, box: tuple[int, int]) -> np.ndarray:
    """A plate or a badge, as it lies in the original."""
    sheet = Image.new("RGB", box, (238, 226, 150))
    ImageDraw.Draw(sheet).text((box[0] / 2, box[1] / 2), words, (24, 26, 30), face(size), "mm")
    return np.asarray(sheet).copy()


def plates(count: int) -> list[np.ndarray]:
    drawn = random.Random(5)
    pick = lambda from_, many: "".join(drawn.choice(from_) for _ in range(many))  # noqa: E731
    words = [f"{pick(LETTERS, 3)} {pick(FIGURES, 2)} {pick(LETTERS, 2)}" for _ in range(count)]
    return [written(one, 70, (420, 96)) for one in words]


def names() -> list[np.ndarray]:
    return [written(f"{first} {last}", 34, (360, 80)) for first in FIRST for last in LAST]


@pytest.mark.parametrize("way", [Hidden.SOFTENED, Hidden.COARSENED])
@pytest.mark.parametrize("what", ["plates", "names"])
def test_trying_out_all_words_singles_none_out(way: Hidden, what: str) -> None:
    """Whoever knows the face, the place and the method draws each word, hides it and compares: far too many agree."""
    hiding = Hiding(EVERYWHERE, way, DEFAULT, "#000000")
    tried = plates(1_200) if what == "plates" else names()
    alike = Counter(changed(one, hiding).tobytes() for one in tried)
    assert len(alike) <= len(tried) / 30, "whoever guesses the best word below is right in few of a hundred cases"
    assert alike.most_common(1)[0][1] > len(tried) / 2, "most words look the same"


def test_a_weak_hiding_would_be_worked_back_which_is_why_it_is_said() -> None:
    weak = Hide(shapes=EVERYWHERE.shapes, strength=40)
    (hiding,) = weak.restorations()
    tried = plates(200)
    assert len({changed(one, hiding).tobytes() for one in tried}) > 150  # type: ignore[arg-type]
    assert weak.hides_weakly
    assert not Hide(shapes=EVERYWHERE.shapes, strength=UNREADABLE_FROM).hides_weakly


@pytest.mark.parametrize("way", [Hidden.SOFTENED, Hidden.COARSENED])
def test_no_deconvolution_brings_letters_back(way: Hidden) -> None:
    """The Wiener filter that undoes a known blur best, of any width, finds nothing that is like the plate."""
    plate = written("KTL 48 MN", 70, (420, 96))
    hidden = changed(plate, Hiding(EVERYWHERE, way, DEFAULT, "#000000")).astype(np.float64).mean(axis=2)
    truth = plate.astype(np.float64).mean(axis=2)
    ink = truth - truth.mean()
    fy, fx = np.meshgrid(np.fft.fftfreq(96), np.fft.fftfreq(420), indexing="ij")
    for sigma in (2, 5, 10, 20, 40):
        blur = np.exp(-2 * (np.pi * sigma) ** 2 * (fx**2 + fy**2))
        sharpened = np.fft.ifft2(np.fft.fft2(hidden - hidden.mean()) * blur / (blur**2 + 1e-4)).real
        spread = np.linalg.norm(sharpened) * np.linalg.norm(ink)
        assert abs((sharpened * ink).sum()) / max(spread, 1e-9) < 0.35


def test_only_few_numbers_are_kept_and_all_of_them_are_inside() -> None:
    pixels = lively(200, 300)
    area = Area(shapes=(Ellipse(width=0.5, height=0.3),))
    hiding = Hiding(area, Hidden.SOFTENED, DEFAULT, "#000000")
    box = hiding.box(Size(300, 200), 1)
    assert box is not None
    kept = hiding.block_averages(StoredPixels(pixels), box)
    assert kept.shape[:2] == blocks_of(box.size, DEFAULT)
    assert kept.shape[0] * kept.shape[1] <= 6
    other = pixels.copy()
    other[area.mask(StoredPixels(pixels).sight, Box(0, 0, Size(300, 200))) == 0] = 255 - pixels[0, 0]
    assert np.array_equal(kept, hiding.block_averages(StoredPixels(other), box)), "what is around decides nothing"


def test_within_the_drawn_area_nothing_of_the_original_shines_through() -> None:
    area = Area(shapes=(Rectangle(width=0.4, height=0.3),), edge=0.05)
    one, two = lively(200, 300, seed=1), lively(200, 300, seed=2)
    inside = area.model_copy(update={"edge": 0.0}).mask(StoredPixels(one).sight, Box(0, 0, Size(300, 200))) == 1
    two[~inside] = one[~inside]
    hiding = Hiding(area, Hidden.COVERED, 1.0, "#3366cc")
    assert np.array_equal(changed(one, hiding), changed(two, hiding))
    assert np.array_equal(changed(one, hiding)[inside], np.broadcast_to((0x33, 0x66, 0xCC), (inside.sum(), 3)))


def test_a_cover_has_its_colour_in_any_kind_of_pixels() -> None:
    area = Area(shapes=(Rectangle(width=0.4, height=0.3),))
    cover = Hiding(area, Hidden.COVERED, 1.0, "#3366cc")
    deep = changed(lively(60, 80, 3, np.uint16), cover)[30, 40]
    assert np.abs(deep / 257 - (0x33, 0x66, 0xCC)).max() < 0.5
    grey = changed(lively(60, 80, 1), cover)[30, 40, 0]
    assert abs(int(grey) - round(0.2126 * 0x33 + 0.7152 * 0x66 + 0.0722 * 0xCC)) <= 1
    swapped = MatrixProfile(
        ((0.3851, 0.7169, 0.0971), (0.1431, 0.0606, 0.7141), (0.4361, 0.2225, 0.0139)), (SRGB_CURVE,) * 3
    ).written()
    there = changed(lively(60, 80), cover, profile=swapped)[30, 40]
    assert np.abs(there.astype(int) - (0x66, 0xCC, 0x33)).max() <= 2, "green, blue and red lie in other bands there"


def test_strength_nought_is_identity() -> None:
    assert Hide(shapes=EVERYWHERE.shapes, strength=0).restorations() == ()
    assert Hide().restorations() == ()
