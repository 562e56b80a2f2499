"""Areas: exact where they are drawn, the same at every scale and after every turn, and small in a document."""

import json
import math
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from lucidex.core.areas.area import Area, area_words, held_box
from lucidex.core.areas.coverage_kernel import polygon_coverage
from lucidex.core.areas.placing import Placed, kept, kept_outline, kept_path, placed
from lucidex.core.areas.shapes import MAX_POINTS, Ellipse, Outline, Rectangle, Shape, Stroke, simplified
from lucidex.core.areas.sight import Sight
from lucidex.core.errors import OutOfRangeError
from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.geometry.sizes import Box, Point, Size
from lucidex.core.geometry.transform import Transform, mirror_left_right, quarter_turn

UPRIGHT = Size(960, 640)
places = st.floats(0.1, 0.9)
sides = st.floats(0.1, 0.8)
turned_shapes = st.builds(
    lambda kind, x, y, width, height, angle: kind(x=x, y=y, width=width, height=height, angle_degrees=angle),
    st.sampled_from([Ellipse, Rectangle]),
    places,
    places,
    sides,
    sides,
    st.floats(-90, 90),
)
spots = st.tuples(places, places)
strokes = st.builds(
    lambda path, radius, softness: Stroke(path=tuple(path), radius=radius, softness=softness),
    st.lists(spots, min_size=1, max_size=6),
    st.floats(0.03, 0.2),
    st.floats(0, 1),
)
outlines = st.builds(
    lambda points, smooth: Outline(points=tuple(points), smooth=smooth),
    st.lists(spots, min_size=3, max_size=7),
    st.booleans(),
)
shapes = st.one_of(turned_shapes, strokes, outlines)
edges = st.floats(0, 0.1)


def whole_mask(area: Area, sight: Sight, size: Size) -> np.ndarray:
    return area.mask(sight, Box(0, 0, size))


