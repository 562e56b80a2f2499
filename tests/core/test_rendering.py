"""What comes out of the one resampling: passes through untouched, averages truly, keeps clear areas clean."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from lucidex.core.document import Framing
from lucidex.core.geometry.fit import Rule
from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.geometry.sizes import Size
from lucidex.core.geometry.transform import uprighting
from lucidex.core.places.demand import PlaceDemand
from lucidex.core.places.measures import ExactSize, Percent
from lucidex.core.source.pyramid import RESIDUAL, level_for, levels_of
from lucidex.core.steps.base import Step
from lucidex.core.steps.crop import Crop, PixelArea, ShapeArea, SidesArea
from lucidex.core.steps.turn import Direction, Mirror, Sides, Turn
from tests.conftest import Pixels, picture, smooth_picture
from tests.core.rendering import rendered, source_of

WHOLE = PlaceDemand(measure=Percent(percent=100))
TURNS = {Direction.RIGHT: -1, Direction.LEFT: 1, Direction.HALF: 2}
sides = st.integers(1, 40)
moves = st.one_of(
    st.sampled_from(Direction).map(lambda d: Turn(direction=d)), st.sampled_from(Sides).map(lambda s: Mirror(sides=s))
)


def in_numpy(pixels: Pixels, step: Step) -> Pixels:
    """The same turn or mirroring by NumPy: the independent reference."""
    if isinstance(step, Turn):
        return np.rot90(pixels, TURNS[step.direction])
    assert isinstance(step, Mirror)
    return pixels[:, ::-1] if step.sides is Sides.LEFT_RIGHT else pixels[::-1]


@given(sides, sides, st.lists(moves, max_size=6))
def test_turns_and_mirrors_move_every_pixel_and_change_none(width: int, height: int, steps: list[Step]) -> None:
    pixels = picture(width, height)
    expected = pixels
    for step in steps:
        expected = in_numpy(expected, step)
    assert np.array_equal(rendered(source_of(pixels), WHOLE, *steps), expected)


@pytest.mark.parametrize("direction", list(Direction))
def test_four_turns_are_none(direction: Direction) -> None:
    pixels = picture(31, 17)
    assert np.array_equal(rendered(source_of(pixels), WHOLE, *[Turn(direction=direction)] * 4), pixels)


@pytest.mark.parametrize("orientation", range(1, 9))
def test_every_orientation_flag_is_honoured(orientation: int) -> None:
    upright = picture(23, 11)
    # what a camera would have stored so that the flag brings the upright picture back (CIPA DC-008, table 6)
    stored = {
        1: upright,
        2: upright[:, ::-1],
        3: upright[::-1, ::-1],
        4: upright[::-1],
        5: upright.transpose(1, 0, 2),
        6: np.rot90(upright, 1),
        7: np.rot90(upright, 2).transpose(1, 0, 2),
        8: np.rot90(upright, -1),
    }[orientation]
    assert np.array_equal(rendered(source_of(stored, orientation), WHOLE), upright)


@given(
    st.integers(1, 60), st.integers(1, 60), st.integers(1, 60), st.integers(1, 60), st.floats(0, 1), st.floats(0, 1)
)
def test_a_crop_in_pixels_passes_them_through(w: int, h: int, cw: int, ch: int, x: float, y: float) -> None:
    pixels = picture(w, h)
    out = rendered(source_of(pixels), WHOLE, Crop(area=PixelArea(width_px=cw, height_px=ch, centre_x=x, centre_y=y)))
    width, height = min(cw, w), min(ch, h)
    assert out.shape[:2] == (height, width)
    views = (pixels[i : i + height, j : j + width] for i in range(h - height + 1) for j in range(w - width + 1))
    assert any(np.array_equal(out, view) for view in views)


@given(st.integers(1, 60), st.integers(1, 60), *[st.integers(0, 70)] * 4)
def test_pixels_off_each_side_leave_the_rest_untouched(
    w: int, h: int, left: int, top: int, right: int, bottom: int
) -> None:
    pixels = picture(w, h)
    area = SidesArea(left_px=left, top_px=top, right_px=right, bottom_px=bottom)
    out = rendered(source_of(pixels), WHOLE, Crop(area=area))
    if left + right < w and top + bottom < h:
        assert np.array_equal(out, pixels[top : h - bottom, left : w - right])
    assert out.shape[:2] == (max(1, h - top - bottom), max(1, w - left - right))


def test_a_turn_inserted_before_a_crop_keeps_its_content() -> None:
    pixels = picture(60, 40)
    crop = Crop(area=ShapeArea(across=1, down=1, centre_x=0.25, centre_y=0.5, zoom=2))
    before = rendered(source_of(pixels), WHOLE, crop)
    after = rendered(source_of(pixels), WHOLE, Turn(direction=Direction.RIGHT), crop)
    assert np.array_equal(after, np.rot90(before, -1))


def test_a_place_of_the_pictures_own_pixels_is_passed_through() -> None:
    pixels = picture(120, 80)
    out = rendered(source_of(pixels), PlaceDemand(measure=ExactSize(width_px=120, height_px=80)))
    assert np.array_equal(out, pixels)


@pytest.mark.long
@pytest.mark.parametrize(("width", "height"), [(640, 400), (333, 777), (97, 31), (1600, 160)])
def test_reduction_agrees_with_a_float_reference(width: int, height: int) -> None:
    """A window's mean colour is kept to half a code value, whatever the scale and the level used."""
    pixels = smooth_picture(2048, 1536)
    out = rendered(source_of(pixels), PlaceDemand(measure=ExactSize(width_px=width, height_px=height)))
    shown = Framing().window(PictureGeometry.of(Size(2048, 1536)), Size(width, height))
    left, top = round(shown.left), round(shown.top)
    part = pixels[top : top + round(shown.height), left : left + round(shown.width)].astype(np.float64)
    assert np.abs(out.astype(np.float64).mean((0, 1)) - part.mean((0, 1))).max() < 0.5


