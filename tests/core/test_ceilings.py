"""Ceilings and curves: found by encoding, in few encodes, never above what is allowed."""

import io
import math
from bisect import bisect_right
from itertools import pairwise

import numpy as np
import pytest
import pyvips
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from PIL import Image

from lucidex.core.encode import FORMAT_NAMES, JPEG, Effort, Encoding, FormatName, encode, encode_found, jpeg
from lucidex.core.encode.avif import QUALITIES as AVIF_QUALITIES
from lucidex.core.encode.ceiling import ALL_QUALITIES, MAX_ENCODES, NEAR_ENOUGH, best_under
from lucidex.core.encode.weighing import Point, lightest_alike, where_less_shows
from tests.conftest import Pixels
from tests.core.local.pixels import lively
from tests.core.test_encoding import image_of
from tests.core.test_enlarging import detailed

WEBP = FormatName("webp")
SOUGHT = [name for name in FORMAT_NAMES if name.output.qualities]


@st.composite
def weights(draw: st.DrawFn) -> list[int]:
    """What settings weigh: never lighter than the one before, now and then the same, or half as much again."""
    weight, found = draw(st.integers(300, 50_000)), []
    for _ in ALL_QUALITIES:
        weight = int(weight * draw(st.sampled_from([1.0, 1.01, 1.03, 1.05, 1.08, 1.3, 1.5])))
        weight = min(weight, 3_000_000)
        found.append(weight)
    return found


@settings(max_examples=150, deadline=None)
@given(weights(), st.integers(200, 4_000_000), st.integers(1, 100))
def test_a_ceiling_is_kept_whatever_weighs_what(weigh: list[int], ceiling: int, start: int) -> None:
    tried: list[int] = []

    def encode_at(quality: int) -> bytes:
        tried.append(quality)
        return bytes(weigh[quality - 1])

    found = best_under(ceiling, start, encode_at)
    assert len(tried) == len(set(tried)) == found.encodes <= MAX_ENCODES, "no setting is tried twice"
    assert len(found.content) == weigh[found.quality - 1]
    if weigh[0] <= ceiling:
        assert found.fits
        assert len(found.content) <= ceiling
        next_one = weigh[found.quality] if found.quality < 100 else math.inf
        assert len(found.content) >= NEAR_ENOUGH * ceiling or next_one > ceiling or len(tried) == MAX_ENCODES
    else:
        assert not found.fits
        assert found.quality == 1 or len(tried) < MAX_ENCODES


def test_encoders_like_ours_need_four_encodes_on_average() -> None:
    """Weights that follow the quantisation, as encoders' do, with steps of a tenth."""
    random = np.random.default_rng(3)
    counts, gaps = [], []
    for _ in range(300):
        slope, base = random.uniform(0.5, 1.1), random.uniform(20_000, 400_000)
        fine = [-math.log(50 / q if q < 50 else (100.5 - q) / 50.5) for q in ALL_QUALITIES]
        weigh = [int(base * math.exp(slope * one) * (1 + 0.02 * math.sin(9 * one))) for one in fine]
        ceiling = int(random.uniform(weigh[3], weigh[97]))
        found = best_under(ceiling, 82, lambda quality, of=weigh: bytes(of[quality - 1]))
        counts.append(found.encodes)
        gaps.append((found.fits and weigh[min(found.quality, 99)] > ceiling) or len(found.content) >= 0.97 * ceiling)
    assert np.mean(counts) <= 4.5
    assert np.mean(gaps) >= 0.97


