"""Small operations on the pixels of a canvas, in place where they can."""

import cv2
import numpy as np

from lucidex.core.areas.shapes import Masks
from lucidex.core.source.pyramid import AnyPixels

_FINE = 3.0  # pixels of sigma: a wider blur is computed on fewer pixels, which it cannot tell apart


def with_alpha(pixels: AnyPixels) -> AnyPixels:
    """Pixels of four bands: opaque where they had three."""
    if pixels.shape[2] == 4:
        return pixels
    made: AnyPixels = cv2.cvtColor(pixels, cv2.COLOR_RGB2RGBA)
    return made


def blurred(mask: Masks, sigma: float) -> Masks:
    """A mask of 0 to 1 after a Gaussian of `sigma` pixels, and nothing beyond its edges."""
    if sigma <= 0:
        return mask
    factor = max(1, int(sigma / _FINE))
    height, width = mask.shape
    small = mask
    if factor > 1:
        size = (max(1, -(-width // factor)), max(1, -(-height // factor)))
        padded = np.zeros((size[1] * factor, size[0] * factor), np.float32)
        padded[:height, :width] = mask
        small = cv2.resize(padded, size, interpolation=cv2.INTER_AREA)
    small = cv2.GaussianBlur(small, (0, 0), sigma / factor, borderType=cv2.BORDER_CONSTANT)
    if factor > 1:
        whole = (small.shape[1] * factor, small.shape[0] * factor)
        small = cv2.resize(small, whole, interpolation=cv2.INTER_LINEAR)[:height, :width]
    made: Masks = small
    return made
