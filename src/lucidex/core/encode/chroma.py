"""Whether a picture shows when colour is kept at half the pixels: drawn edges and saturated red do."""

import cv2
import numpy as np
import numpy.typing as npt
import pyvips

FAULT = 24.0  # code values of a colour difference: from here on it is seen along an edge
SHOWS_FROM = 0.01  # of the pixels
_LARGEST = 500_000  # pixels of the bands that stand for a larger picture


def needs_full_chroma(image: pyvips.Image) -> bool:
    """Whether more than one pixel in a hundred of an sRGB picture of 8 bits is coloured visibly otherwise."""
    return lost_colour(image.extract_band(0, n=3).numpy()) > SHOWS_FROM


def lost_colour(pixels: npt.NDArray[np.uint8]) -> float:
    """The share of pixels of a height × width × 3 array whose colour is off once it is halved and enlarged again."""
    every = max(1, round(pixels.shape[0] * pixels.shape[1] / _LARGEST))
    if every > 1:  # whole bands of rows, so that neighbours stay neighbours
        height = pixels.shape[0] // (16 * every) * 16 * every
        pixels = pixels[:height].reshape(-1, 16 * every, *pixels.shape[1:])[:, :16].reshape(-1, *pixels.shape[1:])
    if min(pixels.shape[:2]) < 2:
        return 0.0
    converted = cv2.cvtColor(np.ascontiguousarray(pixels), cv2.COLOR_RGB2YCrCb)
    red, blue = (np.asarray(cv2.extractChannel(converted, band), np.uint8) for band in (1, 2))
    return float(np.count_nonzero(cv2.max(_off(red), _off(blue)) > FAULT) / red.size)


def _off(band: npt.NDArray[np.uint8]) -> npt.NDArray[np.uint8]:
    """By how much each pixel of a band differs once it is halved and enlarged again."""
    height, width = band.shape
    half = cv2.resize(band, (max(1, width // 2), max(1, height // 2)), interpolation=cv2.INTER_AREA)
    return np.asarray(cv2.absdiff(band, cv2.resize(half, (width, height), interpolation=cv2.INTER_LINEAR)), np.uint8)
