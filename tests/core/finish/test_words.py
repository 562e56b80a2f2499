"""Words on the finished size: letters, fields, faces by file, setting, fitting, contrast; hostile words and fonts."""

import subprocess
import sys
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from hashlib import sha256
from io import BytesIO
from pathlib import Path

import numpy as np
import pytest
from fontTools.ttLib import TTFont
from hypothesis import given, settings
from hypothesis import strategies as st

from lucidex.core.errors import OutOfRangeError, TooLargeError, UnreadableFileError
from lucidex.core.finish.findings import FindingKind
from lucidex.core.finish.text.backing import Behind
from lucidex.core.finish.text.contrast import (
    contrast,
    is_told_everywhere,
    luminance,
    luminance_of,
    needed,
    worst_contrast,
)
from lucidex.core.finish.text.drawing import TextLook, placed_text
from lucidex.core.finish.text.faces import Family, Weight, has_slanted, own_face, shipped_face, stand_ins
from lucidex.core.finish.text.fields import fields_of, filled_in
from lucidex.core.finish.text.letters import MAX_LETTERS, divided, settable, settable_part
from lucidex.core.finish.text.own_faces import MAX_FONT_BYTES, prepared_face
from lucidex.core.finish.text.setting import Align, Setting, set_words
from lucidex.core.geometry.fit import Anchor
from lucidex.core.geometry.sizes import Box, Size
from lucidex.core.places.demand import PlaceDemand
from lucidex.core.places.measures import ExactSize
from lucidex.core.render import composed, plan, resampled_window
from lucidex.core.source.pyramid import AnyPixels
from lucidex.core.steps.text import Text, TextInk
from tests.conftest import picture
from tests.core.rendering import entries, source_of

FACES = (shipped_face(Family.SANS), *stand_ins(Weight.REGULAR))
SAMPLES = [
    "Seed swap, Saturday",
    "Ünder thé dømé",
    "Ελληνικά",
    "Русский",
    "漢字かな交じり文",
    "שלום עולם",
    "مرحبا بالعالم",
]


def made_with(
    pixels: AnyPixels, step: Text, width: int = 320, height: int = 180
) -> tuple[AnyPixels, dict[str, float]]:
    """A picture with words in a place, and what was found by its kind."""
    from lucidex.core.document import PictureDocument

    source, document = source_of(pixels), PictureDocument(steps=entries(step))
    geometry = document.geometry(source.upright)
    placement = document.placement(geometry, "1", PlaceDemand(measure=ExactSize(width_px=width, height_px=height)))
    chosen = plan(source, geometry, placement, None, finish=document.finish("1", placement.canvas))
    made = composed(source, resampled_window(source, chosen), chosen)
    return made.image.numpy(), {one.kind.value: one.amount for one in made.findings}


def flat(value: int, width: int = 320, height: int = 180) -> AnyPixels:
    return np.full((height, width, 3), value, np.uint8)


@pytest.mark.parametrize("family", list(Family))
@pytest.mark.parametrize("weight", list(Weight))
def test_every_shipped_face_is_there_and_may_be_embedded(family: Family, weight: Weight) -> None:
    for slanted in (False, True):
        face = shipped_face(family, weight, slanted)
        with TTFont(face.path) as font:
            assert font["name"].getDebugName(1) == face.family, "asked for by a name that no other file has"
            assert font["OS/2"].fsType == 0
        assert {ord(letter) for letter in "Seedswap äöüßéçñ 0–9“”"} <= face.letters
    assert has_slanted(family) == (shipped_face(family, weight, True) != shipped_face(family, weight, False))
    assert (face.path.with_name(f"{family.value}.LICENSE")).stat().st_size > 1_000


@pytest.mark.parametrize("sample", SAMPLES)
def test_letters_of_many_scripts_are_set_and_none_is_missing(sample: str) -> None:
    parts = divided(settable(sample), FACES)
    assert parts.missing == ""
    assert "".join(run.text for run in parts.runs) == sample
    assert set_words(Setting(parts.runs, 40, 2_000)).mask.max() == 1


