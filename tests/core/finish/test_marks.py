"""Marks by hand: kept small, smooth, where they were drawn on any place, with the pressure of a pen."""

import math
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from lucidex.core.document import Framing
from lucidex.core.finish.marks import COLOURS, Mark, MarkKind, PenColour, kept_mark, smooth_way
from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.geometry.sizes import Point, Size
from lucidex.core.places.demand import PlaceDemand
from lucidex.core.places.measures import ExactSize
from lucidex.core.source.pyramid import AnyPixels
from lucidex.core.steps.marks import Marks
from lucidex.core.steps.turn import Direction, Turn
from tests.core.rendering import rendered, source_of

GREY = source_of(np.full((200, 300, 3), 128, np.uint8))


def marked(mark: Mark, width: int = 300, height: int = 200, **how: object) -> AnyPixels:
    demand = PlaceDemand(measure=ExactSize(width_px=width, height_px=height))
    return rendered(GREY, demand, Marks(marks=(mark,)), **how)  # type: ignore[arg-type]


def inked(pixels: AnyPixels) -> tuple[np.ndarray, np.ndarray]:
    return np.nonzero(np.abs(pixels.astype(int) - 128).max(axis=2) > 30)


@pytest.mark.parametrize("times", [1, 2, 5])
def test_a_mark_lies_on_the_same_content_at_every_size(times: int) -> None:
    box = Mark(kind=MarkKind.BOX, points=((0.2, 0.3), (0.6, 0.7)), width=0.02)
    rows, columns = inked(marked(box, 300 * times, 200 * times))
    half = 0.02 * 200 / 2
    expected = [60 - half, 140 + half, 60 - half, 180 + half]
    found = [rows.min() / times, (rows.max() + 1) / times, columns.min() / times, (columns.max() + 1) / times]
    assert found == pytest.approx(expected, abs=1)


def test_a_mark_goes_along_when_the_picture_is_turned() -> None:
    arrow = Mark(kind=MarkKind.ARROW, points=((0.1, 0.1), (0.4, 0.1)), width=0.02)
    demand = PlaceDemand(measure=ExactSize(width_px=200, height_px=300))
    turned = rendered(GREY, demand, Turn(direction=Direction.RIGHT), Marks(marks=(arrow,)))
    rows, columns = inked(turned)
    assert (int(rows.min()), int(rows.max())) == (pytest.approx(28, abs=3), pytest.approx(120, abs=2))
    assert columns.mean() == pytest.approx(180, abs=2), "what was at the top is at the right"


def test_what_a_place_does_not_show_is_not_drawn_in_it() -> None:
    for mark in (
        Mark(kind=MarkKind.WORDS, points=((0.05, 0.05),), text="Here"),
        Mark(kind=MarkKind.PEN, points=((0.02, 0.02), (0.05, 0.05))),
    ):
        close = Framing(focal_x=0.8, focal_y=0.8, zoom=3)
        assert (marked(mark, framing=close) == 128).all()


def test_a_highlighter_lets_the_picture_through_and_a_pen_does_not() -> None:
    line = ((0.2, 0.5), (0.8, 0.5))
    pen, broad = (
        marked(Mark(kind=kind, colour=PenColour.YELLOW, points=line, width=0.1))[100, 150]
        for kind in (MarkKind.PEN, MarkKind.HIGHLIGHTER)
    )
    assert tuple(pen) == COLOURS[PenColour.YELLOW]
    expected = 128 + 0.42 * (np.array(COLOURS[PenColour.YELLOW]) - 128)
    assert np.abs(broad - expected).max() <= 1


def test_how_hard_a_pen_is_pressed_makes_it_wider() -> None:
    way = tuple((0.1 + 0.1 * step, 0.5) for step in range(9))
    pixels = marked(Mark(kind=MarkKind.PEN, points=way, pressed=tuple(step / 8 for step in range(9)), width=0.06))
    ink = np.abs(pixels.astype(int) - 128).max(axis=2) > 30
    wide = [int(ink[:, column].sum()) for column in (60, 150, 240)]
    assert wide[0] < wide[1] < wide[2]
    assert wide[2] / wide[0] == pytest.approx((0.5 + 0.875) / (0.5 + 0.125), rel=0.25)


def test_a_smooth_way_goes_through_all_that_was_kept() -> None:
    points = [(0.0, 0.0), (10.0, 8.0), (20.0, 0.0), (30.0, 8.0)]
    way = smooth_way(points, ())
    assert {(x, y) for x, y, _ in way} >= set(points)
    bends = [math.atan2(b[1] - a[1], b[0] - a[0]) for a, b in pairwise(way)]
    assert max(abs(one - other) for one, other in pairwise(bends)) < 0.7, "and has no corner"


@given(st.integers(2, 4_000), st.floats(1, 60))
@settings(max_examples=30, deadline=None)
def test_a_drawn_way_is_kept_small_and_near_to_what_was_drawn(count: int, wild: float) -> None:
    geometry = PictureGeometry.of(Size(3_000, 2_000))
    drawn = [
        Point(300 + 2_400 * step / count, 1_000 + wild * math.sin(step / 9) + 300 * math.sin(step / 300))
        for step in range(count)
    ]
    mark = kept_mark(MarkKind.PEN, PenColour.BLUE, drawn, [], 12, "", geometry)
    assert len(mark.points) <= 400
    kept = np.array([(x * 3_000, y * 2_000) for x, y in mark.points])
    for point in drawn[:: max(1, count // 60)]:
        along = kept[1:] - kept[:-1]
        length = np.maximum((along**2).sum(axis=1), 1e-9)
        share = (((np.array([point.x, point.y]) - kept[:-1]) * along).sum(axis=1) / length).clip(0, 1)
        apart = np.hypot(*(kept[:-1] + share[:, None] * along - (point.x, point.y)).T).min()
        assert apart <= 45, "at most as far as what bounds its points asks for"


@pytest.mark.parametrize(
    "wrong",
    [
        {"kind": "arrow", "points": ((0, 0),)},
        {"kind": "box", "points": ((0, 0), (1, 1), (0, 1))},
        {"kind": "pen", "points": ((0, 0), (1, 1)), "pressed": (0.5,)},
        {"kind": "words", "points": ((0, 0),)},
        {"kind": "pen", "points": ((0, 0),), "text": "no"},
        {"kind": "pen", "points": ((9, 0),)},
        {"kind": "pen", "points": ((float("nan"), 0),)},
    ],
)
def test_what_is_no_mark_cannot_be_kept(wrong: dict[str, object]) -> None:
    with pytest.raises(ValidationError):
        Mark.model_validate(wrong)
