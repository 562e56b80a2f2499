"""16 bits: kept from an original to the file where everything on the way keeps them, and said where not."""

from dataclasses import replace

import cv2
import numpy as np
import numpy.typing as npt
import pytest
import pyvips

from lucidex.core.document import Framing, PictureDocument
from lucidex.core.encode import FORMAT_NAMES, ColourModel, Encoding, FormatName, decode, encode, keeps_16_bits
from lucidex.core.geometry.fit import Rule
from lucidex.core.geometry.sizes import Size
from lucidex.core.picture.colour import image_of, in_8_bits
from lucidex.core.places.demand import PlaceDemand
from lucidex.core.places.measures import ExactSize
from lucidex.core.render import draw, plan
from lucidex.core.source.pyramid import PixelLayout, Source, levels_of, reduce_level
from lucidex.core.steps.base import Step
from lucidex.core.steps.straighten import Straighten
from lucidex.core.steps.tone import Exposure, Light
from lucidex.core.steps.turn import Direction, Turn
from tests.core.reading import said
from tests.core.rendering import entries

Deep = npt.NDArray[np.uint16]
PNG, TIFF = FormatName("png"), FormatName("tiff")
SIZE = Size(300, 200)


def dawn(bands: int = 3) -> Deep:
    """A sky that takes all of its height to become 3 % lighter: 8 bits have eight steps for it."""
    down = np.linspace(0.40, 0.43, SIZE.height)[:, None] + np.linspace(0, 0.002, SIZE.width)[None, :]
    colours = np.stack([down, down * 0.9, down * 0.8, np.full_like(down, 1.0)], -1)[..., :bands]
    return np.rint(colours * 65_535).astype(np.uint16)


def deep_source(pixels: Deep) -> Source:
    height, width, bands = pixels.shape
    size = Size(width, height)
    levels = {
        number: reduce_level(pixels, number, bands == 4) if number > 1 else pixels for number in levels_of(size)
    }
    return Source(size, 1, PixelLayout(bands, "ushort", "rgb16", bands == 4), None, levels.__getitem__)


def drawn(
    pixels: Deep, place: Size, *steps: Step, depth: int = 16, rule: Rule = Rule.COVER, clear: bool = False
) -> pyvips.Image:
    source = deep_source(pixels)
    document = PictureDocument(steps=entries(*steps), framings={"1": Framing()})
    geometry = document.geometry(source.upright)
    demand = PlaceDemand(measure=ExactSize(width_px=place.width, height_px=place.height), rule=rule)
    placement = document.placement(geometry, "1", demand)
    chosen = plan(source, geometry, placement, None if clear else (10, 200, 30), document.treatment)
    assert chosen.keeps_16_bits
    return draw(source, replace(chosen, depth=depth))


def test_what_nothing_changes_comes_out_to_the_last_bit() -> None:
    for bands in (3, 4):
        assert np.array_equal(drawn(dawn(bands), SIZE).numpy(), dawn(bands))
    turned = drawn(dawn(), Size(SIZE.height, SIZE.width), Turn(direction=Direction.RIGHT)).numpy()
    assert np.array_equal(turned, np.rot90(dawn(), -1))


@pytest.mark.parametrize(
    "steps",
    [
        (),
        (Exposure(stops=0.7), Light(contrast=20)),
        (Straighten(angle_degrees=3),),
        (Turn(direction=Direction.HALF),),
    ],
)
@pytest.mark.parametrize("rule", [Rule.COVER, Rule.CONTAIN])
@pytest.mark.parametrize("clear", [False, True])
def test_eight_bits_are_the_sixteen_rounded(steps: tuple[Step, ...], rule: Rule, clear: bool) -> None:
    """Nothing looks otherwise because a format has more bits; and what has more bits has more levels."""
    place = Size(141, 97)
    deep = drawn(dawn(), place, *steps, rule=rule, clear=clear)
    plain = drawn(dawn(), place, *steps, depth=8, rule=rule, clear=clear)
    assert (deep.format, plain.format, deep.bands) == ("ushort", "uchar", plain.bands)
    assert np.abs(in_8_bits(deep).numpy().astype(int) - plain.numpy()).max() <= 1
    assert np.abs(deep.numpy() / 257 - plain.numpy()).max() <= 1.01
    middle = deep.width // 2
    levels, few = (len(np.unique(image.numpy()[:, middle, 0])) for image in (deep, plain))
    assert levels > 4 * few


