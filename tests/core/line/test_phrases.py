"""The table of phrases: what people type, and what it must mean; and what holds for every line."""

from collections.abc import Iterator
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lucidex.core.line import reader
from lucidex.core.line.everyday import languages
from lucidex.core.line.known_words import ASKED, SAME
from lucidex.core.line.reader import MAX_LINE, MAX_READINGS, Named, read_line
from lucidex.core.places.book import shipped_book

TABLE = Path(__file__).with_name("phrases.txt")
NAMES = [Named(place.name, place.purpose.value) for place in shipped_book().places]


def rows() -> Iterator[tuple[str, str, str]]:
    """How a phrase is answered (=, ? or !), the words, and the phrase."""
    kind, words = "", ""
    for line in TABLE.read_text().splitlines():
        if line[:2] in {"= ", "? ", "! "}:
            kind, words = line[0], line[2:]
        elif line and not line.startswith("#"):
            for phrase in line.split(" | "):
                yield kind, words, phrase


ROWS = list(rows())
VOCABULARY = reader._vocabulary()


def test_the_table_is_long_enough_and_says_nothing_twice() -> None:
    assert len(ROWS) >= 2_500
    meanings: dict[str, set[tuple[str, str]]] = {}
    for kind, words, phrase in ROWS:
        meanings.setdefault(phrase, set()).add((kind, words))
    assert {phrase for phrase, found in meanings.items() if len(found) > 1 and "=" in {k for k, _ in found}} == set()


@pytest.mark.parametrize(("kind", "words", "phrase"), ROWS, ids=[phrase for _, _, phrase in ROWS])
def test_a_phrase_means_what_the_table_says(kind: str, words: str, phrase: str) -> None:
    found = read_line(phrase, NAMES)
    said = [reading.words for reading in found.readings]
    if kind == "=":
        assert found.meant is not None, (found.question, found.trouble)
        assert said[0] == words
    elif kind == "?":
        assert found.question, said
        assert any(words in one for one in said)
    else:
        refusal = found.question or (found.trouble.sentence if found.trouble else "")
        assert words in refusal
        assert found.meant is None


def test_what_languages_mean_are_words_of_the_line() -> None:
    assert len(languages()) >= 3
    for table in languages():
        for typed, meant in table.items():
            is_known = set(meant) <= VOCABULARY | reader._UNITS or read_line(" ".join(meant)).meant is not None
            assert is_known, (typed, meant)


@pytest.mark.long
@pytest.mark.parametrize("shape", ["{}", "  {} ", "{}!", "please {}", "{}."])
def test_politeness_and_stops_change_nothing(shape: str) -> None:
    for kind, words, phrase in ROWS:
        if kind == "=" and words.startswith(("1600", "Black", "Turned", "at most")):
            meant = read_line(shape.format(phrase), NAMES).meant
            assert meant is not None, phrase
            assert meant.words == words


@given(st.text(alphabet="0123456789x ,.%kbcmin/:+-<>andturoleftwhb#\"'", max_size=MAX_LINE + 20))
def test_every_line_is_answered(typed: str) -> None:
    found = read_line(typed, NAMES)
    assert len(found.readings) <= MAX_READINGS
    assert found.readings or found.trouble
    assert len({reading.words for reading in found.readings}) == len(found.readings)
    assert found.meant is None or not found.meant.left_out


@pytest.mark.long
def test_a_word_is_never_dropped_in_silence() -> None:
    """With a word that nothing is known of, no phrase is done without another look, unless it is written on it."""
    for kind, _, phrase in ROWS:
        if kind == "=":
            meant = read_line(f"{phrase} zwqxj", NAMES).meant
            assert meant is None or "zwqxj”" in meant.words, phrase


def test_what_else_is_typed_means_what_the_line_calls_it() -> None:
    assert not set(SAME) & set(SAME.values())
    for typed, canonical in SAME.items():
        assert _meant(typed) == _meant(canonical), (typed, canonical)
    for typed, need in ASKED.items():
        found = read_line(typed)
        assert found.question == need.sentence, typed
        assert [one.words for one in found.readings] == [_meant(one) for one in need.instead], typed


def _meant(typed: str) -> str:
    meant = read_line(typed).meant
    assert meant is not None, typed
    return meant.words


@pytest.mark.parametrize(
    ("typed", "asked", "offered"),
    [
        ("zoom 50%", "“zoom” and “50 %”", ["Look closer; 50 %", "Look closer", "50 %"]),
        ("crop 10%", "10 % off which side?", ["Cropped by 10 % on each side.", "Cropped by 10 % top."]),
        (
            "border 20",
            "20 per cent, or 20 px?",
            ["A border of 20 %, white.", "A border of 20 px, white."],
        ),
        ("mirror bw", "Are these two things?", ["Mirrored, left and right changed places.; Black and white"]),
        ("heading", "", ["Text still to be typed"]),
        ("heaping", "“heaping” is not known. Is “heading” meant?", ["Text still to be typed"]),
    ],
)
def test_what_is_not_clear_is_asked_and_names_what_it_may_be(typed: str, asked: str, offered: list[str]) -> None:
    found = read_line(typed)
    assert (found.question or "").startswith(asked)
    assert bool(found.question) is bool(asked)
    for words, one in zip(offered, found.readings, strict=False):
        assert one.words.startswith(words)


def test_a_question_within_a_line_is_answered_in_its_place() -> None:
    assert [one.completes for one in read_line("bw, crop 10%, 800 wide").readings][:2] == [
        "bw , crop 10 % off each side , 800 wide",
        "bw , crop 10 % off the top , 800 wide",
    ]
