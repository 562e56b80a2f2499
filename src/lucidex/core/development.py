"""Tone and colour as one development: many steps, one fixed inner order, evaluated once.

Inner order: (1) sRGB to linear light; (2) exposure and white balance, as factors of linear light; (3) saturation and
black and white, as a mixture of the three channels of linear light; (4) back to sRGB's gamma; (5) the black and the
white point; (6) brightness, a power; (7) contrast, an S about the middle that keeps both ends. Steps of one kind add
up, so that the order in the list does not matter and nothing is lost between them.

(1) to (3) are one table and one 3 × 3 mixture, (4) to (7) one table of 65 536 entries: there is one rounding, to
8 bits at the end. Working space: sRGB's primaries in linear light, 32-bit floats, converted from the source's
own 16 bits where it has them. What lies outside sRGB after the mixture is clipped at (4).

Sources: IEC 61966-2-1 for the transfer functions and (with ITU-R BT.709) the luminance weights; von Kries' factors
for the balance.
"""

from dataclasses import dataclass

import cv2
import numpy as np
import numpy.typing as npt
import pyvips

LUMINANCE = (0.2126, 0.7152, 0.0722)
STOPS_OF_WARMTH = 0.5  # of red against blue at full warmth, and of green against both at full tint
BRIGHTEST_POWER = 2.5  # the power at full brightness, its inverse at the darkest
STEEPEST = 2.2  # the slope in the middle at full contrast
_FINE = 65_536
STRIP_ROWS = 512

Floats = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Tone:
    """What the tone steps of a picture add up to; all zero is neutral.

    `exposure` in stops; `warmth`, `tint`, `brightness`, `contrast` −1 to 1; `saturation` −1 (none) upwards;
    `black` and `white`: shares of the range by which the black point is raised and the white point lowered;
    `grey_mix`: weights of red, green and blue for black and white, or None.
    """

    exposure: float = 0.0
    warmth: float = 0.0
    tint: float = 0.0
    saturation: float = 0.0
    grey_mix: tuple[float, float, float] | None = None
    black: float = 0.0
    white: float = 0.0
    brightness: float = 0.0
    contrast: float = 0.0

    def plus(self, other: "Tone") -> "Tone":
        """Both together."""
        return Tone(
            self.exposure + other.exposure,
            self.warmth + other.warmth,
            self.tint + other.tint,
            (1 + self.saturation) * (1 + other.saturation) - 1,
            other.grey_mix or self.grey_mix,
            self.black + other.black,
            self.white + other.white,
            self.brightness + other.brightness,
            self.contrast + other.contrast,
        )

    @property
    def is_neutral(self) -> bool:
        """Whether it changes nothing."""
        return self == Tone()


def to_linear(value: Floats) -> Floats:
    """From sRGB's gamma, 0 to 1, to linear light."""
    return np.where(value <= 0.04045, value / 12.92, ((np.maximum(value, 0) + 0.055) / 1.055) ** 2.4)


def to_gamma(value: Floats) -> Floats:
    """From linear light, 0 to 1, to sRGB's gamma."""
    return np.where(value <= 0.0031308, value * 12.92, 1.055 * np.maximum(value, 1e-12) ** (1 / 2.4) - 0.055)


def mixture(tone: Tone) -> Floats:
    """The 3 × 3 mixture of linear light: exposure, white balance, saturation or black and white."""
    warm, green = STOPS_OF_WARMTH * tone.warmth, -STOPS_OF_WARMTH * tone.tint
    gains = np.array([2.0**warm, 2.0**green, 2.0**-warm])
    gains = gains / (gains @ np.array(LUMINANCE)) * 2.0**tone.exposure  # a grey keeps its luminance
    if tone.grey_mix is not None:
        weights = np.array(tone.grey_mix) / max(sum(tone.grey_mix), 1e-6)
        return np.tile(weights * gains, (3, 1))
    grey = np.tile(np.array(LUMINANCE), (3, 1))
    mixed: Floats = (grey + max(1 + tone.saturation, 0.0) * (np.eye(3) - grey)) * gains
    return mixed


def curve(tone: Tone, value: Floats) -> Floats:
    """Black and white point, brightness, contrast; 0 to 1 in sRGB's gamma."""
    low, high = min(tone.black, 0.95), max(1 - tone.white, min(tone.black, 0.95) + 0.02)
    stretched = np.clip((value - low) / (high - low), 0, 1)
    lifted = stretched ** (BRIGHTEST_POWER ** -np.clip(tone.brightness, -1, 1))
    slope = STEEPEST ** np.clip(tone.contrast, -1, 1)
    # about the middle each half is a power of its own half, so that 0, ½ and 1 stay and the slope there is `slope`
    low_half, high_half = (
        0.5 * (2 * np.minimum(lifted, 0.5)) ** slope,
        1 - 0.5 * (2 - 2 * np.maximum(lifted, 0.5)) ** slope,
    )
    bent: Floats = np.where(lifted < 0.5, low_half, high_half)
    return bent


def develop(image: pyvips.Image, tone: Tone) -> pyvips.Image:
    """An sRGB image of 8 or 16 bits and 3 or 4 bands, developed to 8 bits; alpha stays as it is."""
    pixels = image.numpy()
    full = 65_535 if pixels.dtype == np.uint16 else 255
    linear = to_linear(np.arange(full + 1) / full).astype(np.float32)
    mix = mixture(tone).astype(np.float32)
    final = np.rint(255 * curve(tone, to_gamma(np.arange(_FINE) / (_FINE - 1)))).astype(np.uint8)
    rows = range(0, pixels.shape[0], STRIP_ROWS)
    strips = [_develop_rows(pixels[top : top + STRIP_ROWS], linear, mix, final) for top in rows]
    return pyvips.Image.new_from_array(np.concatenate(strips), interpretation="srgb")


def _develop_rows(
    pixels: npt.NDArray[np.uint8],
    linear: npt.NDArray[np.float32],
    mix: npt.NDArray[np.float32],
    final: npt.NDArray[np.uint8],
) -> npt.NDArray[np.uint8]:
    mixed = cv2.transform(np.take(linear, pixels[..., :3]), mix * (_FINE - 1))
    index = np.clip(np.rint(mixed), 0, _FINE - 1).astype(np.uint16)
    developed: npt.NDArray[np.uint8] = np.take(final, index)
    if pixels.shape[2] == 4:
        alpha = pixels[..., 3:] if pixels.dtype == np.uint8 else (pixels[..., 3:].astype(np.uint32) * 255 // 65_535)
        developed = np.concatenate([developed, alpha.astype(np.uint8)], axis=-1)
    return developed
