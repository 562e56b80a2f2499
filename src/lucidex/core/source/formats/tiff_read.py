"""TIFF files of kinds that libvips does not read: other compressions, numbers, planes and colour spaces.

Sources: TIFF 6.0 and its technical note on ICCLab; ITU-R BT.601 for YCbCr. The whole picture is loaded, so
that its size is asked for first.
"""

import logging
from io import BufferedReader
from typing import Any

import imagecodecs
import numpy as np
import numpy.typing as npt
import pyvips
import tifffile

from lucidex.core.encode.base import SRGB_PROFILE
from lucidex.core.source.formats.base import check_page
from lucidex.core.source.formats.pillow_read import as_decoder_error, image_of_array
from lucidex.core.source.profiles import PROFILE_FIELD, with_profile

WHITE_IS_0, BLACK_IS_0, RGB, PALETTE, INKS, YCBCR, CIELAB, ICCLAB = 0, 1, 2, 3, 5, 6, 8, 9
COLOURS = {WHITE_IS_0: 1, BLACK_IS_0: 1, PALETTE: 1, RGB: 3, YCBCR: 3, CIELAB: 3, ICCLAB: 3, INKS: 4}
ASSOCIATED, UNASSOCIATED = 1, 2  # transparency, as ExtraSamples says it
BY_JPEG = frozenset({6, 7, 33_003, 33_005, 34_712, 50_002})  # their decoders give RGB, whatever is said of them
SEPARATE = 2
_PROFILE = 34_675
_KINDS = {"f": "floating-point numbers", "c": "complex numbers", "i": "signed numbers"}
_BT601 = np.array([[1, 0, 1.402], [1, -0.344136, -0.714136], [1, 1.772, 0]], np.float32)

logging.getLogger("tifffile").setLevel(logging.CRITICAL)
for _name in ("lzma", "zstd", "lerc", "jpeg", "jpeg2k", "jpegxl", "jpegxr", "png", "webp", "lzw", "packints"):
    getattr(imagecodecs, f"{_name}_decode")  # loaded now: whoever is confined cannot load it any more

Page = tifffile.TiffPage
Numbers = npt.NDArray[Any]


def page_of(file: BufferedReader, number: int) -> Page:
    """A page, from 1. pyvips.Error where the structure cannot be read."""
    with as_decoder_error():
        file.seek(0)
        pages = tifffile.TiffFile(file).pages
        count = 1 if number == 1 else len(pages)
        page = pages[number - 1] if number <= count else None
        if isinstance(page, Page):
            return page
    check_page(number, count)
    raise pyvips.Error("no such page")


def count_pages(file: BufferedReader) -> int:
    """How many pages there are."""
    with as_decoder_error():
        file.seek(0)
        return len(tifffile.TiffFile(file).pages)


def refusal_of(page: Page) -> str | None:
    """A sentence for what a valid file may hold and nothing here can read."""
    kind = page.dtype.kind if page.dtype is not None else ""
    if kind in _KINDS and page.photometric in {CIELAB, ICCLAB}:
        return f"It holds Lab colours as {_KINDS[kind]}, which cannot be read rightly here. Save it as RGB."
    if kind in _KINDS:
        return (
            f"Its pixels are {_KINDS[kind]}, which cannot be read rightly here. Save it with 8 or 16 bits a channel."
        )
    if page.photometric not in COLOURS:
        return f"Its colours are kept as {_called(page.photometric)}, which is not read here. Save it as RGB."
    if page.dtype is None or page.compression not in tifffile.TIFF.DECOMPRESSORS or page.imagedepth != 1:
        return f"It is compressed by {_called(page.compression)}, which is not read here. Save it with LZW."
    if page.photometric == YCBCR and page.compression not in BY_JPEG and page.subsampling != (1, 1):
        return "Its colours are kept as YCbCr with halved colour, which is not read here. Save it as RGB."
    return None


def _called(code: int) -> str:
    return f"{getattr(code, 'name', 'number')} ({int(code)})"