def at_level(area: Area, level: int) -> np.ndarray:
    return whole_mask(area, Sight.of_stored(UPRIGHT, 1, level), Size(UPRIGHT.width // level, UPRIGHT.height // level))


def covered_by_reference(points: list[tuple[float, float]], width: int, height: int, finer: int = 48) -> np.ndarray:
    """By counting crossings at many samples of each pixel, in float64."""
    y, x = (np.mgrid[0 : height * finer, 0 : width * finer] + 0.5) / finer
    inside = np.zeros(x.shape, bool)
    for (x0, y0), (x1, y1) in zip(points, points[1:] + points[:1], strict=True):
        if y0 != y1:
            inside ^= ((y0 <= y) != (y1 <= y)) & (x < x0 + (y - y0) / (y1 - y0) * (x1 - x0))
    return inside.reshape(height, finer, width, finer).mean(axis=(1, 3))


@settings(max_examples=40, deadline=None)
@given(st.floats(-6, 20), st.floats(-6, 20), st.floats(1, 14), st.integers(3, 9), st.floats(0, 6))
def test_a_polygon_covers_what_its_area_is(x: float, y: float, radius: float, corners: int, turn: float) -> None:
    points = [
        (
            x + radius * math.cos(turn + 2 * math.pi * i / corners),
            y + radius * 0.7 * math.sin(turn + 2 * math.pi * i / corners),
        )
        for i in range(corners)
    ]
    found = np.empty((11, 14), np.float32)
    polygon_coverage(np.array(points), found)
    assert np.abs(found - covered_by_reference(points, 14, 11)).max() < 0.02


@given(turned_shapes)
def test_a_shape_in_the_middle_covers_exactly_its_area(shape: Ellipse | Rectangle) -> None:
    small = shape.model_copy(update={"x": 0.5, "y": 0.5, "width": shape.width / 2, "height": shape.height / 2})
    share = math.pi / 4 if isinstance(shape, Ellipse) else 1.0
    expected = share * small.width * small.height * UPRIGHT.shortest**2
    assert at_level(Area(shapes=(small,)), 1).sum() == pytest.approx(expected, rel=1e-3)


def test_a_stroke_covers_a_round_brush_along_its_way() -> None:
    stroke = Stroke(path=((0.3, 0.5), (0.7, 0.5)), radius=0.1)
    radius, length = 0.1 * UPRIGHT.shortest, 0.4 * UPRIGHT.width
    expected = math.pi * radius**2 + 2 * radius * length
    assert at_level(Area(shapes=(stroke,)), 1).sum() == pytest.approx(expected, rel=2e-3)


SPOT = Stroke(path=((0.373046875, 0.41796875),), radius=0.03)  # five pixels at the coarsest level: the furthest off


@pytest.mark.long
@settings(max_examples=60, deadline=None)
@given(st.lists(shapes, min_size=1, max_size=4), edges)
@example([Stroke(path=((0.6640625, 0.33203125),), radius=0.0625, softness=1.0), SPOT], 0.0625)
def test_levels_agree_on_what_is_covered(parts: list[Shape], edge: float) -> None:
    # what is thinner than a pixel of a level has no inside there from which an edge could fade
    area = Area(shapes=tuple(parts), edge=0 if any(isinstance(one, Outline) for one in parts) else edge)
    finest = at_level(area, 1)
    # where an outline goes round something several times, its rim counts as often
    smallest = 0.05 if any(isinstance(one, Outline) for one in parts) else 0.012
    least = 0.011 * max(finest.sum(), smallest * UPRIGHT.pixels)
    for level in (2, 4):
        coarse = at_level(area, level)
        assert abs(coarse.sum() * level**2 - finest.sum()) <= least
        blocks = finest.reshape(coarse.shape[0], level, coarse.shape[1], level).mean(axis=(1, 3))
        assert np.abs(coarse - blocks).mean() < 0.01


@pytest.mark.long
@settings(max_examples=40, deadline=None)
@given(st.lists(shapes, min_size=2, max_size=5), st.randoms(use_true_random=False), edges)
def test_the_order_of_adding_is_irrelevant(parts: list[Shape], random: object, edge: float) -> None:
    shuffled = list(parts)
    random.shuffle(shuffled)  # type: ignore[attr-defined]
    assert np.array_equal(
        at_level(Area(shapes=tuple(parts), edge=edge), 4), at_level(Area(shapes=tuple(shuffled), edge=edge), 4)
    )


@settings(max_examples=40, deadline=None)
@given(st.lists(shapes, min_size=1, max_size=3), edges, st.sampled_from(range(1, 9)))
def test_a_turn_before_or_after_gives_the_same_mask(parts: list[Shape], edge: float, orientation: int) -> None:
    area = Area(shapes=tuple(parts), edge=edge)
    upright = at_level(area, 4)
    size = Size(upright.shape[1], upright.shape[0])
    stored = size.turned if orientation in {5, 6, 7, 8} else size
    full = UPRIGHT.turned if orientation in {5, 6, 7, 8} else UPRIGHT
    there = whole_mask(area, Sight.of_stored(full, orientation, 4), stored)
    # what each orientation of the Exif standard does to rows and columns
    back = {
        1: there,
        2: there[:, ::-1],
        3: there[::-1, ::-1],
        4: there[::-1],
        5: there.T,
        6: np.rot90(there, -1),
        7: np.rot90(there, 2).T,
        8: np.rot90(there),
    }[orientation]
    assert np.abs(back - upright).max() < 0.02


@given(st.lists(shapes, min_size=1, max_size=4), edges, st.integers(0, 60), st.integers(0, 40))
@settings(max_examples=40, deadline=None)
def test_a_box_of_a_mask_is_a_part_of_the_whole_mask(parts: list[Shape], edge: float, left: int, top: int) -> None:
    area = Area(shapes=tuple(parts), edge=edge)
    sight = Sight.of_stored(UPRIGHT, 1, 8)
    whole = whole_mask(area, sight, Size(120, 80))
    part = area.mask(sight, Box(left, top, Size(40, 30)))
    assert np.abs(whole[top : top + 30, left : left + 40] - part).max() < 1e-5


@given(st.lists(shapes, min_size=1, max_size=4), edges)
@settings(max_examples=40, deadline=None)
def test_nothing_is_covered_outside_of_the_box(parts: list[Shape], edge: float) -> None:
    area = Area(shapes=tuple(parts), edge=edge)
    sight, size = Sight.of_stored(UPRIGHT, 1, 4), Size(240, 160)
    box = area.box(sight, size)
    mask = whole_mask(area, sight, size)
    if box is not None:
        mask[box.top : box.top + box.size.height, box.left : box.left + box.size.width] = 0
    assert mask.max() == 0


def test_taking_away_and_inverting() -> None:
    hole = Ellipse(width=0.2, height=0.2, takes_away=True)
    ring = Area(shapes=(Ellipse(width=0.6, height=0.6), hole))
    mask = at_level(ring, 4)
    assert mask[80, 120] == 0
    assert mask[80, 120 + 30] == 1
    assert np.allclose(at_level(ring.model_copy(update={"inverted": True}), 4), 1 - mask)
    assert Area(shapes=(hole,)).is_empty
    assert Area(shapes=(hole,), inverted=True).is_empty


def test_what_is_drawn_is_covered_in_full_and_its_edge_fades_beyond() -> None:
    mask = at_level(Area(shapes=(Rectangle(width=0.25, height=0.25),), edge=0.1), 1)[320]
    assert mask[480 - 79 : 480 + 79].min() == 1
    fading = mask[480 + 81 : 480 + 80 + 64]
    assert np.all(np.diff(fading) <= 0)
    assert fading[0] > 0.9
    assert mask[480 + 80 + 66 :].max() == 0


def test_parts_that_do_not_touch_stand_alone_and_others_do_not() -> None:
    one, two = Ellipse(x=0.2, y=0.2, width=0.1, height=0.1), Ellipse(x=0.8, y=0.8, width=0.1, height=0.1)
    near, away = one.moved(0.05, 0), Ellipse(x=0.2, y=0.2, width=0.04, height=0.04, takes_away=True)
    assert [len(part.shapes) for part in Area(shapes=(one, two, near, away)).components] == [3, 1]
    assert [len(part.shapes) for part in Area(shapes=(two, away)).components] == [1]
    assert len(Area(shapes=(one, two), edge=0.4).components) == 1
    assert len(Area(shapes=(one, two), inverted=True).components) == 1


@pytest.mark.parametrize("transform", ["turned", "mirrored", "cropped", "straightened"])
def test_what_is_placed_on_the_picture_is_kept_and_found_again(transform: str) -> None:
    geometry = PictureGeometry.of(UPRIGHT)
    angle = math.radians(7)
    turn = Transform(math.cos(angle), -math.sin(angle), math.sin(angle), math.cos(angle), 90, -40)
    geometry = {
        "turned": geometry.followed_by(quarter_turn(UPRIGHT, 1), UPRIGHT.turned),
        "mirrored": geometry.followed_by(mirror_left_right(UPRIGHT), UPRIGHT),
        "cropped": geometry.cut(Box(100, 50, Size(700, 500))),
        "straightened": geometry.followed_by(turn, UPRIGHT),
    }[transform]
    where = Placed(Point(311, 207), 120, 60, 20)
    again = placed(kept(Ellipse, where, geometry), geometry)
    assert again.middle.x == pytest.approx(311, abs=0.02)
    assert again.middle.y == pytest.approx(207, abs=0.02)
    assert (again.width, again.height) == pytest.approx((120, 60), abs=0.02)
    assert math.sin(math.radians(again.angle_degrees - 20)) == pytest.approx(0, abs=1e-3)


def test_what_is_thinner_than_a_pixel_or_far_too_large_is_refused_in_words() -> None:
    geometry = PictureGeometry.of(UPRIGHT)
    with pytest.raises(OutOfRangeError, match="at least 1 pixel"):
        kept(Ellipse, Placed(Point(10, 10), 0.4, 50), geometry)
    with pytest.raises(OutOfRangeError, match="three times"):
        kept(Ellipse, Placed(Point(10, 10), 50, 5_000), geometry)
    with pytest.raises(OutOfRangeError, match="at least three points"):
        kept_outline([Point(1, 1), Point(5, 5)], geometry, smooth=False)


def drawn_by_hand(seed: int, count: int) -> list[Point]:
    """A path as a pen gives it: many points, with tremor."""
    random = np.random.default_rng(seed)
    t = np.linspace(0, 1, count)
    a, b, c, d = random.uniform(-1, 1, 4)
    x = 480 + 300 * (a * t + b * np.sin(3 * t + d)) + random.normal(0, 0.4, count)
    y = 320 + 200 * (c * t + d * np.cos(4 * t + a)) + random.normal(0, 0.4, count)
    return [Point(float(p), float(q)) for p, q in zip(x, y, strict=True)]


def test_a_hundred_drawn_strokes_take_at_most_60_kilobytes() -> None:
    geometry = PictureGeometry.of(UPRIGHT)
    drawn = [kept_path(drawn_by_hand(seed, 300), 14, geometry) for seed in range(100)]
    strokes = [Stroke(path=path, radius=radius) for paths, radius in drawn for path in paths]
    written = json.dumps([stroke.model_dump(mode="json") for stroke in strokes], separators=(",", ":"))
    assert len(strokes) == 100
    assert len(written) <= 60_000


@pytest.mark.parametrize("seed", range(6))
def test_simplifying_moves_no_edge_by_more_than_its_tolerance(seed: int) -> None:
    points = [(p.x / 960, p.y / 640) for p in drawn_by_hand(seed, 300)]
    tolerance = 0.004
    few = np.array(simplified(points, UPRIGHT, tolerance)) * (960 / 640, 1)
    for x, y in np.array(points) * (960 / 640, 1):
        apart = math.inf
        for (x0, y0), (x1, y1) in pairwise(few):
            along = np.array([x1 - x0, y1 - y0])
            share = np.clip(np.dot((x - x0, y - y0), along) / max(np.dot(along, along), 1e-12), 0, 1)
            apart = min(apart, math.hypot(x - x0 - share * along[0], y - y0 - share * along[1]))
        assert apart <= tolerance + 2e-5
    assert len(few) < len(points) / 4


def test_a_very_long_path_becomes_several_parts_that_join() -> None:
    scribble = [Point(100 + 700 * (i % 2), 10 + i * 2) for i in range(300)]
    paths, _ = kept_path(scribble, 3, PictureGeometry.of(UPRIGHT))
    assert len(paths) > 1
    assert all(len(path) <= MAX_POINTS for path in paths)
    assert all(before[-1] == after[0] for before, after in pairwise(paths))


def small(kind: type[Ellipse] | type[Rectangle], x: float, y: float) -> Ellipse | Rectangle:
    return kind(x=x, y=y, width=0.1, height=0.1)


@pytest.mark.parametrize(
    ("parts", "words"),
    [
        ((small(Ellipse, 0.1, 0.2), small(Ellipse, 0.2, 0.1)), "two ellipses, upper left"),
        ((small(Rectangle, 0.5, 0.5),), "a rectangle, in the middle"),
        ((small(Rectangle, 0.5, 0.9), Stroke(path=((0.5, 0.95),))), "a rectangle and a brush stroke, at the bottom"),
        ((small(Ellipse, 0.1, 0.1), small(Ellipse, 0.9, 0.9)), "two ellipses, in several spots"),
        ((), "no area yet"),
    ],
)
def test_an_area_says_what_it_is_and_where(parts: tuple[Shape, ...], words: str) -> None:
    assert "".join(area_words(Area(shapes=parts))) == words


def test_impossible_shapes_cannot_be_built() -> None:
    for wrong in (
        {"kind": "outline", "points": [[0.1, 0.1], [0.2, 0.2]]},
        {"kind": "outline", "points": [[0.1, 0.1], [0.2, 0.2], [0.3, 0.1]], "sharp": [3]},
        {"kind": "stroke", "path": [[0.1, float("nan")]], "radius": 0.1},
        {"kind": "stroke", "path": [[0.1, 0.1]] * (MAX_POINTS + 1), "radius": 0.1},
        {"kind": "ellipse", "width": 0},
        {"kind": "ellipse", "width": 4},
    ):
        with pytest.raises(ValidationError):
            Area.model_validate({"shapes": [wrong]})


def test_a_box_around_a_window_holds_whole_pixels_inside_the_bounds() -> None:
    sight = Sight(Size(100, 100))
    tiny = Rectangle(x=0.105, y=0.5, width=0.001, height=0.001)
    box = held_box(tiny.bounds(sight), Size(100, 100))
    assert box == Box(10, 49, Size(1, 2))
    assert held_box(tiny.moved(1.0, 0).bounds(sight), Size(100, 100)) is None
