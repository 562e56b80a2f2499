"""Damaged files: refused where much is missing, marked where little is, never taken silently."""

import contextlib
import io
import re
import struct
import subprocess
import tempfile
import zlib
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from functools import cache
from multiprocessing import get_context
from pathlib import Path

import numpy as np
import pikepdf
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from lucidex.core.errors import TooLargeError, UnreadableFileError, UserError
from lucidex.core.source.decoder import take_in
from lucidex.core.source.formats import format_of
from tests.conftest import Pixels, encoded, smooth_picture
from tests.core.test_intake import taken

WIDTH, HEIGHT = 400, 300


@cache
def grainy(width: int = WIDTH, height: int = HEIGHT) -> Pixels:
    """A photograph of sorts: no row of it is of one colour, and nothing is black."""
    grain = np.random.default_rng(3).integers(0, 9, (height, width, 3))
    return np.clip(smooth_picture(width, height).astype(int) + grain + 10, 12, 255).astype(np.uint8)


def tiff_with_directory_first(pixels: Pixels, rows_a_strip: int = 6) -> bytes:
    """A TIFF as many programs write it: its directory before its strips, uncompressed."""
    height, width, _ = pixels.shape
    strips = [pixels[top : top + rows_a_strip].tobytes() for top in range(0, height, rows_a_strip)]
    count, entries = len(strips), 10
    after = 8 + 2 + entries * 12 + 4
    start = after + 6 + 8 * count
    offsets = [start + sum(len(strip) for strip in strips[:index]) for index in range(count)]
    fields = [
        (256, 4, 1, width),
        (257, 4, 1, height),
        (258, 3, 3, after),
        (259, 3, 1, 1),
        (262, 3, 1, 2),
        (273, 4, count, after + 6),
        (277, 3, 1, 3),
        (278, 4, 1, rows_a_strip),
        (279, 4, count, after + 6 + 4 * count),
        (284, 3, 1, 1),
    ]
    head = b"II*\0" + struct.pack("<IH", 8, entries)
    head += b"".join(
        struct.pack("<HHI", tag, kind, many)
        + (struct.pack("<HH", value, 0) if kind == 3 and many == 1 else struct.pack("<I", value))
        for tag, kind, many, value in fields
    )
    head += struct.pack("<I3H", 0, 8, 8, 8)
    sizes = struct.pack(f"<{count}I", *offsets) + struct.pack(f"<{count}I", *(len(strip) for strip in strips))
    return head + sizes + b"".join(strips)


@cache
def whole_file(suffix: str) -> bytes:
    return tiff_with_directory_first(grainy()) if suffix == ".tif" else encoded(grainy(), suffix)


def cut_with_end_mark(content: bytes, share: float) -> bytes:
    return content[: int(len(content) * share)] + b"\xff\xd9"


def test_the_made_tiff_is_whole(tmp_path: Path) -> None:
    facts, levels = taken(tmp_path, tiff_with_directory_first(grainy()))
    assert np.array_equal(levels[1], grainy())
    assert facts.damage is None


@pytest.mark.parametrize("share", [0.1, 0.5])
def test_a_tiff_that_is_mostly_missing_is_refused_as_cut_off(tmp_path: Path, share: float) -> None:
    whole = tiff_with_directory_first(grainy())
    with pytest.raises(UnreadableFileError, match=r"cut off and about .* % of the picture is missing"):
        taken(tmp_path, whole[: int(len(whole) * share)])


@pytest.mark.parametrize("end", [b"\xff\xd9", b""])
def test_a_file_that_lacks_little_comes_in_marked_with_what_is_missing(tmp_path: Path, end: bytes) -> None:
    whole = encoded(grainy(), ".jpg", Q=90)
    facts, levels = taken(tmp_path, whole[: int(len(whole) * 0.9)] + end)
    flat = int((np.ptp(levels[1].astype(int), axis=1).max(axis=-1) <= 1).sum())
    assert facts.damage is not None
    found = re.search(r"the lowest (\d+) of 300 rows are missing", facts.damage)
    assert found is not None
    assert flat <= int(found[1]) < flat + 16  # of the uppermost ones, a part may be there
    assert levels[1].shape[0] == HEIGHT


