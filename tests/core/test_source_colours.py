"""Colours of what comes in: decided by what a profile does, checked against independent readings."""

import io
import struct
import zlib
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import pyvips
from PIL import Image, ImageCms

from lucidex.core.errors import UnreadableFileError
from lucidex.core.places.demand import PlaceDemand
from lucidex.core.places.measures import Percent
from lucidex.core.source import normalisation
from lucidex.core.source.profiles import (
    D65,
    SRGB_CURVE,
    SRGB_PRIMARIES,
    WIDE_PRIMARIES,
    Curve,
    MatrixProfile,
    does_like_srgb,
    power_curve,
    primaries_of,
    rebuilt,
)
from tests.conftest import Pixels, smooth_picture
from tests.core.rendering import rendered as in_place
from tests.core.rendering import source_of
from tests.core.test_intake import taken

COLOURS = smooth_picture(48, 32)
WHOLE = PlaceDemand(measure=Percent(percent=100))


def seen(tmp_path: Path, content: bytes) -> Pixels:
    """What a file looks like in sRGB after intake and rendering."""
    facts, levels = taken(tmp_path, content)
    source = replace(source_of(levels[1], facts.orientation), layout=facts.layout, profile=facts.profile)
    source = replace(source, open_level=lambda number: levels[number])
    return in_place(source, WHOLE)[..., :3]


def with_icc(profile: bytes, pixels: Pixels = COLOURS, mode: str = "RGB", kind: str = "TIFF") -> bytes:
    file = io.BytesIO()
    Image.fromarray(pixels, mode).save(file, kind, icc_profile=profile)
    return file.getvalue()


def by_pillow(profile: bytes, pixels: Pixels = COLOURS, mode: str = "RGB") -> Pixels:
    """The same through another binding of another build of the colour engine."""
    source = ImageCms.ImageCmsProfile(io.BytesIO(profile))
    transform = ImageCms.buildTransform(
        source,
        ImageCms.createProfile("sRGB"),
        mode,
        "RGB",
        renderingIntent=ImageCms.Intent.RELATIVE_COLORIMETRIC,
        flags=ImageCms.Flags.BLACKPOINTCOMPENSATION,
    )
    return np.asarray(ImageCms.applyTransform(Image.fromarray(pixels, mode), transform))


def named(profile: bytes, name: bytes) -> bytes:
    """The same profile under another name."""
    at = profile.index(b"primaries and curves")
    return profile[:at] + name.ljust(20, b"\0") + profile[at + 20 :]


def matrix(curve: Curve, primaries: tuple[tuple[float, float], ...] = SRGB_PRIMARIES) -> bytes:
    return MatrixProfile(primaries_of(*primaries, D65), (curve, curve, curve)).written()  # type: ignore[arg-type]


@pytest.mark.parametrize("gamma", [1.0, 1.8, 2.2])
def test_a_profile_counts_by_what_it_does_whatever_it_is_called(tmp_path: Path, gamma: float) -> None:
    profile = named(matrix(power_curve(gamma)), b"sRGB IEC61966-2.1")
    out = seen(tmp_path, with_icc(profile))
    assert np.abs(out.astype(int) - by_pillow(profile)).max() <= 1
    assert np.abs(out.astype(int) - COLOURS).max() > 2


def test_what_does_like_srgb_is_left_alone_whatever_it_is_called(tmp_path: Path) -> None:
    facts, levels = taken(tmp_path, with_icc(named(matrix(SRGB_CURVE), b"Studio monitor 7")))
    assert facts.profile is None
    assert np.array_equal(levels[1], COLOURS)
    assert facts.colour == "Studio monitor 7"


def test_wide_colours_agree_with_an_independent_reading(tmp_path: Path) -> None:
    profile = matrix(power_curve(2.2), WIDE_PRIMARIES)
    assert np.abs(seen(tmp_path, with_icc(profile)).astype(int) - by_pillow(profile)).max() <= 1


