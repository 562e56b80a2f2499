"""Two tones: ink of any colour on paper that may be greyish and unevenly lit.

Ink is measured by the channel in which it is darkest against the paper, d = max over channels of 1 − pixel ÷ paper,
so blue ink counts as much as black. The paper is white (fixed), or what is lightest nearby (adaptive): the maximum of
each channel around, softened (a morphological estimate of the ground: P. Soille, Morphological Image Analysis, 2003).
"""

from dataclasses import dataclass
from typing import ClassVar

import cv2
import numpy as np
import numpy.typing as npt

from lucidex.core.picture.effects.base import Bytes, Effect, Floats32, View, by_strips
from lucidex.core.picture.grounds import Colour
from lucidex.core.source.pyramid import AnyPixels

PAPER_RADIUS = 0.04  # of the unit: wider than any stroke of ink
COARSE = 6.0  # pixels: the radius at which the paper is looked for, on a reduced copy
EDGE, SPECK = 3, 3  # pixels: how far a soft edge reaches, and how many together are ink
DARKEST_PAPER = 40.0  # code values: what is darker is no paper


@dataclass(frozen=True)
class TwoTone(Effect):
    """Where more ink than `threshold` (0 to 1) is measured there is `ink`, else paper: white, or clear.

    `softness` is the width, in measured ink, over which one goes over into the other; 0 is hard.
    """

    threshold: float
    softness: float
    is_adaptive: bool
    is_clear: bool
    ink: Colour
    seat: ClassVar[int] = 3

    def reach(self, unit: float) -> int:
        """Where the paper is looked for, the maximum and its softening; and where ink is, beside an edge."""
        edge = EDGE + 1 if self.softness else 0
        return edge + (int(4 * PAPER_RADIUS * unit) + 8 if self.is_adaptive else 0)

    def on(self, pixels: Bytes, view: View) -> Bytes:
        """Three bands on white paper, four on clear; what was clear is paper."""
        return by_strips(pixels, self.reach(view.unit), lambda strip: self._on_strip(strip, view.unit))

    def _on_strip(self, pixels: Bytes, unit: float) -> Bytes:
        darkness = ink_in(pixels, PAPER_RADIUS * unit if self.is_adaptive else None)
        joined: AnyPixels
        half = max(self.softness / 2, 1e-6)
        cover = np.clip((darkness - self.threshold + half) / (2 * half), 0, 1)[..., None]
        if self.softness:
            cover *= _beside_ink(darkness > self.threshold)[..., None]
        if self.is_clear:
            colour = np.broadcast_to(np.array(self.ink, np.float32), (*darkness.shape, 3))
            joined = np.concatenate([np.where(cover > 0, colour, 0), 255 * cover], axis=-1)
        else:
            joined = (255 + cover * (np.array(self.ink, np.float32) - 255)).astype(np.float32)
        toned: Bytes = np.rint(joined).astype(np.uint8)
        return toned


def _beside_ink(is_ink: npt.NDArray[np.bool_]) -> Floats32:
    """1 at ink and within an edge of it, else 0: what is half ink far from any ink is the grain of the paper.

    A speck counts as ink where at least two pixels about it do too, so that a grain by itself is none.
    """
    neighbours = cv2.boxFilter(
        is_ink.astype(np.float32), -1, (3, 3), normalize=False, borderType=cv2.BORDER_REPLICATE
    )
    core = (is_ink & (neighbours >= SPECK)).astype(np.uint8)
    beside: Floats32 = cv2.dilate(core, np.ones((2 * EDGE + 1, 2 * EDGE + 1), np.uint8)).astype(np.float32)
    return beside


def ink_in(pixels: Bytes, paper_radius: float | None) -> Floats32:
    """How much darker than its paper each pixel is, 0 to 1; what is clear is paper."""
    colours = pixels[..., :3].astype(np.float32)
    if pixels.shape[2] == 4:
        alpha = pixels[..., 3:].astype(np.float32) / 255
        colours = (colours * alpha + 255 * (1 - alpha)).astype(np.float32)
    paper: Floats32 = np.full(3, 255, np.float32)
    if paper_radius is not None:
        paper = np.maximum(paper_around(colours, paper_radius), DARKEST_PAPER)
    darkness: Floats32 = np.clip(1 - colours / paper, 0, 1).max(axis=-1)
    return darkness


def paper_around(colours: Floats32, radius: float) -> Floats32:
    """The lightest nearby in each channel, softened; worked out on a reduced copy where the radius is large."""
    height, width = colours.shape[:2]
    reduction = max(1.0, radius / COARSE)
    size = max(1, round(width / reduction)), max(1, round(height / reduction))
    small = cv2.resize(colours, size, interpolation=cv2.INTER_AREA)
    box = 2 * max(1, round(radius / reduction)) + 1
    lightest = cv2.dilate(small, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (box, box)))
    level = cv2.blur(cv2.erode(lightest, np.ones((box, box), np.uint8)), (box, box))
    around: Floats32 = cv2.resize(level, (width, height), interpolation=cv2.INTER_LINEAR)
    return around


def parting(darkness: npt.NDArray[np.float32]) -> float:
    """The threshold that parts ink from paper best (N. Otsu, A Threshold Selection Method, 1979), 0 to 1."""
    value, _ = cv2.threshold(np.rint(255 * darkness).astype(np.uint8), 0, 255, cv2.THRESH_BINARY + cv2.THRESH_OTSU)
    return float(value) / 255


def colour_of_ink(pixels: Bytes, darkness: npt.NDArray[np.float32], threshold: float) -> Colour:
    """The middle colour of what is clearly ink; black where there is none."""
    inked = pixels[..., :3][darkness > threshold]
    if len(inked) == 0:
        return (0, 0, 0)
    sums = inked.astype(int).sum(axis=-1)
    core = inked[sums <= np.quantile(sums, 0.6)]
    red, green, blue = (int(value) for value in np.median(core, axis=0))
    return red, green, blue
