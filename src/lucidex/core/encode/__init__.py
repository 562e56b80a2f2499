"""Pixels to bytes. One file a format, which says what it is called, what it keeps and how it saves.

Whoever adds a format writes such a file and names it in `FORMATS`; the line, documents, lists and help follow.
All formats share one quality scale of 1 to 100 that is handed to the encoder as it is.
"""

from dataclasses import replace
from typing import Any

import pyvips
from pydantic import GetCoreSchemaHandler
from pydantic_core import CoreSchema, core_schema

from lucidex.core.encode import avif, jpeg, png, webp
from lucidex.core.encode.base import Encoding, OutputFormat
from lucidex.core.encode.ceiling import best_under

FORMATS: tuple[OutputFormat, ...] = (jpeg.FORMAT, png.FORMAT, webp.FORMAT, avif.FORMAT)
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
JPEG, PNG = FormatName(jpeg.FORMAT.name), FormatName(png.FORMAT.name)  # what the screen is shown


def encode(image: pyvips.Image, name: FormatName, encoding: Encoding) -> bytes:
    """Bytes of a finished picture.

    `image` is 8-bit sRGB with 3 bands, or 4 where the last is unpremultiplied alpha. Formats without clear
    areas show `encoding.ground` where the picture is clear. The result carries an sRGB profile and, where
    one is given, the resolution; nothing else. Raises pyvips.Error where the encoder fails.
    """
    output = name.output
    if image.hasalpha() and not output.keeps_clear:
        image = image.flatten(background=list(encoding.ground))
    density = (encoding.pixels_per_inch or 72.0) / 25.4
    tagged = image.copy(xres=density, yres=density, interpretation="srgb")
    if encoding.max_bytes is None or encoding.quality is None:
        return bytes(output.save(tagged, encoding))
    ceiling = max(encoding.max_bytes - encoding.reserved_bytes, 1)
    found = best_under(
        ceiling, encoding.quality, lambda quality: output.save(tagged, replace(encoding, quality=quality))
    )
    return found.content


__all__ = [
    "FORMATS",
    "FORMAT_NAMES",
    "JPEG",
    "PNG",
    "TYPED_NAMES",
    "Encoding",
    "FormatName",
    "OutputFormat",
    "encode",
]
