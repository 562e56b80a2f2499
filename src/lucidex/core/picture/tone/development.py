"""Tone and colour as one development: many steps, one fixed inner order, evaluated once.

Inner order, whatever the order of the list:

1. sRGB to linear light, converted from the source's own bits and gamut (floats that may lie outside sRGB).
2. Exposure and white balance, as factors (von Kries); saturation and black and white, as mixtures with luminance.
3. Gentle saturation: a mixture with luminance by an amount that falls with the colour's own strength, and for skin.
4. Luminance: highlights and shadows, then luminance curves; the colour goes along in proportion, at most eightfold.
5. Into sRGB's gamut: below nothing, a colour moves towards its own luminance just so far that nothing is negative;
   above white, half way between keeping its luminance (paler) and keeping its ratios (darker). Both keep the hue.
6. To sRGB's gamma; black and white point, brightness (a hyperbola through both ends), contrast (an S about the
   middle that keeps both ends), then curves for all channels and for each, in the order of the list.
7. Balance by tones: colour added in the dark, the middle and the light, the luma kept; weights are the quadratic
   Bernstein polynomials of the luma, falling to nothing at black and white.
8. One rounding, to 8 bits.

Steps of one kind add up, so nothing is lost between them. 1 is a table of the source's values, 2 one 3 × 3 mixture,
4 a table of luminances, 6 three tables; 3, 5 and 7 are computed. Tables are read with linear
interpolation, in 32-bit floats. Those after 2 are indexed by the square root of linear light, where sRGB's gamma is
nearly straight, so that the dark tones have as many entries as the eye wants.

Sources: IEC 61966-2-1 for the transfer functions and (with ITU-R BT.709) the luminance weights; C. Schlick, Fast
Alternatives to Perlin's Bias and Gain Functions (Graphics Gems IV, 1994) for brightness.
"""

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import cache, lru_cache
from typing import Any

import numpy as np
import numpy.typing as npt
import pyvips

from lucidex.core.luma import BT709_LUMA
from lucidex.core.picture.colour import image_of
from lucidex.core.picture.tone.amounts import Shift, Tone
from lucidex.core.picture.tone.curves import along
from lucidex.core.picture.tone.kernel import develop_codes, develop_light
from lucidex.core.source.pyramid import AnyPixels

STOPS_OF_BALANCE = 1.0  # red up and blue down at full warmth, green down at full tint
BRIGHTEST = 3.2  # the slope at black at full brightness, and at white at the darkest
STEEPEST = 2.2  # the slope in the middle at full contrast
MAX_LIFT = 2.0  # the slope by which full shadows rise from black, beyond their own
MAX_SHIFT = 0.15  # of the gamma range: what a full shift adds to one channel
ENTRIES = 2_048
THREADS = 2
CHUNK_PIXELS = 65_536
_LUMA = np.array(BT709_LUMA)
WARM = np.array([1.0, (BT709_LUMA[2] - BT709_LUMA[0]) / BT709_LUMA[1], -1.0])  # no luma of their own
MAGENTA = np.array([1.0, -(BT709_LUMA[0] + BT709_LUMA[2]) / BT709_LUMA[1], 1.0])

Floats = npt.NDArray[np.float64]
Floats32 = npt.NDArray[np.float32]


@dataclass(frozen=True)
class Folded:
    """A development as the numbers that the kernel reads; a table that is empty changes nothing."""

    mix: Floats32  # 3 × 3
    vividness: np.float32
    luminance: Floats32  # that is wanted, by the square root of what there is
    curves: tuple[Floats32, Floats32, Floats32]  # of each channel, by the square root of linear light, to gamma
    shifts: Floats32  # 3 × 3: of each channel, a quadratic of the luma

    @property
    def numbers(self) -> tuple[Floats32 | np.float32, ...]:
        """In the kernel's order."""
        return (self.mix, self.vividness, self.luminance, *self.curves, self.shifts)


def to_linear(value: Floats) -> Floats:
    """From sRGB's gamma, 0 to 1, to linear light."""
    return np.where(value <= 0.04045, value / 12.92, ((np.maximum(value, 0) + 0.055) / 1.055) ** 2.4)


def to_gamma(value: Floats) -> Floats:
    """From linear light, 0 to 1, to sRGB's gamma."""
    return np.where(value <= 0.0031308, value * 12.92, 1.055 * np.maximum(value, 1e-12) ** (1 / 2.4) - 0.055)


