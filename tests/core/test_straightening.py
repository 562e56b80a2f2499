"""Straightening: exact sizes, no empty pixel, the right way round, and nothing lost at zero degrees."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image, ImageDraw

from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.geometry.sizes import Point, Size
from lucidex.core.picture.raster import Raster
from lucidex.core.places.demand import PlaceDemand
from lucidex.core.places.measures import ExactSize, Percent
from lucidex.core.steps.corners import Corners
from lucidex.core.steps.straighten import Straighten, bounding_size, largest_upright, level_angle
from lucidex.core.steps.turn import Direction, Turn
from tests.conftest import Pixels, picture, smooth_picture
from tests.core.rendering import rendered, source_of

WHOLE = PlaceDemand(measure=Percent(percent=100))
sides = st.integers(1, 3_000)
angles = st.floats(-45, 45).filter(lambda angle: abs(angle) > 1e-3)


def lies_inside(size: Size, inner: tuple[float, float], angle: float) -> bool:
    """Obviously right: turn the inner window's corners back about the middle and look whether they are inside."""
    c, s = math.cos(math.radians(-angle)), math.sin(math.radians(-angle))
    corners = [(i * inner[0] / 2, j * inner[1] / 2) for i in (-1, 1) for j in (-1, 1)]
    back = [(c * x - s * y, s * x + c * y) for x, y in corners]
    return all(abs(x) <= size.width / 2 + 1e-6 and abs(y) <= size.height / 2 + 1e-6 for x, y in back)


@given(sides, sides, angles)
def test_the_largest_window_holds_no_empty_pixel_and_could_not_be_larger(w: int, h: int, angle: float) -> None:
    size = Size(w, h)
    found = largest_upright(size, angle)
    if found.shortest > 1:
        assert lies_inside(size, (found.width, found.height), angle)
    wider, higher = (found.width + 1, (found.width + 1) * h / w), ((found.height + 1) * w / h, found.height + 1)
    assert not (lies_inside(size, wider, angle) and lies_inside(size, higher, angle))


@given(sides, sides, angles)
def test_the_bounding_size_holds_the_whole_picture(w: int, h: int, angle: float) -> None:
    found = bounding_size(Size(w, h), angle)
    assert lies_inside(found, (w, h), -angle)
    assert not lies_inside(Size(max(1, found.width - 1), found.height), (w, h), -angle) or found.width == 1


@given(st.floats(0, 1_000), st.floats(0, 1_000), st.floats(0, 1_000), st.floats(0, 1_000))
def test_a_drawn_line_becomes_level_or_upright(x1: float, y1: float, x2: float, y2: float) -> None:
    angle = level_angle(Point(x1, y1), Point(x2, y2))
    assert -45 <= angle <= 45
    tilt = math.atan2(y2 - y1, x2 - x1) + math.radians(angle)
    assert min(abs(math.sin(tilt)), abs(math.cos(tilt))) < 1e-9


def test_zero_degrees_change_nothing() -> None:
    pixels = picture(41, 23)
    assert np.array_equal(rendered(source_of(pixels), WHOLE, Straighten(angle_degrees=0)), pixels)


@pytest.mark.long
@pytest.mark.parametrize("angle", [-30.0, -2.4, 0.7, 12.0, 45.0])
@pytest.mark.parametrize("corners", list(Corners))
def test_it_turns_as_another_program_turns(angle: float, corners: Corners) -> None:
    """Against Pillow's turn about the middle, on soft forms, away from the edges."""
    pixels = smooth_picture(600, 400)
    out = rendered(source_of(pixels), WHOLE, Straighten(angle_degrees=angle, corners=corners, ground="#000000"))
    turned = Image.fromarray(pixels).rotate(-angle, Image.Resampling.BICUBIC, expand=True)
    found = out[..., :3][
        out.shape[0] // 2 - 60 : out.shape[0] // 2 + 60, out.shape[1] // 2 - 60 : out.shape[1] // 2 + 60
    ]
    middle = np.asarray(turned)[
        turned.height // 2 - 60 : turned.height // 2 + 60, turned.width // 2 - 60 : turned.width // 2 + 60
    ]
    assert np.abs(found.astype(int) - middle.astype(int)).mean() < 1.5


