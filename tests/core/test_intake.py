"""What comes from outside: read as people mean it, or refused with what and why."""

import struct
import zlib
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import pyvips
from hypothesis import given
from hypothesis import strategies as st

from lucidex.core.errors import TooLargeError, UnreadableFileError, UserError
from lucidex.core.places.demand import PlaceDemand
from lucidex.core.places.measures import Percent
from lucidex.core.source.decoder import take_in
from lucidex.core.source.facts import SourceFacts
from tests.conftest import Pixels, encoded, picture, smooth_picture
from tests.core.rendering import rendered, source_of


def taken(tmp_path: Path, content: bytes, name: str = "picture.bin") -> tuple[SourceFacts, dict[int, Pixels]]:
    path = tmp_path / name
    path.write_bytes(content)
    strips: dict[int, list[Pixels]] = {}

    def put(number: int, rows: Pixels) -> None:
        strips.setdefault(number, []).append(rows.copy())

    with path.open("rb") as file:
        facts = take_in(file, put, strips.clear)
    return facts, {number: np.concatenate(rows) for number, rows in strips.items()}


def png_header(width: int, height: int) -> bytes:
    """A PNG that claims a size and holds next to nothing."""

    def chunk(kind: bytes, body: bytes) -> bytes:
        return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))

    head = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    return (
        b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", zlib.compress(bytes(999))) + chunk(b"IEND", b"")
    )


@pytest.mark.parametrize(
    ("suffix", "options", "expected"),
    [
        (".jpg", {"Q": 95}, "JPEG"),
        (".png", {}, "PNG"),
        (".webp", {"lossless": True}, "WebP"),
        (".gif", {}, "GIF"),
        (".tif", {}, "TIFF"),
        (".tif", {"compression": "lzw", "bigtiff": True}, "TIFF"),
    ],
)
def test_formats_are_read_whatever_they_are_called(
    tmp_path: Path, suffix: str, options: dict[str, object], expected: str
) -> None:
    pixels = smooth_picture(300, 200)
    facts, levels = taken(tmp_path, encoded(pixels, suffix, **options), "called.doc")
    assert facts.format == expected
    assert (facts.upright.width, facts.upright.height) == (300, 200)
    assert np.abs(levels[1][..., :3].astype(int) - pixels).mean() < 6
    assert levels[2].shape[:2] == (100, 150)


@pytest.mark.parametrize("orientation", [1, 3, 6, 8, 0, 77])
def test_the_orientation_flag_is_read(tmp_path: Path, orientation: int) -> None:
    image = pyvips.Image.black(40, 30, bands=3).copy(interpretation="srgb")
    image.set_type(pyvips.GValue.gint_type, "orientation", orientation)
    facts, _ = taken(tmp_path, image.write_to_buffer(".jpg"))
    assert (facts.upright.width, facts.upright.height) == ((30, 40) if orientation in {6, 8} else (40, 30))


def test_a_colour_profile_is_honoured(tmp_path: Path) -> None:
    """The same colour, stored in a wider space, comes out as the same sRGB numbers."""
    srgb = np.full((40, 40, 3), (60, 140, 90), np.uint8)
    wide = pyvips.Image.new_from_memory(srgb.tobytes(), 40, 40, 3, "uchar").copy(interpretation="srgb")
    wide = wide.icc_transform("p3", input_profile="srgb")
    facts, levels = taken(tmp_path, wide.write_to_buffer(".png"))
    assert facts.profile is not None
    assert facts.colour != "sRGB"
    stored = levels[1]
    assert np.abs(stored.astype(int) - srgb).max() > 5
    source = replace(source_of(stored), profile=facts.profile)
    out = rendered(source, PlaceDemand(measure=Percent(percent=100)))
    assert np.abs(out.astype(int) - srgb).max() <= 1


def test_sixteen_bits_are_kept(tmp_path: Path) -> None:
    deep = (pyvips.Image.identity(ushort=True).bandjoin([0, 0]) * 1).cast("ushort").copy(interpretation="rgb16")
    facts, levels = taken(tmp_path, deep.crop(0, 0, 30_000, 1).write_to_buffer(".png"))
    assert facts.pixel_format == "ushort"
    assert len(np.unique(levels[1][..., 0])) == 30_000


