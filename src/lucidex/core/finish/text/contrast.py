"""How well words can be told from what lies below them, as the Web Content Accessibility Guidelines measure it."""

import numpy as np
import numpy.typing as npt

from lucidex.core.areas.shapes import Masks
from lucidex.core.luma import BT709_LUMA
from lucidex.core.picture.grounds import Colour
from lucidex.core.source.pyramid import AnyPixels

ENOUGH, ENOUGH_FOR_LARGE = 4.5, 3.0  # WCAG 2.2, success criterion 1.4.3, level AA
LARGE_PX, LARGE_BOLD_PX = 24.0, 18.66  # 18 points, or 14 in bold, at 96 to the inch
WORST = 0.08  # of the pixels around letters, in any one place, may be harder than what is said

_coded = np.arange(256) / 255
_LINEAR = np.where(_coded <= 0.04045, _coded / 12.92, ((_coded + 0.055) / 1.055) ** 2.4)
_WEIGHED = (_LINEAR[:, None] * np.array(BT709_LUMA)).astype(np.float32)


def luminance(pixels: AnyPixels) -> Masks:
    """Relative luminance, 0 to 1, of … × 3 or 4 bytes of sRGB; clear ones lie on white. Source: WCAG 2.2, “relative
    luminance”."""
    opaque = on_white(pixels)
    found: Masks = _WEIGHED[opaque[..., 0], 0] + _WEIGHED[opaque[..., 1], 1] + _WEIGHED[opaque[..., 2], 2]
    return found


def on_white(pixels: AnyPixels) -> AnyPixels:
    """… × 3 bytes, as they are where they lie on white, which is what most pages are."""
    if pixels.shape[-1] == 3:
        return pixels
    alpha = pixels[..., 3:].astype(np.uint16)
    opaque: AnyPixels = ((pixels[..., :3] * alpha + 255 * (255 - alpha) + 127) // 255).astype(np.uint8)
    return opaque


def luminance_of(colour: Colour) -> float:
    """The same of one colour."""
    return float(luminance(np.array(colour, np.uint8)))


def contrast(one: float, other: float) -> float:
    """The ratio of two luminances, 1 to 21. Source: WCAG 2.2, “contrast ratio”.

    >>> round(contrast(luminance_of((255, 255, 255)), luminance_of((0, 0, 0))), 2)
    21.0
    """
    light, dark = max(one, other), min(one, other)
    return (light + 0.05) / (dark + 0.05)


def worst_contrast(colour: Colour, below: Masks, places: npt.NDArray[np.int64]) -> float:
    """The contrast of a colour with what lies around letters, in the place where it is hardest.

    `below` are luminances, and `places` the number of the place that each belongs to, 0 and up: one letter that
    cannot be told is not outweighed by twenty that can.
    """
    if not below.size:
        return 21.0
    ratios = _ratios(colour, below)
    order = np.lexsort((ratios, places))
    counts = np.bincount(places)
    counts = counts[counts > 0]
    begins = np.cumsum(counts) - counts
    return float(ratios[order[begins + (counts * WORST).astype(np.int64)]].min())


def is_told_everywhere(colour: Colour, below: Masks, places: npt.NDArray[np.int64], wanted: float) -> bool:
    """Whether `worst_contrast` is as much as is wanted; found out much faster than how much it is."""
    hard = np.bincount(places[_ratios(colour, below) < wanted], minlength=1)
    return bool((hard <= (np.bincount(places, minlength=len(hard))[: len(hard)] * WORST).astype(np.int64)).all())


def _ratios(colour: Colour, below: Masks) -> Masks:
    own = luminance_of(colour)
    ratios: Masks = np.where(below > own, (below + 0.05) / (own + 0.05), (own + 0.05) / (below + 0.05))
    return ratios


def needed(size_px: float, is_bold: bool) -> float:
    """Which contrast letters of a size need."""
    return ENOUGH_FOR_LARGE if size_px >= (LARGE_BOLD_PX if is_bold else LARGE_PX) else ENOUGH
