"""Whether a picture is a page or a drawing: mostly one smooth, light, colourless ground with nothing lighter."""

import cv2
import numpy as np
import numpy.typing as npt

from lucidex.core.luma import BT709_LUMA
from lucidex.core.source.pyramid import AnyPixels

LIGHT_FROM = 0.55  # of the gamma range: what is darker is no page
NEAR = 0.10  # of the gamma range around the commonest tone
MIN_SHARE = 0.6  # of all pixels: how much of a page is ground
MAX_COLOUR = 0.06
MAX_ROUGHNESS = 0.006  # mean curvature of the luma from pixel to pixel
MIN_INK = 0.35  # how much darker than the ground the darkest are: a hazy view has nothing dark
MAX_ABOVE = 0.10  # how much lighter than the ground the lightest may be
BINS = 64


def page_level(pixels: AnyPixels) -> float | None:
    """How light the ground of a page is, 0 to 1 of sRGB's gamma; None where the picture is no page.

    `pixels`: n × m × 3 bytes of sRGB.
    """
    luma = (pixels @ np.array(BT709_LUMA) / 255).astype(np.float32)
    level = _commonest(luma)
    near = np.abs(luma - level) < NEAR
    darkest, lightest = np.percentile(luma, [0.5, 99])
    if level < LIGHT_FROM or near.mean() < MIN_SHARE:
        return None
    if lightest > level + MAX_ABOVE or darkest > level - MIN_INK:
        return None
    colour = float((pixels.max(axis=-1) - pixels.min(axis=-1))[near].mean()) / 255
    if colour > MAX_COLOUR or _roughness(luma, near) > MAX_ROUGHNESS:
        return None
    return min(level, float(np.median(luma)))  # an unevenly lit page is as light as its darker half begins


def _commonest(luma: npt.NDArray[np.float32]) -> float:
    counts = np.histogram(luma, BINS, (0, 1))[0]
    smooth = np.convolve(counts, [0.25, 0.5, 0.25], "same")
    return (float(smooth.argmax()) + 0.5) / BINS


def _roughness(luma: npt.NDArray[np.float32], near: npt.NDArray[np.bool_]) -> float:
    bent = cv2.Laplacian(cv2.GaussianBlur(luma, (0, 0), 1.5), cv2.CV_32F)
    return float(np.abs(bent)[near].mean())
