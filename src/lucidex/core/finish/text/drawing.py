"""Words over a canvas: placed, told apart from what lies below, drawn."""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cache

import numpy as np
import numpy.typing as npt

from lucidex.core.areas.shapes import Masks
from lucidex.core.finish.canvas import Canvas
from lucidex.core.finish.compositing import kept_to, room_within
from lucidex.core.finish.findings import Finding, FindingKind
from lucidex.core.finish.layer_kernel import mix_colour_over
from lucidex.core.finish.text.backing import (
    Behind,
    outline_width,
    padding,
    plate,
    read_against,
    shade_margin,
    soft_shade,
    widened,
)
from lucidex.core.finish.text.contrast import (
    ENOUGH,
    is_told_everywhere,
    luminance,
    luminance_of,
    needed,
    on_white,
    worst_contrast,
)
from lucidex.core.finish.text.fitting import Fitted, fitted
from lucidex.core.finish.text.letters import Run
from lucidex.core.finish.text.setting import Align
from lucidex.core.geometry.fit import Anchor
from lucidex.core.geometry.sizes import Box, Size
from lucidex.core.picture.grounds import Colour
from lucidex.core.source.pyramid import AnyPixels

LIGHT, DARK = (255, 255, 255), (29, 35, 38)
SMALL_PX = 9.0
LOOKED_AT = 6_000  # pixels around letters
NAMED = 60  # letters of the words that a finding names
PLACES = 120  # that are judged each on its own, at most
_SMALLER = 0.98
_STRENGTHS = (0.25, 0.4, 0.55, 0.7, 0.82, 0.92, 1.0)
_AMPLE = 1.05  # more than what is needed
_MIDDLE = 0.18  # luminance above which letters count as light


@dataclass(frozen=True)
class TextLook:
    """How words are drawn. Lengths are shares of the canvas's shorter side but for `least_px`, and `wrap`, a share of
    the room's width. Without an `ink` it is light or dark, whatever reads better; `at` is where the middle of the
    words lies in the room, instead of the anchor."""

    size: float
    least_px: float
    is_bold: bool
    ink: Colour | None
    behind: Behind
    behind_colour: Colour | None
    behind_strength: float
    how: tuple[Align, float, float, bool]
    wrap: float
    anchor: Anchor
    margin: float
    at: tuple[float, float] | None
    angle_degrees: float


@dataclass(frozen=True)
class PlacedText:
    """Words where they go on a canvas; `asked_px` is the size of the letters that was asked for."""

    fitted: Fitted
    box: Box
    asked_px: float


def placed_text(inner: Box, side: int, runs: Sequence[Run], look: TextLook) -> PlacedText:
    """Words in a box of a canvas whose shorter side is `side` pixels; always inside."""
    room = room_within(inner, side, look.margin)
    asked = max(side * look.size, look.least_px)
    wrap = max(1, round(room.size.width * look.wrap))
    set_ = fitted(runs, room.size, asked, wrap, padding(look.behind), look.angle_degrees, look.how)
    if look.at is None:
        return PlacedText(set_, kept_to(look.anchor, room, set_.size), asked)
    left = inner.left + round(look.at[0] * inner.size.width - set_.size.width / 2)
    top = inner.top + round(look.at[1] * inner.size.height - set_.size.height / 2)
    right, bottom = inner.left + inner.size.width - set_.size.width, inner.top + inner.size.height - set_.size.height
    return PlacedText(
        set_, Box(min(max(left, inner.left), right), min(max(top, inner.top), bottom), set_.size), asked
    )


def reach_of(placed: PlacedText, canvas: Size) -> Box:
    """All of a canvas that words and what lies behind them can touch."""
    return _around(placed.box, shade_margin(placed.fitted.size_px), canvas)


def draw_text(canvas: Canvas, runs: Sequence[Run], look: TextLook) -> tuple[AnyPixels, list[Finding]]:
    """Words over a canvas, which may be changed, and what there is to be said about them."""
    placed = placed_text(canvas.inner, canvas.size.shortest, runs, look)
    set_ = placed.fitted
    around = reach_of(placed, canvas.size)
    part = (
        slice(around.top, around.top + around.size.height),
        slice(around.left, around.left + around.size.width),
    )
    letters = _seated(set_.mask, placed.box, around)
    near, places = _looked_at(letters, read_against(look.behind, set_.size_px), set_.size_px)
    below = canvas.seen[part]

    @cache
    def cover() -> Masks:
        return _backing(look.behind, set_, letters, placed.box, around)

    ink, backing, strength = _chosen(look, _Met(on_white(below[near]), places, lambda: cover()[near]))
    if strength:
        below = below.copy()
        for pixels in (below, canvas.pixels[part]):
            mix_colour_over(pixels, cover(), strength, *map(float, backing))
    measured = worst_contrast(ink, luminance(below[near]), places)
    mix_colour_over(canvas.pixels[part], letters, 1.0, *map(float, ink))
    return canvas.pixels, _findings(placed, measured, needed(set_.size_px, look.is_bold))