def gains(warmth: float, tint: float) -> Floats:
    """The factors of a white balance; a grey keeps its luminance."""
    warm, green = STOPS_OF_BALANCE * warmth, -STOPS_OF_BALANCE * tint
    factors = np.array([2.0**warm, 2.0**green, 2.0**-warm])
    balanced: Floats = factors / (factors @ _LUMA)
    return balanced


def balance_for_grey(colour: Floats) -> tuple[float, float]:
    """The warmth and tint that make a colour of linear light grey, held within their range."""
    red, green, blue = np.log2(np.maximum(colour, 1e-4))
    warmth, tint = (blue - red) / 2 / STOPS_OF_BALANCE, (green - (red + blue) / 2) / STOPS_OF_BALANCE
    return float(np.clip(warmth, -1, 1)), float(np.clip(tint, -1, 1))


def mixture(tone: Tone) -> Floats:
    """The 3 × 3 mixture of linear light: exposure, white balance, saturation, black and white."""
    factors = gains(tone.warmth, tone.tint) * 2.0**tone.exposure
    luminance = np.tile(_LUMA, (3, 1))
    mixed: Floats = luminance + max(1 + tone.saturation, 0.0) * (np.eye(3) - luminance)
    if tone.grey is not None:
        weights = np.array(tone.grey.weights) / max(sum(tone.grey.weights), 1e-6)
        mixed = mixed + tone.grey.share * (np.tile(weights, (3, 1)) - mixed)
    balanced: Floats = mixed * factors
    return balanced


def luminance_curve(tone: Tone, value: Floats) -> Floats:
    """Shadows, highlights and curves of the luminance; 0 to 1 in sRGB's gamma.

    y + a·y·(1 − y)³ lifts the shadows and its mirror image lowers the highlights; both rise everywhere within
    the range of the amounts.
    """
    lift = np.clip(tone.shadows, -1, 1) * (MAX_LIFT if tone.shadows > 0 else 1)
    raised = value + lift * value * (1 - value) ** 3
    drop = np.clip(tone.highlights, -1, 1) * (MAX_LIFT if tone.highlights < 0 else 1)
    bent: Floats = raised + drop * (1 - raised) * raised**3
    for curves in tone.curves:
        bent = np.clip(along(curves.luminance, bent), 0, 1)
    return bent


def curve(tone: Tone, value: Floats, channel: int = 1) -> Floats:
    """Black and white point, brightness, contrast, curves of one channel; 0 to 1 in sRGB's gamma."""
    low, high = min(tone.black, 0.95), max(1 - tone.white, min(tone.black, 0.95) + 0.02)
    stretched = np.clip((value - low) / (high - low), 0, 1)
    lifted = brightened(stretched, middle_for(tone.brightness))
    bent = contrasted(lifted, float(np.clip(tone.contrast, -1, 1)))
    for curves in tone.curves:
        bent = np.clip(along(curves.all, bent), 0, 1)
        bent = np.clip(along((curves.red, curves.green, curves.blue)[channel], bent), 0, 1)
    return bent


def middle_for(brightness: float) -> float:
    """The tone that a brightness of −1 to 1 makes the middle, 0 to 1."""
    slope: float = BRIGHTEST ** float(np.clip(brightness, -1, 1))
    return 1 / (1 + slope)


def brightness_for(middle: float) -> float:
    """The brightness that makes a tone the middle; beyond −1 to 1 where it takes more than there is."""
    return float(np.log((1 - middle) / middle) / np.log(BRIGHTEST))


def brightened(value: Floats, middle: float) -> Floats:
    """The hyperbola that keeps 0 and 1 and makes `middle` the middle: v · (1 − m) ÷ (v · (1 − 2m) + m).

    Two of them one after the other are one again, whose slopes (1 − m) ÷ m are multiplied.
    """
    bent: Floats = value * (1 - middle) / (value * (1 - 2 * middle) + middle)
    return bent


def contrasted(value: Floats, amount: float) -> Floats:
    """More (or less) contrast about the middle; 0, ½ and 1 stay.

    More: each half becomes a power of its own half, its slope in the middle the power.
    Less: v − a·v·(1 − v)·(2v − 1), whose slope is half in the middle and twice at the ends at most.
    """
    if amount < 0:
        less: Floats = value + amount * value * (1 - value) * (2 * value - 1)
        return less
    slope = STEEPEST**amount
    low_half = 0.5 * (2 * np.minimum(value, 0.5)) ** slope
    high_half = 1 - 0.5 * (2 - 2 * np.clip(value, 0.5, 1)) ** slope  # rounding may have led just beyond 1
    more: Floats = np.where(value < 0.5, low_half, high_half)
    return more


