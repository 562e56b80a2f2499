"""Tone: one development against a float64 reference, exact where neutral, and automatics that leave good alone."""

from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
import pyvips
from hypothesis import example, given, settings
from hypothesis import strategies as st

from lucidex.core.errors import OutOfRangeError
from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.geometry.sizes import Size
from lucidex.core.luma import BT709_LUMA
from lucidex.core.picture.raster import Raster
from lucidex.core.picture.tone.amounts import Curves, Grey, Shift, Tone
from lucidex.core.picture.tone.clipping import BINS, colour_at, histogram, marked
from lucidex.core.picture.tone.curves import along
from lucidex.core.picture.tone.development import curve, developed, mixture
from lucidex.core.places.demand import PlaceDemand
from lucidex.core.places.measures import Percent
from lucidex.core.steps.bands import ToneStep
from lucidex.core.steps.base import Step
from lucidex.core.steps.colour import Balance, BalanceByTone, BlackAndWhite, Saturation
from lucidex.core.steps.composition import tone_of
from lucidex.core.steps.curve import Curve, Levels, as_curve, as_levels, can_become_curve, can_become_levels
from lucidex.core.steps.looks import LookStep, add_looks, all_looks, look_named
from lucidex.core.steps.room import Room, RoomOnSides
from lucidex.core.steps.tone import Exposure, Light, Range, ShadowsHighlights
from tests.conftest import Pixels, picture, smooth_picture
from tests.core.line.reading import step_read
from tests.core.rendering import rendered, source_of
from tests.core.test_attention import DEMO
from tests.core.tone_reference import reference

WHOLE = PlaceDemand(measure=Percent(percent=100))
part = st.floats(-1, 1)
shifts = st.builds(Shift, part, part)
bends = st.sampled_from([(), ((0.0, 0.1), (0.4, 0.3), (1.0, 0.95)), ((0.0, 0.0), (0.5, 0.65), (1.0, 1.0))])
tones = st.builds(
    Tone,
    exposure=st.floats(-3, 2),
    warmth=part,
    tint=part,
    saturation=st.floats(-1, 1.5),
    vividness=part,
    grey=st.none() | st.builds(Grey, st.tuples(*(st.floats(0.01, 1),) * 3), st.floats(0, 1)),
    shadows=part,
    highlights=part,
    black=st.floats(0, 0.3),
    white=st.floats(0, 0.3),
    brightness=part,
    contrast=part,
    curves=st.lists(st.builds(Curves, *(bends,) * 5), max_size=2).map(tuple),
    dark=shifts,
    middle=shifts,
    light=shifts,
)


def dense_colours() -> Pixels:
    """33 values of each channel, all with all."""
    steps = np.rint(np.linspace(0, 255, 33)).astype(np.uint8)
    return np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), axis=-1).reshape(33 * 33, 33, 3)


@pytest.mark.long
@settings(max_examples=60)
@given(tones)
@example(Tone(white=0.25, brightness=-0.703125, contrast=1))  # white comes out a rounding above 1 before the contrast
@example(Tone(highlights=1, black=0.25, white=0.25, brightness=-1, contrast=-1, light=Shift(warmth=1)))  # 0.83
def test_the_development_agrees_with_float64_over_all_colours(tone: Tone) -> None:
    colours = dense_colours()
    exact = reference(colours, tone)
    assert np.isfinite(exact).all()
    off = np.abs(developed(colours, tone).astype(np.float64) - exact)
    # one rounding is half a code value; what the tables add is far below it
    assert np.quantile(off, 0.995) <= 0.52
    assert off.max() <= 1.1, "and hardly ever more, where a table bends sharply"
    deep = np.abs(developed(colours, tone, 16) / 257 - exact)
    assert np.quantile(deep, 0.995) <= 0.05, "with 16 bits only what the tables add is left"


