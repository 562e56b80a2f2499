"""Invariants 3 and 4: the size that was asked for comes out; nothing stretches unless asked for."""

import math
from fractions import Fraction

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from lucidex.core.document import MAX_ZOOM, Framing
from lucidex.core.errors import OutOfRangeError
from lucidex.core.geometry.fit import Anchor, Rule, canvas_around, fit
from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.geometry.sizes import Size, largest_within, proportional
from lucidex.core.places.demand import PlaceDemand
from lucidex.core.places.measures import ExactSize, Height, LongestEdge, Percent, Width
from tests.conftest import picture
from tests.core.rendering import rendered, source_of

sides = st.one_of(st.integers(1, 12), st.integers(1, 400), st.integers(1, 20_000))
sizes = st.builds(Size, sides, sides)
small_sides = st.one_of(st.integers(1, 5), st.integers(1, 90))
small_sizes = st.builds(Size, small_sides, small_sides)
rules = st.sampled_from(Rule)
anchors = st.sampled_from(Anchor)


def slow_largest_within(shape: Size, bounds: Size) -> Size:
    """Independent and obviously right: try both sides, keep the one that fits."""
    by_width = Size(
        bounds.width, max(1, math.floor(Fraction(bounds.width * shape.height, shape.width) + Fraction(1, 2)))
    )
    by_height = Size(
        max(1, math.floor(Fraction(bounds.height * shape.width, shape.height) + Fraction(1, 2))), bounds.height
    )
    if Fraction(bounds.width, bounds.height) <= Fraction(shape.width, shape.height):
        return Size(by_width.width, min(by_width.height, bounds.height))
    return Size(min(by_height.width, bounds.width), by_height.height)


@given(sizes, sizes)
def test_largest_within_agrees_with_the_slow_reference(shape: Size, bounds: Size) -> None:
    assert largest_within(shape, bounds) == slow_largest_within(shape, bounds)


@given(sizes, sizes, rules, anchors)
@example(Size(1, 1), Size(20_000, 3), Rule.COVER, Anchor.CENTRE)
@example(Size(20_000, 3), Size(1, 1), Rule.CONTAIN, Anchor.BOTTOM_RIGHT)
def test_the_canvas_is_the_place(source: Size, place: Size, rule: Rule, anchor: Anchor) -> None:
    placement = fit(source, place, rule, anchor)
    if rule is Rule.SCALE_DOWN:
        within = source.width <= place.width and source.height <= place.height
        assert placement.canvas == (source if within else largest_within(source, place))
    else:
        assert placement.canvas == place
    assert 0 <= placement.left <= placement.canvas.width - placement.drawn.width
    assert 0 <= placement.top <= placement.canvas.height - placement.drawn.height
    window = placement.window
    assert window.left >= 0
    assert window.top >= 0
    assert window.left + window.width <= source.width + 1e-6
    assert window.top + window.height <= source.height + 1e-6


@given(sizes, sizes, anchors)
def test_covering_keeps_proportions_exactly(source: Size, place: Size, anchor: Anchor) -> None:
    placement = fit(source, place, Rule.COVER, anchor)
    across, down = place.width / placement.window.width, place.height / placement.window.height
    assert across == pytest.approx(down, rel=1e-9)


@given(sizes, sizes, st.sampled_from([Rule.CONTAIN, Rule.SCALE_DOWN]), anchors)
def test_showing_whole_keeps_proportions_to_half_a_pixel(
    source: Size, place: Size, rule: Rule, anchor: Anchor
) -> None:
    drawn = fit(source, place, rule, anchor).drawn
    exact_height = Fraction(drawn.width * source.height, source.width)
    exact_width = Fraction(drawn.height * source.width, source.height)
    kept_width = abs(drawn.height - exact_height) <= Fraction(1, 2) or (drawn.height == 1 and exact_height < 1)
    kept_height = abs(drawn.width - exact_width) <= Fraction(1, 2) or (drawn.width == 1 and exact_width < 1)
    assert kept_width or kept_height


