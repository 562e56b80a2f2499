"""Likeness of files to what they were made of: in patches, in words, and as a warning."""

import numpy as np
import pytest
import pyvips
from hypothesis import given
from hypothesis import strategies as st

from lucidex.core.encode import Encoding, FormatName, encode
from lucidex.core.encode.likeness import PATCH, WORDS, likeness, likeness_of_patches, likeness_words
from lucidex.core.geometry.fit import Rule, fit
from lucidex.core.geometry.sizes import Size
from lucidex.core.line.places import read_demand
from lucidex.core.proof.statistics import PixelStatistics
from lucidex.core.proof.warnings import Case, WayOut, flags
from tests.conftest import Pixels, smooth_picture

JPEG = FormatName("jpeg")


def detailed(width: int, height: int) -> Pixels:
    grain = np.random.default_rng(5).normal(0, 12, (height, width, 1))
    return np.clip(smooth_picture(width, height) + grain, 0, 255).astype(np.uint8)


def compressed(pixels: Pixels, quality: int) -> Pixels:
    height, width = pixels.shape[:2]
    image = pyvips.Image.new_from_memory(pixels.tobytes(), width, height, 3, "uchar").copy(interpretation="srgb")
    return pyvips.Image.new_from_buffer(encode(image, JPEG, Encoding(quality)), "").numpy()


@given(st.tuples(st.integers(1, 3 * PATCH), st.integers(1, 2 * PATCH)))
def test_a_picture_is_like_itself_at_any_size(size: tuple[int, int]) -> None:
    pixels = smooth_picture(*size)
    assert likeness_of_patches(pixels, pixels) == pytest.approx(100)


def test_patches_agree_with_the_whole_and_reach_the_edges() -> None:
    pixels = detailed(1100, 900)
    for quality in (90, 50, 10):
        other = compressed(pixels, quality)
        assert likeness_of_patches(pixels, other) == pytest.approx(likeness(pixels, other), abs=1.5)
    for corner in (np.s_[:40, :40], np.s_[-40:, -40:]):
        spoilt = pixels.copy()
        spoilt[corner] = 255 - spoilt[corner]
        assert likeness_of_patches(pixels, spoilt) < 100


def test_less_quality_is_never_said_to_be_more_alike() -> None:
    pixels = detailed(700, 500)
    found = [likeness_of_patches(pixels, compressed(pixels, quality)) for quality in (95, 75, 40, 10, 3)]
    assert found == sorted(found, reverse=True)
    assert [words for _, words in WORDS].index(likeness_words(found[0])) == 0
    assert likeness_words(found[-1]) in {"visible difference", "poor"}
    with pytest.raises(ValueError, match="cannot be compared"):
        likeness_of_patches(pixels, pixels[1:])


@pytest.mark.parametrize(
    ("likeness", "words"), [(99.0, None), (97.0, None), (96.4, "visible difference"), (80.0, "poor"), (None, None)]
)
def test_a_ceiling_that_costs_too_much_is_flagged(likeness: float | None, words: str | None) -> None:
    size = Size(400, 300)
    demand = read_demand("400x300 under 20 kB").demand()
    case = Case(fit(size, size, Rule.COVER), demand, JPEG, byte_count=19_000)
    found = flags(Case(**{**vars(case), "statistics": PixelStatistics(1.0, 1.0, likeness)}))
    assert [flag.words for flag in found] == ([words] if words else [])
    if words:
        assert "To keep 20 kB it was compressed until it differs" in found[0].sentence
        assert found[0].ways_out == (WayOut.WRITE_OTHERWISE,)
