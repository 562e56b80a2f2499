"""What is looked at in a file's own structure has an end, whatever the file says."""

import io
from itertools import islice

from PIL import Image

from lucidex.core.source.formats import gif, jpeg_scan
from lucidex.core.source.formats.svg_repeats import MOST_COUNTED, Repeats
from tests.conftest import smooth_picture


def jpeg() -> bytes:
    out = io.BytesIO()
    Image.fromarray(smooth_picture(48, 32)).save(out, "JPEG")
    return out.getvalue()


def test_only_so_many_scans_are_put_right() -> None:
    wrong = b"\xff\xda\0\x0c\x03\x01\0\x02\x11\x03\x11\0\x10\0"
    content = jpeg()[:-2] + wrong * 5_000 + b"\xff\xd9"
    right = jpeg_scan.put_right(content)
    assert len(right) == len(content)
    assert sum(a != b for a, b in zip(content, right, strict=True)) <= 3 * jpeg_scan._MOST_SCANS


def test_filling_before_a_marker_is_passed_over_and_segments_end() -> None:
    content = jpeg()
    filled = content[:2] + b"\xff" * 3_000 + content[2:]
    assert [one[0] for one in jpeg_scan.segments(filled)] == [one[0] for one in jpeg_scan.segments(content)]
    endless = content[:2] + b"\xff\xfe\0\x02" * 100_000
    assert len(list(islice(jpeg_scan.segments(endless), 50_000))) == jpeg_scan._MAX_SEGMENTS


def test_blocks_of_a_gif_end() -> None:
    whole, at = gif._blocks(b"\x01\x07" * (gif._MOST_BLOCKS + 50), 0)
    assert len(whole) == gif._MOST_BLOCKS
    assert at == 2 * gif._MOST_BLOCKS + 1


def test_what_repeats_itself_is_counted_without_repeating() -> None:
    """Sixty levels, each of which repeats the one before ten times: more than any number of parts."""
    repeats = Repeats()
    for level in range(60):
        repeats.begin("g", {"id": f"a{level}"})
        for _ in range(10 if level else 0):
            repeats.begin("use", {"href": f"#a{level - 1}"})
            repeats.end()
        repeats.end()
    assert repeats.count() == MOST_COUNTED