@given(sizes, st.integers(1, 3_000), st.integers(1, 3_000))
def test_one_side_decides_the_other(source: Size, side: int, longest: int) -> None:
    wide = Width(width_px=side).size_for(source)
    high = Height(height_px=side).size_for(source)
    long = LongestEdge(longest_px=longest).size_for(source)
    assert wide.width == side
    assert abs(wide.height - side * source.height / source.width) <= 0.5 or wide.height == 1
    assert high.height == side
    assert abs(high.width - side * source.width / source.height) <= 0.5 or high.width == 1
    assert long.longest == longest


@given(sizes)
def test_a_hundred_percent_is_the_size_itself(source: Size) -> None:
    assert Percent(percent=100).size_for(source) == source


@given(small_sizes, small_sizes, rules, anchors)
@example(Size(1, 1), Size(700, 3), Rule.COVER, Anchor.LEFT)
@example(Size(900, 1), Size(3, 800), Rule.CONTAIN, Anchor.CENTRE)
@example(Size(1, 900), Size(2_000, 1), Rule.FILL, Anchor.CENTRE)
@example(Size(257, 129), Size(64, 33), Rule.COVER, Anchor.BOTTOM_RIGHT)
@example(Size(3, 11), Size(2, 5), Rule.SCALE_DOWN, Anchor.TOP_LEFT)
def test_rendered_pixels_have_exactly_the_size(source: Size, place: Size, rule: Rule, anchor: Anchor) -> None:
    demand = PlaceDemand(measure=ExactSize(width_px=place.width, height_px=place.height), rule=rule, anchor=anchor)
    out = rendered(source_of(picture(source.width, source.height)), demand)
    canvas = fit(source, place, rule, anchor).canvas
    assert out.shape[:2] == (canvas.height, canvas.width)


@given(small_sizes, small_sizes, st.floats(0, 1), st.floats(0, 1), st.floats(1, 50))
def test_a_framed_place_has_exactly_its_size(source: Size, place: Size, x: float, y: float, zoom: float) -> None:
    demand = PlaceDemand(measure=ExactSize(width_px=place.width, height_px=place.height))
    framing = Framing(focal_x=x, focal_y=y, zoom=zoom)
    out = rendered(source_of(picture(source.width, source.height)), demand, framing=framing)
    assert out.shape[:2] == (place.height, place.width)


@given(sizes, sizes, st.floats(0, 1), st.floats(0, 1), st.floats(1, MAX_ZOOM))
def test_a_framing_stays_inside_the_picture(source: Size, place: Size, x: float, y: float, zoom: float) -> None:
    window = Framing(focal_x=x, focal_y=y, zoom=zoom).window(PictureGeometry.of(source), place)
    assert -1e-9 <= window.left <= source.width - window.width + 1e-6
    assert -1e-9 <= window.top <= source.height - window.height + 1e-6
    assert window.width * place.height == pytest.approx(window.height * place.width, rel=1e-9)


@given(sizes, sizes, anchors)
def test_the_canvas_lies_around_the_picture_as_the_pixels_do(source: Size, place: Size, anchor: Anchor) -> None:
    placement = fit(source, place, Rule.CONTAIN, anchor)
    around = canvas_around(placement)
    assert around.width / around.height == pytest.approx(
        place.width
        / place.height
        * (placement.window.width / placement.drawn.width)
        / (placement.window.height / placement.drawn.height)
    )
    assert around.left <= 1e-6
    assert around.left + around.width >= source.width - 1e-6


def test_proportional_rounds_halves_up() -> None:
    assert proportional(5, of=10, other=5) == 3
    assert proportional(1, of=20_000, other=3) == 1


@pytest.mark.parametrize(("width", "height"), [(32_001, 1), (20_000, 20_000)])
def test_sizes_beyond_the_limits_are_refused_in_words(width: int, height: int) -> None:
    with pytest.raises((OutOfRangeError, ValueError), match=r"32 ?000|200 million|less than or equal"):
        PlaceDemand(measure=ExactSize(width_px=width, height_px=height))


def test_a_proportional_size_beyond_the_limits_is_refused_in_words() -> None:
    with pytest.raises(OutOfRangeError, match="too large"):
        PlaceDemand(measure=Width(width_px=20_000)).size_for(Size(3, 20_000))