def test_a_profile_of_more_than_primaries_and_curves_agrees_with_an_independent_reading(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """What cannot be written anew as primaries and curves becomes sRGB of 16 bits where it is decoded."""
    monkeypatch.setattr(normalisation, "rebuilt", lambda profile: None)
    profile = matrix(power_curve(1.8), WIDE_PRIMARIES)
    facts, _ = taken(tmp_path, with_icc(profile))
    assert facts.pixel_format == "ushort"
    assert np.abs(seen(tmp_path, with_icc(profile)).astype(int) - by_pillow(profile)).max() <= 1


def test_what_leaves_the_decoder_is_a_profile_written_by_us(tmp_path: Path) -> None:
    """Nothing of a foreign profile but its numbers: no tag that is not needed, no text."""
    foreign = matrix(power_curve(2.2), WIDE_PRIMARIES)
    poisoned = named(foreign, b"poison-in-a-name")
    facts, _ = taken(tmp_path, with_icc(poisoned))
    assert facts.profile is not None
    assert b"poison" not in facts.profile
    assert rebuilt(facts.profile) == facts.profile


def test_a_grey_picture_with_a_curve_of_its_own(tmp_path: Path) -> None:
    grey = COLOURS[..., 0]
    head = matrix(power_curve(1.0))
    tags = struct.pack(">I", 3)
    curve, white = power_curve(1.0).tag, struct.pack(">4s4x3i", b"XYZ ", 63_190, 65_536, 54_061)
    text = b"desc" + bytes(4) + struct.pack(">I", 2) + b"g\0" + bytes(78)
    offset, body = 128 + 4 + 36, b""
    for name, contents in ((b"desc", text), (b"wtpt", white), (b"kTRC", curve)):
        tags += struct.pack(">4sII", name, offset + len(body), len(contents))
        body += contents + bytes(-len(contents) % 4)
    profile = bytearray(head[:128] + tags + body)
    profile[0:4], profile[16:20] = struct.pack(">I", len(profile)), b"GRAY"
    out = seen(tmp_path, with_icc(bytes(profile), grey, "L"))
    light = grey / 255
    expected = 255 * np.where(light <= 0.0031308, 12.92 * light, 1.055 * light ** (1 / 2.4) - 0.055)
    assert np.abs(out[..., 0] - expected).max() <= 1.5


def test_a_profile_that_cannot_be_used_is_said(tmp_path: Path) -> None:
    facts, levels = taken(tmp_path, with_icc(b"no profile at all" * 20))
    assert any("colour profile cannot be used" in note for note in facts.notes)
    assert np.array_equal(levels[1], COLOURS)


def png_with(pixels: Pixels, *chunks: tuple[bytes, bytes]) -> bytes:
    """A PNG with chunks put in behind its header, and without those that Pillow would write."""
    file = io.BytesIO()
    Image.fromarray(pixels).save(file, "PNG")
    whole = file.getvalue()
    extra = b"".join(
        struct.pack(">I", len(body)) + name + body + struct.pack(">I", zlib.crc32(name + body))
        for name, body in chunks
    )
    return whole[:33] + extra + whole[33:]


def encoded_light(light: np.ndarray) -> np.ndarray:
    return 255 * np.where(light <= 0.0031308, 12.92 * light, 1.055 * light ** (1 / 2.4) - 0.055)


@pytest.mark.parametrize("gamma", [1.0, 0.55, 0.3])
@pytest.mark.parametrize("pixels", [COLOURS, COLOURS[..., 0]], ids=["colour", "grey"])
def test_a_png_gamma_is_honoured(tmp_path: Path, gamma: float, pixels: Pixels) -> None:
    out = seen(tmp_path, png_with(pixels, (b"gAMA", struct.pack(">I", round(gamma * 100_000)))))
    expected = encoded_light((pixels / 255) ** (1 / gamma))
    shown = out if pixels.ndim == 3 else out[..., 0]
    assert np.abs(shown - expected).max() <= 1.5


def test_the_gamma_that_srgb_writers_put_there_changes_nothing(tmp_path: Path) -> None:
    _, levels = taken(tmp_path, png_with(COLOURS, (b"gAMA", struct.pack(">I", 45_455))))
    assert np.array_equal(levels[1], COLOURS)
    facts, _ = taken(tmp_path, png_with(COLOURS, (b"sRGB", b"\0"), (b"gAMA", struct.pack(">I", 100_000))))
    assert facts.profile is None  # sRGB goes before gAMA


def test_coded_colours_of_a_png_are_honoured_or_refused(tmp_path: Path) -> None:
    wide = seen(tmp_path, png_with(COLOURS, (b"cICP", bytes((12, 13, 0, 1)))))
    expected = by_pillow(matrix(SRGB_CURVE, ((0.680, 0.320), (0.265, 0.690), (0.150, 0.060))))
    assert np.abs(wide.astype(int) - expected).max() <= 1
    for transfer in (16, 18):
        with pytest.raises(UnreadableFileError, match="high dynamic range"):
            taken(tmp_path, png_with(COLOURS, (b"cICP", bytes((9, transfer, 0, 1)))))


def test_a_moving_png_says_how_many_frames_it_has(tmp_path: Path) -> None:
    facts, _ = taken(tmp_path, png_with(COLOURS, (b"acTL", struct.pack(">II", 7, 0))))
    assert facts.frames == 7


@pytest.mark.parametrize("kind", ["JPEG", "TIFF"])
def test_a_press_file_agrees_with_an_independent_reading(tmp_path: Path, kind: str) -> None:
    """With its own profile, and without one as the usual press profile; black point compensated both times."""
    image = pyvips.Image.new_from_array(COLOURS, interpretation="srgb")
    press = image.icc_transform("cmyk", input_profile="srgb", intent="relative", black_point_compensation=True)
    profile = bytes(press.get("icc-profile-data"))
    inks = press.numpy()
    file = io.BytesIO()
    Image.fromarray(inks, "CMYK").save(file, kind, **({"quality": 100, "subsampling": 0} if kind == "JPEG" else {}))
    expected = by_pillow(profile, inks, "CMYK")
    for content in (file.getvalue(), with_icc(profile, inks, "CMYK")):
        assert np.abs(seen(tmp_path, content).astype(int) - expected).max() <= (3 if kind == "JPEG" else 1)


@pytest.mark.parametrize("number", ["float32", "int8", "int16", "int32"])
def test_numbers_that_cannot_be_read_rightly_are_refused_in_words(tmp_path: Path, number: str) -> None:
    values = np.linspace(0, 1, 30 * 20).reshape(20, 30) * (1 if "float" in number else np.iinfo(number).max)
    content = pyvips.Image.new_from_array(values.astype(number)).write_to_buffer(".tif")
    with pytest.raises(UnreadableFileError, match=r"floating-point|signed"):
        taken(tmp_path, content)


def test_lab_is_refused_in_words(tmp_path: Path) -> None:
    lab = pyvips.Image.new_from_array(COLOURS, interpretation="srgb").colourspace("labs")
    with pytest.raises(UnreadableFileError, match="Lab"):
        taken(tmp_path, lab.write_to_buffer(".tif"))


def test_whole_numbers_of_32_bits_become_16(tmp_path: Path) -> None:
    values = (COLOURS.astype(np.uint32) * np.uint32(16_843_009)).astype(np.uint32)
    content = pyvips.Image.new_from_array(values).write_to_buffer(".tif")
    facts, levels = taken(tmp_path, content)
    assert facts.pixel_format == "ushort"
    assert np.array_equal(levels[1], COLOURS.astype(np.uint16) * 257), "white stays white, to the last digit"


def test_own_profiles_do_what_they_say() -> None:
    assert does_like_srgb(matrix(SRGB_CURVE))
    assert not does_like_srgb(matrix(power_curve(2.2)))
