"""Colour: the working space and how a result becomes sRGB.

Working space: the source's own encoding, as it was decoded (its profile, its 8 or 16 bits, gamma as in the file).
Turning, cropping and the one resampling work there, so a wide gamut or 16 bits are kept until the output decides. The
conversion to sRGB, of 8 bits or of 16, happens once, at the place's pixels, by relative colorimetric intent with
black point compensation. Where there is tone, a source with a profile of its own becomes linear light with sRGB's
primaries instead, as floats that may lie outside 0 to 1: nothing is cut off before the development has brought it
into the gamut. Resampling stays in the gamma encoding: it costs a third of a linear-light reduction on 24 megapixels
and keeps the edge contrast that a reduced photograph needs.
"""

import numpy as np
import pyvips

from lucidex.core.source.profiles import PROFILE_FIELD, as_srgb
from lucidex.core.source.pyramid import AnyPixels

DEEP = 257  # code values of 16 bits for each of 8


def image_of(pixels: AnyPixels) -> pyvips.Image:
    """Finished pixels of 8 or 16 bits, height × width × 3 or 4, as an sRGB image."""
    kind = "rgb16" if pixels.dtype == np.uint16 else "srgb"
    return pyvips.Image.new_from_array(np.ascontiguousarray(pixels), interpretation=kind)


def in_8_bits(image: pyvips.Image) -> pyvips.Image:
    """An sRGB or grey image of 8 or 16 bits in 8, each value rounded to the nearest."""
    if image.format != "ushort":
        return image
    kind = "srgb" if image.bands >= 3 else "b-w"
    return (image * (1 / DEEP)).rint().cast("uchar").copy(interpretation=kind)


def code_values(colour: tuple[int, ...], image: pyvips.Image) -> list[int]:
    """A colour of 8 bits in the numbers of an image."""
    return [value * DEEP if image.format == "ushort" else value for value in colour]


def to_srgb(image: pyvips.Image, depth: int = 8) -> pyvips.Image:
    """sRGB of 8 (or, from 16 bits, 16) bits a channel, 3 bands or 4 with alpha, from any working image."""
    if image.get_typeof(PROFILE_FIELD) != 0:
        return as_srgb(image, depth)
    if depth == 8 and (image.format, image.interpretation) == ("uchar", "srgb"):
        return image
    if depth == 16:
        return image.colourspace("rgb16").cast("ushort")
    return in_8_bits(image).colourspace("srgb").cast("uchar")


def to_light(image: pyvips.Image) -> pyvips.Image | None:
    """Linear light with sRGB's primaries, floats of 0 to 1 within sRGB; alpha, where there is one, stays 0 to 255.

    None where the image carries no profile: then its sRGB holds all it has.
    """
    if image.get_typeof(PROFILE_FIELD) == 0 or image.interpretation not in {"rgb", "srgb", "rgb16"}:
        return None
    alpha = image.extract_band(image.bands - 1) if image.hasalpha() else None
    colours = image.extract_band(0, n=image.bands - 1) if image.hasalpha() else image
    adapted = colours.icc_import(embedded=True, pcs="xyz", intent="relative", black_point_compensation=True)
    light = adapted.colourspace("scrgb").cast("float")
    if alpha is None:
        return light
    return light.bandjoin(alpha.cast("float") / (257.0 if alpha.format == "ushort" else 1.0))