@given(
    st.lists(st.tuples(st.floats(0, 1), st.floats(0, 1)), min_size=2, max_size=9, unique_by=lambda p: round(p[0], 2))
)
def test_a_curve_goes_through_its_points_and_never_beyond_its_neighbours(points: list[tuple[float, float]]) -> None:
    through = tuple(sorted(points))
    x = np.array([p[0] for p in through])
    assert along(through, x) == pytest.approx([p[1] for p in through], abs=1e-9)
    for (x0, y0), (x1, y1) in pairwise(through):
        between = along(through, np.linspace(x0, x1, 23))
        assert (between >= min(y0, y1) - 1e-9).all()
        assert (between <= max(y0, y1) + 1e-9).all()
        assert (np.diff(between) * np.sign(y1 - y0) >= -1e-9).all(), "rising all the way, or falling all the way"


NEUTRAL: tuple[Step, ...] = (
    Exposure(),
    Light(),
    Range(),
    ShadowsHighlights(),
    Balance(),
    Saturation(),
    BalanceByTone(),
    Levels(),
    Curve(),
    Curve(all=((0, 0), (50, 50), (100, 100)), luminance=((0, 0), (100, 100))),
    *(LookStep(recipe=look, strength=0) for look in all_looks()),
)


def test_neutral_values_change_no_byte() -> None:
    pixels = picture(60, 40)
    assert tone_of(NEUTRAL) is None
    assert np.array_equal(rendered(source_of(pixels), WHOLE, *NEUTRAL), pixels)
    taken_back = (Exposure(stops=1), Exposure(stops=-1))
    assert np.array_equal(rendered(source_of(pixels), WHOLE, *taken_back), pixels)
    colours = dense_colours()
    nearly = (Tone(), Tone(exposure=1e-6), Tone(shadows=1e-7, dark=Shift(1e-7)))
    for tone in nearly:
        assert np.array_equal(developed(colours, tone), colours), (
            "and so does the development itself, with all its tables"
        )


@given(st.floats(0, 1), st.floats(0, 1), st.tuples(*(st.floats(0.01, 1),) * 3), st.tuples(*(st.floats(0.01, 1),) * 3))
def test_black_and_white_never_comes_undone_by_what_follows(
    first: float, second: float, weights: tuple[float, float, float], others: tuple[float, float, float]
) -> None:
    """Two partly grey steps leave the product of what each leaves, and the weights of both by their part in it."""
    both = Tone(grey=Grey(weights, first)).plus(Tone(grey=Grey(others, second))).grey
    assert both is not None
    assert 1 - both.share == pytest.approx((1 - first) * (1 - second))
    assert both.share >= max(first, second) - 1e-12
    if first == 1 and second == 0:
        assert both.weights == pytest.approx(weights)
    if second == 1:
        assert both.weights == pytest.approx(others)


def test_a_grey_look_of_partial_strength_leaves_black_and_white_black_and_white() -> None:
    recipe = next(look for look in all_looks() if LookStep(recipe=look, strength=100).tone().grey is not None)
    steps = BlackAndWhite(), LookStep(recipe=recipe, strength=40)
    together = steps[0].tone().plus(steps[1].tone()).grey
    assert together is not None
    assert together.share == 1


@pytest.mark.parametrize("look", all_looks(), ids=lambda look: look.name)
def test_a_look_grows_with_its_strength(look) -> None:  # noqa: ANN001
    pixels = smooth_picture(60, 40)
    seen = [
        rendered(source_of(pixels), WHOLE, LookStep(recipe=look, strength=s)).astype(float) for s in (0, 30, 60, 100)
    ]
    away = [np.abs(one - pixels).mean() for one in seen]
    assert all(later > earlier for earlier, later in pairwise(away))


