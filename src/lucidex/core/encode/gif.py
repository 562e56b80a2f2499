"""GIF (89a): at most 256 colours, clear or not; for programs that read nothing newer."""

import pyvips

from lucidex.core.encode.base import Effort, Encoding, OutputFormat

EFFORT = {Effort.DRAFT: 1, Effort.QUICK: 3, Effort.THOROUGH: 7}
# the format has no profile and no resolution: its colours are read as sRGB


def save(image: pyvips.Image, encoding: Encoding) -> bytes:
    """A still GIF; colours that it has no room for are mixed of neighbours (dithering)."""
    return bytes(image.gifsave_buffer(effort=EFFORT[encoding.effort], dither=1.0, keep="none"))


def stamp(content: bytes, packet: bytes) -> bytes:
    """XMP in an application extension before the trailer (ISO 16684-3, 1.1.4), with the tail that ends every reader's
    walk through it."""
    tail = b"\x01" + bytes(range(255, -1, -1)) + b"\0"
    return content[:-1] + b"\x21\xff\x0bXMP DataXMP" + packet + tail + content[-1:]


FORMAT = OutputFormat(
    name="gif",
    aliases=(),
    label="GIF",
    suffix=".gif",
    media_type="image/gif",
    keeps_clear=True,
    default_quality=None,
    qualities=(),
    max_edge=65_535,
    save=save,
    strength="256 colours, for old programs",
    is_slow=True,
    has_few_colours=True,
    keeps_resolution=False,
    stamp=stamp,
)
