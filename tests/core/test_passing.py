"""Files that come out as they came in: whatever passes can be opened by programs that none of us wrote."""

import io
import struct
import subprocess
import zlib
from typing import Any

import cv2
import imagecodecs
import numpy as np
import pytest
from PIL import Image

from lucidex.core.encode.passing import Passage, passage_of, passed
from lucidex.core.geometry.transform import Transform
from tests.conftest import Pixels, smooth_picture

PIXELS = smooth_picture(80, 60)
START = b"\x89PNG\r\n\x1a\n"


def chunk(name: bytes, body: bytes, checked: int | None = None) -> bytes:
    sum_of_it = zlib.crc32(name + body) if checked is None else checked
    return struct.pack(">I", len(body)) + name + body + struct.pack(">I", sum_of_it)


def head(kind: int = 2, depth: int = 8) -> bytes:
    return chunk(b"IHDR", struct.pack(">IIBBBBB", 80, 60, depth, kind, 0, 0, 0))


RAW = b"".join(b"\0" + row.tobytes() for row in PIXELS)
ONE = b"".join(b"\0" + row.tobytes() for row in PIXELS[..., 0])
CODED, CODED_ONE = zlib.compress(RAW), zlib.compress(ONE)
DATA, END = chunk(b"IDAT", CODED), chunk(b"IEND", b"")
GREYS = chunk(b"PLTE", bytes(value for entry in range(256) for value in (entry, entry, entry)))


def png(*between: bytes) -> bytes:
    return START + head() + b"".join(between) + DATA + END


def by_pillow(plugin: str, mode: str = "RGB", **options: Any) -> bytes:
    out = io.BytesIO()
    Image.fromarray(PIXELS).convert(mode).save(out, plugin, **options)
    return out.getvalue()


def by_tool(*command: str) -> bytes:
    ppm = b"P6 80 60 255\n" + PIXELS.tobytes()
    return subprocess.run(command, input=ppm, capture_output=True, check=True).stdout


def sixteen_bits() -> bytes:
    return bytes(cv2.imencode(".png", PIXELS.astype(np.uint16) * 257)[1])


def passage(content: bytes) -> Passage | None:
    label = "PNG" if content.startswith(START) else "JPEG"
    return passage_of(io.BytesIO(content), label, Transform())


def opened_by_others(content: bytes) -> list[Pixels]:
    """By three programs, each as strict as it comes; the size that they see."""
    with Image.open(io.BytesIO(content)) as read:
        pictures = [np.asarray(read.convert("RGB"))]
    decode = imagecodecs.png_decode if content.startswith(START) else imagecodecs.jpeg8_decode
    pictures.append(np.asarray(decode(content)))
    seen = cv2.imdecode(np.frombuffer(content, np.uint8), cv2.IMREAD_UNCHANGED)
    assert seen is not None
    return [*pictures, np.asarray(seen)]


@pytest.mark.parametrize(
    "make",
    [
        *(
            lambda how=how: by_pillow("JPEG", quality=90, **how)
            for how in ({}, {"progressive": True}, {"subsampling": 0})
        ),
        lambda: by_pillow("JPEG", "L"),
        lambda: by_pillow("JPEG", restart_marker_rows=1),
        lambda: by_pillow("JPEG", keep_rgb=True),
        lambda: by_tool("cjpeg", "-arithmetic"),
        lambda: by_tool("cjpeg", "-arithmetic", "-progressive"),
        lambda: by_pillow("JPEG") + b"what a camera puts behind it" * 4_000,
        *(lambda mode=mode: by_pillow("PNG", mode) for mode in ("1", "L", "LA", "P", "RGB", "RGBA", "I;16")),
        sixteen_bits,
        lambda: png(chunk(b"tEXt", b"Comment\0private", 0)),
        lambda: png(chunk(b"gAMA", struct.pack(">I", 45_455)), chunk(b"sRGB", b"\0")),
    ],
)
def test_what_passes_is_opened_by_others(make: Any) -> None:
    content = make()
    way = passage(content)
    assert way is not None
    for seen in opened_by_others(passed(content, way)):
        assert seen.shape[:2] == (60, 80)


IRREGULAR = {
    "no end": START + head() + DATA,
    "an end with something in it": START + head() + DATA + chunk(b"IEND", b"x"),
    "no gamma": png(chunk(b"gAMA", bytes(4))),
    "a short gamma": png(chunk(b"gAMA", b"\0\0")),
    "short primaries": png(chunk(b"cHRM", b"\0\0")),
    "a wrong sum": png(chunk(b"gAMA", struct.pack(">I", 45_455), 0)),
    "two gammas": png(*[chunk(b"gAMA", struct.pack(">I", 45_455))] * 2),
    "an intent that is none": png(chunk(b"sRGB", b"\x09")),
    "more bits than there are": png(chunk(b"sBIT", b"\x09\x09\x09")),
    "a profile that is none": png(chunk(b"iCCP", b"x\0\0garbage")),
    "a profile without a name": png(chunk(b"iCCP", b"")),
    "a profile without an end": png(chunk(b"iCCP", b"a" * 100)),
    "short transparency": png(chunk(b"tRNS", b"\0")),
    "transparency for more colours than there are": START
    + head(3)
    + GREYS
    + chunk(b"tRNS", bytes(300))
    + chunk(b"IDAT", CODED_ONE)
    + END,
    "transparency before the colours": START
    + head(3)
    + chunk(b"tRNS", bytes(20))
    + GREYS
    + chunk(b"IDAT", CODED_ONE)
    + END,
    "a palette of thirds": png(chunk(b"PLTE", bytes(4))),
    "a palette of grey": START + head(0) + GREYS + chunk(b"IDAT", CODED_ONE) + END,
    "pixels apart": START
    + head()
    + chunk(b"IDAT", CODED[:50])
    + chunk(b"tEXt", b"a\0b")
    + chunk(b"IDAT", CODED[50:])
    + END,
    "something unknown that is needed": png(chunk(b"ABCD", b"x")),
    "something behind the pixels": START + head() + DATA + chunk(b"gAMA", struct.pack(">I", 45_455)) + END,
    "a bit depth that is none": START + head(2, 4) + DATA + END,
    "a cut chunk": png()[:-6],
}


@pytest.mark.parametrize("name", IRREGULAR)
def test_a_png_that_needs_forgiving_is_written_anew(name: str) -> None:
    assert passage(IRREGULAR[name]) is None


def test_a_jpeg_that_the_tool_complains_of_still_comes_out(tmp_path: Any) -> None:
    """It answered “not available” to whoever asked for it; what it shows is what it showed here."""
    content = bytearray(by_pillow("JPEG", quality=90))
    content[-2:-2] = b"\x12\x34\x56\x78"  # codes behind the last one
    way = passage(bytes(content))
    assert way is not None
    assert opened_by_others(passed(bytes(content), way))[0].shape == (60, 80, 3)