def test_a_ceiling_takes_few_of_the_costly_encodes(monkeypatch: pytest.MonkeyPatch) -> None:
    efforts: list[Effort] = []
    compressed = jpeg.compressed

    def counting(image: pyvips.Image, encoding: Encoding, carried: dict[str, str]) -> bytes:
        efforts.append(encoding.effort)
        return compressed(image, encoding, carried)

    monkeypatch.setattr(jpeg, "compressed", counting)
    image = image_of(lively(300, 400, 3))
    ceilings = [len(encode(image, JPEG, Encoding(quality))) + 40 for quality in range(30, 95, 9)]
    efforts.clear()
    for ceiling in ceilings:
        assert len(encode(image, JPEG, Encoding(82, max_bytes=ceiling))) >= 0.9 * ceiling
    assert efforts.count(Effort.THOROUGH) <= 2.5 * len(ceilings)


@pytest.mark.long
@pytest.mark.parametrize("name", SOUGHT)
def test_every_format_keeps_a_ceiling_and_uses_it(name: FormatName) -> None:
    """What comes out is near the ceiling, or hardly lighter than the heaviest of all settings that keep it."""
    grain = np.random.default_rng(5).normal(0, 6, (90, 120, 3))
    image = image_of(np.clip(detailed(120, 90) + grain, 0, 255).astype(np.uint8))
    weigh = sorted(len(encode(image, name, Encoding(quality))) for quality in name.output.qualities)
    for ceiling in np.linspace(weigh[0] + 10, weigh[-1], 9).astype(int):
        found = len(encode(image, name, Encoding(name.output.default_quality, max_bytes=int(ceiling))))
        heaviest = weigh[bisect_right(weigh, ceiling) - 1]
        assert weigh[0] <= found <= ceiling
        assert found >= 0.97 * ceiling or found >= 0.7 * heaviest
    too_low = len(encode(image, name, Encoding(name.output.default_quality, max_bytes=weigh[0] - 1)))
    assert too_low == weigh[0], "the lightest, where none keeps it"


