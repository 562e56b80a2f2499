"""Effects and cleanings: their formulas, strengths, clear areas, strips, and what a reduced preview is worth."""

from itertools import pairwise

import cv2
import numpy as np
import pytest
import pyvips

from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.geometry.sizes import Size
from lucidex.core.picture.effects import base
from lucidex.core.picture.effects.base import Effect, View
from lucidex.core.picture.effects.detail import LocalContrast, Sharpening, Softening
from lucidex.core.picture.effects.drawn import FINE_UNIT, Drawn, Manner
from lucidex.core.picture.effects.fill import FillClear
from lucidex.core.picture.effects.two_tone import TwoTone
from lucidex.core.picture.raster import Raster
from lucidex.core.places.demand import PlaceDemand
from lucidex.core.places.measures import Percent
from lucidex.core.source import restoration
from lucidex.core.source.denoising import CosineDenoising
from lucidex.core.source.derivation import StoredPixels, restored
from lucidex.core.source.restoration import Deconvolution
from lucidex.core.steps.base import PreviewClass, Step
from lucidex.core.steps.colour import Balance, BalanceByTone, BlackAndWhite, Saturation
from lucidex.core.steps.composition import restorations_of, treatment_of
from lucidex.core.steps.curve import Curve, Levels
from lucidex.core.steps.detail import Deconvolve, Denoise, LocalContrastStep, Sharpen, Soften
from lucidex.core.steps.drawn import DrawnStep
from lucidex.core.steps.looks import LookStep, all_looks
from lucidex.core.steps.tone import Exposure, Light, Range, ShadowsHighlights
from lucidex.core.steps.two_tone import InkColour, Measured, Paper, TwoToneStep
from tests.conftest import Pixels, picture, smooth_picture
from tests.core.effect_references import (
    deconvolved,
    gaussian,
    inked,
    local_contrast,
    pencilled,
    sharpened,
    two_toned,
)
from tests.core.rendering import rendered, source_of
from tests.core.test_attention import DEMO

WHOLE = PlaceDemand(measure=Percent(percent=100))
UNIT = 500.0  # drawn pixels of the shorter side, as if the little picture were a part of a large one