def test_clear_areas_are_noticed_only_where_they_are(tmp_path: Path) -> None:
    opaque = np.dstack([picture(20, 20), np.full((20, 20, 1), 255, np.uint8)])
    facts, _ = taken(tmp_path, encoded(opaque))
    assert (facts.has_alpha, facts.has_clear_areas) == (True, False)
    opaque[3, 3, 3] = 254
    facts, _ = taken(tmp_path, encoded(opaque))
    assert facts.has_clear_areas


def test_the_recorded_resolution_is_read(tmp_path: Path) -> None:
    image = pyvips.Image.black(20, 20).copy(xres=300 / 25.4, yres=300 / 25.4)
    facts, _ = taken(tmp_path, image.write_to_buffer(".jpg"))
    assert facts.pixels_per_inch == pytest.approx(300, abs=0.5)
    facts, _ = taken(tmp_path, pyvips.Image.black(20, 20).write_to_buffer(".png"))
    assert facts.pixels_per_inch is None


@pytest.mark.parametrize(
    ("content", "why"),
    [
        (b"", "empty"),
        (b"Dear all,\nthe picture is attached.\n" * 30, "inside is text"),
        (b"%PDF-1.7 ...", "PDF"),
        (b"PK\x03\x04....", "archive"),
        (bytes(range(256)) * 9, "something else"),
        (b"\xff\xd8\xff\xe0 and then nothing of use", "JPEG"),
        (b"GIF89a", "GIF"),
        (png_header(3000, 3000), "100 % of the picture"),
        (b"\x89PNG\r\n\x1a\n", "PNG"),
        (b"RIFF\x10\0\0\0WEBPVP8 ", "WebP"),
        (b"II*\0\x08\0\0\0\xff\xff", "TIFF"),
    ],
)
def test_bad_files_are_refused_with_what_and_why(tmp_path: Path, content: bytes, why: str) -> None:
    with pytest.raises(UnreadableFileError, match=why):
        taken(tmp_path, content, "holiday.jpg")


def test_a_truncated_photograph_is_refused(tmp_path: Path) -> None:
    whole = encoded(smooth_picture(900, 700), ".jpg", Q=90)
    with pytest.raises(UnreadableFileError, match="cut off"):
        taken(tmp_path, whole[: len(whole) // 2])


def test_a_huge_size_in_few_bytes_is_refused_before_decoding(tmp_path: Path) -> None:
    with pytest.raises(TooLargeError, match="30000 × 30000"):
        taken(tmp_path, png_header(30_000, 30_000))


@given(
    st.binary(max_size=400),
    st.sampled_from([b"\xff\xd8\xff", b"\x89PNG\r\n\x1a\n", b"GIF89a", b"II*\0", b"RIFF\0\0\0\0WEBP"]),
)
def test_no_bytes_lead_to_anything_but_a_sentence(
    tmp_path_factory: pytest.TempPathFactory, tail: bytes, head: bytes
) -> None:
    with pytest.raises(UserError):
        taken(tmp_path_factory.mktemp("x"), head + tail)


def test_facts_survive_the_way_to_the_table(tmp_path: Path) -> None:
    wide = pyvips.Image.black(9, 9, bands=3).copy(interpretation="srgb").icc_transform("p3", input_profile="srgb")
    facts, _ = taken(tmp_path, wide.write_to_buffer(".png"))
    assert SourceFacts.model_validate(facts.model_dump(mode="json")) == facts
    assert SourceFacts.model_validate_json(facts.model_dump_json()) == facts


@pytest.mark.parametrize(
    ("head", "words"),
    [
        (b"8BPS\0\1" + b"\0" * 60, "a layered picture .PSD.*save it as PNG"),
        (b"\xff\x0a" + b"\7" * 60, "a JPEG XL picture"),
        (b"\0\0\0\x18ftypcrx " + b"\0" * 60, "a raw photograph .CR3.*develop it"),
        (b"\0\0\0\x18ftypisom" + b"\0" * 60, "a film .MP4.*one of its frames"),
        (b"7z\xbc\xaf\x27\x1c" + b"\0" * 60, "an archive .7z.*as ZIP or TAR"),
        (b"\x1f\x8b\x08" + b"\0" * 60, "packed by gzip, as tar.gz"),
        (b"%!PS-3.0\n" * 20, "a PostScript drawing.*as PDF"),
        (b"P6 9 9 255 " + b"\0" * 300, "a portable any map"),
    ],
)
def test_other_formats_are_called_by_their_names_with_what_to_do(tmp_path: Path, head: bytes, words: str) -> None:
    """They were called no picture, and something else."""
    with pytest.raises(UnreadableFileError, match=words):
        taken(tmp_path, head)