@pytest.mark.parametrize(
    "make",
    [
        lambda v: Exposure(stops=v / 50),
        lambda v: Light(brightness=v),
        lambda v: Range(white_percent=(v + 60) / 3),
        lambda v: ShadowsHighlights(shadows=v),
        lambda v: ShadowsHighlights(highlights=v),
        lambda v: Levels(middle_percent=50 - v / 3),
        lambda v: Curve(all=((0, 0), (50, 50 + v / 3), (100, 100))),
    ],
)
def test_a_stronger_value_is_never_darker(make) -> None:  # noqa: ANN001
    grey = np.repeat(np.arange(256, dtype=np.uint8)[None, :, None], 3, axis=-1)
    rows = [rendered(source_of(grey), WHOLE, make(value)).astype(int) for value in (-60, -20, 0, 20, 60)]
    assert all((after >= before).all() for before, after in pairwise(rows))
    assert (np.diff(rows[-1][0, :, 0]) >= 0).all(), "and no tone overtakes another"


@given(st.floats(-100, 100))
def test_contrast_keeps_black_middle_and_white(contrast: float) -> None:
    ends = curve(Light(contrast=contrast).tone(), np.array([0.0, 0.5, 1.0]))
    assert ends == pytest.approx([0, 0.5, 1])


@given(st.floats(-100, 100), st.floats(-100, 100))
def test_white_balance_keeps_the_luminance_of_greys(warmth: float, tint: float) -> None:
    mixed = mixture(Balance(warmth=warmth, tint=tint).tone()) @ np.full(3, 0.3)
    assert mixed @ np.array(BT709_LUMA) == pytest.approx(0.3)


def test_black_and_white_has_no_colour_and_follows_its_weights() -> None:
    pixels = smooth_picture(40, 30)
    out = rendered(source_of(pixels), WHOLE, BlackAndWhite(red=100, green=0, blue=0))
    assert (out == out[..., :1]).all()
    assert np.abs(out[..., 0].astype(int) - pixels[..., 0]).max() <= 1


def test_clear_areas_stay_clear_and_chosen_colours_stay_chosen() -> None:
    mark = np.zeros((20, 20, 4), np.uint8)
    mark[5:15, 5:15] = (120, 60, 30, 255)
    steps: tuple[Step, ...] = (Exposure(stops=1), Room(extent=RoomOnSides(left_px=4), ground="#336699"))
    out = rendered(source_of(mark), WHOLE, *steps, ground=None)
    assert (out[..., 3][:5, 4:] == 0).all()
    assert (out[:, :4] == (0x33, 0x66, 0x99, 255)).all()
    assert (out[5:15, 9:19, :3] > mark[5:15, 5:15, :3]).all()


def test_a_smooth_gradient_has_no_bands_after_ten_steps() -> None:
    """Ten steps that nearly cancel: no value is skipped by more than the curve's own slope."""
    grey = np.repeat(np.arange(256, dtype=np.uint8)[None, :, None], 3, axis=-1)
    steps = [Exposure(stops=0.3), Exposure(stops=-0.25), *(Light(brightness=b) for b in (9, -7, 5, -6))]
    steps += [Saturation(saturation=20), Saturation(saturation=-15), Balance(warmth=4), Balance(warmth=-4)]
    out = rendered(source_of(grey), WHOLE, *steps)
    assert len(np.unique(out[..., 1])) > 245


def raster(pixels: Pixels) -> Raster:
    return Raster(pixels, PictureGeometry.of(Size(pixels.shape[1], pixels.shape[0])))


def test_automatics_mend_what_is_wrong() -> None:
    good = smooth_picture(300, 200)
    dark = (good.astype(float) * 0.22).astype(np.uint8)
    assert Light(automatic=True).found_on(raster(dark)).brightness > 15
    flat = (90 + good.astype(float) * 0.25).astype(np.uint8)
    found = Range(automatic=True).found_on(raster(flat))
    assert found.black_percent > 20
    assert found.white_percent > 20


