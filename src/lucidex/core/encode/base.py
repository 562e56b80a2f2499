"""What a format declares."""

from collections.abc import Callable
from dataclasses import dataclass

import pyvips

ENCODER_THREADS = 1
SRGB_PROFILE = "srgb"  # the profile of 480 bytes that comes with libvips


@dataclass(frozen=True)
class Encoding:
    """Settings of one file: quality 1 to 100 (None where the format has none), resolution, ground.

    With `max_bytes` the quality is only where the search begins: the file gets the best one that keeps this ceiling.
    `hurried` spares the encoder's search for fewer bytes: the same pixels for the screen, sooner. `reserved_bytes`
    of the ceiling are kept free for what is put into the file later.
    """

    quality: int | None
    pixels_per_inch: float | None = None
    ground: tuple[int, int, int] = (255, 255, 255)
    hurried: bool = False
    max_bytes: int | None = None
    reserved_bytes: int = 0


@dataclass(frozen=True)
class OutputFormat:
    """A format that is written.

    `name` is stored and typed, `aliases` are typed too; `label` is its standard name on the screen, `strength` says
    in a few words what it is good for. `max_edge` is the longest side that it can hold, in pixels; an
    `is_slow` one takes many times as long to write as the others. `stamp` puts a packet of XMP into a file of
    `save`, and leaves its pixels as they are; None where the format carries no texts.
    """

    name: str
    aliases: tuple[str, ...]
    label: str
    suffix: str
    media_type: str
    keeps_clear: bool
    default_quality: int | None
    max_edge: int
    save: Callable[[pyvips.Image, Encoding], bytes]
    strength: str
    is_slow: bool = False
    stamp: Callable[[bytes, bytes], bytes] | None = None