def test_letters_that_no_face_has_are_named_and_left_out() -> None:
    parts = divided("ab\U00012000c", FACES)
    assert (parts.missing, [run.text for run in parts.runs]) == ("\U00012000", ["abc"])


def test_marks_stay_with_their_letter_in_one_face() -> None:
    hand = shipped_face(Family.HAND)
    parts = divided("α\u0313x", (hand, *FACES))
    assert [run.text for run in parts.runs] == ["α\u0313", "x"], "Greek is not in the hand, nor are marks on it"
    assert parts.other == "α\u0313"


def test_arabic_letters_are_joined_and_run_to_the_left() -> None:
    def width(text: str) -> int:
        return set_words(Setting(divided(text, FACES).runs, 100, 4_000)).mask.shape[1]

    assert width("بببب") < 0.8 * sum(width(one) for one in "بببب"), "joined letters are narrower than single ones"
    latin, hebrew = "ab", "אב"
    mixed = set_words(Setting(divided(f"{latin} {hebrew}", FACES).runs, 100, 4_000)).mask
    alone = set_words(Setting(divided("א", FACES).runs, 100, 4_000)).mask
    end = mixed[:, -alone.shape[1] :]
    assert abs(float(end.sum()) - float(alone.sum())) < 0.1 * float(alone.sum()), (
        "alef, the first, stands at the right"
    )


@pytest.mark.long
def test_a_setting_is_the_same_on_every_machine_and_in_every_process() -> None:
    code = (
        "import hashlib\n"
        "from lucidex.core.finish.text.faces import *\nfrom lucidex.core.finish.text.letters import divided\n"
        "from lucidex.core.finish.text.setting import *\n"
        "faces = (shipped_face(Family.SANS), *stand_ins(Weight.REGULAR))\n"
        "mask = set_words(Setting(divided('Seed swap שלום 漢字', faces).runs, 33.5, 900)).mask\n"
        "print(hashlib.sha256(mask.tobytes()).hexdigest())"
    )
    here = set_words(Setting(divided("Seed swap שלום 漢字", FACES).runs, 33.5, 900)).mask
    other = subprocess.run(
        [sys.executable, "-c", code],
        capture_output=True,
        text=True,
        check=True,
        env={"FONTCONFIG_FILE": "/etc/fonts/fonts.conf", "PATH": "/usr/bin"},
    )
    assert other.stdout.strip() == sha256(here.tobytes()).hexdigest(), (
        "whatever faces the machine has, and in any order"
    )


@given(st.sampled_from(SAMPLES), st.floats(6, 30), st.integers(2, 6))
@settings(max_examples=25, deadline=None)
def test_words_look_alike_at_all_sizes(sample: str, size: float, times: int) -> None:
    runs = divided(sample, FACES).runs
    small = set_words(Setting(runs, size, 10_000)).mask
    large = set_words(Setting(runs, size * times, 10_000)).mask
    assert large.shape[1] / times == pytest.approx(small.shape[1], abs=1.5 + 0.01 * small.shape[1])
    assert large.sum() / times**2 == pytest.approx(float(small.sum()), rel=0.06)


def test_lines_are_broken_at_words_and_stand_as_asked() -> None:
    runs = divided("one two three four five six seven", FACES).runs
    masks = {align: set_words(Setting(runs, 40, 220, align)).mask for align in Align}
    assert {mask.shape for mask in masks.values()} == {masks[Align.LEFT].shape}
    height, width = masks[Align.LEFT].shape
    assert width <= 220
    assert height == pytest.approx(40 * 1.25 * round(height / 50), abs=1)
    last = slice(height - 50, height)
    ink = {align: np.flatnonzero(mask[last].max(axis=0) > 0.5) for align, mask in masks.items()}
    assert ink[Align.LEFT].min() <= 4
    assert ink[Align.RIGHT].max() >= width - 5
    assert abs((ink[Align.CENTRE].min() + ink[Align.CENTRE].max()) / 2 - width / 2) <= 4


