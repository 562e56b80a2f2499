"""Pixels to bytes. One file a format: what it keeps, how it saves.

All formats share one quality scale of 1 to 100 that is handed to the encoder as it is.
"""

from dataclasses import replace
from enum import StrEnum

import pyvips

from lucidex.core.encode import avif, jpeg, png, webp
from lucidex.core.encode.base import Encoding, OutputFormat
from lucidex.core.encode.ceiling import best_under


class FormatName(StrEnum):
    """Formats that are written."""

    JPEG = "jpeg"
    PNG = "png"
    WEBP = "webp"
    AVIF = "avif"

    @property
    def output(self) -> OutputFormat:
        """The format's declaration."""
        return _FORMATS[self]

    @property
    def label(self) -> str:
        """The format's standard name."""
        return self.output.label


_FORMATS = {
    FormatName.JPEG: jpeg.FORMAT,
    FormatName.PNG: png.FORMAT,
    FormatName.WEBP: webp.FORMAT,
    FormatName.AVIF: avif.FORMAT,
}


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
    found = best_under(
        encoding.max_bytes, encoding.quality, lambda quality: output.save(tagged, replace(encoding, quality=quality))
    )
    return found.content


__all__ = ["Encoding", "FormatName", "OutputFormat", "encode"]
