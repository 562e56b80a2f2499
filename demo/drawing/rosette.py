"""A succulent rosette seen from above: phyllotaxis, bloom on the leaves, drops of water."""

import math

import numpy as np
from numba import njit, prange

from drawing.leaf import leaf, shadow
from drawing.noise import FAST, fbm, film, noise

EDGE = 3600
GOLDEN_ANGLE = math.pi * (3 - math.sqrt(5))  # Vogel's model of phyllotaxis


@njit(parallel=True, **FAST)
def soil(width, height):
    """Dark earth under the rosette."""
    out = np.empty((height, width, 3), np.float32)
    for row in prange(height):
        for column in range(width):
            x, y = column / width, row / width
            light = 0.012 + 0.05 * fbm(x * 60 + y * 13, y * 60 - x * 9, 6) ** 2
            for band in range(3):
                out[row, column, band] = light * (1.15 - 0.14 * band)
    return out


@njit(**FAST)
def pebble(picture, x0, y0, radius, squash, angle, colour, fall):
    """A rounded stone with its shadow."""
    ca, sa = math.cos(angle), math.sin(angle)
    for row in range(max(0, int(y0 - radius * 1.6)), min(picture.shape[0], int(y0 + radius * 1.8))):
        for column in range(max(0, int(x0 - radius * 1.6)), min(picture.shape[1], int(x0 + radius * 1.6))):
            dx, dy = (column - x0) / radius, (row - y0) / radius
            u, v = dx * ca + dy * sa, (-dx * sa + dy * ca) / squash
            wobble = 1 + 0.30 * (noise(column / radius * 1.1 + x0, row / radius * 1.1 + y0) - 0.5)
            d = math.hypot(u, v) * wobble
            if d >= 1.0:
                shade = math.hypot(dx - 0.16, dy - 0.22) / 1.25
                if shade < 1.0:
                    for band in range(3):
                        picture[row, column, band] *= 0.45 + 0.55 * shade
                continue
            nz = math.sqrt(1 - d * d)
            lit = max(0.05, -0.42 * dx - 0.55 * dy + 0.75 * nz) * fall
            grain = 0.7 + 0.6 * fbm(column * 9.0 / radius + x0, row * 9.0 / radius, 3)
            edge = min(1.0, (1 - d) * radius)
            for band in range(3):
                picture[row, column, band] += (colour[band] * lit * grain - picture[row, column, band]) * edge


def gravel(picture, random):
    """Stones of many sizes, the larger ones last."""
    height, width = picture.shape[:2]
    for radius in np.sort(random.pareto(2.2, 3800) * 0.0042 + 0.0045)[:3780]:
        x, y = random.random() * width, random.random() * height
        tone = random.uniform(0.05, 0.20)
        colour = np.array([1.0, random.uniform(0.86, 0.97), random.uniform(0.68, 0.92)]) * tone
        fall = 1.25 - 0.85 * math.hypot(x / width - 0.40, y / height - 0.36)
        pebble(picture, x, y, radius * width, random.uniform(0.6, 1), random.random() * 3, colour, fall)


@njit(**FAST)
def drop(picture, x0, y0, radius):
    """A drop of water: dark rim on the light's side, bright foot, a spark."""
    for row in range(max(0, int(y0 - radius * 1.4)), min(picture.shape[0], int(y0 + radius * 1.6))):
        for column in range(max(0, int(x0 - radius * 1.4)), min(picture.shape[1], int(x0 + radius * 1.4))):
            u, v = (column - x0) / radius, (row - y0) / radius
            d = math.hypot(u, v)
            under = math.hypot(u - 0.18, v - 0.25)
            if d >= 1.0:
                if under < 1.12:
                    for band in range(3):
                        picture[row, column, band] *= 0.62 + 0.38 * max(0.0, (under - 0.8) / 0.32)
                continue
            edge = min(1.0, (1 - d) * radius)
            lens = 0.62 + 0.75 * max(0.0, 0.6 * u + 0.8 * v) * d
            spark = math.exp(-((u + 0.38) ** 2 + (v + 0.42) ** 2) * 42) * 1.7
            for band in range(3):
                seen = picture[row, column, band] * lens + spark + 0.02
                picture[row, column, band] += (seen - picture[row, column, band]) * edge


def draw(scale=1.0):
    """The finished 8-bit picture."""
    edge = int(EDGE * scale)
    random = np.random.default_rng(3)
    picture = soil(edge, edge)
    gravel(picture, random)
    middle = np.array([0.5, 0.515]) * edge
    count = 118
    for number in range(count, 0, -1):
        share = number / count
        angle = number * GOLDEN_ANGLE + random.normal(0, 0.03)
        length = edge * (0.035 + 0.395 * share**0.82) * random.uniform(0.96, 1.04)
        width = length * (0.285 - 0.03 * share) * random.uniform(0.95, 1.06)
        start = edge * 0.015 * share
        x, y = middle + start * np.array([math.cos(angle), math.sin(angle)])
        facing = 0.72 + 0.28 * math.cos(angle + 2.1)
        light = (0.55 + 0.5 * (1 - share) ** 0.5) * (0.75 + 0.4 * facing)
        age = random.uniform(0.85, 1.12)
        base = np.array([0.145, 0.29, 0.215]) * age * np.array([1, 1, 1 + 0.25 * share])
        blush = random.uniform(0.25, 0.85) * (0.45 + 0.55 * share)
        tip = np.array([0.16 + 0.40 * blush, 0.29 - 0.10 * blush, 0.215])
        shadow(
            picture,
            x + edge * 0.008,
            y + edge * 0.011,
            angle,
            length * 1.01,
            width * 1.03,
            1.45,
            0.62,
            edge * 0.011,
        )
        leaf(
            picture,
            x,
            y,
            angle,
            length,
            width,
            1.45,
            random.normal(0, 0.02),
            base,
            tip,
            light,
            0.16,
            0.25,
            number * 3.1,
        )
    for _ in range(46):
        r, a = edge * 0.36 * math.sqrt(random.random()), random.random() * 2 * math.pi
        drop(
            picture,
            middle[0] + r * math.cos(a),
            middle[1] + r * math.sin(a),
            edge * (0.003 + 0.007 * random.random() ** 2),
        )
    return film(picture * 1.9, grain=0.011, seed=4)
