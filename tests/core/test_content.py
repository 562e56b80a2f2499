"""Finding what lies on a plain or clear ground, trimming to it, and taking the ground away."""

import numpy as np
import pytest
import pyvips
from hypothesis import given, settings
from hypothesis import strategies as st

from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.geometry.sizes import Size
from lucidex.core.picture.content import find_content
from lucidex.core.picture.ground_surface import fit_ground
from lucidex.core.picture.raster import Raster
from lucidex.core.places.demand import PlaceDemand
from lucidex.core.places.measures import Percent
from lucidex.core.steps.clear_ground import ClearGround
from lucidex.core.steps.straighten import Straighten
from lucidex.core.steps.trim import Trim
from lucidex.core.steps.turn import Direction, Turn
from tests.conftest import Pixels
from tests.core.rendering import entries, rendered, source_of
from tests.core.test_attention import DEMO

WHOLE = PlaceDemand(measure=Percent(percent=100))


def page(width: int, height: int, tone: tuple[int, int, int], uneven: float = 0, grain: float = 0) -> Pixels:
    """A page of a colour, lit unevenly by so many code values."""
    x, y = np.meshgrid(np.linspace(-1, 1, width), np.linspace(-1, 1, height))
    light = uneven * (0.6 * x - 0.5 * y - 0.6 * x * x - 0.3 * y * y)
    noise = np.random.default_rng(3).normal(0, grain, (height, width, 1))
    return np.clip(np.array(tone) + light[..., None] + noise, 0, 255).astype(np.uint8)


def raster(pixels: Pixels) -> Raster:
    return Raster(pixels, PictureGeometry.of(Size(pixels.shape[1], pixels.shape[0])))


tones = st.sampled_from([(255, 255, 255), (20, 30, 40), (214, 210, 200), (0, 90, 160)])


@pytest.mark.long
@given(tones, st.integers(0, 80), st.integers(0, 60), st.integers(4, 60), st.integers(4, 60))
def test_the_bounds_of_a_mark_on_any_plain_colour_are_exact(
    tone: tuple[int, int, int], left: int, top: int, width: int, height: int
) -> None:
    pixels = page(200, 160, tone)
    pixels[top + 10 : top + 10 + height, left + 10 : left + 10 + width] = np.array((255, 0, 0)) ^ np.array((0, 0, 64))
    found = find_content(raster(pixels), 12)
    assert found is not None
    window = found.window
    assert (window.left, window.top, window.width, window.height) == (left + 10, top + 10, width, height)
    assert found.ground == "#{:02x}{:02x}{:02x}".format(*tone)


@pytest.mark.parametrize("uneven", [0, 30, 60])
def test_ink_is_found_under_uneven_light_with_grain_and_dust(uneven: float) -> None:
    pixels = page(900, 600, (200, 198, 190), uneven, grain=3)
    pixels[200:212, 150:700] = (40, 44, 90)
    pixels[190:300, 400:410] = (40, 44, 90)
    pixels[40, 60] = pixels[560, 880] = (60, 60, 60)
    pixels[:, :6] = (90, 90, 90)
    found = find_content(raster(pixels), 14)
    assert found is not None
    assert (found.window.left, found.window.top) == pytest.approx((150, 190), abs=1)
    assert (found.window.width, found.window.height) == pytest.approx((550, 110), abs=2)
    assert (found.ground is None) == (uneven > 0), "an uneven ground cannot be continued"


def test_on_clear_ground_what_is_not_clear_counts() -> None:
    pixels = np.zeros((90, 120, 4), np.uint8)
    pixels[30:50, 40:90] = (10, 100, 88, 255)
    found = find_content(raster(pixels), 12)
    assert found is not None
    assert (found.window.left, found.window.top, found.window.width, found.window.height) == (40, 30, 50, 20)
    assert found.ground == "clear"


def test_a_photograph_has_no_plain_ground_and_an_empty_page_no_content() -> None:
    random = np.random.default_rng(2).integers(0, 256, (80, 80, 3), dtype=np.uint8)
    assert fit_ground(raster(random)) is None
    assert find_content(raster(page(80, 80, (240, 240, 240))), 12) is None
    empty = Trim().found_on(raster(page(80, 80, (240, 240, 240))))
    geometry = empty.transform_geometry(PictureGeometry.of(Size(80, 80)))
    assert geometry.size == Size(80, 80)
    assert "Nothing was found" in geometry.remarks[0].sentence