def tones(*percents: tuple[float, float, float]) -> np.ndarray:
    """Greys: shares of the picture, each spread evenly from one percentage of the range to another."""
    parts = [np.linspace(low, high, round(share * 400)) for share, low, high in percents]
    column = np.rint(np.concatenate(parts) * 2.55).astype(np.uint8)
    return np.repeat(np.repeat(column[:, None, None], 40, axis=1), 3, axis=2)


@pytest.mark.parametrize(
    ("seen", "is_done"),
    [
        (tones((1, 1, 80)), False),  # no white shows, and black is there
        (tones((1, 50, 94)), True),  # neither is there
        (tones((0.02, 47, 62), (0.98, 62, 94)), False),  # nothing dark shows: it ends gradually
        (tones((1, 25, 75)), True),
        (tones((1, 0, 54)), True),  # two stops too dark
        (tones((1, 13, 85)), False),  # as soft as many that are meant so
    ],
)
def test_the_range_is_taken_where_it_is_lacking_and_not_where_nothing_fills_it(
    seen: np.ndarray, is_done: bool
) -> None:
    found = Range(automatic=True).found_on(raster(seen))
    assert (found.black_percent + found.white_percent > 20) is is_done
    assert is_done or found.black_percent + found.white_percent < 3


def test_a_dark_ground_with_a_light_in_it_is_meant_and_a_burnt_picture_is_not() -> None:
    assert Light(automatic=True).found_on(raster(tones((0.9, 2, 30), (0.1, 60, 98)))).brightness == 0
    assert Light(automatic=True).found_on(raster(tones((1, 2, 40)))).brightness > 15
    burnt = tones((0.6, 10, 90), (0.4, 90, 97))
    assert Light(automatic=True).found_on(raster(burnt)).brightness == 0
    burnt[240:, :, 0] = 255
    assert Light(automatic=True).found_on(raster(burnt)).brightness < -30


@pytest.mark.parametrize("file", ["terraces.jpg", "rosette.jpg", "keeper.jpg", "fern-fronds.jpg", "seed-packet.jpg"])
def test_automatics_leave_good_pictures_nearly_alone(file: str) -> None:
    seen = raster(pyvips.Image.thumbnail(str(DEMO / file), 1024).numpy())
    light, ends = Light(automatic=True).found_on(seen), Range(automatic=True).found_on(seen)
    assert abs(light.brightness) < 20
    assert ends.black_percent < 12
    assert ends.white_percent < 16


def test_an_automatic_value_changed_by_hand_is_not_found_again() -> None:
    assert Light(automatic=False, brightness=33).found_on(raster(smooth_picture(30, 20))).brightness == 33


@pytest.mark.parametrize("file", ["section.png", "word-mark.png", "seal.png"])
def test_automatics_leave_clean_drawings_as_they_are(file: str) -> None:
    image = pyvips.Image.thumbnail(str(DEMO / file), 1024)
    seen = raster((image.flatten(background=255) if image.hasalpha() else image).colourspace("srgb").numpy())
    light = Light(automatic=True).found_on(seen)
    ends, balance = Range(automatic=True).found_on(seen), Balance(automatic=True).found_on(seen)
    assert light.brightness == ends.black_percent == ends.white_percent == balance.warmth == balance.tint == 0


@pytest.mark.long
@pytest.mark.parametrize("file", ["terraces.jpg", "rosette.jpg", "keeper.jpg", "fern-fronds.jpg", "dome-at-dusk.jpg"])
def test_the_automatic_balance_leaves_right_colours_alone(file: str) -> None:
    found = Balance(automatic=True).found_on(raster(pyvips.Image.thumbnail(str(DEMO / file), 1024).numpy()))
    assert abs(found.warmth) <= 3
    assert abs(found.tint) <= 3