def read_page(page: Page) -> pyvips.Image:
    """The pixels of a page, of 8 or 16 bits: its colours, and whatever samples follow them."""
    with as_decoder_error():
        pixels = page.asarray(maxworkers=1)
        if pixels.ndim == 2:
            pixels = pixels[..., np.newaxis]
        elif page.planarconfig == SEPARATE and page.samplesperpixel > 1:
            pixels = np.moveaxis(pixels, 0, -1)
        if pixels.shape != (page.imagelength, page.imagewidth, page.samplesperpixel):
            raise ValueError
        return _with_profile(_coloured(pixels, page), page)


def _coloured(pixels: Numbers, page: Page) -> pyvips.Image:
    kind = page.photometric
    if kind == PALETTE:
        return image_of_array(_looked_up(pixels[..., 0], page.colormap))
    if kind in (CIELAB, ICCLAB):
        return _from_lab(pixels, kind == ICCLAB)
    whole = _whole(pixels, page.bitspersample)
    if kind == WHITE_IS_0:
        whole[..., :1] = np.iinfo(whole.dtype).max - whole[..., :1]
    if kind == YCBCR and page.compression not in BY_JPEG:
        whole = _from_ycbcr(whole)
    return image_of_array(whole, "cmyk" if kind == INKS else None)


def _whole(pixels: Numbers, bits: int) -> Numbers:
    """Numbers of any bits as those of 8 or 16 that stand for the same."""
    if pixels.dtype == np.bool_:
        return pixels.astype(np.uint8) * 255
    if bits in {8, 16}:
        return np.array(pixels)
    number, most = (np.uint8, 255) if bits < 8 else (np.uint16, 65_535)
    largest = 2**bits - 1
    made: Numbers = ((pixels.astype(np.uint64) * most + largest // 2) // largest).astype(number)
    return made


def _looked_up(places: Numbers, colormap: Numbers | None) -> Numbers:
    if colormap is None:
        raise ValueError
    colours: Numbers = np.moveaxis(np.asarray(colormap), 0, -1)
    if not (colours % 257).any():  # of 8 bits, as nearly all are
        colours = (colours // 257).astype(np.uint8)
    return np.asarray(np.take(colours, places, axis=0))


def _from_ycbcr(whole: Numbers) -> Numbers:
    """YCbCr of the whole range, its weights those of BT.601 (which TIFF takes where nothing else is said)."""
    largest = np.iinfo(whole.dtype).max
    middle = np.array([0, (largest + 1) // 2, (largest + 1) // 2], np.float32)
    colours = (whole[..., :3].astype(np.float32) - middle) @ _BT601.T
    whole[..., :3] = np.clip(np.rint(colours), 0, largest).astype(whole.dtype)
    return whole


def _from_lab(pixels: Numbers, is_icc: bool) -> pyvips.Image:
    """CIE L*a*b* under D50 as sRGB of 16 bits."""
    wide = pixels[..., :3].dtype.itemsize == 2
    light = pixels[..., 0].astype(np.float32) * (100 / (65_535 if wide else 255))
    if is_icc:
        colours = pixels[..., 1:3].astype(np.float32) - (32_768 if wide else 128)
    else:
        colours = np.ascontiguousarray(pixels[..., 1:3]).view(np.int16 if wide else np.int8).astype(np.float32)
    lab = np.dstack([light, colours / (256 if wide else 1)])
    image = pyvips.Image.new_from_array(lab, interpretation="lab").copy_memory()
    made = image.icc_export(output_profile=SRGB_PROFILE, intent="relative", depth=16).copy()
    made.remove(PROFILE_FIELD)
    further = pixels[..., 3:]
    if not further.shape[2]:
        return made
    return made.bandjoin(image_of_array(further if wide else further.astype(np.uint16) * 257))


def _with_profile(image: pyvips.Image, page: Page) -> pyvips.Image:
    profile = blob_of(page, _PROFILE)
    return with_profile(image, profile) if profile and page.photometric not in {CIELAB, ICCLAB} else image


def blob_of(page: Page, tag: int) -> bytes:
    """The bytes of a tag; none where it holds none."""
    found = page.tags.get(tag)
    value = found.value if found is not None else b""
    return value if isinstance(value, bytes) else b""
