"""Fern fronds close up: twice-divided fronds in three depths, the far ones out of focus."""

import math

import numpy as np
import pyvips
from numba import njit, prange

from drawing.leaf import leaf, shadow
from drawing.noise import FAST, fbm, film, smooth

WIDTH, HEIGHT = 4200, 2800


@njit(parallel=True, **FAST)
def shade_house(width, height):
    """The blurred green distance, with light falling through."""
    out = np.empty((height, width, 3), np.float32)
    for row in prange(height):
        for column in range(width):
            x, y = column / width, row / width
            patch = fbm(x * 4 + 2, y * 4, 4)
            beam = smooth(0.35, 0.8, fbm((x + y * 0.7) * 3.2, (x - y) * 0.4 + 3, 3)) * (1 - y)
            light = 0.035 + 0.16 * patch**2 + 0.30 * beam
            out[row, column, 0] = light * 0.50 + 0.10 * beam
            out[row, column, 1] = light * 0.82 + 0.05 * beam
            out[row, column, 2] = light * 0.36
    return out


def frond(picture, x, y, angle, length, curl, light, random, shaded):
    """One frond: a bent stem, pairs of pinnae, each with its row of leaflets."""
    steps = 27
    for i in range(steps, 1, -1):
        s = i / steps
        along = angle + curl * s * s
        px = x + length * s * math.cos(angle + curl * s * s / 3)
        py = y + length * s * math.sin(angle + curl * s * s / 3)
        pinna = length * (0.36 * (1 - s) ** 0.88 * min(1.0, 3.2 * s + 0.25) + 0.008)
        for side in (-1, 1):
            lean = along + side * (1.18 - 0.25 * s) + random.normal(0, 0.035)
            droop = 0.35 * side * -1 + random.normal(0, 0.03)
            _pinna(picture, px, py, lean, pinna, droop, light * random.uniform(0.82, 1.15), random, shaded)
    stem = np.array([0.10, 0.12, 0.035])
    for s in np.linspace(0, 1, 90):
        px = x + length * s * math.cos(angle + curl * s * s / 3)
        py = y + length * s * math.sin(angle + curl * s * s / 3)
        thick = length * 0.0042 * (1.05 - s)
        leaf(
            picture,
            px,
            py,
            angle + curl * s * s,
            length / 60,
            max(thick, 0.8),
            0.8,
            0.0,
            stem,
            stem * 1.2,
            light * 1.3,
            0.1,
            0.0,
            1.0,
        )


def _pinna(picture, x, y, angle, length, droop, light, random, shaded):
    if shaded and length > 30:
        shadow(
            picture,
            x + length * 0.04,
            y + length * 0.10,
            angle + droop * 0.4,
            length,
            length * 0.085,
            0.8,
            0.5,
            length * 0.03,
        )
    stem = np.array([0.09, 0.15, 0.035])
    leaf(
        picture,
        x,
        y,
        angle,
        length,
        max(length * 0.009, 0.8),
        0.5,
        droop / 2,
        stem,
        stem,
        light,
        0.05,
        0.0,
        1.0,
    )
    count = max(5, min(24, int(length / 7)))
    for i in range(count, 0, -1):
        s = i / count
        px = x + length * s * math.cos(angle + droop * s / 2)
        py = y + length * s * math.sin(angle + droop * s / 2)
        size = length * (0.085 - 0.055 * s)
        for side in (-1, 1):
            fresh = random.uniform(0.86, 1.16)
            base = np.array([0.075, 0.20, 0.040]) * fresh
            tip = np.array([0.17, 0.32, 0.055]) * fresh
            leaf(
                picture,
                px,
                py,
                angle + droop * s + side * 1.12,
                size,
                max(size * 0.26, 0.8),
                0.8,
                0.10 * side,
                base,
                tip,
                light * (0.86 + 0.18 * (side < 0)),
                0.07,
                0.6,
                s * 9 + x,
            )


def blurred(picture, sigma):
    """Out of focus."""
    height, width = picture.shape[:2]
    image = pyvips.Image.new_from_memory(np.ascontiguousarray(picture).tobytes(), width, height, 3, "float")
    return image.gaussblur(sigma).numpy().copy() if sigma > 0.3 else picture


def draw(scale=1.0):
    """The finished 8-bit picture."""
    width, height = int(WIDTH * scale), int(HEIGHT * scale)
    random = np.random.default_rng(12)
    picture = shade_house(width, height)
    for _ in range(9):
        start = width * random.uniform(-0.05, 1.05), height * random.uniform(0.75, 1.15)
        frond(
            picture,
            *start,
            -math.pi / 2 + random.normal(0, 0.55),
            width * 0.46,
            random.normal(0, 0.5),
            0.35,
            random,
            False,
        )
    picture = blurred(picture, 30 * scale)
    for px, py, angle, size, curl in (
        (0.02, 0.30, 0.15, 0.62, -0.3),
        (0.98, 0.16, 2.75, 0.56, 0.4),
        (0.62, 1.08, -1.2, 0.6, 0.3),
    ):
        frond(picture, width * px, height * py, angle, width * size, curl, 0.62, random, True)
    picture = blurred(picture, 7 * scale)
    for px, py, angle, size, curl, light in (
        (0.93, 1.06, -2.36, 0.72, 0.5, 0.95),
        (0.10, 1.10, -1.02, 0.78, 0.55, 1.15),
        (0.46, 1.16, -1.75, 0.66, -0.45, 1.3),
    ):
        frond(picture, width * px, height * py, angle, width * size, curl, light, random, True)
    return film(picture * 2.1, grain=0.012, seed=8)