@dataclass(frozen=True)
class _Met:
    """What letters are read against: pixels around them, which place each lies in, and how far what is drawn behind
    the letters covers it (0 to 1), which takes a while to find out."""

    pixels: AnyPixels
    places: npt.NDArray[np.int64]
    cover: Callable[[], Masks]


def _looked_at(letters: Masks, reach: float, size_px: float) -> tuple[tuple[Masks, Masks], npt.NDArray[np.int64]]:
    """Rows and columns of what lies around letters, evenly fewer where they are many, which tell as much; and the
    number of the place that each lies in, a square about as large as a letter."""
    near = (widened(letters, reach) > 0.5) & (letters < 0.5)
    rows, columns = np.nonzero(near)
    every = max(1, len(rows) // LOOKED_AT)
    rows, columns = rows[::every], columns[::every]
    side = max(1.0, size_px, math.sqrt(near.size / PLACES))
    across = math.ceil(near.shape[1] / side)
    return (rows, columns), (rows // side).astype(np.int64) * across + (columns // side).astype(np.int64)


def _findings(placed: PlacedText, measured: float, wanted: float) -> list[Finding]:
    size, findings = round(placed.fitted.size_px, 1), []
    if placed.fitted.is_cut:
        findings.append(Finding(kind=FindingKind.CUT))
    elif size < placed.asked_px * _SMALLER:
        asked = round(placed.asked_px, 1)
        findings.append(Finding(kind=FindingKind.SET_SMALLER, amount=size, wanted=asked))
    if placed.fitted.broken:
        named = ", ".join(placed.fitted.broken)
        findings.append(Finding(kind=FindingKind.DIVIDED, named=named[:NAMED]))
    if size < SMALL_PX:
        findings.append(Finding(kind=FindingKind.SMALL, amount=size, wanted=SMALL_PX))
    if measured < wanted:
        findings.append(Finding(kind=FindingKind.HARD_TO_READ, amount=round(measured, 2), wanted=wanted))
    return findings


def _chosen(look: TextLook, met: _Met) -> tuple[Colour, Colour, float]:
    """The letters' colour, that of what lies behind them, and how strong that is.

    By itself, that ink is chosen which needs the weaker shade, or else reads better; a shade is as strong as needed.
    """
    wanted = ENOUGH * _AMPLE  # also for large letters, where less would do
    inks = (LIGHT, DARK) if look.ink is None else (look.ink,)
    tried = [_needed_shade(ink, look, met, wanted) for ink in inks]
    best = min(range(len(inks)), key=lambda index: (tried[index][0], -tried[index][1]))
    ink = inks[best]
    strength = {Behind.AS_NEEDED: tried[best][0], Behind.NOTHING: 0.0}.get(look.behind, look.behind_strength)
    return ink, _opposite(ink, look), strength


def _opposite(ink: Colour, look: TextLook) -> Colour:
    return look.behind_colour or (DARK if luminance_of(ink) > _MIDDLE else LIGHT)


def _needed_shade(ink: Colour, look: TextLook, met: _Met, wanted: float) -> tuple[float, float]:
    """The weakest shade below which letters can be read, and the contrast without any."""
    bare = worst_contrast(ink, luminance(met.pixels), met.places)
    if look.behind is not Behind.AS_NEEDED or bare >= wanted:
        return 0.0, bare
    backing = np.array(_opposite(ink, look), np.float32)
    cover = met.cover()[:, None]
    for strength in _STRENGTHS:
        shaded = np.rint(met.pixels + (backing - met.pixels) * (strength * cover)).astype(np.uint8)
        if is_told_everywhere(ink, luminance(shaded), met.places, wanted):
            return strength, bare
    return _STRENGTHS[-1], bare


def _backing(behind: Behind, set_: Fitted, letters: Masks, box: Box, around: Box) -> Masks:
    if behind is Behind.PLATE:
        return _seated(plate(set_), box, around)
    if behind is Behind.OUTLINE:
        return widened(letters, outline_width(set_.size_px))
    return soft_shade(letters, set_.size_px)


def _around(box: Box, reach: int, canvas: Size) -> Box:
    """A box with so much around it as the canvas has."""
    left, top = max(0, box.left - reach), max(0, box.top - reach)
    right = min(canvas.width, box.left + box.size.width + reach)
    return Box(left, top, Size(right - left, min(canvas.height, box.top + box.size.height + reach) - top))


def _seated(mask: Masks, box: Box, around: Box) -> Masks:
    """A mask in its seat within a larger box."""
    seated: Masks = np.zeros((around.size.height, around.size.width), np.float32)
    top, left = box.top - around.top, box.left - around.left
    seated[top : top + box.size.height, left : left + box.size.width] = mask[: box.size.height, : box.size.width]
    return seated
