"""What every effect is: a function of pixels and of the scale at which they are drawn, that looks only so far."""

from abc import ABC, abstractmethod
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any, ClassVar

import cv2
import numpy as np
import numpy.typing as npt

from lucidex.core.geometry.transform import Transform, shift
from lucidex.core.luma import BT709_LUMA
from lucidex.core.picture.effects.kernel import add_to_all

Bytes = npt.NDArray[np.uint8]
Floats32 = npt.NDArray[Any]  # of 32 bits; OpenCV's types lose that

LUMA = np.array([BT709_LUMA], np.float32)
WHOLE_UP_TO_PIXELS = 3_000_000
STRIP_PIXELS = 2_000_000
MIN_STRIP_ROWS = 64
NEAR, FAINT = 3.0, np.float32(1e-3)  # drawn pixels; and how little a middle grey counts beside what is near
MIDDLE = np.float32(128)  # what is clear far from anything: the same in every strip


@dataclass(frozen=True)
class View:
    """How pixels see the content: `unit` is the length, in drawn pixels, of the upright original's shorter side, and
    `to_content` leads from drawn pixels to fractions of the upright original."""

    unit: float
    to_content: Transform = Transform()

    def below(self, rows: int) -> "View":
        """The same for pixels that begin so many rows further down."""
        return replace(self, to_content=shift(0, rows).then(self.to_content))


@dataclass(frozen=True)
class Effect(ABC):
    """One effect of a plan.

    `seat` is its place in the fixed order of effects.
    """

    seat: ClassVar[int]

    @abstractmethod
    def reach(self, unit: float) -> int:
        """`unit` as in a view. How many drawn pixels away something can still change a pixel."""

    @abstractmethod
    def on(self, pixels: Bytes, view: View) -> Bytes:
        """The effect on height × width × 3 or 4 bytes of sRGB, alpha unpremultiplied and kept unless it says so."""


def by_strips(pixels: Bytes, reach: int, effect: Callable[[Bytes], Bytes], grows: int = 1) -> Bytes:
    """An effect in strips that see `reach` rows more than they give: no float copy of a large picture is made.

    `grows` is how many times as many pixels the effect works on for a while.
    """
    height, width = pixels.shape[:2]
    if height * width * grows <= WHOLE_UP_TO_PIXELS:
        return effect(pixels)
    rows = max(MIN_STRIP_ROWS, STRIP_PIXELS // (width * grows))
    if pixels.shape[2] == 4:
        reach += reach_of(NEAR)  # for what goes on where it is clear
    strips = []
    for top in range(0, height, rows):
        start, end = max(0, top - reach), min(height, top + rows + reach)
        strips.append(effect(pixels[start:end])[top - start : top - start + min(rows, height - top)])
    return np.concatenate(strips)


def luma_of(pixels: Bytes) -> Floats32:
    """Luma, 0 to 255, as height × width floats; where it is clear, what is near goes on."""
    return cv2.transform(seen_colours(pixels).astype(np.float32), LUMA)


def seen_colours(pixels: Bytes) -> Bytes:
    """Height × width × 3: the colours, those of what is near where it is clear, so that nothing clear bleeds."""
    if pixels.shape[2] == 3:
        return pixels
    alpha = pixels[..., 3:].astype(np.float32) / 255
    if alpha.min() == 1:
        return np.ascontiguousarray(pixels[..., :3])
    held = pixels[..., :3] * alpha
    cover = soft(alpha, NEAR)[..., None] + FAINT
    near = (soft(held, NEAR) + FAINT * MIDDLE) / cover
    mixed_in: Bytes = np.rint(np.clip(held + near * (1 - alpha), 0, 255)).astype(np.uint8)
    return mixed_in


def with_luma(pixels: Bytes, before: Floats32, after: Floats32) -> Bytes:
    """The pixels with another luma; the same is added to each channel, so hue and distance from grey stay."""
    return with_added(pixels, after - before)


def with_added(pixels: Bytes, added: Floats32) -> Bytes:
    """The pixels with a plane of floats added to each channel; alpha stays."""
    out = np.empty_like(pixels)
    add_to_all(pixels, added, out)
    return out


def with_colours(pixels: Bytes, colours: Floats32) -> Bytes:
    """The pixels with other colours and their own alpha."""
    changed = np.rint(np.clip(colours, 0, 255)).astype(np.uint8)
    return changed if pixels.shape[2] == 3 else np.concatenate([changed, pixels[..., 3:]], axis=-1)


def mixed(before: Bytes, after: Bytes, share: float) -> Bytes:
    """A share of an effect, 0 (none) to 1 (all)."""
    if share >= 1:
        return after
    return cv2.addWeighted(before, 1 - share, after, share, 0).astype(np.uint8)


def soft(values: Floats32, sigma: float) -> Floats32:
    """A Gaussian that reaches four sigmas; edges go on as they end."""
    if sigma <= 0:
        return values
    blurred: Floats32 = cv2.GaussianBlur(values, (0, 0), sigma, borderType=cv2.BORDER_REPLICATE)
    return blurred


def reach_of(sigma: float) -> int:
    """How far `soft` looks."""
    return int(np.ceil(4 * sigma)) + 1


def opaque_for_blur(pixels: Bytes) -> Floats32:
    """Colours premultiplied where there is alpha, as floats, so that clear pixels do not bleed."""
    values = pixels.astype(np.float32)
    if pixels.shape[2] == 4:
        values[..., :3] *= values[..., 3:] / 255
    return values


def back_from_blur(values: Floats32) -> Bytes:
    """Bytes again, unpremultiplied where there is alpha."""
    if values.shape[2] == 4:
        alpha = values[..., 3:]
        colours = np.divide(values[..., :3] * 255, alpha, out=np.zeros_like(values[..., :3]), where=alpha > 0)
        values = np.concatenate([colours, alpha], axis=-1)
    exact: Bytes = np.rint(np.clip(values, 0, 255)).astype(np.uint8)
    return exact
