"""The development's published formulas once more, pixel by pixel in float64, written from its text alone."""

import numpy as np
import numpy.typing as npt

from lucidex.core.picture.tone.amounts import Shift, Tone
from lucidex.core.picture.tone.curves import along
from tests.conftest import Pixels

Floats = npt.NDArray[np.float64]
LUMA = np.array([0.2126, 0.7152, 0.0722])


def light_of(code: Floats) -> Floats:
    """IEC 61966-2-1, from code 0 to 1 to linear light."""
    return np.where(code <= 0.04045, code / 12.92, ((code + 0.055) / 1.055) ** 2.4)


def code_of(light: Floats) -> Floats:
    """And back."""
    return np.where(light <= 0.0031308, 12.92 * light, 1.055 * np.maximum(light, 1e-300) ** (1 / 2.4) - 0.055)


def luminance_of(colours: Floats) -> Floats:
    return (colours * LUMA).sum(axis=-1, keepdims=True)


def mixed(light: Floats, tone: Tone) -> Floats:
    """Exposure, balance, saturation, black and white."""
    factors = np.array([2**tone.warmth, 2**-tone.tint, 2**-tone.warmth])
    light = light * factors / (factors * LUMA).sum() * 2**tone.exposure
    coloured = luminance_of(light) + (1 + tone.saturation) * (light - luminance_of(light))
    if tone.grey is None:
        return coloured
    weights = np.array(tone.grey.weights) / sum(tone.grey.weights)
    return coloured + tone.grey.share * ((light * weights).sum(axis=-1, keepdims=True) - coloured)


def gently(light: Floats, amount: float) -> Floats:
    most, least = light.max(axis=-1, keepdims=True), light.min(axis=-1, keepdims=True)
    weak = 1 - np.clip((most - least) / np.maximum(most, 1e-6), None, 1)
    red, green, blue = (light[..., i : i + 1] for i in range(3))
    hue = (green - blue) / np.maximum(most - least, 1e-6)
    skin = np.where((red == most) & (green >= blue), np.maximum(0, 1 - np.abs(hue - 0.28) / 0.28), 0)
    factor = np.maximum(0, 1 + amount * weak * (1 + weak) / 2 * (1 - 0.75 * skin))
    y = luminance_of(light)
    return y + factor * (light - y)


def depths(code: Floats, tone: Tone) -> Floats:
    """Shadows, then highlights, then curves of the luminance."""
    lift = tone.shadows * (2 if tone.shadows > 0 else 1)
    code = code + lift * code * (1 - code) ** 3
    code = code + tone.highlights * (2 if tone.highlights < 0 else 1) * (1 - code) * code**3
    for curves in tone.curves:
        code = np.clip(along(curves.luminance, code), 0, 1)
    return code


def into_gamut(light: Floats) -> Floats:
    """Towards the own luminance where something is negative; half way between that and the ratios above white."""
    with np.errstate(all="ignore"):
        y, least = luminance_of(light), light.min(axis=-1, keepdims=True)
        pulled = np.where(y > 0, np.maximum(y + y / (y - least) * (light - y), 0), 0)
        light = np.where(least < 0, pulled, light)
        y, most = luminance_of(light), light.max(axis=-1, keepdims=True)
        paler = np.where(y < 1, y + (1 - y) / (most - y) * (light - y), 1)
        return np.where(most > 1, np.minimum((light / most + paler) / 2, 1), light)


def bent(code: Floats, tone: Tone, channel: int) -> Floats:
    """Black and white point, brightness, contrast, curves."""
    v = np.clip((code - tone.black) / (1 - tone.white - tone.black), 0, 1)
    k = 3.2**tone.brightness
    v = k * v / (1 + (k - 1) * v)
    if tone.contrast < 0:
        v = v + tone.contrast * v * (1 - v) * (2 * v - 1)
    else:
        p = 2.2**tone.contrast
        v = np.where(v < 0.5, (2 * np.minimum(v, 0.5)) ** p / 2, 1 - (2 - 2 * np.clip(v, 0.5, 1)) ** p / 2)
    for curves in tone.curves:
        v = np.clip(along(curves.all, v), 0, 1)
        v = np.clip(along((curves.red, curves.green, curves.blue)[channel], v), 0, 1)
    return v


def shifted(code: Floats, tone: Tone) -> Floats:
    """Colour added by the luma, which stays."""
    luma = np.clip(luminance_of(code), 0, 1)
    edge = 1 - (2 * luma - 1) ** 4
    for weight, shift in (
        ((1 - luma) ** 2, tone.dark),
        (2 * luma * (1 - luma), tone.middle),
        (luma**2, tone.light),
    ):
        code = code + edge * weight * added(shift)
    return np.clip(code, 0, 1)


def added(shift: Shift) -> Floats:
    """No luma of their own: red against blue, red and blue against green, the green making up for it."""
    warm = np.array([1, (LUMA[2] - LUMA[0]) / LUMA[1], -1])
    magenta = np.array([1, -(LUMA[0] + LUMA[2]) / LUMA[1], 1])
    return 0.15 * (shift.warmth * warm + shift.tint * magenta)


def reference(pixels: Pixels, tone: Tone) -> Floats:
    """Developed, 0 to 255, not rounded."""
    light = mixed(light_of(pixels.astype(np.float64) / 255), tone)
    light = gently(light, tone.vividness) if tone.vividness else light
    y = np.clip(luminance_of(light), 0, 1)
    wanted = light_of(depths(code_of(y), tone))
    if tone.shadows or tone.highlights or any(curves.luminance for curves in tone.curves):
        by = np.minimum(wanted / np.maximum(y, 1e-6), 8)
        above = np.maximum(luminance_of(light) - 1, 0)
        light = wanted + by * above + by * (light - luminance_of(light))
    light = into_gamut(light)
    code = np.stack([bent(code_of(light[..., channel]), tone, channel) for channel in range(3)], axis=-1)
    return 255 * shifted(code, tone)
