"""Ways to say a size: each gives what it says, for every picture; multiples and their ladder."""

import math
from fractions import Fraction

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from lucidex.core.errors import NotUnderstoodError, OutOfRangeError
from lucidex.core.geometry.fit import Anchor, Rule, fit
from lucidex.core.geometry.sizes import MAX_EDGE_PX, Size
from lucidex.core.line.places import read_demand, read_demands
from lucidex.core.places.demand import PlaceDemand, demand_words
from lucidex.core.places.linked_size import LinkedSize
from lucidex.core.places.measures import Area, ExactSize, Multiple, Shape, ShortestEdge, ladder
from lucidex.core.units import LengthUnit

sides = st.integers(1, 20_000)
small = st.integers(1, 3_000)


@given(sides, sides, st.integers(1, 4_000))
def test_the_shortest_edge_is_exact_and_the_other_proportional(w: int, h: int, edge: int) -> None:
    size = ShortestEdge(shortest_px=edge).size_for(Size(w, h))
    assert size.shortest == edge
    assert abs(Fraction(size.longest) - Fraction(edge * max(w, h), min(w, h))) <= Fraction(1, 2)


@given(st.integers(50, 9_000), st.integers(50, 9_000), st.floats(0.01, 50))
def test_an_area_is_met_within_half_a_row_and_proportions_are_kept(w: int, h: int, megapixels: float) -> None:
    long = math.sqrt(megapixels * 1e6 * max(w, h) / min(w, h))
    if long >= MAX_EDGE_PX + 0.5:
        with pytest.raises(OutOfRangeError, match="px long; at most 32 000 are possible"):
            Area(megapixels=megapixels).size_for(Size(w, h))
        return
    size = Area(megapixels=megapixels).size_for(Size(w, h))
    assume(size.longest < MAX_EDGE_PX)
    assert size.pixels == pytest.approx(megapixels * 1e6, abs=size.width + size.height)
    assert abs(size.longest * min(w, h) / max(w, h) - size.shortest) <= 0.5 + 1e-9


@given(sides, sides, st.integers(1, 50), st.integers(1, 50))
def test_a_shape_is_the_largest_within_the_picture(w: int, h: int, across: int, down: int) -> None:
    size = Shape(across=across, down=down).size_for(Size(w, h))
    assert size.width <= w
    assert size.height <= h
    assert size.width == w or size.height == h


@given(small, small, st.integers(1, 400), st.integers(1, 400))
def test_no_other_bearable_multiple_is_nearer(w: int, h: int, bw: int, bh: int) -> None:
    """Against trying all of them."""
    nearest = Multiple(width_px=bw, height_px=bh).nearest(Size(w, h))
    scales = {n: max(Fraction(n * bw, w), Fraction(n * bh, h)) for n in range(1, 201)}
    bearable = {n: max(scale, 1 / scale) for n, scale in scales.items() if scale <= Fraction(11, 10)}
    assert nearest == min(bearable, key=lambda n: (bearable[n], n), default=1)


@given(small, small, st.integers(1, 300), st.integers(1, 300), st.sampled_from(list(Rule)))
def test_every_rung_says_what_the_fit_does(w: int, h: int, bw: int, bh: int, rule: Rule) -> None:
    picture = Size(w, h)
    rungs = ladder(Multiple(width_px=bw, height_px=bh), picture, rule)
    assert [rung.times for rung in rungs] == sorted({rung.times for rung in rungs})
    assert sum(rung.is_nearest for rung in rungs) == 1
    for rung in rungs:
        placed = fit(picture, Size(bw * rung.times, bh * rung.times), rule, Anchor.CENTRE)
        assert rung.room == (rung.size.width - placed.drawn.width, rung.size.height - placed.drawn.height)
        if rule is Rule.COVER:
            assert min(rung.cut) >= 0
            assert min(rung.cut) <= 1, "covering cuts along one side only"
        else:
            assert rung.cut == (0, 0)


