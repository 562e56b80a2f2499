"""Perspective by angles and by four points: the shape is recovered, the pixels go where they should."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.geometry.sizes import Point, Size
from lucidex.core.geometry.transform import Transform, corners_of
from lucidex.core.places.demand import PlaceDemand
from lucidex.core.places.measures import ExactSize, Percent
from lucidex.core.steps.corners import Corners
from lucidex.core.steps.perspective import FourPoints, Perspective, square_to, true_ratio
from lucidex.core.steps.turn import Direction, Turn
from tests.conftest import Pixels, smooth_picture
from tests.core.rendering import rendered, source_of

WHOLE = PlaceDemand(measure=Percent(percent=100))
leans = st.floats(-35, 35)


def photographed(width: float, height: float, tilt: float, pan: float, focal: float) -> list[Point]:
    """A flat rectangle before a camera: its corners turned in space, then projected. Obviously right."""
    corners = []
    for x, y in ((-1, -1), (1, -1), (1, 1), (-1, 1)):
        p = np.array([x * width / 2, y * height / 2, 0.0])
        c, s = math.cos(tilt), math.sin(tilt)
        p = np.array([[1, 0, 0], [0, c, -s], [0, s, c]]) @ p
        c, s = math.cos(pan), math.sin(pan)
        p = np.array([[c, 0, s], [0, 1, 0], [-s, 0, c]]) @ p
        p = p + np.array([0, 0, 4.0])
        corners.append(Point(focal * p[0] / p[2], focal * p[1] / p[2]))
    return corners


@given(
    st.floats(0.4, 2.5), st.floats(0.15, 0.6), st.floats(-0.6, -0.15), st.floats(600, 2_500), st.sampled_from([1, -1])
)
def test_the_true_shape_of_a_photographed_rectangle_is_found(
    ratio: float, tilt: float, pan: float, focal: float, way: int
) -> None:
    quad = tuple(photographed(ratio, 1.0, way * tilt, pan, focal))
    assert true_ratio(quad, Point(0, 0), 1_500.0) == pytest.approx(ratio, rel=1e-3)


def test_a_rectangle_seen_straight_keeps_its_own_shape() -> None:
    quad = (Point(100, 50), Point(500, 50), Point(500, 250), Point(100, 250))
    assert true_ratio(quad, Point(300, 200), 700.0) == pytest.approx(2.0)
    step = FourPoints().put_on(PictureGeometry.of(Size(600, 400)), quad)
    assert step.transform_geometry(PictureGeometry.of(Size(600, 400))).size == Size(400, 200)


@given(leans, leans, st.integers(2, 400), st.integers(2, 400), st.sampled_from(list(Corners)))
def test_corrected_frames_stay_within_the_original_where_corners_are_cut(
    up: float, side: float, w: int, h: int, corners: Corners
) -> None:
    step = Perspective(vertical_degrees=up, horizontal_degrees=side, corners=corners)
    geometry = step.transform_geometry(PictureGeometry.of(Size(w, h)))
    assert geometry.size.pixels >= 1
    if corners.are_cut and geometry.size.shortest > 1:
        for corner in corners_of(geometry.window):
            content = geometry.to_content(corner)
            assert -1e-3 <= content.x <= 1 + 1e-3
            assert -1e-3 <= content.y <= 1 + 1e-3


def test_a_leaning_subject_stands_upright_afterwards() -> None:
    """Two edges that converge upwards by a known lean become parallel."""
    size, lean = Size(1_200, 900), 14.0
    back = Perspective(vertical_degrees=-lean).transform_geometry(PictureGeometry.of(size))
    left = [back.to_picture(Point(0.3, y)) for y in (0.35, 0.65)]
    assert left[0].x > left[1].x + 5, "leaned back, the picture converges upwards"
    fixed = Perspective(vertical_degrees=lean).transform_geometry(back)
    left = [fixed.to_picture(Point(0.3, y)) for y in (0.35, 0.65)]
    assert left[0].x == pytest.approx(left[1].x, abs=3)


@given(st.floats(0.02, 0.4), st.floats(0.02, 0.4), st.floats(0.6, 0.98), st.floats(0.6, 0.98))
def test_the_four_points_become_the_corners(left: float, top: float, right: float, bottom: float) -> None:
    geometry = Turn(direction=Direction.RIGHT).transform_geometry(PictureGeometry.of(Size(800, 500)))
    quad = (
        Point(left * 500, top * 800),
        Point(right * 500, 0.1 * 800),
        Point(0.95 * 500, bottom * 800),
        Point(0.1 * 500, 0.9 * 800),
    )
    step = FourPoints().put_on(geometry, quad)
    pulled = step.transform_geometry(geometry)
    if pulled.remarks:
        return
    for content, corner in zip(step.points, corners_of(pulled.window), strict=True):
        found = pulled.to_picture(Point(content.x, content.y))
        assert (found.x, found.y) == pytest.approx((corner.x, corner.y), abs=1e-3)


def test_four_points_that_cross_are_said_and_change_nothing() -> None:
    geometry = PictureGeometry.of(Size(100, 100))
    crossed = FourPoints().put_on(geometry, (Point(10, 10), Point(90, 90), Point(90, 10), Point(10, 90)))
    assert crossed.transform_geometry(geometry).size == geometry.size
    assert "four-sided" in crossed.transform_geometry(geometry).remarks[0].sentence


def test_the_rest_is_kept_without_empty_corners() -> None:
    geometry = PictureGeometry.of(Size(1_000, 800))
    quad = (Point(300, 200), Point(700, 260), Point(720, 600), Point(280, 560))
    kept = FourPoints(keeps_rest=True).put_on(geometry, quad).transform_geometry(geometry)
    alone = FourPoints().put_on(geometry, quad).transform_geometry(geometry)
    assert kept.size.pixels > 1.5 * alone.size.pixels
    for corner in corners_of(kept.window):
        content = kept.to_content(corner)
        assert -1e-6 <= content.x <= 1 + 1e-6
        assert -1e-6 <= content.y <= 1 + 1e-6


def exact_pull(pixels: Pixels, total: Transform, width: int, height: int) -> np.ndarray:
    """A plain float64 reference: bilinear samples at the mapped middles of the pixels."""
    back = np.linalg.inv(total.matrix)
    x, y = np.meshgrid(np.arange(width) + 0.5, np.arange(height) + 0.5)
    u, v, w = np.tensordot(back, np.stack([x, y, np.ones_like(x)]), 1)
    u, v = np.clip(u / w - 0.5, 0, pixels.shape[1] - 1.001), np.clip(v / w - 0.5, 0, pixels.shape[0] - 1.001)
    i, j = np.floor(u).astype(int), np.floor(v).astype(int)
    fu, fv = (u - i)[..., None], (v - j)[..., None]
    whole = pixels.astype(np.float64)
    top = whole[j, i] * (1 - fu) + whole[j, i + 1] * fu
    return top * (1 - fv) + (whole[j + 1, i] * (1 - fu) + whole[j + 1, i + 1] * fu) * fv


@pytest.mark.parametrize("step", [Perspective(vertical_degrees=20, horizontal_degrees=-12), FourPoints()])
@pytest.mark.parametrize("width", [None, 200])
def test_pixels_go_where_the_transform_says(step: Perspective | FourPoints, width: int | None) -> None:
    pixels = smooth_picture(640, 480)
    geometry = PictureGeometry.of(Size(640, 480))
    if isinstance(step, FourPoints):
        step = step.put_on(geometry, (Point(80, 60), Point(600, 100), Point(560, 420), Point(120, 380)))
    geometry = step.transform_geometry(geometry)
    size = geometry.size if width is None else Size(width, 150)
    demand = WHOLE if width is None else PlaceDemand(measure=ExactSize(width_px=200, height_px=150), rule="fill")
    out = rendered(source_of(pixels), demand, step)
    assert out.shape == (size.height, size.width, 3)
    scaled = Transform(size.width / geometry.size.width, 0, 0, size.height / geometry.size.height)
    reference = exact_pull(pixels, geometry.transform.then(scaled), size.width, size.height)
    assert np.abs(out - reference)[3:-3, 3:-3].mean() < 0.8
    assert np.abs(out - reference)[3:-3, 3:-3].max() < 6


def test_the_unit_square_goes_to_the_four_points() -> None:
    quad = (Point(3, 4), Point(90, -5), Point(120, 70), Point(-8, 66))
    to = square_to(quad)
    for unit, point in zip((Point(0, 0), Point(1, 0), Point(1, 1), Point(0, 1)), quad, strict=True):
        assert (to.map(unit).x, to.map(unit).y) == pytest.approx((point.x, point.y))
        assert (to.inverse.map(point).x, to.inverse.map(point).y) == pytest.approx((unit.x, unit.y), abs=1e-9)
