"""Hiding: what is hidden cannot be worked back, neither by undoing a blur nor by trying out what could be below."""

import io
import random
from functools import cache
from pathlib import Path

import numpy as np
import pytest
from PIL import Image, ImageDraw, ImageFont

import lucidex.core.source.fonts
from lucidex.core.areas.area import Area
from lucidex.core.areas.bridges import bridges, near_ones
from lucidex.core.areas.shapes import Ellipse, Outline, Rectangle
from lucidex.core.geometry.sizes import Box, Size
from lucidex.core.source.derivation import StoredPixels, restored
from lucidex.core.source.local.hiding import Hidden, Hiding, blocks_of
from lucidex.core.source.profiles import SRGB_CURVE, MatrixProfile
from lucidex.core.steps.composition import restorations_of
from lucidex.core.steps.hide import UNREADABLE_FROM, Hide, HideFaces
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


SHEET = (640, 240)
BOX = (120, 40)  # where the plate, or the badge, lies on a picture that goes on around it


def on_a_picture(words: np.ndarray, bands: int = 3) -> np.ndarray:
    """The same on a picture with something around it; or as letters in what is clear."""
    height, width = words.shape[:2]
    sheet = lively(SHEET[1], SHEET[0], bands, seed=4)
    if bands == 4:
        sheet[..., 3] = 0
        sheet[BOX[1] : BOX[1] + height, BOX[0] : BOX[0] + width, 3] = 255 - words.mean(axis=2)
    else:
        sheet[BOX[1] : BOX[1] + height, BOX[0] : BOX[0] + width] = words
    return sheet


def boxes(parts: int, width: int, height: int, gap: float = 0.0) -> tuple[Rectangle, ...]:
    """A row of rectangles over all of a plate, with so many pixels between them at the most."""
    each = width / parts
    return tuple(
        Rectangle(
            x=(BOX[0] + (number + 0.5) * each) / SHEET[0],
            y=(BOX[1] + height / 2) / SHEET[1],
            width=(each - gap) / SHEET[1],
            height=height / SHEET[1],
        )
        for number in range(parts)
    )


