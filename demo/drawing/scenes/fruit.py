"""Round fruit on a table, lit from one side before a wall."""

import cv2
import numpy as np

from drawing.scenes.brush import clouds, finish, lay, rgb

KINDS = {
    "apple": ("#a8261f", "#d9952f", 0, 0.35),
    "pumpkin": ("#d06a14", "#f0a437", 11, 0.25),
    "lemon": ("#e3b51e", "#f6e06c", 0, 0.18),
    "plum": ("#3b2250", "#7c4a78", 1, 0.15),
    "squash": ("#5d7a3a", "#c7c179", 9, 0.3),
}


def draw(width, height, fruit=(("apple", 0.3, 0.62, 0.17),), wall="#8d8573", table="#5a4028", light=-0.6, seed=1):
    """`fruit` are kinds with their middle (shares of the sides) and radius (share of the shorter side)."""
    shorter, edge = min(width, height), int(height * 0.56)
    picture = np.ones((height, width, 3), np.float32) * rgb(wall)
    x = np.linspace(-1, 1, width, dtype=np.float32)[None, :, None]
    y = np.linspace(-1, 1, height, dtype=np.float32)[:, None, None]
    picture *= 0.92 + 0.30 * np.exp(-((x - light) ** 2 + (y + 0.5) ** 2) * 0.9)
    picture *= 1 + 0.035 * clouds(width, height, shorter * 0.2, seed, 6)[..., None]
    grain = clouds(width, height - edge, 90, seed + 2, 6, 14.0)
    wood = (
        rgb(table)
        * (1 + 0.16 * grain[..., None])
        * np.linspace(0.72, 1.1, height - edge, dtype=np.float32)[:, None, None]
    )
    picture[edge:] = wood * (0.85 + 0.3 * np.exp(-((x - light) ** 2)))
    picture[edge - 2 : edge + 2] *= 0.8
    for number, (kind, cx, cy, radius) in enumerate(sorted(fruit, key=lambda one: one[2] + one[3])):
        _one(picture, KINDS[kind], kind, cx * width, cy * height, radius * shorter, light, seed + 17 * number)
    return finish(picture, seed, vignette=0.4)


def _one(picture, look, kind, cx, cy, r, light, seed):
    height, width = picture.shape[:2]
    dark, bright, ribs, speck = rgb(look[0]), rgb(look[1]), look[2], look[3]
    wide = r * {"pumpkin": 1.22, "squash": 1.3, "lemon": 1.2}.get(kind, 1.0)
    gx, gy = np.meshgrid(np.arange(width, dtype=np.float32), np.arange(height, dtype=np.float32))
    u, v = (gx - cx) / wide, (gy - cy) / r
    shade = np.exp(-(((gx - cx + light * r * 0.9) / (wide * 1.25)) ** 2 + ((gy - cy - r * 0.93) / (r * 0.2)) ** 2))
    picture *= 1 - 0.72 * np.clip(shade, 0, 1)[..., None]
    if kind == "lemon":
        u = u * (1 - 0.25 * np.exp(-((np.abs(u) - 1) ** 2) * 18))
    angle = np.arctan2(u, np.sqrt(np.clip(1 - u**2 - v**2, 0, 1)) + 1e-4)
    bulge = (
        1
        - 0.03 * np.cos(np.arctan2(u, -v) * ribs) * (ribs > 2)
        - (0.05 * np.exp(-((u / 0.1) ** 2)) if ribs == 1 else 0)
    )
    dip = 0.10 * np.exp(-((u / 0.32) ** 2)) * np.clip(-v * 3, 0, 1) * (kind in ("apple", "pumpkin", "squash"))
    far = np.sqrt(u**2 + (v * (1 + dip)) ** 2) / np.clip(bulge, 0.5, 1.2)
    share = np.clip((1 - far) * r / 1.5 + 0.5, 0, 1)
    z = np.sqrt(np.clip(1 - far**2, 0, 1))
    groove = np.abs(np.sin(angle * ribs / 2 + 0.4)) if ribs > 2 else np.ones_like(u)
    lit = np.clip(light * u - 0.62 * v + 0.62 * z, 0, 1) ** 0.9
    left, upper, right, lower = (
        max(0, int(cx - wide * 1.2)),
        max(0, int(cy - r * 1.2)),
        min(width, int(cx + wide * 1.2)),
        min(height, int(cy + r * 1.2)),
    )
    blot, dots = np.zeros_like(u), np.zeros_like(u)
    blot[upper:lower, left:right] = clouds(
        right - left, lower - upper, r * 0.7, seed, 6, 0.35 if kind == "apple" else 1.0
    )
    dots[upper:lower, left:right] = clouds(right - left, lower - upper, max(4, r * 0.05), seed + 1, 2)
    mixed = np.clip(0.5 + 0.28 * blot + 0.25 * v * (kind == "apple"), 0, 1)[..., None]
    tone = dark * (1 - mixed) + bright * mixed
    tone = tone * (1 + speck * 0.18 * dots[..., None]) * (0.62 + 0.38 * groove[..., None] ** 0.5)
    bounce = np.clip(v * 0.5 + 0.3 * z, 0, 1)[..., None] * np.array([0.10, 0.06, 0.03], np.float32)
    gloss = np.clip(light * u * 0.72 - 0.62 * v + 0.72 * z, 0, 1) ** (46 if kind in ("apple", "plum") else 14)
    gloss = gloss * (0.55 if kind in ("apple", "plum") else 0.16)
    lay(picture, tone * (0.10 + 1.02 * lit[..., None]) + bounce + gloss[..., None], share)
    if kind in ("apple", "pumpkin", "squash"):
        _stalk(picture, cx, cy - r * (0.84 if kind == "apple" else 0.86), r, kind)


def _stalk(picture, x, y, r, kind):
    thick = r * (0.055 if kind == "apple" else 0.16)
    line = np.array([(x, y + r * 0.08), (x + r * 0.03, y - r * 0.10), (x + r * 0.13, y - r * 0.24)])
    for number, (start, end) in enumerate(zip(line, line[1:])):
        cv2.line(
            picture,
            tuple(int(v) for v in start),
            tuple(int(v) for v in end),
            (0.22, 0.17, 0.09),
            max(2, int(thick * (1 - 0.25 * number))),
            cv2.LINE_AA,
        )
        cv2.line(
            picture,
            tuple(int(v - thick * 0.2) for v in start),
            tuple(int(v - thick * 0.2) for v in end),
            (0.42, 0.35, 0.2),
            max(1, int(thick * 0.3)),
            cv2.LINE_AA,
        )