def detailed(width: int = 48, height: int = 40) -> Pixels:
    """Gradients, an edge and a little noise."""
    pixels = smooth_picture(width, height).astype(np.int16)
    pixels[:, width // 2 :] -= 60
    pixels += np.random.default_rng(3).integers(-6, 7, pixels.shape)
    return np.clip(pixels, 0, 255).astype(np.uint8)


@pytest.mark.parametrize(
    ("effect", "reference"),
    [
        (Sharpening(0.8, 0.7, 1.5), lambda p: sharpened(p, 0.8, 0.7, 1.5)),
        (Sharpening(3.0, 2.5, 0.0), lambda p: sharpened(p, 3.0, 2.5, 0.0)),
        (Softening(0.004), lambda p: gaussian(p.astype(np.float64), 2.0)),
        (LocalContrast(0.6, 0.006), lambda p: local_contrast(p, 0.6, 3)),
        (LocalContrast(-0.8, 0.01), lambda p: local_contrast(p, -0.8, 5)),
        (TwoTone(0.4, 0.3, False, False, (20, 30, 90)), lambda p: two_toned(p, 0.4, 0.3, (20, 30, 90))),
        (Drawn(Manner.PENCIL, 1.0, 1.0, False), lambda p: pencilled(p, FINE_UNIT)),
        (Drawn(Manner.INK, 1.0, 1.0, False), lambda p: inked(p, FINE_UNIT)),
    ],
    ids=lambda value: type(value).__name__ if isinstance(value, Effect) else "",
)
def test_an_effect_agrees_with_its_formula_in_float64(effect: Effect, reference) -> None:  # noqa: ANN001
    pixels = detailed()
    unit = FINE_UNIT if isinstance(effect, Drawn) else UNIT
    off = np.abs(effect.on(pixels, View(unit)).astype(np.float64) - np.clip(reference(pixels), 0, 255))
    # half a value is the rounding; OpenCV's Gaussians end after four standard deviations
    assert np.quantile(off, 0.99) <= 0.6
    assert off.max() <= 1.5


def test_bringing_back_agrees_with_its_formula() -> None:
    pixels = detailed()
    exact = np.clip(deconvolved(pixels, 1.2, 0.6), 0, 255)
    off = np.abs(restored(StoredPixels(pixels), (Deconvolution(1.2, 0.6),)).astype(np.float64) - exact)
    assert np.quantile(off, 0.99) <= 0.8
    assert off.max() <= 2.5


def test_less_noise_takes_noise_and_keeps_edges() -> None:
    clean = smooth_picture(300, 220).astype(np.float64)
    clean[60:160, 100:200] = 200
    noisy = np.clip(clean + np.random.default_rng(1).normal(0, 9, clean.shape), 0, 255).round().astype(np.uint8)
    errors, calm = [], []
    for strength in (0.0, 0.3, 0.6, 1.0):
        steps = (Denoise(strength=100 * strength),)
        calmed = restored(StoredPixels(noisy), restorations_of(steps))
        errors.append(float(np.sqrt(((calmed - clean) ** 2).mean())))
        calm.append(float((calmed[80:140, 120:180] - clean[80:140, 120:180]).std()))
    assert min(errors) < 0.5 * errors[0]
    assert all(later < earlier for earlier, later in pairwise(calm))
    assert calm[-1] < 0.12 * calm[0]
    edge = restored(StoredPixels(noisy), (CosineDenoising(1.0),)).astype(int)[100:120, 90:110].mean(axis=(0, 2))
    assert abs(edge[14:].mean() - 200) < 4, "the edge stays where it was, and as steep"


def test_detail_is_brought_back_as_far_as_honest() -> None:
    sharp = pyvips.Image.thumbnail(str(DEMO / "rosette.jpg"), 300).numpy().astype(np.float64)
    blurred = np.rint(gaussian(sharp, 1.2)).astype(np.uint8)
    back = restored(StoredPixels(blurred), (Deconvolution(1.2, 1.0),))
    before, after = (float(((one.astype(float) - sharp) ** 2).mean()) for one in (blurred, back))
    assert after < 0.8 * before
    flat = np.full((60, 60, 3), 120, np.uint8)
    assert np.abs(restored(StoredPixels(flat), (Deconvolution(2.0, 1.0),)).astype(int) - 120).max() <= 1, (
        "nothing is invented"
    )


RESTING: tuple[Step, ...] = (
    LocalContrastStep(amount=0),
    Sharpen(amount=0),
    Soften(radius_percent=0),
    DrawnStep(strength=0),
    Denoise(strength=0),
    Deconvolve(strength=0),
)


def test_steps_at_rest_change_no_byte() -> None:
    pixels = picture(40, 30)
    assert treatment_of(RESTING).effects == ()
    assert restorations_of(RESTING) == ()
    assert np.array_equal(rendered(source_of(pixels), WHOLE, *RESTING), pixels)


@pytest.mark.parametrize(
    "make",
    [
        lambda s: LocalContrastStep(amount=s),
        lambda s: LocalContrastStep(amount=-s),
        lambda s: Sharpen(amount=s),
        lambda s: Soften(radius_percent=s / 20),
        *(lambda s, m=manner: DrawnStep(manner=m, strength=s) for manner in Manner),
    ],
)
def test_a_stronger_effect_goes_further(make) -> None:  # noqa: ANN001
    pixels = detailed(160, 120)
    seen = [rendered(source_of(pixels), WHOLE, make(strength)).astype(float) for strength in (0, 25, 60, 100)]
    away = [np.abs(one - pixels).mean() for one in seen]
    assert away[0] == 0
    assert all(later > earlier for earlier, later in pairwise(away))


TREATING: tuple[Step, ...] = (
    Exposure(stops=0.7),
    Light(brightness=25, contrast=20),
    Range(black_percent=5, white_percent=8),
    ShadowsHighlights(shadows=40, highlights=-40),
    Balance(warmth=20, tint=-10),
    Saturation(saturation=20, vibrance=30),
    BalanceByTone(dark_warmth=-30, light_warmth=20),
    BlackAndWhite(),
    Levels(dark_percent=6, middle_percent=42, light_percent=93),
    Curve(all=((0, 0), (25, 18), (75, 83), (100, 100))),
    LookStep(recipe=all_looks()[1]),
    LocalContrastStep(amount=50),
    Sharpen(),
    Soften(radius_percent=1),
    *(DrawnStep(manner=manner) for manner in Manner),
)


@pytest.mark.parametrize("step", TREATING, ids=lambda step: type(step).__name__)
def test_clear_areas_stay_clear_and_do_not_bleed(step: Step) -> None:
    mark = np.zeros((60, 60, 4), np.uint8)
    mark[15:45, 15:45, :3] = detailed(30, 30)
    mark[15:45, 15:45, 3] = 255
    other = mark.copy()
    other[mark[..., 3] == 0, :3] = (255, 0, 120)  # another colour hidden where it is clear
    first, second = (rendered(source_of(one), WHOLE, step, ground=None) for one in (mark, other))
    if not isinstance(step, Soften):
        assert np.array_equal(first[..., 3], mark[..., 3])
    seen = first[..., 3] > 0
    assert np.array_equal(first[..., 3], second[..., 3])
    assert np.array_equal(first[seen], second[seen]), "what is hidden under clear pixels shows nowhere"


@pytest.mark.parametrize(
    "effect",
    [
        LocalContrast(0.7, 0.03),
        Softening(0.02),
        Sharpening(1.0, 1.0, 1.0),
        TwoTone(0.3, 0.2, True, True, (0, 0, 0)),
        *(Drawn(manner, 1.0, 1.0, False) for manner in Manner),
    ],
    ids=lambda effect: type(effect).__name__,
)
def test_strips_show_no_seams(effect: Effect, monkeypatch: pytest.MonkeyPatch) -> None:
    pixels = detailed(150, 400)
    whole = effect.on(pixels, View(150.0)).astype(int)
    monkeypatch.setattr(base, "WHOLE_UP_TO_PIXELS", 1)
    monkeypatch.setattr(base, "STRIP_PIXELS", 150 * 70)
    off = np.abs(effect.on(pixels, View(150.0)).astype(int) - whole)
    assert np.quantile(off, 0.999) <= 1
    assert off.mean() < 0.02


@pytest.mark.parametrize("manner", list(Manner))
def test_strips_of_a_picture_with_clear_parts_show_no_seams(manner: Manner, monkeypatch: pytest.MonkeyPatch) -> None:
    pixels = np.dstack([detailed(150, 400), np.zeros((400, 150), np.uint8)])
    pixels[120:190, 40:110, 3] = 255
    pixels[300:, :60, 3] = 128
    drawn = Drawn(manner, 1.0, 1.0, False)
    whole = drawn.on(pixels, View(150.0)).astype(int)
    monkeypatch.setattr(base, "WHOLE_UP_TO_PIXELS", 1)
    monkeypatch.setattr(base, "STRIP_PIXELS", 150 * 70)
    seen = pixels[..., 3] > 0
    assert np.abs(drawn.on(pixels, View(150.0)).astype(int) - whole)[seen].max() <= 1


@pytest.mark.parametrize(("amount", "most"), [(0.35, 2.0), (1.0, 5.0), (-1.0, 2.0)])
@pytest.mark.parametrize("sigma", [0.7, 2.0])
def test_local_contrast_draws_no_rim_beside_an_edge(amount: float, most: float, sigma: float) -> None:
    random = np.random.default_rng(6)
    step = np.where(np.arange(600) < 300, 60, 190).astype(np.float32)
    sharp = np.repeat(np.repeat(step[None, :, None], 120, axis=0), 3, axis=2)
    pixels = np.rint(cv2.GaussianBlur(sharp, (0, 0), sigma) + random.normal(0, 1.5, (120, 600, 1))).astype(np.uint8)
    moved = (LocalContrast(amount, 0.03).on(pixels, View(600.0)).astype(float) - pixels).mean(axis=(0, 2))
    beside = (np.abs(np.arange(600) - 300) > 3 * sigma) & (np.abs(np.arange(600) - 300) < 60)
    assert np.abs(moved[beside]).max() <= most


@pytest.mark.parametrize("one", [CosineDenoising(0.6), Deconvolution(1.5, 0.8)])
def test_cleaning_in_strips_shows_no_seams(
    one: restoration.WholeRestoration, monkeypatch: pytest.MonkeyPatch
) -> None:
    pixels = detailed(90, 300)
    whole = restored(StoredPixels(pixels), (one,)).astype(int)
    monkeypatch.setattr(restoration, "STRIP_PIXELS", 90 * 64)
    assert np.abs(restored(StoredPixels(pixels), (one,)).astype(int) - whole).max() <= 1


BOUNDS = {  # mean and 99 % of the difference between a preview and the reduced file, in code values
    PreviewClass.PIXEL_WISE: (0.7, 6.0),
    PreviewClass.SCALED: (1.0, 5.0),
    PreviewClass.SOURCE: (0.5, 2.0),
}
SOURCES: tuple[Step, ...] = (Denoise(strength=60), Deconvolve(strength=50))


@pytest.mark.long
@pytest.mark.parametrize("step", [*TREATING, *SOURCES], ids=lambda step: type(step).__name__)
def test_a_reduced_preview_is_worth_what_its_class_promises(step: Step) -> None:
    pixels = pyvips.Image.thumbnail(str(DEMO / "rosette.jpg"), 1200).numpy()
    pixels = restored(StoredPixels(pixels), restorations_of((step,)))
    source = source_of(pixels)
    small = PlaceDemand(measure=Percent(percent=30))
    file = rendered(source, WHOLE, step)
    reduced = rendered(source_of(file), small).astype(float)
    preview = rendered(source, small, step).astype(float)
    off = np.abs(reduced - preview)
    if step.preview_class is PreviewClass.FINISHED:
        assert isinstance(step, Sharpen | DrawnStep), "these are judged at 100 %, which the screen says"
        return
    mean, most = BOUNDS[step.preview_class]
    assert off.mean() <= mean
    assert np.quantile(off, 0.99) <= most


def raster(pixels: Pixels) -> Raster:
    return Raster(pixels, PictureGeometry.of(Size(pixels.shape[1], pixels.shape[0])))


def uneven_page(ink: tuple[int, int, int]) -> tuple[Pixels, np.ndarray]:
    """A greyish page, darker to the right, with strokes of ink; and where the ink is."""
    x = np.linspace(235, 120, 320)[None, :, None] * np.ones((200, 1, 3)) * (1, 0.98, 0.94)
    inked_here = np.zeros((200, 320), bool)
    for row in range(30, 180, 25):
        inked_here[row : row + 4, 20:300] = True
    page = np.where(inked_here[..., None], x / 255 * np.array(ink), x)
    page += np.random.default_rng(2).normal(0, 3, page.shape)
    return np.clip(page, 0, 255).astype(np.uint8), inked_here


@pytest.mark.parametrize("ink", [(40, 40, 45), (50, 70, 170)], ids=["black", "blue"])
def test_ink_of_any_colour_is_parted_from_uneven_paper(ink: tuple[int, int, int]) -> None:
    page, inked_here = uneven_page(ink)
    step = TwoToneStep(paper=Paper.CLEAR, ink=InkColour.OWN).found_on(raster(page))
    out = rendered(source_of(page), WHOLE, step, ground=None)
    clear = out[..., 3] < 128
    assert clear[~inked_here].mean() > 0.995, "paper is clear, light and dark alike"
    assert (~clear)[inked_here].mean() > 0.97
    red, _, blue = (int(value) for value in np.median(out[~clear][:, :3], axis=0))
    assert (blue > red + 30) == (ink[2] > 100), "its own colour"
    fixed = TwoToneStep(against=Measured.WHITE, automatic=False, threshold_percent=30)
    plain = rendered(source_of(page), WHOLE, fixed)
    assert set(np.unique(plain)) == {0, 255}
    assert (plain[~inked_here] == 0).mean() > 0.2, (
        "a fixed threshold fails on such a page, which is why it is a choice"
    )


def test_the_demo_signature_is_black_on_white_or_clear() -> None:
    scan = pyvips.Image.thumbnail(str(DEMO / "signature-scan.jpg"), 1024).numpy()
    found = TwoToneStep().found_on(raster(scan))
    white = rendered(source_of(scan), WHOLE, found)
    assert set(np.unique(white)) == {0, 255}
    assert 0.005 < (white == 0).mean() < 0.1
    assert (white[:40] == 255).all(), "no shade in the corner"


def test_a_colour_lies_under_everything_that_is_clear() -> None:
    pixels = picture(40, 30, 4, seed=9)
    out = FillClear((10, 200, 90)).on(pixels, View(30.0))
    alpha = pixels[..., 3:].astype(np.float64) / 255
    exact = pixels[..., :3] * alpha + np.array([10, 200, 90]) * (1 - alpha)
    assert out.shape == (30, 40, 3)
    assert np.abs(out - exact).max() <= 0.5 + 1e-9
    assert FillClear((0, 0, 0)).on(out, View(30.0)) is out


@pytest.mark.parametrize("grain", [2.0, 4.0, 7.0])
def test_a_grainy_scan_leaves_clear_paper_and_whole_ink(grain: float) -> None:
    """Clear is clear, without a haze, and ink is whole, however grainy and grey the paper is."""
    page = np.full((300, 500, 3), 214, np.uint8)
    page[140:150, 60:440] = (70, 60, 120)
    page[60:240, 250:254] = (70, 60, 120)
    noise = np.random.default_rng(3).normal(0, grain, page.shape)
    noisy = np.clip(page + noise, 0, 255).round().astype(np.uint8)
    for threshold in (0.15, 0.3):
        alpha = TwoTone(threshold, 0.2, True, True, (40, 40, 90)).on(noisy, View(300.0))[..., 3]
        away = cv2.dilate((page[..., 0] < 200).astype(np.uint8), np.ones((11, 11), np.uint8)) == 0
        assert (alpha[away] == 0).mean() > 0.999
        assert (alpha[page[..., 0] < 200] > 250).mean() > 0.99