def test_lines_and_letters_are_set_apart_and_underlined() -> None:
    runs = divided("seed\nswap", FACES).runs
    usual, apart, wide, under = (
        set_words(Setting(runs, 50, 900, spacing=spacing, apart=letters, underlined=underlined)).mask
        for spacing, letters, underlined in ((1.25, 0, False), (2.0, 0, False), (1.25, 0.2, False), (1.25, 0, True))
    )
    assert apart.shape[0] == pytest.approx(usual.shape[0] * 2.0 / 1.25, abs=2)
    assert wide.shape[1] == pytest.approx(usual.shape[1] + 3 * 0.2 * 50, abs=12)
    rows = under.max(axis=1) * (under > 0.5).mean(axis=1)
    assert (rows > 0.9).any(), "a row is inked from end to end"
    assert not ((usual > 0.5).mean(axis=1) > 0.9).any()


@given(
    st.sampled_from([*SAMPLES, "W" * 300, "word " * 200, "a\nb\nc\nd\ne\nf\ng\nh", "i"]),
    st.integers(1, 900),
    st.integers(1, 900),
    st.floats(0.005, 0.6),
    st.floats(-180, 180),
    st.sampled_from(Anchor),
    st.one_of(st.none(), st.tuples(st.floats(0, 1), st.floats(0, 1))),
    st.sampled_from(Behind),
)
@settings(max_examples=80, deadline=None)
def test_words_lie_inside_of_their_place_or_say_that_they_are_cut(
    text: str,
    width: int,
    height: int,
    size: float,
    angle: float,
    anchor: Anchor,
    at: tuple[float, float] | None,
    behind: Behind,
) -> None:
    inner = Box(7, 9, Size(width, height))
    look = TextLook(
        size, 13, False, None, behind, None, 0.7, (Align.LEFT, 1.25, 0.0, False), 1.0, anchor, 0.04, at, angle
    )
    placed = placed_text(inner, min(width, height), divided(text, FACES).runs, look)
    box, mask = placed.box, placed.fitted.mask
    assert (mask.shape[1], mask.shape[0]) == (box.size.width, box.size.height)
    assert box.left >= 7
    assert box.top >= 9
    assert box.left + box.size.width <= 7 + width
    assert box.top + box.size.height <= 9 + height
    if not placed.fitted.is_cut:
        whole = set_words(Setting(tuple(divided(text, FACES).runs), placed.fitted.size_px, width * 9 + 9_000)).mask
        assert placed.fitted.plain.sum() == pytest.approx(float(whole.sum()), rel=0.12), "no letter is lost"


def test_what_does_not_fit_is_set_smaller_and_that_is_said() -> None:
    _, found = made_with(flat(40), Text(text="A title that is much too long for this", size_percent=40))
    assert found["set smaller"] < 0.4 * 180
    _, found = made_with(flat(40, 40, 20), Text(text="word " * 300), 40, 20)
    assert "cut off" in found


@pytest.mark.parametrize(
    ("one", "other", "ratio"),
    [((255, 255, 255), (0, 0, 0), 21), ((118, 118, 118), (255,) * 3, 4.54), ((255, 0, 0), (255,) * 3, 4.0)],
)
def test_contrast_is_that_of_the_guidelines(
    one: tuple[int, int, int], other: tuple[int, int, int], ratio: float
) -> None:
    assert contrast(luminance_of(one), luminance_of(other)) == pytest.approx(ratio, abs=0.01)
    assert contrast(luminance_of(other), luminance_of(one)) == pytest.approx(ratio, abs=0.01)
    assert needed(24, False) == needed(18.7, True) == 3.0
    assert needed(23.9, False) == needed(18.6, True) == 4.5