def test_the_margin_goes_on_in_the_grounds_colour() -> None:
    pixels = page(100, 60, (10, 100, 88))
    pixels[5:55, 20:80] = (255, 255, 255)
    trim = Trim(margin_percent=50).found_on(raster(pixels))
    out = rendered(source_of(pixels), WHOLE, trim)
    assert out.shape == (110, 120, 3)
    assert (out[:25] == (10, 100, 88)).all()
    assert (out[30:80, 30:90] == 255).all()


@pytest.mark.long
@settings(max_examples=25)
@given(st.sampled_from(list(Direction)), st.floats(0, 30))
def test_what_was_found_stays_found_after_a_turn_before_it(direction: Direction, margin: float) -> None:
    pixels = page(300, 200, (255, 255, 255))
    pixels[60:90, 100:220] = 0
    trim = Trim(margin_percent=margin).found_on(raster(pixels))
    straight = trim.transform_geometry(PictureGeometry.of(Size(300, 200))).size
    turned = trim.transform_geometry(
        Turn(direction=direction).transform_geometry(PictureGeometry.of(Size(300, 200)))
    ).size
    assert turned == (straight if direction is Direction.HALF else straight.turned)


def demo_raster(file: str, *steps: Straighten) -> Raster:
    pixels = pyvips.Image.new_from_file(str(DEMO / file)).numpy()
    source = source_of(pixels)
    geometry = PictureGeometry.of(source.upright)
    for step in steps:
        geometry = step.transform_geometry(geometry)
    return Raster(rendered(source, PlaceDemand(measure={"by": "longest", "longest_px": 1024}), *steps), geometry)


def test_the_demo_signature_is_found_straightened_on_its_grey_page() -> None:
    found = find_content(demo_raster("signature-scan.jpg", Straighten(angle_degrees=4.2)), 12)
    assert found is not None
    assert 2.0 < found.window.width / found.window.height < 2.7
    assert 0.5 < found.window.width / 1024 < 0.7


def test_the_demo_drawing_is_found_on_white() -> None:
    found = find_content(demo_raster("section.png"), 12)
    assert found is not None
    scale = 1024 / 1800
    window = found.window
    assert (window.left, window.top) == pytest.approx((372 * scale, 385 * scale), abs=4)
    assert window.left + window.width == pytest.approx(1408 * scale, abs=4)
    assert found.ground == "#ffffff"


def test_a_cleared_ground_laid_on_itself_looks_as_before() -> None:
    """The promise of unmixing: nothing of the ink is lost, nothing of the page is left."""
    pixels = page(240, 160, (212, 208, 198), uneven=24)
    x, y = np.meshgrid(np.arange(240), np.arange(160))
    soft = np.clip((14 - np.abs(y - 80 - 20 * np.sin(x / 30))) / 6, 0, 1)[..., None]
    mixed = np.rint(pixels * (1 - soft) + np.array((30, 40, 110)) * soft).astype(np.uint8)
    step = ClearGround(tolerance_percent=4).found_on(raster(mixed))
    out = rendered(source_of(mixed), WHOLE, step).astype(np.float64)
    assert out.shape[2] == 4
    assert (out[:20, :, 3] == 0).all(), "the page is clear"
    assert (out[..., 3][soft[..., 0] == 1] == 255).all(), "full ink is whole"
    laid = out[..., :3] * out[..., 3:] / 255 + pixels * (1 - out[..., 3:] / 255)
    assert np.abs(laid - mixed).max() <= 255 * 0.04 + 3
    ink = out[..., :3][out[..., 3] > 128]
    assert np.abs(ink - (30, 40, 110)).mean() < 16, "the page's colour does not tint the edges"


def test_light_and_lively_parts_of_an_object_are_no_windows() -> None:
    random = np.random.default_rng(5)
    sheet = np.full((200, 260, 3), 244, np.uint8)
    sheet[50:150, 60:200] = random.integers(120, 225, (100, 140, 1), np.uint8)
    sheet[100, 120] = sheet[101, 121] = 244  # lights as bright as the page
    step = ClearGround().found_on(raster(sheet))
    alpha = rendered(source_of(sheet), WHOLE, step)[..., 3]
    assert (alpha[54:146, 64:196] == 255).all()
    assert (alpha[:46] == 0).all()