@pytest.mark.long
def test_one_tap_mends_each_typical_fault() -> None:
    """A dark picture, a pink cast, a flat view in haze, a grey scan."""
    dark, pink, flat, scan = (
        pyvips.Image.thumbnail(str(DEMO / file), 1024).numpy()
        for file in ("evening-walk.jpg", "orchid-under-lamp.jpg", "terraces-in-haze.jpg", "signature-scan.jpg")
    )
    lighter = rendered(source_of(dark), WHOLE, Light(automatic=True).found_on(raster(dark)))
    assert np.median(dark) < 60
    assert 75 < np.median(lighter) < 140
    neutral = rendered(source_of(pink), WHOLE, Balance(automatic=True).found_on(raster(pink)))
    cast = [float(np.median(one[..., 0].astype(int) - one[..., 1])) for one in (pink, neutral)]
    assert cast[0] > 25
    assert abs(cast[1]) < 8
    clear = rendered(source_of(flat), WHOLE, Range(automatic=True).found_on(raster(flat)))
    spread = [float(np.percentile(one, 99) - np.percentile(one, 1)) for one in (flat, clear)]
    assert spread[1] > 1.5 * spread[0]
    assert (clear.max(axis=-1) == 255).mean() < 0.01, "the sky keeps its drawing"
    page = rendered(source_of(scan), WHOLE, Range(automatic=True).found_on(raster(scan)))
    assert np.median(scan) < 215
    assert np.median(page) > 245


@pytest.mark.parametrize(
    ("step", "way", "most"),
    [
        (Light(brightness=35), as_levels, 1),
        (Range(black_percent=8, white_percent=12), as_levels, 1),
        (Light(brightness=-30, contrast=25), as_curve, 2),
        (Exposure(stops=0.6), as_curve, 2),
        (Levels(dark_percent=10, middle_percent=40, light_percent=90), as_curve, 3),
    ],
)
def test_a_simple_correction_is_carried_on_as_it_was(step, way, most: int) -> None:  # noqa: ANN001
    assert can_become_levels(step) if way is as_levels else can_become_curve(step)
    grey = np.repeat(np.arange(256, dtype=np.uint8)[None, :, None], 3, axis=-1)
    before, after = (rendered(source_of(grey), WHOLE, one).astype(int) for one in (step, way(step)))
    assert np.abs(before - after).max() <= most


def test_what_treats_channels_apart_cannot_become_one_curve() -> None:
    assert not any(can_become_curve(one) for one in (Balance(warmth=5), Curve(red=((0, 0), (50, 60), (100, 100)))))
    assert not can_become_levels(Light(contrast=10))


def test_a_click_on_what_should_be_grey_makes_it_grey() -> None:
    wall = np.full((40, 40, 3), (170, 140, 120), np.uint8)
    for others in (Balance(), Balance(warmth=12, tint=-7)):
        tone = others.tone()
        step = Balance(warmth=-30).making_grey((170, 140, 120), tone.warmth, tone.tint)
        out = rendered(source_of(wall), WHOLE, others, step).astype(int)
        assert np.ptp(out[0, 0]) <= 1


def test_sixteen_bits_and_a_wide_gamut_are_kept_until_the_output() -> None:
    ramp = np.repeat(np.linspace(0, 4_000, 1_000).astype(np.uint16)[None, :, None], 3, axis=-1)
    lifted = developed(ramp, Tone(exposure=3.0))
    assert np.array_equal(np.unique(lifted[..., 0]), np.arange(lifted.max() + 1)), "no step is skipped in the dark"
    assert lifted.max() > 50
    # beyond sRGB: a green whose red is negative comes back by saturation instead of being cut off
    beyond = np.full((1, 1, 3), (-0.12, 0.72, 0.08), np.float32)
    calmer = developed(beyond, Tone(saturation=-0.4))[0, 0].astype(float)
    luminance = float(np.array([-0.12, 0.72, 0.08]) @ np.array(BT709_LUMA))
    exact = luminance + 0.6 * (np.array([-0.12, 0.72, 0.08]) - luminance)
    assert calmer == pytest.approx(255 * (1.055 * exact ** (1 / 2.4) - 0.055), abs=0.6)
    assert developed(beyond, Tone(exposure=-1e-9))[0, 0, 0] == 0


