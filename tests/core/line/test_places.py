"""What people type, in all its spellings, and what is refused in words."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lucidex.core.encode import FORMAT_NAMES, FormatName
from lucidex.core.errors import NotUnderstoodError, OutOfRangeError, UserError
from lucidex.core.geometry.fit import Anchor, Rule
from lucidex.core.line.deeds import AddStep, HangPlace
from lucidex.core.line.places import read_demand
from lucidex.core.line.reader import read_line
from lucidex.core.places.demand import PlaceDemand, demand_words
from lucidex.core.steps import all_offers
from lucidex.core.steps.base import plain
from lucidex.core.units import format_weight, parse_weight
from tests.core.line.reading import meant, step_read


@pytest.mark.parametrize(
    "typed", ["1600x640", "1600 x 640", "1600×640", "1600*640", "1600 X 640 px", " 1600px x 640px "]
)
def test_spellings_of_a_size(typed: str) -> None:
    assert read_demand(typed).measure.words() == "1600 × 640"


@pytest.mark.parametrize(
    ("typed", "words"),
    [
        ("720 wide", "720 wide"),
        ("width 720", "720 wide"),
        ("480 high", "480 high"),
        ("longest 1600", "longest edge 1600"),
        ("1600 longest edge", "longest edge 1600"),
        ("40 %", "40 %"),
        ("33,5%", "33.5 %"),
        ("9x5 cm at 300", "9 × 5 cm (1063 × 591 px), 300 pixels per inch"),
        ("2 in x 1 in at 72 dpi", "2 × 1 in (144 × 72 px), 72 pixels per inch"),
        ("210 mm wide at 150", "1240 wide, 150 pixels per inch"),
    ],
)
def test_one_side_percent_and_lengths(typed: str, words: str) -> None:
    assert demand_words(read_demand(typed).demand()) == words


def test_everything_at_once() -> None:
    demand = read_demand("180 x 70 keep left show whole as WebP under 1,5 kB").demand()
    assert (demand.anchor, demand.rule) == (Anchor.LEFT, Rule.CONTAIN)
    assert (demand.format, demand.max_bytes) == (FormatName("webp"), 1_500)


@pytest.mark.parametrize("anchor", list(Anchor))
def test_every_anchor_can_be_typed(anchor: Anchor) -> None:
    assert read_demand(f"10x10 keep {anchor}").anchor is anchor


@pytest.mark.parametrize(
    "typed",
    ["0", "0x0", "-1", "-5x10", "1e9", "1000000000x3", "abc", "", "x", "1600x", "5000 %", "0 %", "-3 %", "1.5x3"],
)
def test_impossible_sizes_are_refused_in_a_sentence(typed: str) -> None:
    with pytest.raises((NotUnderstoodError, OutOfRangeError)) as refused:
        read_demand(typed)
    assert refused.value.sentence.endswith(".")
    assert len(refused.value.sentence) > 20


@given(st.text(max_size=300))
def test_no_text_is_answered_with_anything_but_words(typed: str) -> None:
    found = read_line(typed)
    assert found.readings or (isinstance(found.trouble, UserError) and found.trouble.sentence)
    assert all(reading.words for reading in found.readings)


@given(st.integers(1, 9_000), st.integers(1, 9_000), st.sampled_from(Anchor), st.sampled_from(FORMAT_NAMES))
def test_what_was_typed_survives_the_way_to_the_table(
    width: int, height: int, anchor: Anchor, name: FormatName
) -> None:
    demand = read_demand(f"{width}x{height} keep {anchor} as {name}").demand()
    assert PlaceDemand.model_validate_json(demand.model_dump_json()) == demand


@pytest.mark.long
@pytest.mark.parametrize("words", [words for offer in all_offers() for words in offer.typed])
def test_every_listed_word_can_be_typed(words: str) -> None:
    assert plain(step_read(words.upper()).sentence()).endswith(".")


@pytest.mark.parametrize(
    ("typed", "sentence"),
    [
        ("10 off each side", "Cropped by 10 px on each side."),
        ("crop 20 px off the left side", "Cropped by 20 px left."),
        ("5 off bottom", "Cropped by 5 px bottom."),
        ("straighten 2,4", "Straightened by 2.4°, corners cut away."),
        ("straighten by -3°", "Straightened by -3°, corners cut away."),
        ("crop 1600 x 900", "Cropped to 1600 × 900 pixels."),
    ],
)
def test_steps_with_numbers(typed: str, sentence: str) -> None:
    assert plain(step_read(typed).sentence()) == sentence


def test_a_shape_is_a_step_and_a_size_is_a_place() -> None:
    assert isinstance(meant("16:10").deeds[0], AddStep)
    assert isinstance(meant("crop 1600x900").deeds[0], AddStep)
    assert isinstance(meant("1600x900").deeds[0], HangPlace)


@pytest.mark.parametrize(
    ("typed", "count"), [("180 kB", 180_000), ("180KB", 180_000), ("1,5 MB", 1_500_000), ("900 B", 900)]
)
def test_weights(typed: str, count: int) -> None:
    assert parse_weight(typed) == count
    assert parse_weight(format_weight(count)) == count