def _quadratics(tone: Tone) -> Floats:
    """For each channel the factors of 1, luma and luma²: the Bernstein polynomials, weighted by what is added.

    The kernel lets what they give fall to nothing at black and white, by 1 − (2·luma − 1)⁴.
    """
    dark, middle, light = (
        (shift.warmth * WARM + shift.tint * MAGENTA) * MAX_SHIFT for shift in (tone.dark, tone.middle, tone.light)
    )
    return np.stack([dark, 2 * (middle - dark), dark - 2 * middle + light], axis=-1)


@lru_cache(maxsize=64)
def fold(tone: Tone) -> Folded:
    """A development as tables."""
    root = np.minimum(np.arange(ENTRIES + 2) / ENTRIES, 1.0)
    gamma = to_gamma(root**2)
    nothing = np.empty(0, np.float32)
    wanted = nothing
    if tone.shadows or tone.highlights or any(curves.luminance for curves in tone.curves):
        wanted = to_linear(luminance_curve(tone, gamma)).astype(np.float32)
    shifts = nothing.reshape(0, 3)
    if any(shift != Shift() for shift in (tone.dark, tone.middle, tone.light)):
        shifts = _quadratics(tone).astype(np.float32)
    green = curve(tone, gamma, 1).astype(np.float32)
    apart = any(curves.red or curves.green or curves.blue for curves in tone.curves)
    red, blue = (curve(tone, gamma, channel).astype(np.float32) if apart else green for channel in (0, 2))
    return Folded(mixture(tone).astype(np.float32), np.float32(tone.vividness), wanted, (red, green, blue), shifts)


@lru_cache(maxsize=2)
def _linear_codes(kind: np.dtype[Any]) -> Floats32:
    """Linear light of every code value of 8 or 16 bits."""
    full = int(np.iinfo(kind).max)
    return to_linear(np.arange(full + 1) / full).astype(np.float32)


def develop(image: pyvips.Image, tone: Tone, depth: int = 8) -> pyvips.Image:
    """Developed to 8 or 16 bits of sRGB (`depth`), 3 bands or 4; alpha stays as it is.

    `image`: sRGB of 8 or 16 bits, or floats of linear light with sRGB's primaries, 0 to 1 within sRGB.
    """
    return image_of(developed(image.numpy(), tone, depth))


def developed(pixels: AnyPixels, tone: Tone, depth: int = 8) -> AnyPixels:
    """The same for an array of height × width × 3 or 4; floats carry an alpha of 0 to 255."""
    numbers = fold(tone).numbers
    out = np.empty(pixels.shape, np.uint8 if depth == 8 else np.uint16)
    flat, flat_out = np.ascontiguousarray(pixels).reshape(-1, pixels.shape[2]), out.reshape(-1, pixels.shape[2])

    def develop_chunk(start: int) -> None:
        part, there = flat[start : start + CHUNK_PIXELS], flat_out[start : start + CHUNK_PIXELS]
        if part.dtype == np.float32:
            develop_light(part, numbers, there)
        else:
            develop_codes(part, _linear_codes(part.dtype), numbers, there)

    for _ in _threads().map(develop_chunk, range(0, len(flat), CHUNK_PIXELS)):
        pass  # a chunk that failed raises here
    if pixels.shape[2] == 4:
        whole = 65_535.0 if pixels.dtype == np.uint16 else 255.0
        out[..., 3] = np.rint(pixels[..., 3] * (np.iinfo(out.dtype).max / whole))
    return out


@cache
def _threads() -> ThreadPoolExecutor:
    """Chunks do not touch each other, and the kernel lets go of the interpreter while it runs."""
    return ThreadPoolExecutor(THREADS, "develop")


def compile_kernels() -> None:
    """Have every kernel compiled, or read from its cache, before somebody waits for it."""
    for kind in (np.uint8, np.uint16, np.float32):
        for depth in (8, 16):
            developed(np.zeros((1, 1, 3), kind), Tone(exposure=1.0), depth)
