"""Colour: the working space and how a result becomes sRGB.

Working space: the source's own encoding, as it was decoded (its profile, its 8 or 16 bits, gamma as in the
file). Turning, cropping and the one resampling work there, so a wide gamut or 16 bits are kept until the
output decides. The conversion to 8-bit sRGB happens once, at the place's pixels, by relative colorimetric
intent with black point compensation. Where there is tone, a source with a profile of its own becomes linear light
with sRGB's primaries instead, as floats that may lie outside 0 to 1: nothing is cut off before the development has
brought it into the gamut. Resampling stays in the gamma encoding: it costs a third of a
linear-light reduction on 24 megapixels and keeps the edge contrast that a reduced photograph needs.
"""

import struct

import pyvips

from lucidex.core.encode.base import SRGB_PROFILE

PROFILE_FIELD = "icc-profile-data"
CMYK_FALLBACK = "cmyk"  # the press profile that comes with libvips, for CMYK files that carry none


def profile_description(profile: bytes) -> str | None:
    """The name inside an ICC profile, or None where it has none.

    Source: ICC.1:2022, 9.2.41 (profileDescriptionTag), 10.15 (multiLocalizedUnicodeType); ICC.1:2001-04 for
    textDescriptionType.
    """
    try:
        (count,) = struct.unpack_from(">I", profile, 128)
        for index in range(min(count, 100)):
            signature, offset, size = struct.unpack_from(">4sII", profile, 132 + 12 * index)
            if signature == b"desc":
                return _description(profile[offset : offset + size])
    except struct.error:
        return None
    return None


def _description(tag: bytes) -> str | None:
    if tag[:4] == b"mluc":
        length, offset = struct.unpack_from(">II", tag, 20)
        return tag[offset : offset + length].decode("utf-16-be", "replace").strip("\0 ") or None
    if tag[:4] == b"desc":
        (length,) = struct.unpack_from(">I", tag, 8)
        return tag[12 : 12 + length].decode("latin-1").strip("\0 ") or None
    return None


def is_srgb(profile: bytes) -> bool:
    """Whether a profile names itself sRGB, so that converting would only round."""
    return "srgb" in (profile_description(profile) or "").lower()


def usable_profile(image: pyvips.Image) -> bytes | None:
    """The embedded profile where it can be used for this image and says more than sRGB; else None."""
    if image.get_typeof(PROFILE_FIELD) == 0:
        return None
    profile = bytes(image.get(PROFILE_FIELD))
    if is_srgb(profile) and image.interpretation != "cmyk":
        return None
    try:
        corner = image.crop(0, 0, 1, 1).copy_memory()
        corner.icc_transform(SRGB_PROFILE, embedded=True).copy_memory()
    except pyvips.Error:
        return None
    return profile


def with_profile(image: pyvips.Image, profile: bytes | None) -> pyvips.Image:
    """The image carrying a profile."""
    if profile is None:
        return image
    tagged = image.copy()
    tagged.set_type(pyvips.GValue.blob_type, PROFILE_FIELD, profile)
    return tagged


def to_srgb(image: pyvips.Image, depth: int = 8) -> pyvips.Image:
    """sRGB of 8 (or, from 16 bits, 16) bits a channel, 3 bands or 4 with alpha, from any working image."""
    if image.get_typeof(PROFILE_FIELD) != 0:
        return image.icc_transform(
            SRGB_PROFILE, embedded=True, intent="relative", black_point_compensation=True, depth=depth
        )
    if image.interpretation == "cmyk":
        return image.icc_transform(SRGB_PROFILE, input_profile=CMYK_FALLBACK, intent="relative", depth=depth)
    if depth == 16:
        return image.colourspace("rgb16").cast("ushort")
    return image.colourspace("srgb").cast("uchar")


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
