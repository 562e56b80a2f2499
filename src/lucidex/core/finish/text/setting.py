"""Lines of words as a mask, at any size: shaped, broken and set by Pango through libvips.

Letters are set at least `FINE_PX` large and reduced, so that their widths and distances are true at small sizes too,
where Pango would round each of them to whole pixels.
"""

import html
import math
import os
import threading
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass
from enum import StrEnum
from pathlib import Path

import cv2
import numpy as np
import pyvips
from cachetools import LRUCache, cached

from lucidex.core.areas.shapes import Masks
from lucidex.core.errors import UnavailableError
from lucidex.core.finish.text.breaking import with_breaks
from lucidex.core.finish.text.faces import Face
from lucidex.core.finish.text.letters import Run
from lucidex.core.source.fonts import FONTS_LIST
from lucidex.core.source.pyramid import AnyPixels

FINE_PX = 160
MAX_FINER = 8
MAX_MASK_PIXELS = 40_000_000
KEPT_BYTES = 32_000_000
_PANGO = 1_024  # units of a point, and of a pixel at 72 to the inch

# Pango keeps a list of faces for each thread, made once: what another thread loads later it would never see, and take
# some other face without a word. So one thread loads and sets, and libvips lets only one at a time anyway.
_setter = ThreadPoolExecutor(1, thread_name_prefix="letters")
_loaded: set[Path] = set()


class Align(StrEnum):
    """How lines of different length stand to each other."""

    LEFT = "left"
    CENTRE = "centre"
    RIGHT = "right"


_ALIGNED = {Align.LEFT: "low", Align.CENTRE: "centre", Align.RIGHT: "high"}


@dataclass(frozen=True)
class Setting:
    """How words are set. `spacing` is the distance of lines, `apart` what is added between letters; both in parts of
    the size, which is in pixels. Lines are no wider than `width_px`, unless a word is."""

    runs: tuple[Run, ...]
    size_px: float
    width_px: int
    align: Align = Align.LEFT
    spacing: float = 1.25
    apart: float = 0.0
    underlined: bool = False


@dataclass(frozen=True)
class Block:
    """Lines of words: `mask` is height × width, 0 to 1, cut to their width; whole lines high."""

    mask: Masks
    is_cut: bool = False


def _load(faces: Sequence[Face]) -> None:
    for face in faces:
        if face.path not in _loaded:
            try:
                with _without_the_machines_fonts():
                    pyvips.Image.text("a", fontfile=str(face.path))
            except pyvips.Error as error:
                raise UnavailableError("The file of a face is missing. Choose the face again.") from error
            _loaded.add(face.path)


@contextmanager
def _without_the_machines_fonts() -> Iterator[None]:
    """While fontconfig is set up, which is told by nothing but the environment which faces there are: a machine's own
    would change what comes out. Nothing stays in the environment, which whoever is started from here inherits."""
    before = os.environ.get("FONTCONFIG_FILE")
    os.environ["FONTCONFIG_FILE"] = str(FONTS_LIST)
    try:
        yield
    finally:
        if before is None:
            del os.environ["FONTCONFIG_FILE"]
        else:
            os.environ["FONTCONFIG_FILE"] = before


def set_words(setting: Setting) -> Block:
    """Set words. The same setting gives the same mask, on every machine. Whoever asks does not write to it."""
    if not setting.runs:
        return Block(np.zeros((1, 1), np.float32))
    return _set(setting)


@cached(LRUCache(KEPT_BYTES, getsizeof=lambda block: block.mask.nbytes), lock=threading.Lock())
def _set(setting: Setting) -> Block:
    finer = max(1, min(MAX_FINER, math.ceil(FINE_PX / setting.size_px)))
    letters = sum(len(run.text) for run in setting.runs)
    while finer > 1 and _estimate(setting, letters) * finer**2 > MAX_MASK_PIXELS:
        finer -= 1
    pitch = setting.size_px * setting.spacing
    drawn = _setter.submit(_mask, setting, finer).result()
    while drawn is None and finer > 1:
        finer //= 2
        drawn = _setter.submit(_mask, setting, finer).result()
    if drawn is None:
        return Block(np.zeros((1, 1), np.float32), is_cut=True)
    ink, above, is_cut = drawn
    # whole lines, and at least all that is drawn: marks may rise above the first line
    lines = max(1, math.ceil((above + ink.shape[0]) / (pitch * finer) - 0.02))
    top = max(0, round(above))
    height = max(math.ceil(lines * pitch), math.ceil((top + ink.shape[0]) / finer))
    width = max(1, math.ceil(ink.shape[1] / finer))
    whole = np.zeros((height * finer, width * finer), np.uint8)
    whole[top : top + ink.shape[0], : ink.shape[1]] = ink
    small = cv2.resize(whole, (width, height), interpolation=cv2.INTER_AREA) if finer > 1 else whole
    mask: Masks = small.astype(np.float32) / 255
    mask.flags.writeable = False
    return Block(mask, is_cut)


def _estimate(setting: Setting, letters: int) -> float:
    """About how many pixels the lines take."""
    natural = letters * setting.size_px * (0.55 + setting.apart)
    width = min(natural, setting.width_px) + setting.size_px
    lines = math.ceil(natural / max(1, setting.width_px)) + sum(run.text.count("\n") for run in setting.runs)
    return width * (lines + 1) * setting.size_px * setting.spacing


def _mask(setting: Setting, finer: int) -> tuple[AnyPixels, float, bool] | None:
    """The ink, how far below the first line's top it begins, and whether it is cut; None where a line is too long for
    any surface."""
    _load([run.face for run in setting.runs])
    size = setting.size_px * finer
    attributes = (
        f'fallback="false" size="{round(size * _PANGO)}" line_height="{round(size * setting.spacing * _PANGO)}" '
        # written where there is none it would still part what a face joins into one letter
        + (f'letter_spacing="{round(size * setting.apart * _PANGO)}" ' if setting.apart else "")
        + ('underline="single"' if setting.underlined else "")
    )
    words = "".join(
        f'<span font_family="{run.face.family}">{html.escape(with_breaks(run.text))}</span>' for run in setting.runs
    )
    try:
        image = pyvips.Image.text(
            f"<span {attributes}>{words}</span>",
            dpi=72,
            width=max(1, setting.width_px * finer),
            align=_ALIGNED[setting.align],
            wrap="word",
        )
    except pyvips.Error:
        return None
    is_cut = image.width * image.height > MAX_MASK_PIXELS
    if is_cut:
        image = image.crop(0, 0, image.width, max(1, MAX_MASK_PIXELS // image.width))
    above = image.get("yoffset") if "yoffset" in image.get_fields() else 0
    return image.numpy().reshape(image.height, image.width), float(above), is_cut
