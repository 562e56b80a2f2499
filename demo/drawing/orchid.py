"""A white orchid under the pink light of a plant lamp: everything in the picture has its cast."""

import math

import cv2
import numpy as np

from drawing.leaf import leaf, shadow
from drawing.noise import film

WIDTH, HEIGHT = 2_400, 1_800
LAMP = np.array([1.36, 0.74, 1.12])
WHITE, CREAM, PLUM, GOLD = (
    np.array(c) for c in ((0.66, 0.66, 0.62), (0.60, 0.60, 0.50), (0.32, 0.05, 0.16), (0.62, 0.42, 0.06))
)
LEAF, LEAF_TIP = np.array([0.05, 0.16, 0.05]), np.array([0.12, 0.25, 0.09])
# across, down, size, turned: the blooms of one spray, the nearest last
BLOOMS = (
    (0.80, 0.20, 0.115, 0.5),
    (0.655, 0.245, 0.150, 0.25),
    (0.50, 0.365, 0.190, -0.05),
    (0.335, 0.545, 0.245, -0.2),
)


def ground(width, height):
    """Panes and shelves far behind, out of focus."""
    y, x = np.mgrid[0:height, 0:width].astype(np.float32) / np.float32(height)
    wall = (0.17 + 0.10 * (1 - y) + 0.07 * np.sin(x * 2.1))[..., None] * np.array([0.92, 1.0, 0.95])
    random = np.random.default_rng(8)
    for _ in range(26):
        cx, cy, r = random.uniform(0, 1.35), random.uniform(0, 1), random.uniform(0.03, 0.11)
        disc = np.clip((r - np.hypot(x - cx, y - cy)) / 0.012, 0, 1)[..., None]
        colour = np.array([0.10, 0.22, 0.09]) if random.random() < 0.6 else np.array([0.52, 0.52, 0.48])
        wall += disc * (colour - wall) * random.uniform(0.2, 0.55)
    for left in (0.22, 0.62, 1.04):
        bar = np.clip(1 - np.abs(x - left - 0.04 * y) / 0.016, 0, 1)[..., None]
        wall += bar * (np.array([0.34, 0.34, 0.33]) - wall) * 0.8
    return np.ascontiguousarray(cv2.GaussianBlur(wall, (0, 0), height * 0.012).astype(np.float32))


def stem(picture, scale):
    """The arching spray on which the blooms sit."""
    points = np.array([(0.245, 1.05), (0.25, 0.82), (0.31, 0.60), (0.45, 0.41), (0.64, 0.27), (0.86, 0.17)])
    t = np.linspace(0, 1, 160)
    xs, ys = (np.polyval(np.polyfit(np.linspace(0, 1, len(points)), points[:, k], 4), t) for k in (0, 1))
    for i in range(len(t) - 1):
        a = math.atan2((ys[i + 1] - ys[i]) * HEIGHT, (xs[i + 1] - xs[i]) * WIDTH)
        leaf(
            picture,
            xs[i] * WIDTH * scale,
            ys[i] * HEIGHT * scale,
            a,
            46 * scale,
            (15 - 8 * t[i]) * scale,
            1.0,
            0.0,
            LEAF * 1.3,
            LEAF_TIP,
            1.2,
            0.05,
            0.0,
            i,
        )


def bloom(picture, x, y, size, turned, random):
    """Three sepals, two broad petals, a lip with plum and gold."""

    def petal(angle, length, width, belly, base, tip, light, seed):
        a = angle + turned
        shadow(picture, x + size * 0.03, y + size * 0.05, a, size * length, size * width, belly, 0.42, size * 0.05)
        leaf(
            picture,
            x,
            y,
            a,
            size * length,
            size * width,
            belly,
            random.normal(0, 0.03),
            base,
            tip,
            light,
            0.05,
            0.5,
            seed,
        )

    for angle in (-math.pi / 2, math.radians(35), math.radians(145)):
        petal(angle, 0.98, 0.30, 1.15, CREAM, WHITE, 0.86, random.uniform(0, 90))
    for angle in (math.radians(-12), math.radians(192)):
        petal(angle, 1.05, 0.50, 1.25, WHITE, WHITE * 1.04, 1.0, random.uniform(0, 90))
    for angle, length, width in (
        (math.radians(60), 0.36, 0.15),
        (math.radians(120), 0.36, 0.15),
        (math.pi / 2, 0.46, 0.17),
    ):
        petal(angle, length, width, 1.3, PLUM, PLUM * 1.5, 1.1, random.uniform(0, 90))
    petal(math.pi / 2, 0.18, 0.10, 1.0, GOLD, GOLD, 1.2, 3.0)


def draw(scale=1.0):
    """The finished 8-bit picture."""
    width, height = int(WIDTH * scale), int(HEIGHT * scale)
    random = np.random.default_rng(12)
    picture = ground(width, height)
    for angle, length, wide in ((-0.35, 0.52, 0.075), (-2.55, 0.34, 0.07), (-0.05, 0.44, 0.08), (3.0, 0.30, 0.075)):
        leaf(
            picture,
            width * 0.235,
            height * 0.985,
            angle,
            width * length,
            width * wide,
            1.1,
            -0.12,
            LEAF,
            LEAF_TIP,
            1.0,
            0.14,
            0.2,
            angle * 9,
        )
    stem(picture, scale)
    for across, down, size, turned in BLOOMS:
        bloom(picture, across * width, down * height, size * height, turned, random)
    return film(picture * LAMP.astype(np.float32) * 1.7, grain=0.014, seed=5)