def test_eight_bits_are_the_nearest_for_every_value() -> None:
    every = np.repeat(np.arange(65_536, dtype=np.uint16).reshape(256, 256, 1), 3, axis=2)
    assert np.array_equal(in_8_bits(image_of(every)).numpy(), np.rint(every / 257.0))


def test_chosen_colours_stay_the_very_colours() -> None:
    pixels = drawn(dawn(), Size(300, 100), rule=Rule.CONTAIN).numpy()
    assert pixels[0, 0].tolist() == [10 * 257, 200 * 257, 30 * 257]


@pytest.mark.parametrize("name", [PNG, TIFF])
@pytest.mark.parametrize("bands", [3, 4])
def test_other_programs_read_every_bit(name: FormatName, bands: int) -> None:
    pixels = dawn(bands)
    content = encode(image_of(pixels), name, Encoding(None, 300))
    read = cv2.imdecode(np.frombuffer(content, np.uint8), cv2.IMREAD_UNCHANGED)
    assert np.array_equal(cv2.cvtColor(read, cv2.COLOR_BGR2RGB if bands == 3 else cv2.COLOR_BGRA2RGBA), pixels)
    facts = said(content)
    depth = facts.get("PNG:BitDepth") or facts["IFD0:BitsPerSample"]
    assert set(str(depth).split()) == {"16"}
    assert "sRGB" in facts["ICC_Profile:ProfileDescription"]


@pytest.mark.parametrize("name", [PNG, TIFF])
def test_one_band_of_grey_keeps_them_too(name: FormatName) -> None:
    grey = np.repeat(dawn()[..., :1], 3, axis=2)
    content = encode(image_of(grey), name, Encoding(None, colour=ColourModel.GREY))
    read = pyvips.Image.new_from_buffer(content, "")
    assert (read.format, read.bands) == ("ushort", 1)
    assert np.array_equal(read.numpy().reshape(SIZE.height, SIZE.width), grey[..., 0])


@pytest.mark.parametrize("name", FORMAT_NAMES)
def test_what_holds_no_more_gets_eight_bits_rounded(name: FormatName) -> None:
    """In every format and colour: never something else, and never an error."""
    for colour in ColourModel:
        encoding = Encoding(name.output.default_quality, colour=colour)
        read = decode(encode(image_of(dawn()), name, encoding), name)
        assert (read.format == "ushort") == keeps_16_bits(name, encoding)
        off = np.abs(in_8_bits(read.colourspace("srgb")).numpy()[..., :3] - dawn() / 257.0)
        if colour is ColourModel.RGB and name != FormatName("gif"):
            assert off.max() < 4


def test_what_comes_with_few_colours_or_a_ceiling_has_eight_bits() -> None:
    light = encode(image_of(dawn()), PNG, Encoding(60))
    assert said(light)["PNG:BitDepth"] <= 8
    assert said(encode(image_of(dawn()), PNG, Encoding(None, max_bytes=30_000)))["PNG:BitDepth"] <= 8


@pytest.mark.parametrize("name", [PNG, TIFF])
@pytest.mark.parametrize("bands", [1, 2])
def test_grey_is_written_as_grey(name: FormatName, bands: int) -> None:
    """16 bits of grey came out as three bands."""
    grey = dawn(1)
    pixels = np.concatenate([grey, grey, grey, *[np.full_like(grey, 40_000)] * (bands - 1)], axis=2)
    image = pyvips.Image.new_from_array(pixels, interpretation="rgb16")
    content = encode(image, name, Encoding(None))
    read = pyvips.Image.new_from_buffer(content, "")
    assert (read.bands, read.format) == (bands, "ushort")
    assert np.array_equal(read.numpy().reshape(*grey.shape[:2], bands)[..., 0], grey[..., 0])
    assert np.array_equal(decode(content, name).colourspace("rgb16").numpy()[..., 0], grey[..., 0])
