"""Pixels to bytes. One file a format, which says what it is called, what it keeps and how it saves.

Whoever adds a format writes such a file and names it in `FORMATS`; the line, documents, lists and help follow.
All formats share one quality scale of 1 to 100 that is handed to the encoder as it is.
"""

from bisect import bisect_right
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cache
from typing import Any

import pyvips
from pydantic import GetCoreSchemaHandler
from pydantic_core import CoreSchema, core_schema

from lucidex.core.encode import avif, gif, jpeg, pdf, png, tiff, webp
from lucidex.core.encode.base import PRESS_PROFILE, SRGB_PROFILE, ColourModel, Effort, Encoding, OutputFormat
from lucidex.core.encode.ceiling import MAX_ENCODES, NEAR_ENOUGH, best_under
from lucidex.core.encode.chroma import needs_full_chroma
from lucidex.core.encode.content import Kind, content_of
from lucidex.core.picture.colour import in_8_bits

FORMATS: tuple[OutputFormat, ...] = (
    jpeg.FORMAT,
    png.FORMAT,
    webp.FORMAT,
    avif.FORMAT,
    gif.FORMAT,
    tiff.FORMAT,
    pdf.FORMAT,
)
QUICK_ENCODES, FEW_QUICK_ENCODES, THOROUGH_ENCODES = 5, 3, 4
SURELY_OVER = 1.03  # what quick files say of the ceiling
MOST_SAVED = 1.3  # what a thorough search takes off a quick file without loss, at most
_BY_NAME = {one.name: one for one in FORMATS}


class FormatName(str):
    """The name of a format that is written, such as `webp`. ValueError for any other text.

    >>> FormatName("webp").label, FormatName("webp").output.suffix
    ('WebP', '.webp')
    """

    __slots__ = ()

    def __new__(cls, name: str) -> "FormatName":
        """One of the registered names."""
        if name not in _BY_NAME:
            raise ValueError(f"{name[:20]!r} is no format that is written")
        return super().__new__(cls, name)

    @property
    def output(self) -> OutputFormat:
        """The format's declaration."""
        return _BY_NAME[self]

    @property
    def label(self) -> str:
        """The format's standard name."""
        return self.output.label

    @classmethod
    def __get_pydantic_core_schema__(cls, source: type[Any], handler: GetCoreSchemaHandler) -> CoreSchema:
        return core_schema.no_info_after_validator_function(cls, core_schema.literal_schema(list(_BY_NAME)))


FORMAT_NAMES = tuple(FormatName(one.name) for one in FORMATS)
TYPED_NAMES = {typed: FormatName(one.name) for one in FORMATS for typed in (one.name, *one.aliases)}
JPEG, PNG, WEBP = (FormatName(one.name) for one in (jpeg.FORMAT, png.FORMAT, webp.FORMAT))


def usual_format(has_clear_areas: bool, is_photograph: bool) -> FormatName:
    """What a picture is written as where nobody chose: JPEG, or what keeps clear areas in the fewest bytes.

    >>> usual_format(has_clear_areas=True, is_photograph=True).label
    'WebP'
    """
    if not has_clear_areas:
        return JPEG
    return WEBP if is_photograph else PNG


@dataclass(frozen=True)
class Encoded:
    """A file, and the quality that it has; None where it is as the format usually is."""

    content: bytes
    quality: int | None


def encode(image: pyvips.Image, name: FormatName, encoding: Encoding) -> bytes:
    """The bytes of a finished picture: what `encode_found` finds."""
    return encode_found(image, name, encoding).content


