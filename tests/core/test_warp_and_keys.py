"""Promises of the warp and of the keys that no other test would miss."""

from dataclasses import replace

import numpy as np
import pytest
import pyvips

from lucidex.core import keys
from lucidex.core.document import PictureDocument
from lucidex.core.encode import Encoding, FormatName
from lucidex.core.geometry.fit import Placement
from lucidex.core.geometry.sizes import Size, Window
from lucidex.core.keys import appearance_key, engine_fingerprint, pixels_key
from lucidex.core.picture.colour import to_light
from lucidex.core.render import draw, plan
from lucidex.core.source.profiles import D65, WIDE_PRIMARIES, MatrixProfile, power_curve, primaries_of, with_profile
from lucidex.core.steps.detail import Sharpen
from lucidex.core.steps.perspective import Perspective
from lucidex.core.steps.straighten import Corners, Straighten
from lucidex.core.steps.tone import Exposure
from tests.conftest import picture, smooth_picture
from tests.core.rendering import entries, source_of


def whole(size: Size, drawn: Size) -> Placement:
    return Placement(Window(0, 0, size.width, size.height), drawn, 0, 0, drawn)


def test_clear_colours_do_not_bleed_where_a_picture_is_turned() -> None:
    """A strong colour under clear pixels stays unseen along every edge that the warp softens."""
    pixels = np.zeros((240, 320, 4), np.uint8)
    pixels[..., :3] = (255, 0, 0)
    pixels[60:180, 80:240] = (0, 120, 0, 255)
    source = source_of(pixels)
    document = PictureDocument(steps=entries(Straighten(angle_degrees=7.0, corners=Corners.CLEAR)))
    geometry = document.geometry(source.upright)
    for share in (1.0, 0.4):
        drawn = Size(round(geometry.size.width * share), round(geometry.size.height * share))
        out = draw(source, plan(source, geometry, whole(geometry.size, drawn), None)).numpy()
        seen = out[..., 3] > 5
        assert seen.any()
        assert (out[seen][:, 0].astype(float) * (out[seen][:, 3] / 255)).max() <= 4


def test_the_working_scale_suits_the_densest_part() -> None:
    """A receding picture is drawn from a level that is fine enough for its near end, not for its far one."""
    pixels = picture(1_600, 1_200)
    source = source_of(pixels)
    document = PictureDocument(steps=entries(Perspective(vertical_degrees=28)))
    geometry = document.geometry(source.upright)
    chosen = plan(source, geometry, whole(geometry.size, Size(400, 300)), None)
    exact = draw(source, replace(chosen, level=1)).numpy().astype(float)
    drawn = draw(source, chosen).numpy().astype(float)
    coarse = draw(source, replace(chosen, level=4)).numpy().astype(float)
    assert np.abs(drawn - exact).mean() < 0.5 * np.abs(coarse - exact).mean() + 1e-9 or chosen.level == 1
    assert chosen.level <= 2


def test_a_tone_keeps_the_clear_of_sixteen_bits() -> None:
    """Alpha of 16 bits is 257 times that of 8: 200 stays 200, and opaque stays opaque."""
    profile = MatrixProfile(primaries_of(*WIDE_PRIMARIES, D65), (power_curve(2.2),) * 3).written()  # type: ignore[arg-type]
    pixels = np.full((8, 8, 4), 30_000, np.uint16)
    pixels[..., 3] = 200 * 257
    pixels[4:, :, 3] = 65_535
    image = with_profile(pyvips.Image.new_from_array(pixels, interpretation="rgb16"), profile)
    light = to_light(image)
    assert light is not None
    alpha = light.numpy()[..., 3]
    assert alpha[0, 0] == pytest.approx(200)
    assert alpha[7, 7] == pytest.approx(255)


def test_a_key_names_the_revision_of_every_step_and_the_engine(monkeypatch: pytest.MonkeyPatch) -> None:
    """Whoever changes what a step means changes every name under which its results are kept."""
    source = source_of(smooth_picture(60, 40))
    steps = entries(Exposure(stops=1), Sharpen())
    document = PictureDocument(steps=steps)
    geometry = document.geometry(source.upright)
    chosen = plan(source, geometry, whole(geometry.size, Size(30, 20)), None)
    before = pixels_key("a" * 64, steps, chosen), appearance_key("a" * 64, steps)
    with monkeypatch.context() as changed:
        changed.setattr(Sharpen, "revision", Sharpen.revision + 1)
        after = pixels_key("a" * 64, steps, chosen), appearance_key("a" * 64, steps)
    assert all(one != other for one, other in zip(before, after, strict=True))
    with monkeypatch.context() as changed:
        changed.setattr("lucidex.core.keys.engine_fingerprint", lambda: engine_fingerprint() + " other")
        other = pixels_key("a" * 64, steps, chosen), appearance_key("a" * 64, steps)
    assert all(one != another for one, another in zip(before, other, strict=True))
    assert before == (pixels_key("a" * 64, steps, chosen), appearance_key("a" * 64, steps))


def test_a_file_is_looked_at_again_where_a_look_has_changed(monkeypatch: pytest.MonkeyPatch) -> None:
    def key() -> str:
        return keys.encoded_key("a" * 64, FormatName("png"), Encoding(None))

    before = key()
    first, *rest = keys.LOOKS
    monkeypatch.setattr(keys, "LOOKS", (replace(first, revision=first.revision + 1), *rest))
    assert key() != before
    monkeypatch.setattr(keys, "LOOKS", (*rest, first))
    assert key() == before, "their order decides nothing"