@pytest.mark.parametrize(
    ("typed", "words"),
    [
        ("shortest 900", "shortest edge 900"),
        ("2 megapixels", "2 megapixels"),
        ("1,5 mp", "1.5 megapixels"),
        ("place 16:9", "shape 16 : 9"),
        ("180x70 or a multiple", "180 × 70 or a multiple"),
        ("180 × 70 or a whole multiple of it show whole on clear", "180 × 70 or a multiple, show whole, on clear"),
        ("multiple of 180x70", "180 × 70 or a multiple"),
        (
            "1600x120 show whole keep left not enlarged",
            "1600 × 120, show whole, on white, picture kept left, never enlarged",
        ),
    ],
)
def test_more_sizes_as_they_are_typed(typed: str, words: str) -> None:
    assert demand_words(read_demand(typed).demand()) == words


def test_clear_ground_is_typed_with_on() -> None:
    assert read_demand("180x70 show whole on clear").demand().ground == "clear"
    assert read_demand("180x70 show whole").demand().ground == "#ffffff"


def test_several_sizes_at_once_and_a_decimal_comma_is_none() -> None:
    words = [read.measure.words() for read in read_demands("1600x640, 8,5 x 6 cm at 300; 720 wide and 40 %")]
    assert words == ["1600 × 640", "1004 × 709", "720 wide", "40 %"]
    with pytest.raises(OutOfRangeError, match="At most 12"):
        read_demands(", ".join(["10x10"] * 13))


@given(st.integers(1, 9_000), st.integers(1, 9_000), st.sampled_from(list(LengthUnit)), st.integers(30, 600))
def test_linked_numbers_come_back_to_the_same_pixels(w: int, h: int, unit: LengthUnit, density: int) -> None:
    """Said in another unit and back, an exact size keeps its pixels (a thousandth of a unit is fine enough)."""
    demand = PlaceDemand(measure=ExactSize(width_px=w, height_px=h), pixels_per_inch=density)
    message = LinkedSize.of(demand).in_unit(unit, demand)
    measure = message.measure(demand)
    assert isinstance(measure, ExactSize)
    # 0.0005 of an inch at 600 pixels an inch is 0.3 pixels: the nearest whole pixel is the same one
    assert (measure.width_px, measure.height_px) == (w, h)


def test_a_new_resolution_changes_pixels_of_lengths_and_not_of_pixels() -> None:
    demand = PlaceDemand(measure=ExactSize(width_px=945, height_px=709), pixels_per_inch=300, unit="cm")
    message = LinkedSize.of(demand)
    assert (message.first, message.second) == ("8.001", "6.003")
    doubled = LinkedSize("size", "8", "6", LengthUnit.CM, "600").measure(demand)
    assert doubled == ExactSize(width_px=1890, height_px=1417)
    assert LinkedSize("size", "945", "709", LengthUnit.PX, "600").measure(demand) == demand.measure


@pytest.mark.parametrize(
    ("size", "sentence"),
    [
        (LinkedSize("size", "8", "", LengthUnit.PX, ""), "A number is missing"),
        (LinkedSize("size", "8", "6", LengthUnit.CM, ""), "only at a resolution"),
        (LinkedSize("size", "8.5", "6", LengthUnit.PX, ""), "not a whole number"),
        (LinkedSize("size", "0", "6", LengthUnit.PX, ""), "greater than zero"),
        (LinkedSize("size", "40000", "6", LengthUnit.PX, ""), "at most 32000"),
        (LinkedSize("nonsense", "4", "6", LengthUnit.PX, ""), "no way to say a size"),
    ],
)
def test_linked_numbers_that_make_no_size_are_said(size: LinkedSize, sentence: str) -> None:
    with pytest.raises((NotUnderstoodError, OutOfRangeError), match=sentence):
        size.measure(PlaceDemand(measure=ExactSize(width_px=1, height_px=1)))


def test_a_small_picture_is_not_enlarged_where_that_was_said() -> None:
    placed = fit(Size(72, 72), Size(1600, 120), Rule.CONTAIN, Anchor.LEFT, enlarges=False)
    assert (placed.drawn, placed.left, placed.top, placed.canvas) == (Size(72, 72), 0, 24, Size(1600, 120))
    larger = fit(Size(720, 720), Size(1600, 120), Rule.CONTAIN, Anchor.LEFT, enlarges=False)
    assert larger.drawn == Size(120, 120)