@given(st.integers(0, 255), st.integers(0, 255), st.integers(0, 255))
def test_luminance_agrees_with_the_formula_in_float64(red: int, green: int, blue: int) -> None:
    linear = [
        c / 255 / 12.92 if c / 255 <= 0.04045 else ((c / 255 + 0.055) / 1.055) ** 2.4 for c in (red, green, blue)
    ]
    exact = 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]
    assert float(luminance(np.array([[[red, green, blue]]], np.uint8))[0, 0]) == pytest.approx(exact, abs=1e-6)


def test_clear_pixels_are_read_against_white() -> None:
    assert float(luminance(np.array([[[0, 0, 0, 0]]], np.uint8))[0, 0]) == pytest.approx(1)


@given(st.lists(st.floats(0, 1), min_size=60, max_size=200), st.integers(0, 255))
def test_the_worst_contrast_is_hardly_ever_undercut(below: list[float], value: int) -> None:
    own = luminance_of((value,) * 3)
    places = np.arange(len(below)) // 20
    found = worst_contrast((value,) * 3, np.array(below, np.float32), places)
    ratios = [
        sorted(contrast(own, one) for one, where in zip(below, places, strict=True) if where == place)
        for place in set(places)
    ]
    assert min(found for found, *_ in ratios) - 1e-3 <= found
    assert found <= min(one[min(2, len(one) - 1)] for one in ratios) + 1e-3, "in no place much is harder"
    for wanted in (found * 0.999, found, found * 1.001):
        told = is_told_everywhere((value,) * 3, np.array(below, np.float32), places, wanted)
        assert told == (found >= wanted)


def test_one_letter_that_cannot_be_told_is_said_however_many_can_and_an_outline_tells_it() -> None:
    half = flat(20)
    half[:, 60:66] = 255
    words = Text(text="Seed swap at the dome", ink=TextInk.LIGHT, behind=Behind.NOTHING)
    _, found = made_with(half, words)
    assert found["hard to read"] < 1.5
    outlined = words.model_copy(update={"behind": Behind.OUTLINE})
    for strength, is_said in ((100, False), (25, True)):
        _, found = made_with(flat(255), outlined.model_copy(update={"behind_strength": strength}))
        assert ("hard to read" in found) == is_said


@pytest.mark.parametrize("anchor", [Anchor.TOP, Anchor.BOTTOM, Anchor.TOP_LEFT])
def test_gaps_are_measured_to_the_ink(anchor: Anchor) -> None:
    made, _ = made_with(flat(20), Text(text="Seed", ink=TextInk.LIGHT, anchor=anchor, margin_percent=10))
    rows = np.flatnonzero((made[..., 0] > 120).any(axis=1))
    gap = rows[0] if anchor is not Anchor.BOTTOM else 179 - rows[-1]
    assert abs(int(gap) - 18) <= 1


@pytest.mark.parametrize("value", [0, 60, 118, 128, 200, 255])
def test_words_read_well_on_every_grey_by_themselves(value: int) -> None:
    made, found = made_with(flat(value), Text(text="Seed swap"))
    assert "hard to read" not in found
    letters = made[..., 0].astype(int)
    assert np.abs(letters - value).max() > 80


def test_words_read_well_on_a_wild_ground_by_themselves_and_not_without_a_shade() -> None:
    wild = np.random.default_rng(4).integers(0, 2, (180, 320, 1), np.uint8).repeat(3, axis=2) * 255
    _, found = made_with(wild, Text(text="Seed swap"))
    assert "hard to read" not in found
    for ink in (TextInk.LIGHT, TextInk.DARK):
        _, found = made_with(wild, Text(text="Seed swap", behind=Behind.NOTHING, ink=ink))
        assert found["hard to read"] < 4.5
    _, found = made_with(wild, Text(text="Seed swap", behind=Behind.PLATE, behind_strength=95))
    assert "hard to read" not in found


