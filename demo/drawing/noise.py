"""Value noise, its octaves and small vector arithmetic, compiled."""

import math

import numpy as np
from numba import njit

FAST = {"cache": True, "fastmath": True, "nogil": True, "error_model": "numpy"}


@njit(**FAST)
def hash01(x, y):
    """A repeatable number in 0 to 1 for a lattice point."""
    h = np.uint64(x) * np.uint64(0x9E3779B97F4A7C15) + np.uint64(y) * np.uint64(0xC2B2AE3D27D4EB4F)
    h ^= h >> np.uint64(29)
    h *= np.uint64(0xBF58476D1CE4E5B9)
    h ^= h >> np.uint64(32)
    return float(h & np.uint64(0xFFFFFF)) / 16777215.0


@njit(**FAST)
def noise(x, y):
    """Smooth value noise in 0 to 1."""
    ix, iy = math.floor(x), math.floor(y)
    fx, fy = x - ix, y - iy
    u = fx * fx * fx * (fx * (fx * 6 - 15) + 10)
    v = fy * fy * fy * (fy * (fy * 6 - 15) + 10)
    i, j = np.int64(ix), np.int64(iy)
    a, b = hash01(i, j), hash01(i + 1, j)
    c, d = hash01(i, j + 1), hash01(i + 1, j + 1)
    return a + (b - a) * u + (c - a) * v + (a - b - c + d) * u * v


@njit(**FAST)
def fbm(x, y, octaves):
    """Octaves of noise, each turned, doubled and halved; about 0 to 1."""
    total, weight, norm = 0.0, 0.5, 0.0
    for _ in range(octaves):
        total += weight * noise(x, y)
        norm += weight
        x, y = 1.6 * x + 1.2 * y + 17.3, -1.2 * x + 1.6 * y + 9.1
        weight *= 0.5
    return total / norm


@njit(**FAST)
def smooth(low, high, x):
    """0 below `low`, 1 above `high`, smooth between."""
    t = (x - low) / (high - low)
    t = 0.0 if t < 0 else 1.0 if t > 1 else t
    return t * t * (3 - 2 * t)


@njit(**FAST)
def mix(a, b, t):
    """From a to b."""
    return a + (b - a) * t


def film(picture, grain=0.012, seed=1):
    """Linear light to 8-bit sRGB through a soft shoulder, with grain that falls off in the lights."""
    toned = picture * (1 + picture / 9.0) / (1 + picture)
    toned = toned * (0.55 + 0.45 * np.minimum(toned / 0.22, 1.0)) * 1.08
    encoded = np.where(toned <= 0.0031308, 12.92 * toned, 1.055 * np.maximum(toned, 1e-9) ** (1 / 2.4) - 0.055)
    random = np.random.default_rng(seed)
    for top in range(0, encoded.shape[0], 256):
        rows = encoded[top : top + 256]
        common = random.standard_normal((*rows.shape[:2], 1)) * grain
        own = random.standard_normal(rows.shape) * grain * 0.35
        encoded[top : top + 256] = rows + (common + own) * (1.15 - rows)
    return (np.clip(encoded, 0, 1) * 255 + 0.5).astype(np.uint8)
