"""Files that Pillow reads safely and libvips does not read here. Each opens with one named plug-in only.

Everything is loaded into memory, so that the size is asked for first (`measure_by_pillow`). What a broken file raises
becomes pyvips.Error, as from any other decoder.
"""

import struct
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import replace
from io import BufferedReader
from typing import Any

import numpy as np
import pyvips
from PIL import Image, ImageFile

from lucidex.core.geometry.sizes import MAX_PIXELS, Size
from lucidex.core.source.formats.base import Open, Opened, Part
from lucidex.core.source.profiles import with_profile

Image.init()  # all plug-ins are there before the process is confined
Image.MAX_IMAGE_PIXELS = MAX_PIXELS // 2  # Pillow refuses twice as much: files that say one size and hold another

_BROKEN = (
    OSError,
    ValueError,
    SyntaxError,
    EOFError,
    KeyError,
    IndexError,
    TypeError,
    OverflowError,
    ZeroDivisionError,
    AttributeError,
    NotImplementedError,
    RuntimeError,
    struct.error,
    Image.DecompressionBombError,
)
_MODES = {
    "1": "L",
    "P": None,
    "PA": "RGBA",
    "La": "LA",
    "RGBa": "RGBA",
    "RGBX": "RGB",
    "YCbCr": "RGB",
    "HSV": "RGB",
    "I;16B": "I;16",
    "I;16L": "I;16",
}


@contextmanager
def as_decoder_error(truncated: bool = False) -> Iterator[None]:
    """What Pillow raises for a broken file, as pyvips.Error; with `truncated` it reads as far as it goes."""
    before, ImageFile.LOAD_TRUNCATED_IMAGES = ImageFile.LOAD_TRUNCATED_IMAGES, truncated
    try:
        yield
    except _BROKEN as error:
        raise pyvips.Error(f"{type(error).__name__} while reading") from error
    finally:
        ImageFile.LOAD_TRUNCATED_IMAGES = before


def measure_by_pillow(plugin: str) -> Callable[[BufferedReader, Part], Size]:
    """The size that a file announces."""

    def measure(file: BufferedReader, part: Part) -> Size:
        with as_decoder_error():
            file.seek(0)
            with_size = Image.open(file, formats=[plugin])
            return Size(*with_size.size)

    return measure


def by_pillow(plugin: str, notes: Callable[[Image.Image], tuple[str, ...]] = lambda image: ()) -> Open:
    """Opened by one plug-in of Pillow."""

    def open_file(file: BufferedReader, fail_on: str, part: Part) -> Opened:
        with as_decoder_error(truncated=fail_on == "none"):
            file.seek(0)
            image = Image.open(file, formats=[plugin])
            image.load()
            return replace(opened_with(_pixels_of(image), image.info), notes=notes(image))

    return open_file


def _pixels_of(image: Image.Image) -> pyvips.Image:
    mode = _MODES.get(image.mode, image.mode)
    if mode is None:
        is_clear = "transparency" in image.info or (image.palette is not None and image.palette.mode == "RGBA")
        mode = "RGBA" if is_clear else "RGB"
    if mode != image.mode:
        image = image.convert(mode)
    pixels = np.asarray(image)
    if image.mode == "I":
        pixels = np.clip(pixels, 0, 65_535).astype(np.uint16)
    return image_of_array(pixels, "cmyk" if image.mode == "CMYK" else None)


def image_of_array(pixels: "np.typing.NDArray[np.generic]", interpretation: str | None = None) -> pyvips.Image:
    """Height × width (× bands) of 8 or 16 bits as a libvips image that owns a copy."""
    planes = np.ascontiguousarray(pixels.reshape(*pixels.shape[:2], -1))
    usual = "b-w" if planes.shape[2] < 3 else "srgb"
    if planes.dtype == np.uint16:
        usual = {"b-w": "grey16", "srgb": "rgb16"}[usual]
    return pyvips.Image.new_from_array(planes, interpretation=interpretation or usual).copy_memory()


def opened_with(image: pyvips.Image, info: Mapping[Any, Any]) -> Opened:
    """An image with what Pillow found beside its pixels."""
    if isinstance(profile := info.get("icc_profile"), bytes) and profile:
        image = with_profile(image, profile)
    exif, xmp = (value if isinstance(value := info.get(key), bytes) else b"" for key in ("exif", "xmp"))
    density = info.get("dpi")
    said = density[0] if isinstance(density, tuple) and density else None
    return Opened(image, pixels_per_inch=float(said) if isinstance(said, int | float) else None, exif=exif, xmp=xmp)
