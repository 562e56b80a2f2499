"""How close files look: a measure that can be trusted, where they differ, and what the picture is to an encoder."""

import weakref

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lucidex.core.encode.chroma import lost_colour, needs_full_chroma
from lucidex.core.encode.content import Kind, content_of
from lucidex.core.encode.differing import spots_that_differ
from lucidex.core.encode.likeness import PATCH, PATCHES_A_SIDE, Reference, likeness, likeness_words
from lucidex.core.encode.likeness_kernel import STEADY_1, STEADY_2, channel_differences
from tests.conftest import Pixels, picture, smooth_picture
from tests.core.test_encoding import image_of
from tests.core.test_enlarging import detailed


def jpeg(pixels: Pixels, quality: int) -> Pixels:
    content = cv2.imencode(".jpg", np.ascontiguousarray(pixels[..., ::-1]), [cv2.IMWRITE_JPEG_QUALITY, quality])[1]
    return np.ascontiguousarray(cv2.imdecode(content, cv2.IMREAD_COLOR)[..., ::-1])


def words_on_paper(width: int = 400, height: int = 300) -> Pixels:
    paper = np.full((height, width, 3), 250, np.uint8)
    for y in range(24, height, 24):
        cv2.putText(paper, "open on Saturday", (8, y), cv2.FONT_HERSHEY_SIMPLEX, 0.6, (20, 20, 20), 1, cv2.LINE_AA)
    return paper


@settings(max_examples=40, deadline=None)
@given(st.integers(1, 90), st.integers(1, 90), st.integers(0, 9))
def test_the_same_picture_is_wholly_alike(width: int, height: int, seed: int) -> None:
    pixels = picture(width, height, seed=seed)
    assert likeness(pixels, pixels.copy()) == 100


def test_likeness_falls_with_quality_and_with_damage() -> None:
    original = detailed(320, 240)
    reference = Reference(original)
    found = [reference.likeness(jpeg(original, quality)) for quality in (95, 80, 60, 40, 20, 8)]
    assert found == sorted(found, reverse=True)
    assert found[0] > 70
    assert found[-1] < 30
    noise = np.random.default_rng(4).normal(0, 1, original.shape)
    noisy = [reference.likeness(np.clip(original + a * noise, 0, 255).astype(np.uint8)) for a in (1, 3, 9, 40)]
    assert noisy == sorted(noisy, reverse=True)
    assert noisy[-1] == 0


def test_a_bad_spot_is_not_averaged_away() -> None:
    original = detailed(600, 400)
    spoilt = original.copy()
    spoilt[100:150, 200:280] = jpeg(original, 4)[100:150, 200:280]
    everywhere = np.clip(original.astype(int) + np.random.default_rng(1).integers(-1, 2, original.shape), 0, 255)
    assert likeness(original, spoilt) < likeness(original, everywhere.astype(np.uint8))


def test_colour_alone_counts() -> None:
    original = detailed(320, 240)
    grey = np.repeat(cv2.cvtColor(original, cv2.COLOR_RGB2GRAY)[..., None], 3, 2)
    assert likeness(original, grey) < 60


def test_pictures_of_other_shapes_are_refused() -> None:
    original = detailed(60, 40)
    with pytest.raises(ValueError, match="cannot be compared"):
        likeness(original, original[1:])
    with pytest.raises(ValueError, match="cannot be compared"):
        spots_that_differ(original, original[1:], (8, 8))