def test_clipped_ends_are_counted_and_marked() -> None:
    pixels = smooth_picture(90, 60)
    pixels[:20, :30], pixels[40:, 60:] = 0, (255, 200, 90)
    found = histogram(pixels)
    assert found.black == pytest.approx(600 / 5400, abs=0.01)
    assert found.white == pytest.approx(600 / 5400, abs=0.01)
    assert max(found.luma) == 1000
    assert len(found.red) == BINS
    out = marked(pixels)
    changed = (out != pixels).any(axis=-1)
    assert changed[:20, :30].mean() == pytest.approx(0.5, abs=0.1)
    assert changed[40:, 60:].mean() == pytest.approx(0.5, abs=0.1)
    assert not changed[22:38, 32:58].any()


def test_a_histogram_counts_nothing_clear() -> None:
    mark = np.zeros((40, 40, 4), np.uint8)
    mark[10:30, 10:30] = (200, 200, 200, 255)
    found = histogram(mark)
    assert found.black == 0
    assert sum(found.luma) == 1000
    assert colour_at(mark, 0.5, 0.5) == (200, 200, 200)
    assert colour_at(mark, 0.01, 0.01) is None


@pytest.mark.parametrize(
    ("typed", "step"),
    [
        ("exposure +0,5", Exposure(stops=0.5)),
        ("contrast 20 %", Light(contrast=20)),
        ("shadows by -15", ShadowsHighlights(shadows=-15)),
        ("warmth −12", Balance(warmth=-12)),
        ("gentle saturation 30", Saturation(vibrance=30)),
        ("late sun", LookStep(recipe=look_named("Late sun"))),
    ],
)
def test_tone_can_be_typed(typed: str, step: Step) -> None:
    assert step_read(typed) == step


def test_typed_tone_beyond_its_limits_says_so() -> None:
    with pytest.raises(OutOfRangeError, match="at most 4"):
        step_read("exposure 9")


def test_looks_of_ones_own_are_data_in_a_folder(tmp_path: Path) -> None:
    mine = '[{"name": "Potting shed", "says": "Dim.", "steps": [{"kind": "exposure", "stops": -0.4}]}]'
    (tmp_path / "mine.json").write_text(mine)
    (tmp_path / "broken.json").write_text('[{"name": "x", "steps": [{"kind": "turn"}]}]')
    try:
        troubles = add_looks(tmp_path)
        assert look_named("potting shed").steps == (Exposure(stops=-0.4),)
        assert len(troubles) == 1
        assert troubles[0].startswith("broken.json: This is no list of looks")
    finally:
        add_looks(tmp_path / "nowhere")
    assert len(all_looks()) >= 8


@pytest.mark.parametrize(
    ("one", "other", "both"),
    [
        (Light(brightness=20), Light(brightness=20, contrast=5), Light(brightness=40, contrast=5)),
        (Exposure(stops=0.5), Exposure(stops=-1.5), Exposure(stops=-1)),
        (Saturation(saturation=50), Saturation(saturation=-50, vibrance=10), Saturation(saturation=-25, vibrance=10)),
        (ShadowsHighlights(shadows=35), ShadowsHighlights(shadows=35), ShadowsHighlights(shadows=70)),
        (Light(brightness=90), Light(brightness=20), None),
        (Light(brightness=20), Light(brightness=-20), None),
        (Light(automatic=True, brightness=12), Light(automatic=True), None),
        (Light(brightness=20), Exposure(stops=1), None),
    ],
)
def test_two_tone_steps_of_a_kind_are_one_where_they_are_exactly_that(
    one: ToneStep, other: ToneStep, both: ToneStep | None
) -> None:
    assert one.joined(other) == both
