"""Where the eye goes first: a suggestion for the focal point of a picture."""

from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

from lucidex.core.geometry.sizes import Point

CANONICAL_EDGE = 1_024  # every analysis sees the picture at this size, so that it finds the same at any scale
SMALL_EDGE = 256
BORDER_SHARE = 0.06
MIDDLE_SPREAD = 0.33  # of the picture: how much more the middle counts than the edges
PEAK_SHARE = 0.75  # what counts as one spot with the strongest point
_GREY = 128

Map = npt.NDArray[Any]
Bytes = npt.NDArray[np.uint8]


def focal_point(pixels: Bytes) -> Point:
    """The spot that draws attention, in fractions of the picture.

    `pixels`: height × width × 3 or 4 bytes, sRGB, of about `CANONICAL_EDGE`. What differs in colour from the whole
    and from the border, and what is rich in edges, draws attention; the middle counts more than the edges. Source:
    Achanta and others, Frequency-tuned Salient Region Detection (2009), for the colours; the border as ground and
    the preference for the middle as in Judd and others, Learning to Predict Where Humans Look (2009).
    """
    small = _small(pixels)
    lab = cv2.cvtColor(small.astype(np.float32) / 255, cv2.COLOR_RGB2LAB)
    soft = cv2.GaussianBlur(lab, (0, 0), 2)
    from_whole = np.linalg.norm(soft - lab.mean((0, 1)), axis=-1)
    from_border = np.linalg.norm(soft - _border_mean(lab), axis=-1)
    edges = cv2.GaussianBlur(_steepness(small), (0, 0), 6)
    drawn = 0.35 * _levelled(from_whole) + 0.35 * _levelled(from_border) + 0.5 * _levelled(edges)
    drawn = _levelled(cv2.GaussianBlur(drawn.astype(np.float32), (0, 0), 0.06 * max(small.shape[:2])))
    height, width = drawn.shape
    x, y = np.meshgrid((np.arange(width) + 0.5) / width, (np.arange(height) + 0.5) / height)
    drawn = (drawn + 1e-3) * np.exp(-((x - 0.5) ** 2 + (y - 0.5) ** 2) / (2 * MIDDLE_SPREAD**2))
    weight = drawn * _peak(drawn)
    total = float(weight.sum())
    return Point(float((weight * x).sum()) / total, float((weight * y).sum()) / total)


def _small(pixels: Bytes) -> Bytes:
    height, width = pixels.shape[:2]
    if pixels.shape[2] == 4:
        alpha = pixels[..., 3:].astype(np.float32) / 255
        pixels = np.rint(pixels[..., :3] * alpha + _GREY * (1 - alpha)).astype(np.uint8)
    share = min(1.0, SMALL_EDGE / max(height, width))
    size = max(1, round(width * share)), max(1, round(height * share))
    return np.asarray(cv2.resize(pixels, size, interpolation=cv2.INTER_AREA), np.uint8).reshape(size[1], size[0], 3)


def _steepness(small: Bytes) -> Map:
    grey = cv2.cvtColor(small, cv2.COLOR_RGB2GRAY).astype(np.float32)
    steep: Map = np.hypot(cv2.Sobel(grey, cv2.CV_32F, 1, 0), cv2.Sobel(grey, cv2.CV_32F, 0, 1))
    return steep


def _border_mean(lab: Map) -> Map:
    deep = max(1, round(BORDER_SHARE * min(lab.shape[:2])))
    strips = (lab[:deep], lab[-deep:], lab[:, :deep], lab[:, -deep:])
    mean: Map = np.concatenate([strip.reshape(-1, 3) for strip in strips]).mean(0)
    return mean


def _levelled(drawn: Map) -> Map:
    """From 0 for the quietest twentieth to 1 for the strongest hundredth."""
    low, high = np.percentile(drawn, (5, 99))
    levelled: Map = np.clip((drawn - low) / max(float(high - low), 1e-6), 0, 1).astype(np.float32)
    return levelled


def _peak(drawn: Map) -> npt.NDArray[np.bool_]:
    """The one spot around the strongest point."""
    _, labels = cv2.connectedComponents((drawn >= PEAK_SHARE * drawn.max()).astype(np.uint8))
    spot: npt.NDArray[np.bool_] = labels == labels[np.unravel_index(int(drawn.argmax()), drawn.shape)]
    return spot