@given(st.integers(2, 60), st.integers(2, 60), angles, st.integers(1, 50), st.integers(1, 50))
def test_a_straightened_place_has_exactly_its_size(w: int, h: int, angle: float, pw: int, ph: int) -> None:
    demand = PlaceDemand(measure=ExactSize(width_px=pw, height_px=ph))
    out = rendered(source_of(picture(w, h)), demand, Straighten(angle_degrees=angle))
    assert out.shape == (ph, pw, 3)


@pytest.mark.parametrize("angle", [-44.0, -7.5, 3.0, 20.0])
def test_no_ground_reaches_a_picture_whose_corners_are_cut(angle: float) -> None:
    white = np.full((300, 500, 3), 250, np.uint8)
    out = rendered(
        source_of(white), PlaceDemand(measure=ExactSize(width_px=200, height_px=120)), Straighten(angle_degrees=angle)
    )
    assert out.min() >= 249


def test_corners_are_coloured_or_clear() -> None:
    pixels: Pixels = np.full((200, 300, 3), (200, 30, 30), np.uint8)
    coloured = rendered(
        source_of(pixels), WHOLE, Straighten(angle_degrees=20, corners=Corners.COLOURED, ground="#0a6458")
    )
    assert tuple(coloured[1, 1]) == (10, 100, 88)
    assert np.abs(coloured[coloured.shape[0] // 2, coloured.shape[1] // 2].astype(int) - (200, 30, 30)).max() <= 1
    clear = rendered(source_of(pixels), WHOLE, Straighten(angle_degrees=20, corners=Corners.CLEAR))
    assert clear.shape[2] == 4
    assert clear[1, 1, 3] == 0
    edge = clear[(clear[..., 3] > 0) & (clear[..., 3] < 255)].astype(np.float64)
    shown_error = np.abs(edge[:, :3] - (200, 30, 30)) * edge[:, 3:] / 255
    assert shown_error.max() <= 1, "clear pixels do not bleed into the edge"


def test_a_turn_before_keeps_the_angle_and_a_line_stays_level() -> None:
    geometry = PictureGeometry.of(Size(4_000, 3_000))
    straightened = Straighten(angle_degrees=3).transform_geometry(
        Turn(direction=Direction.RIGHT).transform_geometry(geometry)
    )
    point = straightened.to_content(straightened.to_picture(Point(0.3, 0.6)))
    assert (point.x, point.y) == pytest.approx((0.3, 0.6))
    assert straightened.size == largest_upright(Size(3_000, 4_000), 3)


def looked_at(pixels: Pixels, step: Straighten) -> Straighten:
    height, width = pixels.shape[:2]
    return step.found_on(Raster(pixels, PictureGeometry.of(Size(width, height))))


@pytest.mark.parametrize("tilt", [-6.0, -1.5, 0.0, 2.5, 8.0])
def test_a_tilt_in_which_long_edges_agree_is_taken_back(tilt: float) -> None:
    image = Image.new("RGB", (900, 600), (90, 120, 90))
    draw, slope = ImageDraw.Draw(image), math.tan(math.radians(tilt))
    for top in range(80, 560, 90):
        draw.line([(0, top - 450 * slope), (900, top + 450 * slope)], (220, 220, 200), 9)
    found = looked_at(np.asarray(image), Straighten(automatic=True))
    assert found.angle_degrees == pytest.approx(-tilt, abs=0.25)
    assert looked_at(np.asarray(image), Straighten(angle_degrees=1)).angle_degrees == 1, "what was set by hand stays"


def test_where_no_edges_agree_nothing_is_turned_and_that_is_said() -> None:
    noise = np.random.default_rng(4).integers(0, 255, (300, 400, 3), np.uint8)
    found = looked_at(noise, Straighten(automatic=True))
    assert found.angle_degrees == 0
    remark = found.remark(PictureGeometry.of(Size(400, 300)))
    assert remark is not None
    assert "No edges agree" in remark.sentence
    assert Straighten().remark(PictureGeometry.of(Size(400, 300))) is None
