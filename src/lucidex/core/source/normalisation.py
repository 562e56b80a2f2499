"""From a decoder's pixels to one of the few kinds that rendering knows, colours kept.

8 or 16 bits of grey or RGB, with or without alpha; RGB of another space than sRGB carries a profile written by us.
CMYK, and profiles that are more than primaries and curves, become 16 bits of sRGB.
"""

from dataclasses import dataclass

import numpy as np
import pyvips

from lucidex.core.encode.base import SRGB_PROFILE
from lucidex.core.errors import UnreadableFileError
from lucidex.core.source.formats.base import unreadable_numbers
from lucidex.core.source.formats.png_chunks import PngColour
from lucidex.core.source.profiles import (
    MAX_PROFILE_BYTES,
    PROFILE_FIELD,
    as_srgb,
    do_alike,
    does_like_srgb,
    profile_description,
    rebuilt,
    with_profile,
)

CMYK_FALLBACK = "cmyk"  # the press profile that comes with libvips, for CMYK files that carry none
_NUMBERS = {
    "float": "floating-point numbers",
    "double": "floating-point numbers",
    "complex": "complex numbers",
    "dpcomplex": "complex numbers",
    "char": "signed numbers",
    "short": "signed numbers",
    "int": "signed numbers",
}
_LAB = {"lab", "labs", "labq", "lch", "cmc", "xyz", "yxy"}
_KNOWN = {"srgb", "rgb", "rgb16", "grey16", "b-w", "cmyk", "multiband"}
_UNUSABLE = "Its colour profile cannot be used and was left out; its colours were read as {space}."


@dataclass(frozen=True)
class Normalised:
    """Pixels that rendering knows, their profile, what their colours are called, and notes in sentences."""

    image: pyvips.Image
    profile: bytes | None
    words: str
    notes: tuple[str, ...] = ()


def normalise(image: pyvips.Image, declared: PngColour | None = None) -> Normalised:
    """Bring a decoder's image into a known kind. `said` is what a PNG file says beside its pixels.

    Raises UnreadableFileError for numbers and colour spaces that cannot be read rightly.
    """
    image = _whole_numbers(image)
    alpha, colours = _apart(image)
    profile = bytes(image.get(PROFILE_FIELD)) if image.get_typeof(PROFILE_FIELD) else None
    if declared is not None and declared.coded is not None:
        profile = None  # cICP goes before an embedded profile
    if colours.bands == 4:
        normalised = _of_press(colours, profile)
    elif profile is not None:
        normalised = _profiled(colours, profile)
    elif declared is not None and not declared.is_plain:
        normalised = _announced(colours, declared)
    else:
        normalised = Normalised(colours, None, "grey" if colours.bands == 1 else "sRGB")
    return normalised if alpha is None else _with_alpha(normalised, alpha)


def _whole_numbers(image: pyvips.Image) -> pyvips.Image:
    if image.interpretation in _LAB:
        raise UnreadableFileError("It holds Lab colours, which cannot be read rightly here. Save it as RGB.")
    if image.format in _NUMBERS:
        raise UnreadableFileError(unreadable_numbers(_NUMBERS[image.format]))
    if image.format == "uint":
        image = (image * (1 / 65_537)).rint().cast("ushort").copy(interpretation="multiband")
    if image.interpretation not in _KNOWN:
        image = image.colourspace("rgb16" if image.format == "ushort" else "srgb")
    is_deep = image.format == "ushort"
    is_press = image.interpretation == "cmyk" and image.bands >= 4
    kind = (
        "cmyk"
        if is_press
        else ("grey16" if is_deep else "b-w")
        if image.bands < 3
        else "rgb16"
        if is_deep
        else "srgb"
    )
    image = image.copy(interpretation=kind)
    most = 5 if is_press else 4 if image.bands >= 3 else 2
    return image.extract_band(0, n=most) if image.bands > most else image


def _apart(image: pyvips.Image) -> tuple[pyvips.Image | None, pyvips.Image]:
    colours = {"cmyk": 4, "b-w": 1, "grey16": 1}.get(image.interpretation, 3)
    if image.bands == colours:
        return None, image
    return image.extract_band(colours), image.extract_band(0, n=colours)


def _with_alpha(normalised: Normalised, alpha: pyvips.Image) -> Normalised:
    image = normalised.image
    if image.format == "ushort" and alpha.format == "uchar":
        alpha = (alpha.cast("ushort") * 257).cast("ushort")
    return Normalised(image.bandjoin(alpha), normalised.profile, normalised.words, normalised.notes)


