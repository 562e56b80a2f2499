"""Words as HarfBuzz shapes them, and lines broken where their script and their language allow it."""

import numpy as np
import pytest
import uharfbuzz
from hypothesis import given, settings
from hypothesis import strategies as st

from lucidex.core.finish.text.breaking import BREAK, HYPHEN, LONGEST, hyphenated, language_of, with_breaks
from lucidex.core.finish.text.faces import Face, Family, Weight, shipped_face, stand_ins
from lucidex.core.finish.text.fitting import Fitted, fitted
from lucidex.core.finish.text.letters import divided, settable
from lucidex.core.finish.text.setting import Align, Setting, set_words
from lucidex.core.geometry.sizes import Size

FACES = (shipped_face(Family.SANS), *stand_ins(Weight.REGULAR))
THAI = "เปิดทุกวันในฤดูหนาวยกเว้นวันจันทร์"
COMPOUND = "Gewächshausheizungsanlagenwartungsvertrag"


def ink_by_harfbuzz(face: Face, text: str, size_px: float) -> tuple[float, float]:
    """Width and height of what a line's letters touch, in pixels."""
    font = uharfbuzz.Font(uharfbuzz.Face(uharfbuzz.Blob.from_file_path(str(face.path))))
    buffer = uharfbuzz.Buffer()
    buffer.add_str(text)
    buffer.guess_segment_properties()
    uharfbuzz.shape(font, buffer)
    at, boxes = 0.0, []
    for glyph, where in zip(buffer.glyph_infos, buffer.glyph_positions, strict=True):
        touched = font.get_glyph_extents(glyph.codepoint)
        if touched.width:
            left, top = at + where.x_offset + touched.x_bearing, where.y_offset + touched.y_bearing
            boxes.append((left, left + touched.width, top + touched.height, top))
        at += where.x_advance
    edges = np.array(boxes) * size_px / font.face.upem
    return float(edges[:, 1].max() - edges[:, 0].min()), float(edges[:, 3].max() - edges[:, 2].min())


@pytest.mark.parametrize(
    ("family", "text"),
    [
        (Family.SERIF, "office fluff affix"),
        (Family.SANS, "AVATAR Tower"),
        (Family.HUMANIST, "first flight"),
        (None, "مرحبا بالعالم لا"),
        (None, "क्षत्रिय स्त्री हिन्दी"),
        (None, "ที่นี่น้ำปั้น"),
        (None, "שָׁלוֹם עולם"),
    ],
)
def test_letters_are_joined_and_kerned_as_their_face_says(family: Family | None, text: str) -> None:
    faces = FACES if family is None else (shipped_face(family),)
    runs = divided(settable(text), faces).runs
    assert len(runs) == 1
    mask = set_words(Setting(runs, 160, 9_000)).mask
    rows = np.flatnonzero(mask.max(axis=1) > 0.5)
    width, height = ink_by_harfbuzz(runs[0].face, settable(text), 160)
    assert mask.shape[1] == pytest.approx(width, rel=0.006)
    assert rows[-1] - rows[0] + 1 == pytest.approx(height, abs=3)


def set_in(text: str, width: int, size_px: float = 42) -> Fitted:
    runs = divided(settable(text), FACES).runs
    return fitted(runs, Size(width, 600), size_px, width, 0.0, 0.0, (Align.LEFT, 1.25, 0.0, False))


@pytest.mark.parametrize("text", [THAI, COMPOUND, "https and Internationalizationalisms"])
def test_what_is_longer_than_a_line_is_broken_and_not_shrunk(text: str) -> None:
    made = set_in(text, 330)
    assert made.size_px == 42
    assert made.plain.shape[1] <= 330
    assert made.plain.shape[0] > 60, "it takes several lines"


def test_words_that_are_divided_are_named_and_no_others() -> None:
    assert set_in(COMPOUND, 330).broken == (COMPOUND,)
    assert set_in("Opening hours of the greenhouse", 330).broken == ()
    assert set_in("www" * 12, 330).broken == (), "no syllables are known: it becomes smaller, which is said"


def test_a_word_that_nearly_fits_stays_whole_and_becomes_a_little_smaller() -> None:
    alone = set_in("Glasshouses", 2_000)
    made = set_in("Glasshouses", round(alone.plain.shape[1] / 1.1))
    assert made.plain.shape[0] <= alone.plain.shape[0], "one line"
    assert 36 < made.size_px < 42


def test_words_that_fit_are_never_broken() -> None:
    made = set_in("The gardener photographs seedlings", 330)
    assert np.array_equal(made.plain, set_in("The gardener\nphotographs\nseedlings", 330).plain)


@given(st.text(st.characters(min_codepoint=0xE01, max_codepoint=0xE5B), max_size=30), st.text(max_size=8))
@settings(max_examples=40, deadline=None)
def test_breaks_take_nothing_away(thai: str, other: str) -> None:
    text = other + thai + other
    assert with_breaks(text).replace(BREAK, "") == text.replace(BREAK, "")


def test_thai_is_broken_between_its_words() -> None:
    assert with_breaks(f"open {THAI} 7").split(BREAK) == [
        "open เปิด",
        "ทุก",
        "วัน",
        "ใน",
        "ฤดู",
        "หนาว",
        "ยกเว้น",
        "วัน",
        "จันทร์ 7",
    ]


@pytest.mark.parametrize(
    ("text", "language"),
    [
        ("The opening hours of the glasshouse", "en_GB"),
        ("Öffnungszeiten des Gewächshauses im Winter", "de_DE"),
        ("Les heures d'ouverture de la serre", "fr"),
        ("El horario del invernadero y las plantas", "es"),
        (COMPOUND, "de_DE"),
        ("Seeds", "en_GB"),
        ("Расписание оранжереи", "ru_RU"),
    ],
)
def test_syllables_are_those_of_the_words_around(text: str, language: str) -> None:
    assert language_of(text) == language


def test_syllables_are_known_for_every_language_that_is_told_and_never_a_letter_or_two() -> None:
    for language, word in (("de_DE", COMPOUND), ("en_GB", "photographically"), ("ru_RU", "достопримечательность")):
        parts = hyphenated(word, language).split(HYPHEN)
        assert "".join(parts) == word
        assert len(parts) > 2
        assert min(map(len, (parts[0], parts[-1]))) >= 3
    assert hyphenated("a" * (LONGEST + 1), "en_GB") == "a" * (LONGEST + 1)
