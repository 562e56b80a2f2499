"""Drawn and painted looks: pencil, ink, watercolour, oil. Lengths are shares of the unit, so they hold at any
scale.
"""

from dataclasses import dataclass
from enum import StrEnum
from typing import ClassVar

import cv2
import numpy as np

from lucidex.core.picture.effects.base import (
    Bytes,
    Effect,
    Floats32,
    View,
    by_strips,
    luma_of,
    mixed,
    reach_of,
    seen_colours,
    soft,
    with_colours,
)


class Manner(StrEnum):
    """How it is drawn or painted."""

    PENCIL = "pencil"
    INK = "ink"
    WATERCOLOUR = "watercolour"
    OIL = "oil"


PENCIL_SIGMA, INK_SIGMA, WASH_SIGMA, BRUSH = 0.012, 0.0022, 0.006, 0.007  # of the unit, at the middle coarseness
INK_AROUND = 0.02
INK_WIDER, INK_PULL, INK_LEVEL, INK_STEEP = 1.6, 18.0, 0.62, 9.0
WASHES, WASH_TONES = 3, 28.0
PIGMENT = 0.55
OIL_DECISION = 4.0
# pixels of the unit at which ink is drawn where a picture is smaller: strokes of less than a pixel would come out
# otherwise in a draft than in the file
FINE_UNIT, MOST_FINER = 1_200.0, 3


@dataclass(frozen=True)
class Drawn(Effect):
    """A picture drawn or painted.

    `strength` 0 to 1; `coarseness` 0.3 to 3 widens strokes and washes; pencil keeps its colours where `coloured`.
    """

    manner: Manner
    strength: float
    coarseness: float
    coloured: bool
    seat: ClassVar[int] = 2

    def reach(self, unit: float) -> int:
        """The widest of what each manner looks at."""
        wide = {
            Manner.PENCIL: PENCIL_SIGMA,
            Manner.INK: INK_AROUND + INK_SIGMA * INK_WIDER,
            Manner.WATERCOLOUR: WASHES * WASH_SIGMA + WASH_SIGMA,
            Manner.OIL: BRUSH,
        }[self.manner]
        return reach_of(max(1.0, wide * self.coarseness * unit)) + 4

    def on(self, pixels: Bytes, view: View) -> Bytes:
        """Alpha stays."""
        is_thin = self.manner is Manner.INK
        finer = max(1, min(MOST_FINER, round(FINE_UNIT / max(view.unit, 1.0)))) if is_thin else 1
        scale = view.unit * self.coarseness * finer

        def on_strip(strip: Bytes) -> Bytes:
            seen = seen_colours(strip)
            large = enlarged(seen, finer)
            colours = {
                Manner.PENCIL: self._pencil,
                Manner.INK: ink,
                Manner.WATERCOLOUR: watercolour,
                Manner.OIL: oil,
            }[self.manner](large, scale)
            return mixed(strip, with_colours(strip, reduced(colours, finer)), self.strength)

        return by_strips(pixels, self.reach(view.unit), on_strip, grows=finer**2)

    def _pencil(self, pixels: Bytes, scale: float) -> Floats32:
        return pencil(pixels, scale, self.coloured)


def enlarged(colours: Bytes, times: int) -> Bytes:
    """So many times as wide and high: what is drawn has then room for its strokes."""
    if times == 1:
        return colours
    large: Bytes = cv2.resize(colours, None, fx=times, fy=times, interpolation=cv2.INTER_CUBIC).astype(np.uint8)
    return large


def reduced(colours: Floats32, times: int) -> Floats32:
    """Back again, each pixel the mean of those that it was."""
    if times == 1:
        return colours
    height, width = colours.shape[0] // times, colours.shape[1] // times
    small: Floats32 = cv2.resize(np.clip(colours, 0, 255), (width, height), interpolation=cv2.INTER_AREA)
    return small


def pencil(pixels: Bytes, scale: float, coloured: bool) -> Floats32:
    """Lines where it is darker than around (the luma divided by its softened self, a dodge), over a light shading."""
    luma = luma_of(pixels)
    lines = np.minimum(luma / np.maximum(soft(luma, max(0.8, PENCIL_SIGMA * scale)), 1), 1) ** 3
    shading = 0.72 + 0.28 * (luma / 255) ** 0.6
    paper = 250 * lines * shading
    if not coloured:
        return np.repeat(paper[..., None], 3, axis=-1)
    return seen_colours(pixels) + (paper - luma)[..., None]


