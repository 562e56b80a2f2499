"""Files as other programs read them, and keys that decide their bytes."""

from dataclasses import replace

import numpy as np
import pypdfium2
import pytest
import pyvips

from lucidex.core.encode import FORMAT_NAMES, ColourModel, Encoding, FormatName, decode, encode
from lucidex.core.geometry.fit import Rule, fit
from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.geometry.sizes import Size
from lucidex.core.keys import encoded_key, pixels_key
from lucidex.core.render import plan
from lucidex.core.steps.crop import Crop, ShapeArea
from lucidex.core.steps.turn import Direction, Turn
from tests.conftest import Pixels, smooth_picture
from tests.core.reading import said, shown
from tests.core.rendering import entries, source_of


def image_of(pixels: Pixels) -> pyvips.Image:
    height, width, bands = pixels.shape
    return pyvips.Image.new_from_memory(pixels.tobytes(), width, height, bands, "uchar").copy(interpretation="srgb")


@pytest.mark.long
@pytest.mark.parametrize("name", FORMAT_NAMES)
def test_another_program_reads_size_colour_and_profile(name: FormatName) -> None:
    pixels = smooth_picture(321, 123)
    content = encode(image_of(pixels), name, Encoding(name.output.default_quality))
    assert np.abs(shown(content, name)[..., :3].astype(int) - pixels).mean() < 5
    assert shown(content, name).shape[:2] == (123, 321)
    read = said(content)
    if name not in {FormatName("avif"), FormatName("gif"), FormatName("pdf")}:
        assert "sRGB" in read["ICC_Profile:ProfileDescription"]
    assert not [key for key in read if "GPS" in key or key.startswith(("XMP", "IPTC", "ExifIFD"))]


@pytest.mark.parametrize("name", [one for one in FORMAT_NAMES if one.output.keeps_resolution])
def test_a_resolution_is_said_wherever_the_format_can_say_it(name: FormatName) -> None:
    """All places in a file that name one agree."""
    read = said(encode(image_of(smooth_picture(300, 150)), name, Encoding(name.output.default_quality, 300)))
    if name == FormatName("pdf"):
        with pypdfium2.PdfDocument(
            encode(image_of(smooth_picture(300, 150)), name, Encoding(90, pixels_per_inch=300))
        ) as document:
            assert document[0].get_size() == pytest.approx((72, 36))
        return
    a_metre = read.get("PNG-pHYs:PixelsPerUnitX")
    found = [round(a_metre * 0.0254)] if a_metre else []
    found += [round(value) for key, value in read.items() if key.endswith(("XResolution", "YResolution"))]
    assert found
    assert set(found) == {300}


@pytest.mark.parametrize("name", FORMAT_NAMES)
def test_the_same_input_gives_the_same_bytes(name: FormatName) -> None:
    image = image_of(smooth_picture(200, 150))
    settings = Encoding(name.output.default_quality)
    assert encode(image, name, settings) == encode(image.copy(), name, settings)


@pytest.mark.long
@pytest.mark.parametrize("name", FORMAT_NAMES)
def test_the_bytes_do_not_depend_on_the_threads(name: FormatName) -> None:
    """Otherwise a machine with more cores would give another file under the same key."""
    image = image_of(smooth_picture(420, 300))  # several tiles of 128 pixels each way
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
        best = name.output.qualities[-2] if name.output.qualities else None
        corner = shown(encode(image_of(pixels), name, Encoding(best, ground=(250, 240, 200))), name)[1, 1]
        if name.output.keeps_clear:
            assert corner[3] == 0
        else:
            assert np.abs(corner[:3].astype(int) - (250, 240, 200)).max() <= 6


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
    assert len(encodings) == 8 * len(FORMAT_NAMES)


def test_an_inactive_step_does_not_change_the_key() -> None:
    source = source_of(smooth_picture(60, 40))
    chosen = plan(source, PictureGeometry.of(Size(60, 40)), fit(Size(60, 40), Size(30, 30), Rule.COVER), None)
    off = tuple(entry.model_copy(update={"active": False}) for entry in entries(Turn(direction=Direction.LEFT)))
    assert pixels_key("a" * 64, off, chosen) == pixels_key("a" * 64, (), chosen)


@pytest.mark.parametrize("name", [one for one in FORMAT_NAMES if ColourModel.CMYK in one.output.colours])
def test_a_file_for_a_press_is_ink_with_its_profile(name: FormatName) -> None:
    """Four bands, the press's profile, and for whoever reads it nearly the colours that were on the screen."""
    pixels = np.clip(smooth_picture(120, 90).astype(int), 60, 190).astype(np.uint8)
    content = encode(
        image_of(pixels), name, Encoding(name.output.default_quality and 95, 300, colour=ColourModel.CMYK)
    )
    seen = shown(content, name) if name != FormatName("pdf") else None
    if name == FormatName("pdf"):
        assert b"/DeviceCMYK" in content
        with pypdfium2.PdfDocument(content) as document:
            seen = np.asarray(document[0].render(scale=300 / 72).to_pil().convert("RGB"))
    else:
        read = said(content)
        assert read["ICC-header:ColorSpaceData"].strip() == "CMYK"
        assert {read.get("File:ColorComponents"), read.get("IFD0:SamplesPerPixel")} == {4, None}
        back = decode(content, name).colourspace("srgb").numpy()
        assert np.abs(back.astype(int) - pixels).mean() < 9
    assert seen is not None
    assert seen.shape[0] in {90, 91}  # a reader of pages rounds upwards
    assert seen.shape[1] in {120, 121}


def test_ink_makes_its_black_as_the_press_does() -> None:
    """White is bare paper; black is dark in all readers, and what lies between has less ink."""
    strip = np.repeat(np.array([[[255] * 3, [128] * 3, [0] * 3]], np.uint8), 8, 0).repeat(8, 1)
    content = encode(image_of(strip), FormatName("tiff"), Encoding(None, colour=ColourModel.CMYK))
    ink = decode(content, FormatName("tiff")).numpy()
    assert ink[0, 0].max() <= 2
    assert ink[0, -1, 3] > 180
    assert 60 < ink[0, 12].sum() < ink[0, -1].sum()


def test_one_band_of_grey_is_one_band() -> None:
    grey = smooth_picture(60, 40)[..., :1].repeat(3, 2)
    for name in (FormatName("jpeg"), FormatName("tiff")):
        content = encode(image_of(grey), name, Encoding(name.output.default_quality, colour=ColourModel.GREY))
        assert decode(content, name).bands == 1
        assert np.abs(shown(content, name)[..., :3].astype(int) - grey).mean() < 2