def test_a_plate_an_outline_and_a_shade_lie_behind_the_letters_only() -> None:
    bare, _ = made_with(flat(128), Text(text="Seed", behind=Behind.NOTHING, ink=TextInk.LIGHT))
    for behind in (Behind.PLATE, Behind.OUTLINE, Behind.SHADE):
        made, _ = made_with(flat(128), Text(text="Seed", behind=behind, ink=TextInk.LIGHT, behind_strength=100))
        assert (made[..., 0] < 100).any(), "something dark lies behind the light letters"
        assert (made[..., 0] == 255).any(), "and the letters stay as they are"
        assert (made[:40] == 128).all(), "and far away nothing changes"
    assert not (bare[..., 0] < 128).any()


def test_small_letters_are_said() -> None:
    _, found = made_with(flat(20), Text(text="Seed swap", size_percent=3, least_px=0))
    assert found["small letters"] == pytest.approx(5.4)
    _, found = made_with(flat(20), Text(text="Seed swap", size_percent=3))
    assert "small letters" not in found, "they are set at least 13 pixels high where there is room"


def test_fields_are_filled_in_once_and_what_is_empty_is_named() -> None:
    assert fields_of("{Caption} and { caption }, {own one}") == ("caption", "own one")
    assert filled_in("{caption}\n{credit}", {"caption": "Fern {credit}"}) == ("Fern {credit}", ("credit",))
    assert filled_in("Price: {price}", {}) == ("Price", ("price",))
    assert filled_in("{a} – {b}", {"b": "two"}) == ("two", ("a",))
    step = Text(text="{caption} {place}").filled({"caption": "Fern", "place": ""})
    assert (step.text, step.empty_fields) == ("Fern", ("place",))
    _, found = made_with(flat(20), step)
    assert "empty field" in found


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("x" * (MAX_LETTERS + 1), "at most"),
        ("a\x07b", "control character"),
        ("a" + "\u0301" * 12, "piled"),
        ("\ud800", "control"),
    ],
)
def test_hostile_words_get_a_sentence_and_harm_nothing(text: str, says: str) -> None:
    with pytest.raises(OutOfRangeError, match=says):
        settable(text)
    part, was_cut = settable_part(text)
    assert was_cut
    assert settable(part) == part


@given(st.text(max_size=300))
@settings(max_examples=60, deadline=None)
def test_any_words_at_all_can_be_drawn(text: str) -> None:
    made, _ = made_with(flat(90, 80, 60), Text.model_construct(**{**Text().model_dump(), "text": text}), 80, 60)
    assert made.shape == (60, 80, 3)


def test_markup_in_words_is_only_words() -> None:
    plain, _ = made_with(flat(20), Text(text="<b>&amp;</b>"))
    bold, _ = made_with(flat(20), Text(text="&"))
    assert not np.array_equal(plain, bold)


def font_bytes(**changes: int) -> bytes:
    font = TTFont(shipped_face(Family.HAND).path)
    for name, value in changes.items():
        setattr(font["OS/2"], name, value)
    out = BytesIO()
    font.save(out)
    return out.getvalue()


def test_a_face_of_ones_own_is_written_anew_under_a_name_of_its_own() -> None:
    content = font_bytes()
    facts, prepared = prepared_face(content, "own one")
    assert facts.letters > 500
    assert facts.rights == "may be embedded"
    with TTFont(BytesIO(prepared)) as font:
        assert font["name"].getDebugName(1) == "own one"
        assert not {"fpgm", "prep", "cvt ", "DSIG", "fvar"} & set(font.keys())


