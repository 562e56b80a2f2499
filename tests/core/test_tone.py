"""Tone: one development against a float64 reference, exact where neutral, and automatics that leave good alone."""

from itertools import pairwise

import numpy as np
import pytest
import pyvips
from hypothesis import given, settings
from hypothesis import strategies as st

from lucidex.core.content import Raster
from lucidex.core.development import LUMINANCE, Tone, curve, develop, mixture
from lucidex.core.frame import Frame
from lucidex.core.geometry import Size
from lucidex.core.measures import Percent
from lucidex.core.places import PlaceDemand
from lucidex.core.steps.base import Step
from lucidex.core.steps.room import Room, RoomOnSides
from lucidex.core.steps.tone import Balance, BlackAndWhite, Exposure, Light, Range, Saturation, tone_of
from tests.conftest import Pixels, picture, smooth_picture
from tests.core.rendering import rendered, source_of
from tests.core.test_attention import DEMO

WHOLE = PlaceDemand(measure=Percent(percent=100))
part = st.floats(-1, 1)
tones = st.builds(
    Tone,
    exposure=st.floats(-3, 3),
    warmth=part,
    tint=part,
    saturation=st.floats(-1, 1.5),
    grey_mix=st.none() | st.tuples(*(st.floats(0.01, 1),) * 3),
    black=st.floats(0, 0.3),
    white=st.floats(0, 0.3),
    brightness=part,
    contrast=part,
)


def reference(pixels: Pixels, tone: Tone) -> np.ndarray:
    """Step by step in float64, one pixel formula after the other, as the module's text says."""
    value = pixels.astype(np.float64) / 255
    linear = np.where(value <= 0.04045, value / 12.92, ((value + 0.055) / 1.055) ** 2.4)
    gains = np.array([2 ** (0.5 * tone.warmth), 2 ** (-0.5 * tone.tint), 2 ** (-0.5 * tone.warmth)])
    linear = linear * gains / (gains * LUMINANCE).sum() * 2**tone.exposure
    if tone.grey_mix is None:
        grey = (linear * LUMINANCE).sum(axis=-1, keepdims=True)
        linear = grey + (1 + tone.saturation) * (linear - grey)
    else:
        weights = np.array(tone.grey_mix) / sum(tone.grey_mix)
        linear = np.repeat((linear * weights).sum(axis=-1, keepdims=True), 3, axis=-1)
    linear = np.clip(linear, 0, 1)
    gamma = np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * np.maximum(linear, 1e-300) ** (1 / 2.4) - 0.055)
    stretched = np.clip((gamma - tone.black) / (1 - tone.white - tone.black), 0, 1)
    lifted = stretched ** (2.5**-tone.brightness)
    slope = 2.2**tone.contrast
    return 255 * np.where(lifted < 0.5, (2 * lifted) ** slope / 2, 1 - (2 - 2 * lifted) ** slope / 2)


def dense_colours() -> Pixels:
    """33 values of each channel, all with all."""
    steps = np.rint(np.linspace(0, 255, 33)).astype(np.uint8)
    return np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), axis=-1).reshape(33 * 33, 33, 3)


@settings(max_examples=40)
@given(tones)
def test_the_development_agrees_with_float64_over_all_colours(tone: Tone) -> None:
    colours = dense_colours()
    found = develop(pyvips.Image.new_from_array(colours, interpretation="srgb"), tone).numpy().astype(np.float64)
    exact = reference(colours, tone)
    # one rounding is half a code value; the table of 65 536 entries adds a share of it where the curve is steep
    gentle = (
        abs(tone.brightness) < 0.5
        and abs(tone.contrast) < 0.5
        and tone.black + tone.white < 0.2
        and tone.exposure < 1
    )
    off = np.abs(found - exact)
    assert np.quantile(off, 0.99) <= 0.6
    if gentle:
        assert off[colours.min(axis=-1) > 8].max() <= 0.7


def test_neutral_values_change_no_byte() -> None:
    pixels = picture(60, 40)
    for steps in ((), (Exposure(), Light(), Range(), Balance(), Saturation())):
        assert tone_of(steps) is None
        assert np.array_equal(rendered(source_of(pixels), WHOLE, *steps), pixels)
    taken_back = (Exposure(stops=1), Exposure(stops=-1))
    assert np.array_equal(rendered(source_of(pixels), WHOLE, *taken_back), pixels)
    image = pyvips.Image.new_from_array(pixels, interpretation="srgb")
    assert np.array_equal(develop(image, Tone()).numpy(), pixels), "and so does the development itself"


@pytest.mark.parametrize(
    "make",
    [
        lambda v: Exposure(stops=v / 50),
        lambda v: Light(brightness=v),
        lambda v: Range(white_percent=(v + 60) / 3),
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
    assert mixed @ np.array(LUMINANCE) == pytest.approx(0.3)


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
    return Raster(pixels, Frame.of(Size(pixels.shape[1], pixels.shape[0])))


def test_automatics_mend_what_is_wrong() -> None:
    good = smooth_picture(300, 200)
    dark = (good.astype(float) * 0.22).astype(np.uint8)
    assert Light(automatic=True).found_on(raster(dark)).brightness > 15
    flat = (90 + good.astype(float) * 0.25).astype(np.uint8)
    found = Range(automatic=True).found_on(raster(flat))
    assert found.black_percent > 20
    assert found.white_percent > 20


@pytest.mark.parametrize("file", ["terraces.jpg", "rosette.jpg", "keeper.jpg", "fern-fronds.jpg", "seed-packet.jpg"])
def test_automatics_leave_good_pictures_nearly_alone(file: str) -> None:
    seen = raster(pyvips.Image.thumbnail(str(DEMO / file), 1024).numpy())
    light, ends = Light(automatic=True).found_on(seen), Range(automatic=True).found_on(seen)
    assert abs(light.brightness) < 20
    assert ends.black_percent < 12
    assert ends.white_percent < 16


def test_an_automatic_value_changed_by_hand_is_not_found_again() -> None:
    assert Light(automatic=False, brightness=33).found_on(raster(smooth_picture(30, 20))).brightness == 33
