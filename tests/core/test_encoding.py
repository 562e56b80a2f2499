"""Files as other programs read them, and keys that decide their bytes."""

import io
from dataclasses import replace

import numpy as np
import pytest
import pyvips
from PIL import Image, ImageCms

from lucidex.core.encode import FORMAT_NAMES, Encoding, FormatName, encode
from lucidex.core.geometry.fit import Rule, fit
from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.geometry.sizes import Size
from lucidex.core.keys import encoded_key, pixels_key
from lucidex.core.render import plan
from lucidex.core.steps.crop import Crop, ShapeArea
from lucidex.core.steps.turn import Direction, Turn
from tests.conftest import Pixels, smooth_picture
from tests.core.rendering import entries, source_of


def image_of(pixels: Pixels) -> pyvips.Image:
    height, width, bands = pixels.shape
    return pyvips.Image.new_from_memory(pixels.tobytes(), width, height, bands, "uchar").copy(interpretation="srgb")


@pytest.mark.parametrize("name", FORMAT_NAMES)
def test_another_program_reads_size_colour_and_profile(name: FormatName) -> None:
    pixels = smooth_picture(321, 123)
    content = encode(image_of(pixels), name, Encoding(name.output.default_quality, pixels_per_inch=300))
    with Image.open(io.BytesIO(content)) as read:
        assert read.size == (321, 123)
        assert np.abs(np.asarray(read.convert("RGB")).astype(int) - pixels).mean() < 5
        if name != FormatName("avif"):
            assert "sRGB" in ImageCms.getProfileDescription(
                ImageCms.ImageCmsProfile(io.BytesIO(read.info["icc_profile"]))
            )
        if name in {FormatName("jpeg"), FormatName("png")}:
            assert read.info["dpi"][0] == pytest.approx(300, abs=0.6)
        assert "exif" not in read.info or not read.getexif().get_ifd(0x8825)


@pytest.mark.parametrize("name", FORMAT_NAMES)
def test_the_same_input_gives_the_same_bytes(name: FormatName) -> None:
    image = image_of(smooth_picture(200, 150))
    settings = Encoding(name.output.default_quality)
    assert encode(image, name, settings) == encode(image.copy(), name, settings)


@pytest.mark.parametrize("name", FORMAT_NAMES)
def test_the_bytes_do_not_depend_on_the_threads(name: FormatName) -> None:
    """Otherwise a machine with more cores would give another file under the same key."""
    image = image_of(smooth_picture(700, 500))
    before = pyvips.concurrency_get()
    files = set()
    try:
        for threads in (1, 2, 4):
            pyvips.concurrency_set(threads)
            files.add(encode(image, name, Encoding(name.output.default_quality)))
            assert pyvips.concurrency_get() == threads
    finally:
        pyvips.concurrency_set(before)
    assert len(files) == 1


def test_clear_areas_stay_clear_or_turn_into_the_ground() -> None:
    pixels = np.zeros((30, 30, 4), np.uint8)
    pixels[10:20, 10:20] = (200, 30, 30, 255)
    for name in FORMAT_NAMES:
        content = encode(image_of(pixels), name, Encoding(95, ground=(250, 240, 200)))
        with Image.open(io.BytesIO(content)) as read:
            corner = read.convert("RGBA").getpixel((1, 1))
        if name.output.keeps_clear:
            assert corner[3] == 0
        else:
            assert np.abs(np.array(corner[:3]) - (250, 240, 200)).max() <= 6


@pytest.mark.parametrize("name", [n for n in FORMAT_NAMES if n.output.default_quality])
def test_less_quality_weighs_less(name: FormatName) -> None:
    noisy = smooth_picture(400, 300).astype(int) + np.random.default_rng(3).integers(-20, 20, (300, 400, 3))
    image = image_of(np.clip(noisy, 0, 255).astype(np.uint8))
    weights = [len(encode(image, name, Encoding(quality))) for quality in (10, 50, 95)]
    assert weights == sorted(weights)
    assert weights[0] < weights[2] / 2


def test_everything_that_changes_the_bytes_changes_the_key() -> None:
    source = source_of(smooth_picture(60, 40))
    geometry = fit(Size(60, 40), Size(30, 30), Rule.COVER)
    base = plan(source, PictureGeometry.of(Size(60, 40)), geometry, (255, 255, 255))
    turn, crop = Turn(direction=Direction.LEFT), Crop(area=ShapeArea(across=1, down=1))
    keys = {
        pixels_key("a" * 64, (), base),
        pixels_key("b" * 64, (), base),
        pixels_key("a" * 64, entries(turn), base),
        pixels_key("a" * 64, entries(turn, crop), base),
        pixels_key("a" * 64, entries(crop, turn), base),
        pixels_key("a" * 64, (), replace(base, level=2)),
        pixels_key("a" * 64, (), replace(base, ground=None)),
        pixels_key("a" * 64, (), replace(base, placement=replace(geometry, left=1))),
    }
    assert len(keys) == 8
    pixels = next(iter(keys))
    encodings = {
        encoded_key(pixels, name, Encoding(quality, density, ground))
        for name in FORMAT_NAMES
        for quality in (80, 81)
        for density in (None, 300.0)
        for ground in ((0, 0, 0), (0, 0, 1))
    }
    assert len(encodings) == 32


def test_an_inactive_step_does_not_change_the_key() -> None:
    source = source_of(smooth_picture(60, 40))
    chosen = plan(source, PictureGeometry.of(Size(60, 40)), fit(Size(60, 40), Size(30, 30), Rule.COVER), None)
    off = tuple(entry.model_copy(update={"active": False}) for entry in entries(Turn(direction=Direction.LEFT)))
    assert pixels_key("a" * 64, off, chosen) == pixels_key("a" * 64, (), chosen)
