"""TIFF in the shapes that scanners, printers and laboratories write: read rightly, or refused by what they are."""

import io
import struct
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import tifffile
from PIL import Image, ImageCms

from lucidex.core.errors import TooLargeError, UnreadableFileError
from lucidex.core.source.decoder import take_in
from tests.conftest import Pixels, smooth_picture
from tests.core.test_intake import taken

PIXELS = smooth_picture(150, 100)
GREY = PIXELS[..., 0]
SPOT = np.flipud(GREY)


def tiff(pixels: "np.typing.NDArray[Any]", photometric: str = "rgb", **options: Any) -> bytes:
    """A file by another library than the one that reads most of them."""
    out = io.BytesIO()
    tifffile.imwrite(out, pixels, photometric=photometric, metadata=None, **options)
    return out.getvalue()


def old_style_jpeg() -> bytes:
    """Compression 6: a whole JPEG file in one strip, as early writers did it."""
    inside = io.BytesIO()
    Image.fromarray(PIXELS).save(inside, "JPEG", quality=100, subsampling=0)
    jpeg = inside.getvalue() + b"\0" * (len(inside.getvalue()) % 2)
    fields = [
        (256, 4, 150), (257, 4, 100), (259, 3, 6), (262, 3, 6), (273, 4, 8), (277, 3, 3), (278, 4, 100),
        (279, 4, len(jpeg)), (513, 4, 8), (514, 4, len(jpeg)),
    ]  # fmt: skip
    fields.insert(2, (258, 3, 8))
    head = b"II*\0" + struct.pack("<I", 8 + len(jpeg)) + jpeg + struct.pack("<H", len(fields))
    return head + b"".join(struct.pack("<HHII", tag, kind, 1, value) for tag, kind, value in fields) + b"\0\0\0\0"


@pytest.mark.parametrize(
    ("content", "most"),
    [
        *((lambda how=how: tiff(PIXELS, compression=how), 0) for how in ("lzma", "zstd", "lerc", "png", "packbits")),
        (lambda: tiff(PIXELS, compression="jpeg2000"), 0),
        (lambda: tiff(np.moveaxis(PIXELS, -1, 0).copy(), planarconfig="separate", tile=(64, 64)), 0),
        (lambda: tiff(np.moveaxis(PIXELS, -1, 0).copy(), planarconfig="separate"), 0),
        (lambda: tiff(PIXELS, tile=(16, 16)), 0),
        (old_style_jpeg, 4),
    ],
)
def test_every_compression_and_arrangement_gives_the_same_pixels(tmp_path: Path, content: Any, most: int) -> None:
    facts, levels = taken(tmp_path, content())
    assert facts.damage is None
    assert np.abs(levels[1].astype(int) - PIXELS).max() <= most


@pytest.mark.parametrize("bits", [10, 12, 14])
def test_numbers_of_other_bits_stand_for_the_same_light(tmp_path: Path, bits: int) -> None:
    largest = 2**bits - 1
    numbers = (PIXELS.astype(np.uint32) * largest + 127) // 255
    facts, levels = taken(tmp_path, tiff(numbers.astype(np.uint16), bitspersample=bits))
    assert facts.bits == 16
    assert np.abs(levels[1] - numbers * (65_535 / largest)).max() <= 0.5


@pytest.mark.parametrize("rows", [7, 13, 40, 333])
def test_a_large_scan_is_read_whatever_rows_its_strips_hold(tmp_path: Path, rows: int) -> None:
    """More rows than are handed over at once: asking again for a strip that had been read was called damage."""
    large = np.tile(PIXELS, (18, 17, 1))
    facts, levels = taken(tmp_path, tiff(large, rowsperstrip=rows, compression="packbits"))
    assert facts.damage is None
    assert np.array_equal(levels[1], large)


def test_pages_of_a_fax_are_read(tmp_path: Path) -> None:
    """One strip for a page, in lines of two colours that are longer than wide."""
    page = Image.fromarray(np.tile(np.where(GREY > 128, 255, 0).astype(np.uint8), (70, 12))).convert("1")
    out = io.BytesIO()
    page.save(out, "TIFF", compression="group4", save_all=True, append_images=[page], tiffinfo={278: 7_000})
    facts, levels = taken(tmp_path, out.getvalue())
    assert (facts.pages, facts.damage) == (2, None)
    assert np.array_equal(levels[1][..., 0], np.asarray(page.convert("L")))


def test_lab_is_read_as_the_colours_that_it_stands_for(tmp_path: Path) -> None:
    lab = ImageCms.createProfile("LAB", 5_003)  # D50
    to_lab = ImageCms.buildTransform(
        ImageCms.createProfile("sRGB"), lab, "RGB", "LAB", ImageCms.Intent.RELATIVE_COLORIMETRIC
    )
    colours = ImageCms.applyTransform(Image.fromarray(PIXELS), to_lab)
    assert colours is not None
    numbers = np.asarray(colours)
    signed = tiff(numbers, "cielab")
    shifted = tiff(np.dstack([numbers[..., 0], numbers[..., 1:] ^ 0x80]), "icclab")
    for content in (signed, shifted):
        _, levels = taken(tmp_path, content)
        assert np.abs(levels[1] / 257 - PIXELS).mean() < 1.2  # of 8 bits of Lab
        assert np.abs(levels[1] / 257 - PIXELS).max() < 12


