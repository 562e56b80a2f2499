"""AVIF (AOMedia AV1 image file format): the lightest; slower to write."""

import threading
from collections.abc import Iterator
from contextlib import contextmanager

import pyvips

from lucidex.core.encode.base import ENCODER_THREADS, SRGB_PROFILE, Effort, Encoding, OutputFormat
from lucidex.core.encode.heif_items import with_exif, with_xmp

# measured on 12 megapixels: 2 is 10 to 13 % lighter than 0, 4 takes five times as long as 3 (`bench/weights.py`)
EFFORT = {Effort.DRAFT: 0, Effort.QUICK: 2, Effort.THOROUGH: 3}

# the encoder has 64 steps, so neighbouring qualities give the same file: of those, the highest (a test tries all)
# fmt: off
QUALITIES = (
    2, 5, 7, 9, 11, 13, 15, 17, 19, 21, 23, 25, 27, 29, 31, 33, 34, 36, 38, 39, 41, 43, 44, 46, 48, 49, 51, 53,
    54, 55, 57, 58, 59, 61, 62, 63, 65, 66, 67, 69, 70, 71, 73, 74, 75, 77, 78, 79, 81, 82, 83, 85, 86, 87, 89, 90,
    91, 93, 94, 95, 97, 98, 99, 100,
)
# fmt: on

_fixing_threads = threading.Lock()


@contextmanager
def _fixed_threads() -> Iterator[None]:
    """The encoder's bytes depend on its number of threads, which libvips takes from its global setting."""
    with _fixing_threads:
        before = pyvips.concurrency_get()
        pyvips.concurrency_set(ENCODER_THREADS)
        try:
            yield
        finally:
            pyvips.concurrency_set(before)


def save(image: pyvips.Image, encoding: Encoding) -> bytes:
    """Lossy AVIF."""
    quality = encoding.quality or FORMAT.default_quality
    with _fixed_threads():
        return bytes(
            image.heifsave_buffer(
                Q=quality,
                compression="av1",
                effort=EFFORT[encoding.effort],
                subsample_mode="off",  # at equal likeness lighter than half the colour, by 3 % on photographs too
                keep="icc",
                profile=SRGB_PROFILE,
            )
        )


FORMAT = OutputFormat(
    name="avif",
    aliases=(),
    label="AVIF",
    suffix=".avif",
    media_type="image/avif",
    keeps_clear=True,
    default_quality=63,
    qualities=QUALITIES,
    max_edge=16_384,
    save=save,
    quick_weighs=1.0,
    ladder=(63, 38, 81),
    strength="lightest, not read by old programs",
    is_slow=True,
    keeps_resolution=False,
    stamp=with_xmp,
    stamp_older=with_exif,
)
