"""What a format declares."""

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
import pyvips

ENCODER_THREADS = 1
SRGB_PROFILE = "srgb"  # the profile of 480 bytes that comes with libvips
PRESS_PROFILE = "cmyk"  # the profile of a usual press that comes with libvips


def profile_of(image: pyvips.Image) -> dict[str, str]:
    """How a saver is told the profile of its pixels; one band of grey has the curve of sRGB and carries none."""
    if image.interpretation in {"b-w", "grey16"}:
        return {"keep": "none"}
    return {"keep": "icc", "profile": PRESS_PROFILE if image.interpretation == "cmyk" else SRGB_PROFILE}


def as_grey(image: pyvips.Image) -> pyvips.Image | None:
    """The same in one band of grey, and alpha where there is some; None where its colours are no grey."""
    if image.interpretation not in {"srgb", "rgb16"}:
        return None
    pixels = image.numpy()
    if not (np.array_equal(pixels[..., 0], pixels[..., 1]) and np.array_equal(pixels[..., 1], pixels[..., 2])):
        return None
    grey = image.extract_band(0).copy(interpretation="grey16" if image.format == "ushort" else "b-w")
    return grey.bandjoin(image.extract_band(image.bands - 1)) if image.hasalpha() else grey


def read_by_libvips(content: bytes) -> pyvips.Image:
    """What a file shows that libvips knows by its first bytes. Raises pyvips.Error where it is none."""
    return pyvips.Image.new_from_buffer(content, "")


class Effort(StrEnum):
    """How long an encoder looks for fewer bytes: not at all, for the screen; little; or as long as it pays."""

    DRAFT = "draft"
    QUICK = "quick"
    THOROUGH = "thorough"


class ColourModel(StrEnum):
    """In which colours a file says its pixels: light, its brightness alone, or ink."""

    RGB = "rgb"
    GREY = "grey"
    CMYK = "cmyk"


SCREEN_ONLY = (ColourModel.RGB,)
FOR_PRINT = (ColourModel.RGB, ColourModel.GREY, ColourModel.CMYK)


@dataclass(frozen=True)
class Encoding:
    """Settings of one file: quality 1 to 100, resolution, ground, effort.

    Without a quality, what is usual for the format: no loss where it can do without. 100 is without loss too, where
    the format can. With `max_bytes` the quality is only where the search begins: the file gets the best one that
    keeps this ceiling. `reserved_bytes` of it are kept free for what is put into the file later. `full_chroma` says
    whether colour keeps all its pixels, `is_drawn` whether it is no photograph; without them, the picture's content
    decides.
    """

    quality: int | None
    pixels_per_inch: float | None = None
    ground: tuple[int, int, int] = (255, 255, 255)
    effort: Effort = Effort.THOROUGH
    colour: ColourModel = ColourModel.RGB
    full_chroma: bool | None = None
    is_drawn: bool | None = None
    max_bytes: int | None = None
    reserved_bytes: int = 0


@dataclass(frozen=True)
class OutputFormat:
    """A format that is written.

    `name` is stored and typed, `aliases` are typed too; `label` is its standard name on the screen, `strength` says
    in a few words what it is good for. `default_quality` is None where it is written without loss unless less is
    asked for; `qualities` are those that give different files, ascending, none where there is nothing to choose; at
    `exact_quality` nothing is lost; `ladder` are those at which its curve is measured, in this order, none for a
    format that is not weighed against others. `max_edge` is the longest side that it can hold, in pixels; an
    `is_slow` one takes many times as long to write as the others. Where `quick_weighs` is above nothing, a file is
    written quickly until it is known about which quality keeps a ceiling: so many times as heavy as a thorough one.

    One that `halves_chroma` keeps colour at half the pixels unless it is told not to; one that `knows_drawings`
    writes them in another way than photographs; one that `has_few_colours` holds at most 256, with edges that are
    clear or not; one that `keeps_16_bits` holds them in RGB and grey where it loses nothing; `colours` are the models
    in which it can say its pixels.

    `read` reads a file of `save` back. `stamp` puts a packet of XMP into one and leaves its pixels as they are; a
    format without it can carry no texts, and a warning says so where they are asked for.
    """

    name: str
    aliases: tuple[str, ...]
    label: str
    suffix: str
    media_type: str
    keeps_clear: bool
    default_quality: int | None
    qualities: tuple[int, ...]
    max_edge: int
    save: Callable[[pyvips.Image, Encoding], bytes]
    strength: str
    read: Callable[[bytes], pyvips.Image] = read_by_libvips
    stamp: Callable[[bytes, bytes], bytes] | None = None
    stamp_older: Callable[[bytes, bytes, bytes], bytes] | None = None
    is_slow: bool = False
    quick_weighs: float = 0.0
    halves_chroma: bool = False
    knows_drawings: bool = False
    exact_quality: int | None = None
    ladder: tuple[int, ...] = ()
    has_few_colours: bool = False
    keeps_resolution: bool = True
    keeps_16_bits: bool = False
    shown_by_browsers: bool = True
    colours: tuple[ColourModel, ...] = SCREEN_ONLY