def test_every_pixel_lands_where_the_reference_puts_it() -> None:
    """Against Pillow's own Lanczos over the same window: no shift, at several levels."""
    pixels = smooth_picture(1800, 1200)
    for width, height in ((900, 600), (450, 300), (210, 140), (90, 60)):
        out = rendered(source_of(pixels), PlaceDemand(measure=ExactSize(width_px=width, height_px=height)))
        reference = np.asarray(Image.fromarray(pixels).resize((width, height), Image.Resampling.LANCZOS))
        assert np.abs(out.astype(int) - reference.astype(int)).max() <= 3, (width, height)


def test_clear_pixels_do_not_bleed() -> None:
    """Invariant 7: red hidden under full transparency never tints the visible edge."""
    pixels = np.zeros((200, 200, 4), np.uint8)
    pixels[..., 0] = 255
    pixels[:, 100:] = (0, 0, 255, 255)
    out = rendered(source_of(pixels), PlaceDemand(measure=ExactSize(width_px=33, height_px=33)))
    visible = out[out[..., 3] > 8]
    assert visible[:, 0].max() <= 2
    assert visible[:, 2].min() >= 250


def test_show_whole_keeps_the_ground_around() -> None:
    demand = PlaceDemand(measure=ExactSize(width_px=90, height_px=30), rule=Rule.CONTAIN)
    out = rendered(source_of(picture(50, 50)), demand, ground=(10, 200, 30))
    assert (out[:, :30] == (10, 200, 30)).all()
    assert (out[:, 60:] == (10, 200, 30)).all()
    clear = rendered(source_of(picture(50, 50)), demand, ground=None)
    assert (clear[:, :30, 3] == 0).all()
    assert (clear[:, 30:60, 3] == 255).all()


@given(st.integers(1, 40_000), st.integers(1, 40_000), st.floats(0.01, 5_000))
def test_a_level_leaves_the_resampling_most_of_its_work(width: int, height: int, reduction: float) -> None:
    stored = Size(width, height)
    level = level_for(stored, reduction)
    assert level in levels_of(stored)
    assert level == 1 or reduction / level >= RESIDUAL


def test_uprighting_ignores_nonsense() -> None:
    assert uprighting(Size(3, 2), 99) == uprighting(Size(3, 2), 1)