def test_large_pictures_are_judged_by_patches_from_edge_to_edge() -> None:
    side = PATCH * PATCHES_A_SIDE + 500
    original = np.tile(detailed(250, 250), (side // 250 + 1, side // 250 + 1, 1))[:side, :side]
    reference = Reference(original)
    assert reference.likeness(original.copy()) == 100
    for corner in ((0, 0), (side - 60, side - 60)):
        spoilt = original.copy()
        spoilt[corner[0] : corner[0] + 60, corner[1] : corner[1] + 60] = 0
        assert reference.likeness(spoilt) < 99.9
    thin = picture(60, 60_000)
    assert likeness(thin, thin.copy()) == 100


def test_a_channel_agrees_with_a_plain_float64_reference() -> None:
    """The mean loss of structure and the detail that is new or gone, pixel by pixel, with the same local means."""
    random = np.random.default_rng(6)
    a, b = (random.uniform(0, 255, (24, 30)) for _ in range(2))

    def soft(values: np.ndarray) -> np.ndarray:
        return cv2.GaussianBlur(values, (9, 9), 1.5)

    one, two = soft(a), soft(b)
    spreads = soft(a * a) - one**2 + soft(b * b) - two**2
    together = soft(a * b) - one * two
    loss = 1 - (2 * one * two + STEADY_1) / (one**2 + two**2 + STEADY_1) * (2 * together + STEADY_2) / (
        spreads + STEADY_2
    )
    detail = (255 + np.abs(b - two)) / (255 + np.abs(a - one)) - 1
    new, gone = np.maximum(detail, 0), np.maximum(-detail, 0)
    wanted = [norm for value in (loss, new, gone) for norm in (value.mean(), (value**4).mean() ** 0.25)]
    single = [values.astype(np.float32) for values in (a, one, soft(a * a), b, two, soft(b * b), soft(a * b))]
    assert channel_differences(*single) == pytest.approx(wanted, rel=2e-3, abs=1e-3)


def test_a_likeness_has_words() -> None:
    assert [likeness_words(value) for value in (100, 80, 79.9, 60, 59, 30, 29, 0)] == [
        "looks the same",
        "looks the same",
        "slight difference",
        "slight difference",
        "visible difference",
        "visible difference",
        "poor",
        "poor",
    ]


@pytest.mark.long
def test_where_it_differs_most_is_found_the_worst_first() -> None:
    original = detailed(900, 600)
    spoilt = original.copy()
    spoilt[400:460, 700:780] = jpeg(original, 2)[400:460, 700:780]
    spoilt[60:120, 80:160] = jpeg(original, 6)[60:120, 80:160]
    found = spots_that_differ(original, spoilt, (160, 120))
    assert np.hypot(found[0][0] - 740, found[0][1] - 430) < 60
    assert any(np.hypot(x - 120, y - 90) < 80 for x, y in found[1:])
    assert all(80 <= x <= 820 and 60 <= y <= 540 for x, y in found), "a spot lies wholly inside"
    assert spots_that_differ(original, original.copy(), (160, 120)) == []


@settings(max_examples=30, deadline=None)
@given(st.integers(1, 70), st.integers(1, 70), st.integers(1, 200), st.integers(1, 200))
def test_spots_lie_inside_of_any_picture(width: int, height: int, across: int, down: int) -> None:
    first, second = picture(width, height), picture(width, height, seed=2)
    for x, y in spots_that_differ(first, second, (across, down)):
        assert 0 <= x <= width
        assert 0 <= y <= height


def test_drawn_colour_keeps_all_its_pixels_and_soft_colour_does_not() -> None:
    red = np.full((200, 300, 3), 255, np.uint8)
    for x in range(10, 300, 14):
        cv2.line(red, (x, 0), (x - 30, 200), (220, 0, 20), 2)
    assert needs_full_chroma(image_of(red))
    assert not needs_full_chroma(image_of(detailed(300, 200)[..., :1].repeat(3, 2)))
    assert not needs_full_chroma(image_of(smooth_picture(300, 200)))
    assert lost_colour(picture(1, 1)) == 0
    tall = np.tile(red, (60, 1, 1))
    assert lost_colour(tall) == pytest.approx(lost_colour(red), abs=0.02), "a part of a large picture tells the same"


def test_what_a_picture_is_to_an_encoder() -> None:
    grain = np.random.default_rng(2).normal(0, 3, (300, 400, 3))
    photograph = np.clip(detailed(400, 300) + grain, 0, 255).astype(np.uint8)
    assert content_of(photograph).kind is Kind.PHOTOGRAPH
    drawing = np.full((300, 400, 3), (240, 230, 210), np.uint8)
    for i in range(9):
        cv2.circle(drawing, (40 * i, 30 * i), 40, (20 * i, 200 - 20 * i, 90 + 9 * i), -1, cv2.LINE_AA)
    assert content_of(drawing).kind is Kind.DRAWING
    few = content_of(np.where(drawing > 128, 255, 0).astype(np.uint8))
    assert few.kind is Kind.FEW_COLOURS
    assert few.colours is not None
    assert f"{few.colours} colours" in few.advice
    text = np.clip(words_on_paper().astype(int) + np.arange(400)[None, :, None] // 40, 0, 255).astype(np.uint8)
    assert content_of(text).kind in {Kind.TEXT, Kind.FEW_COLOURS}
    clear = np.dstack([photograph, np.full(photograph.shape[:2], 255, np.uint8)])
    assert not content_of(clear).is_clear
    clear[:9, :9, 3] = 0
    assert content_of(clear).is_clear
    assert "jpeg" not in content_of(clear).suits


def test_what_is_kept_of_a_large_picture_is_what_is_compared() -> None:
    """Otherwise a picture of a hundred megapixels would be held as long as its files are judged."""
    pixels = np.zeros((3_000, 4_000, 3), np.uint8)
    held = weakref.ref(pixels)
    reference = Reference(pixels)
    del pixels
    assert held() is None
    assert reference.likeness(np.zeros((3_000, 4_000, 3), np.uint8)) == 100