def _plainly(colours: pyvips.Image) -> pyvips.Image:
    plain = colours.copy()
    if plain.get_typeof(PROFILE_FIELD):
        plain.remove(PROFILE_FIELD)
    return plain


def _of_press(colours: pyvips.Image, profile: bytes | None) -> Normalised:
    notes: tuple[str, ...] = ()
    words = "CMYK"
    if profile is not None and _works(colours, profile):
        words = f"CMYK, {_named(profile)}"
        return Normalised(_plainly(as_srgb(with_profile(_plainly(colours), profile), 16)), None, words)
    if profile is not None:
        notes = (_UNUSABLE.format(space="a usual press profile's"),)
    press = _plainly(colours).icc_transform(
        SRGB_PROFILE, input_profile=CMYK_FALLBACK, intent="relative", black_point_compensation=True, depth=16
    )
    return Normalised(_plainly(press), None, words, notes)


def _named(profile: bytes) -> str:
    return (profile_description(profile) or "own profile")[:80]


def _works(colours: pyvips.Image, profile: bytes) -> bool:
    """Whether a profile can be used for these colours."""
    space = {1: b"GRAY", 3: b"RGB ", 4: b"CMYK"}[colours.bands]
    if len(profile) > MAX_PROFILE_BYTES or profile[36:40] != b"acsp" or profile[16:20] != space:
        return False
    blank = (
        pyvips.Image.black(1, 1, bands=colours.bands).cast(colours.format).copy(interpretation=colours.interpretation)
    )
    try:
        as_srgb(with_profile(blank, profile), 16).copy_memory()
    except pyvips.Error:
        return False
    return True


def _profiled(colours: pyvips.Image, profile: bytes) -> Normalised:
    plain = _plainly(colours)
    if not _works(colours, profile):
        is_grey = colours.bands == 1
        return Normalised(
            plain, None, "grey" if is_grey else "sRGB", (_UNUSABLE.format(space="plain grey" if is_grey else "sRGB"),)
        )
    if colours.bands == 1:
        return _grey(plain, profile)
    if does_like_srgb(profile):
        return Normalised(plain, None, _named(profile))
    clean = rebuilt(profile)
    if clean is not None and do_alike(clean, profile):
        return Normalised(plain, clean, _named(profile))
    return Normalised(_plainly(as_srgb(with_profile(plain, profile), 16)), None, _named(profile))


def _grey(plain: pyvips.Image, profile: bytes) -> Normalised:
    """Grey of another curve becomes 16 bits of sRGB's grey."""
    count, number_type = (65_536, np.uint16) if plain.format == "ushort" else (256, np.uint8)
    steps = np.arange(count).astype(number_type).reshape(1, count, 1)
    ramp = pyvips.Image.new_from_array(steps, interpretation=plain.interpretation)
    through = as_srgb(with_profile(ramp, profile), 16).extract_band(1)
    moved = through.numpy().ravel().astype(np.float64) - steps.ravel().astype(np.float64) * (65_535 / (count - 1))
    if np.abs(moved).max() <= 257:
        return Normalised(plain, None, _named(profile))
    return Normalised(plain.maplut(through.copy_memory()).copy(interpretation="grey16"), None, _named(profile))


def _announced(colours: pyvips.Image, declared: PngColour) -> Normalised:
    """A PNG whose chunks say that its colours are others than sRGB's."""
    profile = declared.profile
    if profile is None:
        raise UnreadableFileError(
            "Its colours are coded for a high dynamic range or in a way that cannot be read rightly here. "
            "Save it as sRGB."
        )
    words = "colours as its PNG chunks say"
    if colours.bands == 3:
        return Normalised(_plainly(colours), profile, words)
    deep = colours if colours.format == "ushort" else (colours.cast("ushort") * 257).cast("ushort")
    ramp = np.repeat(np.arange(65_536, dtype=np.uint16).reshape(1, 65_536, 1), 3, axis=2)
    through = as_srgb(with_profile(pyvips.Image.new_from_array(ramp, interpretation="rgb16"), profile), 16)
    grey = deep.copy(interpretation="grey16").maplut(through.extract_band(1).copy_memory())
    return Normalised(grey.copy(interpretation="grey16"), None, words)