def encode_found(image: pyvips.Image, name: FormatName, encoding: Encoding) -> Encoded:
    """A finished picture as a file.

    `image` is sRGB of 8 or 16 bits with 3 bands, or 4 where the last is unpremultiplied alpha; 16 are written where
    `keeps_16_bits` says so, else 8. Formats without clear areas show `encoding.ground` where the picture is clear.
    The result carries the profile of its colours and, where one is given, the resolution; nothing else. Raises
    pyvips.Error where the encoder fails.
    """
    output = name.output
    if not keeps_16_bits(name, encoding):
        image = in_8_bits(image)
    if image.hasalpha() and not output.keeps_clear:
        image = image.flatten(background=list(encoding.ground))
    density = (encoding.pixels_per_inch or 72.0) / 25.4
    tagged = _in_colour(
        image.copy(interpretation="rgb16" if image.format == "ushort" else "srgb"),
        encoding.colour if encoding.colour in output.colours else None,
    )
    tagged = tagged.copy(xres=density, yres=density)
    if encoding.full_chroma is None and output.halves_chroma and encoding.effort is not Effort.DRAFT:
        is_ink = tagged.interpretation == "cmyk"
        encoding = replace(encoding, full_chroma=is_ink or (tagged.bands >= 3 and needs_full_chroma(tagged)))
    if encoding.is_drawn is None and output.knows_drawings and encoding.effort is not Effort.DRAFT:
        encoding = replace(encoding, is_drawn=content_of(tagged.numpy()).kind is not Kind.PHOTOGRAPH)
    if encoding.max_bytes is None or not output.qualities:
        return Encoded(bytes(output.save(tagged, encoding)), encoding.quality)
    ceiling = max(encoding.max_bytes - encoding.reserved_bytes, 1)

    def encode_at(quality: int, effort: Effort = encoding.effort) -> bytes:
        return bytes(output.save(tagged, replace(encoding, quality=quality, effort=effort)))

    qualities, left = output.qualities, MAX_ENCODES
    if output.default_quality is None:  # nothing is lost as long as that fits
        exact = encode_at(qualities[-1], Effort.QUICK)
        if len(exact) <= MOST_SAVED * ceiling:
            exact = encode_at(qualities[-1])
        if len(exact) <= ceiling:
            return Encoded(exact, qualities[-1])
        qualities, left = qualities[:-1], left - 1
    start = encoding.quality or qualities[len(qualities) // 2]
    if not output.quick_weighs or encoding.effort is not Effort.THOROUGH:
        found = best_under(ceiling, start, encode_at, qualities, left)
        return Encoded(found.content, found.quality)
    quick_encodes = FEW_QUICK_ENCODES if output.is_slow else QUICK_ENCODES
    return _found_quickly(encode_at, output.quick_weighs, ceiling, start, qualities, quick_encodes)


def _found_quickly(
    encode_at: Callable[..., bytes],
    quick_weighs: float,
    ceiling: int,
    start: int,
    qualities: Sequence[int],
    quick_encodes: int,
) -> Encoded:
    """Quick files tell about where, and whether the next one would be too heavy; thorough ones are what comes out."""
    quick = cache(lambda quality: encode_at(quality, Effort.QUICK))
    thorough = cache(encode_at)
    saved, near = 1 / quick_weighs, start
    for _ in range(THOROUGH_ENCODES - 1):
        before, near = near, best_under(round(ceiling / saved), near, quick, qualities, quick_encodes).quality
        content, following = thorough(near), bisect_right(qualities, near)
        saved = len(content) / len(quick(near))
        if len(content) <= ceiling:
            is_last = len(content) >= NEAR_ENOUGH * ceiling or following == len(qualities)
            if is_last or saved * len(quick(qualities[following])) > SURELY_OVER * ceiling:
                return Encoded(content, near)
        if near == before:
            break
    found = best_under(ceiling, near, thorough, qualities, THOROUGH_ENCODES)
    return Encoded(found.content, found.quality)


def keeps_16_bits(name: FormatName, encoding: Encoding) -> bool:
    """Whether a file of a format holds 16 bits, if there are so many: without loss, in RGB or grey."""
    output = name.output
    is_exact = encoding.quality in {None, output.exact_quality} and encoding.max_bytes is None
    return output.keeps_16_bits and is_exact and encoding.colour is not ColourModel.CMYK


def _in_colour(image: pyvips.Image, colour: ColourModel | None) -> pyvips.Image:
    """An sRGB picture in another colour model; black comes about as the press's own profile makes it."""
    if colour is ColourModel.CMYK:
        flat = image.flatten(background=255) if image.hasalpha() else image
        return flat.icc_transform(
            PRESS_PROFILE, input_profile=SRGB_PROFILE, intent="relative", black_point_compensation=True
        ).copy_memory()
    grey = "grey16" if image.format == "ushort" else "b-w"
    return image.colourspace(grey).copy_memory() if colour is ColourModel.GREY else image


def decode(content: bytes, name: FormatName) -> pyvips.Image:
    """What a file of `encode` in a format shows. Raises pyvips.Error where it is none."""
    return name.output.read(content)


def decode_8_bits(content: bytes, name: FormatName) -> pyvips.Image:
    """The same as 8 bits of sRGB: to be looked at, and to compare with."""
    return in_8_bits(decode(content, name)).colourspace("srgb")


__all__ = [
    "FORMATS",
    "FORMAT_NAMES",
    "JPEG",
    "PNG",
    "TYPED_NAMES",
    "WEBP",
    "ColourModel",
    "Effort",
    "Encoded",
    "Encoding",
    "FormatName",
    "OutputFormat",
    "decode",
    "decode_8_bits",
    "encode",
    "encode_found",
    "keeps_16_bits",
    "usual_format",
]