def test_png_loses_nothing_where_it_fits_and_colours_where_it_does_not() -> None:
    png, image = FormatName("png"), image_of(detailed(220, 150))
    exact = encode(image, png, Encoding(None))
    loose = encode_found(image, png, Encoding(None, max_bytes=len(exact)))
    assert (loose.content, loose.quality) == (exact, 100)
    tight = encode_found(image, png, Encoding(None, max_bytes=len(exact) // 3))
    assert len(tight.content) <= len(exact) // 3
    with Image.open(io.BytesIO(tight.content)) as read:
        assert len(np.unique(np.asarray(read.convert("RGB")).reshape(-1, 3), axis=0)) <= 256


def test_the_steps_of_avif_are_those_that_give_other_files() -> None:
    image, avif = image_of(detailed(48, 40)), FormatName("avif")
    files = [encode(image, avif, Encoding(quality, effort=Effort.DRAFT)) for quality in ALL_QUALITIES]
    differing = [quality for quality in range(1, 100) if files[quality - 1] != files[quality]]
    assert [*differing, 100] == list(AVIF_QUALITIES)


@pytest.mark.long
def test_no_quality_of_jpeg_weighs_half_as_much_again_as_the_one_below() -> None:
    """Where colour comes to all its pixels, the jump would leave a ceiling unused."""
    grain = np.random.default_rng(5).normal(0, 4, (300, 400, 3))
    image = image_of(np.clip(detailed(400, 300) + grain, 0, 255).astype(np.uint8))
    found = [len(encode(image, FormatName("jpeg"), Encoding(q))) for q in range(80, 101)]
    assert max(above / below for below, above in pairwise(found)) < 1.5
    assert found[-1] > found[0]


@pytest.mark.parametrize(
    "pixels",
    [
        detailed(90, 60),
        np.repeat(detailed(90, 60)[..., :1], 3, 2),
        np.where(detailed(90, 60)[..., :1] > 120, 255, 0).astype(np.uint8).repeat(3, 2),
        np.dstack([detailed(90, 60), np.linspace(0, 255, 90 * 60).reshape(60, 90).astype(np.uint8)]),
        np.dstack([np.repeat(detailed(90, 60)[..., :1], 3, 2), np.full((60, 90), 90, np.uint8)]),
    ],
)
@pytest.mark.parametrize("effort", list(Effort))
def test_png_in_fewer_bands_and_bits_holds_every_pixel(pixels: Pixels, effort: Effort) -> None:
    content = encode(image_of(pixels), FormatName("png"), Encoding(None, effort=effort))
    with Image.open(io.BytesIO(content)) as read:
        assert np.array_equal(np.asarray(read.convert("RGBA" if pixels.shape[2] == 4 else "RGB")), pixels)


@pytest.mark.long
def test_a_black_and_white_page_is_a_few_bits() -> None:
    page = np.where(detailed(800, 600)[..., :1] > 120, 255, 0).astype(np.uint8).repeat(3, 2)
    plain, ours = (
        encode(image_of(page), FormatName("png"), Encoding(None, effort=e)) for e in Effort if e != "quick"
    )
    assert len(ours) < len(plain) / 4
    with Image.open(io.BytesIO(ours)) as read:
        assert read.mode in {"1", "L", "P"}


def test_webp_loses_nothing_at_its_best_quality() -> None:
    pixels = np.dstack([detailed(90, 60), np.linspace(1, 255, 90 * 60).reshape(60, 90).astype(np.uint8)])
    with Image.open(io.BytesIO(encode(image_of(pixels), WEBP, Encoding(100)))) as read:
        assert np.array_equal(np.asarray(read.convert("RGBA")), pixels)


@settings(max_examples=100, deadline=None)
@given(st.data())
def test_the_lightest_that_is_alike_enough_is_found(data: st.DataObject) -> None:
    """On any rising curve: alike enough, and either close to what is wanted or the next step down is not."""
    steps = data.draw(st.lists(st.floats(0, 4), min_size=100, max_size=100))
    rising = np.minimum(np.cumsum(steps), 100)
    wanted = data.draw(st.floats(1, 99))
    assume(rising[-1] >= wanted)
    asked: list[int] = []

    def measure(quality: int) -> Point:
        asked.append(quality)
        return Point(WEBP, quality, 1_000 + 50 * quality, float(rising[quality - 1]))

    found = lightest_alike(wanted, measure, ALL_QUALITIES)
    assert len(asked) == len(set(asked)) <= MAX_ENCODES
    if found is not None:
        assert found.likeness >= wanted
    known = [measure(1), measure(100)]
    asked.clear()
    found = lightest_alike(wanted, measure, ALL_QUALITIES, known)
    assert found is not None
    assert found.likeness >= wanted
    below = rising[found.quality - 2] if found.quality > 1 else -1
    assert found.likeness <= wanted + 1 or below < wanted or len(asked) == MAX_ENCODES


def test_nothing_is_found_where_no_quality_is_alike_enough() -> None:
    assert lightest_alike(80, lambda quality: Point(WEBP, quality, 100 * quality, 50.0), ALL_QUALITIES) is None


def test_where_less_begins_to_show_is_read_off_the_curve() -> None:
    curve = [Point(WEBP, 40, 10_000, 60), Point(WEBP, 80, 40_000, 100)]
    found = where_less_shows(curve)
    assert found is not None
    assert found[0] == pytest.approx(20_000)
    assert where_less_shows(curve[:1]) is None
    assert where_less_shows([Point(WEBP, 40, 10_000, 85), Point(WEBP, 80, 40_000, 100)]) is None
    assert [point.words for point in (*curve, Point(WEBP, 100, 90_000, 100))] == [
        "slight difference",
        "looks the same",
        "no loss",
    ]


def test_quick_files_are_there_sooner_and_weigh_more() -> None:
    image = image_of(detailed(400, 300))
    for name in (FormatName("jpeg"), FormatName("png")):
        quick, thorough = (
            len(encode(image, name, Encoding(None, effort=e))) for e in (Effort.QUICK, Effort.THOROUGH)
        )
        assert thorough < quick