def test_luma_and_colour_apart_are_put_together(tmp_path: Path) -> None:
    apart = np.asarray(Image.fromarray(PIXELS).convert("YCbCr"))
    _, levels = taken(tmp_path, tiff(apart, "ycbcr", subsampling=(1, 1)))
    assert np.abs(levels[1].astype(int) - PIXELS).max() <= 3


@pytest.mark.parametrize("how", [{}, {"compression": "zstd"}])
def test_only_what_is_said_to_be_transparency_makes_clear(tmp_path: Path, how: dict[str, Any]) -> None:
    four, five = np.dstack([PIXELS, SPOT]), np.dstack([PIXELS, GREY, SPOT])
    facts, levels = taken(tmp_path, tiff(four, extrasamples=["unspecified"], **how))
    assert (facts.has_alpha, levels[1].shape[2]) == (False, 3)
    assert facts.notes == ("It holds 1 further channel beside its colours, left out here.",)
    facts, levels = taken(tmp_path, tiff(four, extrasamples=["unassalpha"], **how))
    assert np.array_equal(levels[1], four)
    assert facts.notes == ()
    facts, levels = taken(tmp_path, tiff(five, extrasamples=["unspecified", "unassalpha"], **how))
    assert np.array_equal(levels[1], np.dstack([PIXELS, SPOT]))


@pytest.mark.parametrize("how", [{}, {"compression": "zstd"}])
@pytest.mark.parametrize("place", [0, 1])
def test_colours_that_were_multiplied_by_transparency_are_divided_once(
    tmp_path: Path, how: dict[str, Any], place: int
) -> None:
    half = np.full_like(GREY, 128)
    multiplied = (PIXELS.astype(np.uint16) * 128 // 255).astype(np.uint8)
    further = [SPOT] * place + [half]
    kinds = ["unspecified"] * place + ["assocalpha"]
    _, levels = taken(tmp_path, tiff(np.dstack([multiplied, *further]), extrasamples=kinds, **how))
    assert np.abs(levels[1][..., :3].astype(int) - PIXELS).max() <= 3


@pytest.mark.parametrize(
    ("content", "sentence"),
    [
        (lambda: tiff((PIXELS / 255).astype(np.float64)), "Its pixels are floating-point numbers"),
        (
            lambda: tiff((PIXELS / 255).astype(np.float64), compression="zstd"),
            "Its pixels are floating-point numbers",
        ),
        (lambda: tiff(GREY.astype(np.complex64), "minisblack"), "Its pixels are complex numbers"),
        (lambda: tiff(PIXELS.astype(np.int16)), "Its pixels are signed numbers"),
        (lambda: patched(tiff(PIXELS), 259, 60_001), "It is compressed by number"),
        (lambda: patched(tiff(PIXELS), 262, 32_845), "Its colours are kept as LOGLUV"),
        (lambda: patched(tiff(PIXELS), 262, 6), "YCbCr with halved colour"),
    ],
)
def test_what_is_sound_and_not_read_is_called_by_what_it_is(tmp_path: Path, content: Any, sentence: str) -> None:
    with pytest.raises(UnreadableFileError, match=sentence):
        taken(tmp_path, content())


def patched(content: bytes, tag: int, value: int) -> bytes:
    """With another number in a field of one."""
    at = content.index(struct.pack("<HHI", tag, 3, 1)) + 8
    return content[:at] + struct.pack("<H", value) + content[at + 2 :]


def test_its_description_maker_and_rights_are_read(tmp_path: Path) -> None:
    words = [(315, 2, 0, "Ida Brook – Glashütte".encode(), True), (33_432, 2, 0, b"Marrow Lane", True)]
    for how in ({}, {"compression": "zstd"}):
        facts, _ = taken(
            tmp_path, tiff(PIXELS, description="The dome", extratags=words, resolution=(200, 200), **how)
        )
        assert (facts.recorded.caption, facts.recorded.credit) == ("The dome", "Ida Brook – Glashütte")
        assert facts.recorded.rights == "Marrow Lane"
        assert facts.pixels_per_inch == 200


def test_what_has_to_be_loaded_whole_is_refused_by_arithmetic(tmp_path: Path) -> None:
    (tmp_path / "large.tif").write_bytes(tiff(np.tile(PIXELS, (10, 10, 1)), compression="zstd"))
    with (tmp_path / "large.tif").open("rb") as file, pytest.raises(TooLargeError, match="as a whole"):
        take_in(file, lambda number, rows: None, most_bytes=10_000_000)


def test_a_page_that_is_none_is_refused_and_others_are_found(tmp_path: Path) -> None:
    pages: Pixels = np.stack([PIXELS, PIXELS[::-1], PIXELS[:, ::-1]])
    facts, _ = taken(tmp_path, tiff(pages, compression="zstd"))
    assert facts.pages == 3
    circle = bytearray(tiff(PIXELS, compression="zstd"))
    at = 8 + 2 + 12 * struct.unpack_from("<H", circle, 8)[0]
    circle[at : at + 4] = struct.pack("<I", 8)  # its next page is itself
    assert taken(tmp_path, bytes(circle))[0].pages == 1
