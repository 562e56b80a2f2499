"""What is left when empty corners are cut away: against slow, obviously right searches."""

import math
from itertools import pairwise

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from lucidex.core.geometry.inscribed import clipped, clockwise, largest_free, largest_of_shape
from lucidex.core.geometry.sizes import Point, Size, Window
from lucidex.core.geometry.transform import corners_of
from lucidex.core.steps.straighten import largest_free_upright, largest_upright

sides = st.integers(1, 3_000)
angles = st.floats(-44.9, 44.9).filter(lambda angle: abs(angle) > 1e-2)


def turned(size: Size, angle: float) -> tuple[Point, ...]:
    c, s = math.cos(math.radians(angle)), math.sin(math.radians(angle))
    whole = corners_of(Window(-size.width / 2, -size.height / 2, size.width, size.height))
    return tuple(Point(c * p.x - s * p.y, s * p.x + c * p.y) for p in whole)


def is_inside(polygon: tuple[Point, ...], point: Point, slack: float = 1e-4) -> bool:
    """Every side has the point on its right hand (the polygon runs clockwise, y downwards)."""
    around = [*polygon, polygon[0]]
    return all(
        (b.x - a.x) * (point.y - a.y) - (b.y - a.y) * (point.x - a.x) >= -slack * math.dist((a.x, a.y), (b.x, b.y))
        for a, b in pairwise(around)
    )


def fits(size: Size, angle: float, width: int, height: int) -> bool:
    polygon = turned(size, angle)
    return all(is_inside(polygon, p, 1e-6) for p in corners_of(Window(-width / 2, -height / 2, width, height)))


@given(sides, sides, angles)
def test_the_free_window_holds_no_empty_pixel_and_no_side_could_be_a_pixel_longer(
    w: int, h: int, angle: float
) -> None:
    size = Size(w, h)
    found = largest_free_upright(size, angle)
    if found.shortest > 1:
        assert fits(size, angle, found.width, found.height)
    assert not fits(size, angle, found.width + 1, found.height)
    assert not fits(size, angle, found.width, found.height + 1)


@pytest.mark.long
@given(st.integers(2, 40), st.integers(2, 40), angles)
@settings(max_examples=60)
def test_no_whole_window_is_larger_than_the_free_one_by_more_than_its_edges(w: int, h: int, angle: float) -> None:
    """By trying every whole size. Rounding down may cost less than one row and one column of the best."""
    size = Size(w, h)
    best = max((i * j for i in range(1, w + h) for j in range(1, w + h) if fits(size, angle, i, j)), default=1)
    found = largest_free_upright(size, angle)
    assert (found.width + 1) * (found.height + 1) >= best


@given(st.integers(20, 3_000), st.integers(20, 3_000), angles)
def test_the_general_search_and_the_closed_form_agree(w: int, h: int, angle: float) -> None:
    size = Size(w, h)
    free, shaped = largest_free(turned(size, angle)), largest_of_shape(turned(size, angle), size)
    closed, same = largest_free_upright(size, angle), largest_upright(size, angle)
    assert free.width * free.height == pytest.approx(closed.pixels, rel=0.01, abs=2 * (w + h))
    assert shaped.width == pytest.approx(same.width, abs=1.001)
    assert shaped.height == pytest.approx(same.height, abs=1.001)


corner = st.floats(0, 1)


@given(st.tuples(*(corner,) * 8), st.integers(1, 5), st.integers(1, 5))
def test_a_window_in_any_convex_shape_lies_inside_and_touches(shares: tuple[float, ...], w: int, h: int) -> None:
    """Four corners, each in its own quarter of a 200 × 200 square, so that the shape is a four-sided one."""
    offsets = ((0, 0), (120, 0), (120, 120), (0, 120))
    polygon = clockwise(
        tuple(Point(x + 60 * shares[2 * i], y + 60 * shares[2 * i + 1]) for i, (x, y) in enumerate(offsets))
    )
    turns = [
        (b.x - a.x) * (c.y - b.y) - (b.y - a.y) * (c.x - b.x)
        for a, b, c in zip(polygon, polygon[1:] + polygon[:1], polygon[2:] + polygon[:2], strict=True)
    ]
    assume(min(turns) > 1)
    shaped, free = largest_of_shape(polygon, Size(w, h)), largest_free(polygon)
    for window in (shaped, free):
        assert all(is_inside(polygon, p, 1e-3) for p in corners_of(window))
    assert shaped.width / shaped.height == pytest.approx(w / h)
    assert free.width * free.height >= shaped.width * shaped.height * (1 - 1e-6)


def test_a_clipped_shape_keeps_what_the_function_keeps() -> None:
    square = corners_of(Window(0, 0, 10, 10))
    assert set(clipped(square, lambda p: 5 - p.x)) == {Point(0, 0), Point(5, 0), Point(5, 10), Point(0, 10)}