def ink(pixels: Bytes, scale: float) -> Floats32:
    """Extended difference of Gaussians (Winnemöller, Kyprianidis, Olsen, XDoG, 2012): black strokes and masses."""
    luma = luma_of(pixels) / 255
    # half as it is, half against its surroundings, so that a dark picture does not become one blot
    around = soft(luma, max(1.0, INK_AROUND * scale))
    luma = 0.5 * luma + 0.5 * np.minimum(luma / np.maximum(around, 0.02), 1)
    sigma = max(0.5, INK_SIGMA * scale)
    narrow, wide = soft(luma, sigma), soft(luma, sigma * INK_WIDER)
    sharpened = (1 + INK_PULL) * narrow - INK_PULL * wide
    strokes = np.where(sharpened >= INK_LEVEL, 1, 1 + np.tanh(INK_STEEP * (sharpened - INK_LEVEL)))
    return np.repeat((255 * strokes[..., None]).astype(np.float32), 3, axis=-1)


def watercolour(pixels: Bytes, scale: float) -> Floats32:
    """Washes that run together within edges, paler, with pigment gathered at their rims.

    Repeated bilateral filters (C. Tomasi, R. Manduchi, 1998) flatten the washes; the rim darkens by the gradient
    (Bousseau and others, Interactive Watercolor Rendering, 2006: pigment density).
    """
    sigma = max(0.8, WASH_SIGMA * scale)
    size = 2 * min(int(np.ceil(1.5 * sigma)), 12) + 1
    wash: Floats32 = np.ascontiguousarray(seen_colours(pixels))
    for _ in range(WASHES):
        wash = cv2.bilateralFilter(wash, size, WASH_TONES, sigma, borderType=cv2.BORDER_REFLECT)
    colours = wash.astype(np.float32)
    luma = soft(luma_of(wash), sigma / 2)
    rim = np.hypot(cv2.Sobel(luma, cv2.CV_32F, 1, 0), cv2.Sobel(luma, cv2.CV_32F, 0, 1)) * sigma / 255 / 4
    density = 1 + PIGMENT * (np.minimum(rim, 0.6) - 0.08)[..., None]
    paler = 255 * (0.06 + 0.94 * (colours / 255) ** 0.82)
    # more pigment darkens a colour towards its own square
    painted: Floats32 = paler - (density - 1) * paler * (1 - paler / 255) * 2.2
    return painted


def oil(pixels: Bytes, scale: float) -> Floats32:
    """Strokes: of eight quarters around a pixel, the calmer the more (M. Kuwahara, 1976; smooth weights as in
    Papari, Petkov, Campisi, 2007), so that tones gather into patches with clear edges.
    """
    box = max(1, round(BRUSH * scale))
    colours = seen_colours(pixels).astype(np.float32)
    luma = luma_of(pixels)
    average = cv2.blur(colours, (box, box), borderType=cv2.BORDER_REFLECT)
    plane = cv2.blur(luma, (box, box), borderType=cv2.BORDER_REFLECT)
    spread = np.maximum(cv2.blur(luma * luma, (box, box), borderType=cv2.BORDER_REFLECT) - plane * plane, 0)
    total, weights = np.zeros_like(colours), np.zeros_like(luma)
    height, width = luma.shape
    half = max(1, box // 2)
    padded = [cv2.copyMakeBorder(one, half, half, half, half, cv2.BORDER_REFLECT) for one in (average, spread)]
    for down, across in ((-1, -1), (-1, 0), (-1, 1), (0, -1), (0, 1), (1, -1), (1, 0), (1, 1)):
        rows = slice(half + down * half, half + down * half + height)
        columns = slice(half + across * half, half + across * half + width)
        weight = 1 / (1 + padded[1][rows, columns]) ** (OIL_DECISION / 2)
        total += padded[0][rows, columns] * weight[..., None]
        weights += weight
    stroked: Floats32 = total / weights[..., None]
    return stroked