def delivered(sheet: np.ndarray, step: Hide) -> bytes:
    """What leaves: at half the size, as JPEG, and the pixels themselves."""
    pixels = restored(StoredPixels(sheet), restorations_of((step,)))
    file = io.BytesIO()
    flat = pixels[..., :3] if pixels.shape[2] < 4 else np.where(pixels[..., 3:] > 0, pixels[..., :3], 255)
    Image.fromarray(flat.astype(np.uint8)).resize((SHEET[0] // 2, SHEET[1] // 2)).save(file, "JPEG", quality=92)
    return pixels.tobytes() + file.getvalue()


@pytest.mark.long
@pytest.mark.parametrize("way", [Hidden.SOFTENED, Hidden.COARSENED, Hidden.COVERED])
@pytest.mark.parametrize("strength", [UNREADABLE_FROM, 100.0])
@pytest.mark.parametrize("parts", [1, 3, 9])
@pytest.mark.parametrize("bands", [3, 4])
def test_trying_out_all_words_tells_nothing_in_one_box_or_in_many(
    way: Hidden, strength: float, parts: int, bands: int
) -> None:
    """A box a word, a box a letter: whoever knows face, place and method gets the very same file for each word.

    As several boxes they were identified ten of ten times while each box kept a few numbers of its own.
    """
    tried = plates(5) + [np.asarray(Image.fromarray(one).resize((420, 96))) for one in names()[:5]]
    width, height = 420, 96
    step = Hide(shapes=boxes(parts, width, height), hidden=way, strength=strength, edge_percent=0)
    files = {delivered(on_a_picture(one, bands), step) for one in tried}
    assert len(files) == 1
    apart = [Hide(shapes=(box,), hidden=way, strength=strength) for box in step.shapes]
    drawn = {
        restored(StoredPixels(on_a_picture(one, bands)), restorations_of(tuple(apart))).tobytes()
        for one in tried[::3]
    }
    assert len(drawn) == 1, "as steps of their own, too"


@pytest.mark.parametrize(("gap", "is_one"), [(0.0, True), (6.0, True), (24.0, True), (60.0, False)])
def test_boxes_that_nearly_touch_on_one_line_are_hidden_as_one(gap: float, is_one: bool) -> None:
    """A slice of a letter between two boxes would be enough to go by."""
    step = Hide(shapes=boxes(4, 420, 96, gap), hidden=Hidden.COVERED, edge_percent=0)
    sheet = restored(StoredPixels(on_a_picture(plates(1)[0])), restorations_of((step,)))
    between = sheet[BOX[1] + 5 : BOX[1] + 90, BOX[0] + 40 : BOX[0] + 380]
    assert (np.ptp(between, axis=(0, 1)).max() == 0) == is_one


@pytest.mark.parametrize("way", [Hidden.SOFTENED, Hidden.COARSENED])
def test_between_boxes_with_gaps_only_what_is_visible_decides(way: Hidden) -> None:
    """Boxes that do not touch: what is below the next box is never looked at."""
    step = Hide(shapes=boxes(6, 420, 96, gap=12), hidden=way, edge_percent=0)
    sight, whole = StoredPixels(on_a_picture(plates(1)[0])).sight, Box(0, 0, Size(*SHEET))
    hidden = np.zeros((SHEET[1], SHEET[0]), bool)
    for shape in step.shapes:
        hidden |= Area(shapes=(shape,)).mask(sight, whole) > 0
    assert len(near_ones(step.area)) == len(step.restorations())
    first = on_a_picture(plates(1)[0])
    files = set()
    for number, one in enumerate(plates(8)):
        sheet = first.copy()
        sheet[hidden] = on_a_picture(one)[hidden] if number else lively(SHEET[1], SHEET[0], seed=9)[hidden]
        files.add(delivered(sheet, step))
    assert len(files) == 1


def test_what_goes_on_from_around_looks_like_it() -> None:
    """On a plain plate it is the plate's colour, on a gradient it goes on from both sides."""
    plain = np.full((120, 300, 3), (200, 150, 60), np.uint8)
    ramp = np.broadcast_to(np.linspace(20, 220, 300)[None, :, None], (120, 300, 3)).astype(np.uint8)
    step = Hide(shapes=(Rectangle(width=0.9, height=0.4),))
    for sheet, tolerance in ((plain, 12), (ramp, 30)):
        shown = restored(StoredPixels(sheet), restorations_of((step,))).astype(int)
        assert np.abs(shown - sheet)[60, 60:240].max() <= tolerance
    everything = Hide(shapes=EVERYWHERE.shapes)
    grey = restored(StoredPixels(plain), restorations_of((everything,)))
    assert np.abs(grey.astype(int) - 127).max() <= 12, "where nothing is visible nothing is made up"


def test_only_found_faces_keep_a_few_coarse_numbers_and_no_more() -> None:
    found = Ellipse(width=0.4, height=0.4, found=True)
    drawn = Rectangle(width=0.1, height=0.1, x=0.1, y=0.1)
    face, other = restorations_of((HideFaces(shapes=(found, drawn)),))
    assert isinstance(face, Hiding)
    assert isinstance(other, Hiding)
    assert (face.is_face, other.is_face) == (True, False)
    kept = face.blocks(StoredPixels(lively(90, 90)), Box(27, 27, Size(36, 36)))
    assert kept.shape[0] * kept.shape[1] <= 9
    beside = HideFaces(shapes=(found, found.model_copy(update={"x": 0.95})))
    assert bridges(beside.area, StoredPixels(lively(90, 90)).sight) == [], "two heads are not one thing"


@pytest.mark.long
def test_a_weak_hiding_would_be_worked_back_which_is_why_it_is_said() -> None:
    weak = Hide(shapes=EVERYWHERE.shapes, strength=40)
    (hiding,) = weak.restorations()
    tried = plates(40)
    assert len({changed(one, hiding).tobytes() for one in tried}) > 30  # type: ignore[arg-type]
    assert weak.hides_weakly
    assert not Hide(shapes=EVERYWHERE.shapes, strength=UNREADABLE_FROM).hides_weakly


@pytest.mark.parametrize("way", [Hidden.SOFTENED, Hidden.COARSENED])
def test_no_deconvolution_brings_letters_back(way: Hidden) -> None:
    """The Wiener filter that undoes a known blur best, of any width, finds nothing that is like the plate."""
    plate = written("KTL 48 MN", 70, (420, 96))
    weak = Hiding(EVERYWHERE, way, 0.5, "#000000")  # from 0.8 on there is nothing to bring back
    hidden = changed(plate, weak).astype(np.float64).mean(axis=2)
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
    hiding = Hiding(area, Hidden.SOFTENED, 0.7, "#000000")
    box = hiding.box(Size(300, 200), 1)
    assert box is not None
    kept = hiding.block_averages(StoredPixels(pixels), box)
    assert kept.shape[:2] == blocks_of(box.size, 0.7)
    assert kept.shape[0] * kept.shape[1] <= 12
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