def test_two_faces_that_call_themselves_alike_stay_apart(tmp_path: Path) -> None:
    faces = []
    for family in (Family.HAND, Family.MONO):
        font = TTFont(shipped_face(family).path)
        font["name"].setName("Alike", 1, 3, 1, 0x409)
        out = BytesIO()
        font.save(out)
        face = own_face(tmp_path / f"{family.value}.ttf")
        face.path.write_bytes(prepared_face(out.getvalue(), face.family)[1])
        faces.append(face)
    masks = [set_words(Setting(divided("Seed", (face,)).runs, 60, 900)).mask for face in faces]
    for mask, family in zip(masks, (Family.HAND, Family.MONO), strict=True):
        assert np.array_equal(mask, set_words(Setting(divided("Seed", (shipped_face(family),)).runs, 60, 900)).mask)


def test_a_face_that_another_thread_brought_in_is_used_and_no_other_one(tmp_path: Path) -> None:
    runs = divided("Seed", (shipped_face(Family.MONO),)).runs
    set_words(Setting(runs, 61, 900))  # this thread has set words before
    face = own_face(tmp_path / "late.ttf")
    face.path.write_bytes(prepared_face(font_bytes(), face.family)[1])
    late = Setting(divided("Seed", (face,)).runs, 60, 900)
    with ThreadPoolExecutor(1) as pool:
        elsewhere = pool.submit(set_words, replace(late, size_px=59)).result()
    hand = divided("Seed", (shipped_face(Family.HAND),)).runs
    assert np.array_equal(elsewhere.mask, set_words(Setting(hand, 59, 900)).mask)
    assert np.array_equal(set_words(late).mask, set_words(Setting(hand, 60, 900)).mask)


@pytest.mark.parametrize(
    ("content", "says"),
    [
        (b"", "no font"),
        (b"\x89PNG\r\n\x1a\n" + b"\0" * 90, "no font"),
        (b"wOF2" + b"\0" * 90, "web font"),
        (b"ttcf" + b"\0" * 90, "collection"),
        (b"\x00\x01\x00\x00" + b"\xff" * 90, "damaged"),
        (font_bytes(fsType=0x2), "does not allow"),
    ],
)
def test_what_is_no_usable_face_is_refused_in_words(content: bytes, says: str) -> None:
    with pytest.raises(UnreadableFileError, match=says):
        prepared_face(content, "a" * 64)


@given(st.data())
@settings(max_examples=40, deadline=None)
def test_a_damaged_font_is_read_or_refused_and_nothing_else(data: st.DataObject) -> None:
    content = bytearray(font_bytes())
    for _ in range(data.draw(st.integers(1, 8))):
        content[data.draw(st.integers(0, len(content) - 1))] = data.draw(st.integers(0, 255))
    cut = bytes(content[: data.draw(st.integers(4, len(content)))])
    try:
        _, prepared = prepared_face(cut, "a" * 64)
    except (UnreadableFileError, TooLargeError):
        return
    assert TTFont(BytesIO(prepared)).getBestCmap()


def test_a_face_that_is_too_large_is_refused_before_it_is_read() -> None:
    with pytest.raises(TooLargeError, match="larger than 25 MB"):
        prepared_face(b"\x00\x01\x00\x00" + bytes(MAX_FONT_BYTES), "a" * 64)


def test_letters_that_an_own_face_has_not_come_from_another_one_and_that_is_said() -> None:
    found = {one.kind for one in findings_with_own_face("Γ")}
    assert FindingKind.OTHER_FACE in found
    assert FindingKind.OTHER_FACE not in {one.kind for one in findings_with_own_face("G")}


def findings_with_own_face(text: str) -> tuple[object, ...]:
    from lucidex.core.finish.assets import AssetFile
    from lucidex.core.finish.canvas import Canvas
    from tests.core.rendering import AnyAssets

    pixels = picture(120, 80).copy()
    whole = Box(0, 0, Size(120, 80))
    step = Text(text=text, font=AssetFile(sha256="f" * 64, name="hand.ttf"))
    return step.draw(Canvas(pixels, whole, whole, whole), AnyAssets()).findings
