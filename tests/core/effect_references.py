"""The effects' published formulas once more in float64 and plain loops or sums, for small pictures."""

import math

import numpy as np
import numpy.typing as npt

from lucidex.core.picture.effects.detail import GRAIN_SHARE
from tests.conftest import Pixels

Floats = npt.NDArray[np.float64]
LUMA = np.array([0.2126, 0.7152, 0.0722])


def luma(pixels: Pixels) -> Floats:
    return pixels[..., :3].astype(np.float64) @ LUMA


def gaussian(plane: Floats, sigma: float) -> Floats:
    """Sums along each side, the edge going on, far enough that the rest does not count."""
    reach = math.ceil(6 * sigma)
    weights = np.exp(-0.5 * (np.arange(-reach, reach + 1) / sigma) ** 2)
    weights /= weights.sum()
    for axis in (0, 1):
        padded = np.pad(plane, [(reach, reach) if a == axis else (0, 0) for a in range(plane.ndim)], mode="edge")
        plane = sum(w * np.take(padded, range(i, i + plane.shape[axis]), axis) for i, w in enumerate(weights))
    return plane


def box(plane: Floats, reach: int, mode: str = "symmetric") -> Floats:
    """The mean of (2·reach + 1)² pixels."""
    padded = np.pad(plane, reach, mode=mode)
    height, width = plane.shape
    side = range(2 * reach + 1)
    return sum(padded[i : i + height, j : j + width] for i in side for j in side) / (2 * reach + 1) ** 2


def along_rows(plane: Floats, guide: Floats, radius: float, slope: float) -> Floats:
    """The mean of all that is no further than `radius`, where a step of tone is as far as so many pixels."""
    steps = 1 + slope * np.abs(np.diff(guide, axis=1))
    places = np.concatenate([np.zeros((len(plane), 1)), np.cumsum(steps, axis=1)], axis=1)
    near = np.abs(places[:, :, None] - places[:, None, :]) <= radius
    return (near * plane[:, None, :]).sum(axis=2) / near.sum(axis=2)


def local_contrast(pixels: Pixels, amount: float, radius: float, edge: float = 36.0) -> Floats:
    """A domain transform of the luma, by normalised convolution in three rounds; detail is what differs from it."""
    y = luma(pixels)
    guide, smooth = gaussian(y, GRAIN_SHARE * radius), y
    for number in (1, 2, 3):
        sigma = radius * np.sqrt(3) * 2 ** (3 - number) / np.sqrt(4**3 - 1)
        for _ in range(2):
            smooth = along_rows(smooth, guide, np.sqrt(3) * sigma, radius / edge).T
            guide = guide.T
    detail = y - smooth
    room = np.minimum(1, np.minimum(y, 255 - y) / 40) if amount > 0 else 1.0
    by = amount * (1.2 if amount > 0 else 1.0)
    return pixels + (by * room * detail)[..., None]


def sharpened(pixels: Pixels, amount: float, sigma: float, grain: float) -> Floats:
    """Detail beyond the grain, held within ten values of the 3 × 3 neighbours."""
    y = luma(pixels)
    detail = y - gaussian(y, sigma)
    detail = np.sign(detail) * np.maximum(np.abs(detail) - grain, 0)
    padded = np.pad(y, 1, mode="edge")
    height, width = y.shape
    near = np.stack([padded[i : i + height, j : j + width] for i in range(3) for j in range(3)])
    wanted = np.clip(y + amount * detail, near.min(axis=0) - 10, near.max(axis=0) + 10)
    return pixels + (wanted - y)[..., None]


def deconvolved(pixels: Pixels, sigma: float, strength: float, rounds: int = 8) -> Floats:
    """Richardson and Lucy's rounds on the luma of ITU-R BT.601."""
    y = np.maximum(pixels[..., :3].astype(np.float64) @ np.array([0.299, 0.587, 0.114]), 1)
    estimate = y
    for _ in range(rounds):
        estimate = estimate * gaussian(y / np.maximum(gaussian(estimate, sigma), 1), sigma)
    return pixels + strength * (estimate - y)[..., None]


def two_toned(pixels: Pixels, threshold: float, softness: float, ink: tuple[int, int, int]) -> Floats:
    """Against pure white: the darkest channel decides; ink goes over into white paper."""
    darkness = (1 - pixels[..., :3] / 255).max(axis=-1)
    half = max(softness / 2, 1e-6)
    cover = np.clip((darkness - threshold + half) / (2 * half), 0, 1)[..., None]
    return 255 + cover * (np.array(ink) - 255.0)


def pencilled(pixels: Pixels, scale: float) -> Floats:
    """The luma over its softened self, cubed, over a light shading."""
    y = luma(pixels)
    lines = np.minimum(y / np.maximum(gaussian(y, max(0.8, 0.012 * scale)), 1), 1) ** 3
    return np.repeat((250 * lines * (0.72 + 0.28 * (y / 255) ** 0.6))[..., None], 3, axis=-1)


def inked(pixels: Pixels, scale: float) -> Floats:
    """An extended difference of Gaussians, half of it against the surroundings."""
    y = luma(pixels) / 255
    around = gaussian(y, max(1.0, 0.02 * scale))
    y = 0.5 * y + 0.5 * np.minimum(y / np.maximum(around, 0.02), 1)
    sigma = max(0.5, 0.0022 * scale)
    sharp = 19 * gaussian(y, sigma) - 18 * gaussian(y, 1.6 * sigma)
    strokes = np.where(sharp >= 0.62, 1, 1 + np.tanh(9 * (sharp - 0.62)))
    return np.repeat(255 * strokes[..., None], 3, axis=-1)