def test_a_wall_of_bricks_is_no_plain_ground() -> None:
    random = np.random.default_rng(6)
    wall = np.full((240, 300, 3), (150, 90, 70), np.float64) + random.normal(0, 2, (240, 300, 1))
    wall[::24] = wall[1::24] = wall[2::24] = wall[3::24] = 200
    for row in range(0, 240, 24):
        for column in range((row // 24 % 2) * 20, 300, 40):
            wall[row : row + 24, column : column + 5] = 200
    bricks = np.rint(wall.clip(0, 255)).astype(np.uint8)
    assert ClearGround().found_on(raster(bricks)).surface is None
    plain = np.full_like(bricks, 240)
    plain[60:, 100:200] = bricks[60:, 100:200]  # an object that is cut off below
    assert ClearGround().found_on(raster(plain)).surface is not None


def test_the_clearing_is_the_same_at_every_scale() -> None:
    pixels = page(400, 300, (220, 220, 214), uneven=18)
    pixels[100:200, 100:300] = (20, 30, 90)
    step = ClearGround().found_on(raster(pixels))
    large = rendered(source_of(pixels), WHOLE, step)[..., 3].astype(float)
    small = rendered(source_of(pixels), PlaceDemand(measure=Percent(percent=25)), step)[..., 3].astype(float)
    means = large.reshape(75, 4, 100, 4).mean(axis=(1, 3))
    assert np.abs(means - small).mean() < 1


def test_no_ground_found_is_said_and_changes_nothing() -> None:
    random = np.random.default_rng(2).integers(0, 256, (80, 80, 3), dtype=np.uint8)
    step = ClearGround().found_on(raster(random))
    assert np.array_equal(rendered(source_of(random), WHOLE, step), random)
    remark = step.remark(PictureGeometry.of(Size(80, 80)))
    assert remark is not None
    assert entries(step)[0].step == step


def test_the_tolerance_is_found_from_the_grounds_own_grain() -> None:
    """What is paler than a usual tolerance stays where the ground is even, and grain goes where it is not."""
    random = np.random.default_rng(7)
    for grain, pale in ((0.8, 12), (3.0, 30)):
        sheet = np.full((240, 320, 3), 225, np.float64) + random.normal(0, grain, (240, 320, 1))
        sheet[70:170, 90:230] -= pale
        pixels = np.rint(sheet).astype(np.uint8)
        step = ClearGround(automatic=True).found_on(raster(pixels))
        alpha = rendered(source_of(pixels), WHOLE, step)[..., 3]
        assert (alpha[75:165, 95:225] == 255).mean() > 0.999, "the object is whole"
        assert (alpha[:60] > 0).mean() < 0.002, "the ground is gone"
    assert (
        step.tolerance_percent
        > ClearGround(automatic=True).found_on(raster(page(320, 240, (225, 225, 225)))).tolerance_percent
    )
    by_hand = ClearGround(tolerance_percent=20).found_on(raster(pixels))
    assert by_hand.tolerance_percent == 20


def test_a_soft_shadow_is_ground_and_a_thing_in_it_is_not() -> None:
    random = np.random.default_rng(8)
    rows, columns = np.mgrid[0:300, 0:400] / 400
    shade = 1 - 0.25 * np.exp(-(((columns - 0.6) ** 2 + (rows - 0.45) ** 2) / 0.03))
    wall = np.array([205.0, 198, 188]) * shade[..., None] + random.normal(0, 1.5, (300, 400, 1))
    wall[120:220, 180:260] = (60, 90, 70)
    pixels = np.rint(wall).astype(np.uint8)
    step = ClearGround(automatic=True).found_on(raster(pixels))
    alpha = rendered(source_of(pixels), WHOLE, step)[..., 3]
    assert (alpha[124:216, 184:256] == 255).all()
    away = np.hypot(rows - 0.425, columns - 0.55) > 0.17
    assert (alpha[away] > 0).mean() < 0.01
    assert step.shadows is not None
    even = ClearGround(automatic=True).found_on(raster(page(320, 240, (225, 225, 225), uneven=20)))
    assert even.surface is not None
    assert even.shadows is None