def test_rows_that_a_tiff_lacks_are_counted(tmp_path: Path) -> None:
    facts, _ = taken(tmp_path, tiff_with_directory_first(grainy())[: -36 * WIDTH * 3])
    assert facts.damage == f"The TIFF file is cut off: the lowest 36 of {HEIGHT} rows are missing."


def test_what_was_put_away_before_the_damage_is_put_away_once(tmp_path: Path) -> None:
    """A large file is handed over in strips; where it turns out to be damaged, they come again from the top."""
    large = np.tile(grainy(), (8, 7, 1))
    content = encoded(large, ".jpg", Q=70)
    facts, levels = taken(tmp_path, content[: int(len(content) * 0.9)])
    assert facts.damage is not None
    assert {number: level.shape[:2] for number, level in levels.items()} == {
        number: (2_400 // number, 2_800 // number) for number in (1, 2, 4, 8)
    }


def test_half_a_photograph_with_an_end_mark_is_refused_with_the_share(tmp_path: Path) -> None:
    with pytest.raises(UnreadableFileError, match=r"damaged JPEG file: about (4|5)\d % of the picture"):
        taken(tmp_path, cut_with_end_mark(encoded(grainy(), ".jpg", Q=90), 0.5))


def test_a_strip_that_points_beyond_all_bounds_is_refused_or_marked(tmp_path: Path) -> None:
    whole = bytearray(tiff_with_directory_first(grainy(), rows_a_strip=HEIGHT))
    at = whole.index(struct.pack("<HHI", 273, 4, 1)) + 8
    whole[at : at + 4] = struct.pack("<I", 0xFFFFFF00)
    with pytest.raises(UnreadableFileError):
        taken(tmp_path, bytes(whole))


def test_a_flipped_byte_in_a_png_is_noticed(tmp_path: Path) -> None:
    whole = bytearray(encoded(grainy()))
    whole[int(len(whole) * 0.98)] ^= 0x55
    facts, _ = taken(tmp_path, bytes(whole))
    assert facts.damage is not None
    assert facts.damage.startswith("The PNG file is damaged")


def test_whole_files_of_every_format_are_not_marked(tmp_path: Path) -> None:
    """White margins, black pictures and drawings of one colour are no damage."""
    white = np.full((90, 120, 3), 255, np.uint8)
    white[:20] = grainy(120, 20)
    for pixels in (white, np.zeros((64, 64, 3), np.uint8), grainy()):
        for suffix in (".jpg", ".png", ".webp", ".gif", ".tif"):
            facts, _ = taken(tmp_path, encoded(pixels, suffix))
            assert facts.damage is None


class Apart:
    """Files taken in by a process of its own, as the product does: what kills a decoder kills that."""

    def __init__(self) -> None:
        self._pool: ProcessPoolExecutor | None = None

    def answer(self, content: bytes) -> tuple[str | None, Pixels] | None:
        """What is said of damage, and the pixels; None for a file that is refused, or that no decoder survives."""
        self._pool = self._pool or ProcessPoolExecutor(1, mp_context=get_context("forkserver"))
        try:
            return self._pool.submit(taken_alone, content).result()
        except BrokenProcessPool:
            self._pool = None
            return None

    def close(self) -> None:
        if self._pool is not None:
            self._pool.shutdown()


def taken_alone(content: bytes) -> tuple[str | None, Pixels] | None:
    with tempfile.TemporaryDirectory() as folder, contextlib.suppress(UserError):
        facts, levels = taken(Path(folder), content)
        return facts.damage, np.array(levels[1])
    return None


@pytest.fixture(scope="module")
def apart() -> Iterator[Apart]:
    one = Apart()
    yield one
    one.close()


@pytest.mark.long
@given(
    seed=st.integers(0, 2**32), suffix=st.sampled_from([".jpg", ".png", ".tif", ".gif", ".webp"]), cut=st.booleans()
)
def test_what_a_decoder_complains_of_never_comes_in_silently(apart: Apart, seed: int, suffix: str, cut: bool) -> None:
    """Cut anywhere, or with bytes overwritten: refused, marked, or whole by the decoder's own checks."""
    random = np.random.default_rng(seed)
    whole = bytearray(whole_file(suffix))
    if cut:
        whole = whole[: int(random.integers(20, len(whole) - 40))]
    else:
        at = int(random.integers(20, len(whole) - 20))
        whole[at : at + 8] = random.bytes(8)
    answer = apart.answer(bytes(whole))
    if answer is None:
        return
    damage, pixels = answer
    if cut:
        assert damage is not None
    if suffix == ".png" and not np.array_equal(pixels, grainy()):
        assert damage is not None


def test_where_a_file_ends_is_known_by_its_structure(tmp_path: Path) -> None:
    for suffix in (".jpg", ".png", ".webp", ".gif", ".tif"):
        whole = encoded(grainy(), suffix)
        for content, expected in ((whole, False), (whole[: len(whole) * 2 // 3], True)):
            (tmp_path / "f").write_bytes(content)
            with (tmp_path / "f").open("rb") as file:
                form = format_of(content)
                assert form is not None
                assert form.ends_early(file, len(content)) is expected, (suffix, expected)


def test_a_progressive_file_that_cannot_be_decoded_in_strips_is_refused_by_arithmetic(tmp_path: Path) -> None:
    (tmp_path / "p.jpg").write_bytes(encoded(smooth_picture(2_000, 1_500), ".jpg", interlace=True))
    with (tmp_path / "p.jpg").open("rb") as file, pytest.raises(TooLargeError, match="memory"):
        take_in(file, lambda number, rows: None, most_bytes=10_000_000)
    with (tmp_path / "p.jpg").open("rb") as file:
        assert take_in(file, lambda number, rows: None).stored_width == 2_000


@pytest.mark.parametrize(
    "head", [b"II+\0\x08\0\0\0" + b"\xff" * 8, b"MM\0+\0\x08\0\0" + b"\xfe" * 8, b"II*\0" + b"\xff" * 4]
)
def test_a_tiff_that_leads_to_nowhere_is_refused_in_words(tmp_path: Path, head: bytes) -> None:
    """An impossible seek was an unforeseen error."""
    with pytest.raises(UnreadableFileError, match="TIFF"):
        taken(tmp_path, head + b"\xff" * 64)


def corrupt(content: bytes, seed: int) -> bytes:
    """With one to five bytes behind the headers overwritten."""
    random, changed = np.random.default_rng(seed), bytearray(content)
    for _ in range(int(random.integers(1, 6))):
        changed[int(random.integers(700, len(changed) - 2))] = int(random.integers(0, 256))
    return bytes(changed)


@pytest.mark.parametrize("options", [{"Q": 90}, {"Q": 75, "optimize_coding": True}, {"Q": 90, "interlace": True}])
def test_what_the_usual_tool_complains_of_is_marked(tmp_path: Path, options: dict[str, object]) -> None:
    """All but codes that are none and lead to others that come out even: the decoder takes them for nothing."""
    whole = encoded(grainy(), ".jpg", **options)
    complaints = 0
    for seed in range(40):
        content = corrupt(whole, seed)
        (tmp_path / "c.jpg").write_bytes(content)
        tool = ["djpeg", "-outfile", str(tmp_path / "c.ppm"), str(tmp_path / "c.jpg")]
        said = subprocess.run(tool, capture_output=True, check=False).stderr
        if not said or b"bad Huffman code" in said:
            continue
        complaints += 1
        with contextlib.suppress(UnreadableFileError):
            assert taken(tmp_path, content)[0].damage is not None, (seed, said)
    assert complaints > 5


def patched(content: bytes, mark: bytes, offset: int, value: int) -> bytes:
    at = content.index(mark) + offset
    return content[:at] + bytes([value]) + content[at + 1 :]


HALF_FLAT = np.vstack([grainy(120, 60), np.full((60, 120, 3), 90, np.uint8)])


@pytest.mark.parametrize(
    "made",
    [
        lambda whole: patched(whole, b"JFIF\0", 5, 9),  # an edition that nobody knows
        lambda whole: patched(whole, b"Adobe", 11, 77),  # a transform that nobody knows
        lambda whole: patched(whole, b"\xff\xda", 12, 0),  # coefficients named as in a progressive file
        lambda whole: whole[:-2],  # nothing but the end mark is missing
        lambda whole: whole[:-2] + bytes(37) + whole[-2:],  # padded
        lambda whole: whole + b"a film of three seconds" * 9_000,  # what telephones put behind it
    ],
)
def test_what_changes_no_pixel_is_no_damage(tmp_path: Path, made: Callable[[bytes], bytes]) -> None:
    """Half of it is of one colour, which must not be taken for missing."""
    out = io.BytesIO()
    Image.fromarray(HALF_FLAT).save(out, "JPEG", quality=90)
    whole = out.getvalue()[:20] + b"\xff\xee\0\x0eAdobe\0\x64\0\0\0\0\x01" + out.getvalue()[20:]
    facts, levels = taken(tmp_path, made(whole))
    assert facts.damage is None
    assert np.array_equal(levels[1], taken(tmp_path, whole)[1][1])


def test_a_picture_that_is_half_of_one_colour_is_not_called_half_missing(tmp_path: Path) -> None:
    whole = encoded(HALF_FLAT, ".jpg", Q=90)
    facts, _ = taken(tmp_path, whole[:-2] + b"\x12\x34\x56" + whole[-2:])
    assert facts.damage is not None
    assert "missing" not in facts.damage


def test_pixels_too_few_or_too_many_in_a_gif_are_noticed(tmp_path: Path) -> None:
    page = Image.fromarray(HALF_FLAT).quantize(16)
    out = io.BytesIO()
    page.save(out, "GIF", interlace=0)
    whole = out.getvalue()
    assert taken(tmp_path, whole)[0].damage is None
    height = whole.rindex(struct.pack("<HHHH", 0, 0, 120, 120)) + 6
    fewer = whole[:height] + struct.pack("<H", 118) + whole[height + 2 :]
    more = whole[:height] + struct.pack("<H", 122) + whole[height + 2 :]
    assert taken(tmp_path, fewer)[0].damage == (
        "The GIF file is damaged: parts of the picture may be wrong. Compare it with another copy."
    )
    assert taken(tmp_path, more)[0].damage == "The GIF file is damaged: the lowest 2 of 122 rows are missing."


@pytest.mark.parametrize("packed", ["/DCTDecode", "/FlateDecode"])
def test_a_page_with_a_broken_picture_is_marked(tmp_path: Path, packed: str) -> None:
    out = io.BytesIO()
    Image.fromarray(grainy()).save(out, "PDF", resolution=200)
    whole = out.getvalue()
    if packed == "/FlateDecode":
        with pikepdf.open(io.BytesIO(whole)) as document:
            picture = document.pages[0].Resources.XObject.image
            picture.write(zlib.compress(grainy().tobytes()), filter=pikepdf.Name(packed))
            out = io.BytesIO()
            document.save(out)
            whole = out.getvalue()
    assert taken(tmp_path, whole)[0].damage is None
    at = whole.index(packed.encode())
    broken = bytearray(whole)
    for place in range(at + 5_000, at + 5_040):
        broken[place] = 0x11
    assert taken(tmp_path, bytes(broken))[0].damage is not None


def test_a_page_whose_directory_had_to_be_mended_is_marked(tmp_path: Path) -> None:
    out = io.BytesIO()
    Image.fromarray(grainy()).save(out, "PDF", resolution=200)
    facts, _ = taken(tmp_path, out.getvalue().replace(b"startxref", b"startxyzf"))
    assert facts.damage is not None
