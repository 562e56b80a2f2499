"""Trunks behind trunks in the mist, leaves above and below, light that falls between them."""

import cv2
import numpy as np

from drawing.scenes.brush import bloom, clouds, down, finish, glow, lay, rgb

KINDS = {
    "autumn": (
        [(0, "#d9a24a"), (0.5, "#f0cf8b"), (1, "#b9782f")],
        ("#c9621e", "#e09a2d", "#f2c24d", "#9a3f18"),
        "#3a2a20",
    ),
    "summer": (
        [(0, "#9dc06a"), (0.5, "#dcebb2"), (1, "#6f9a45")],
        ("#3f7a2b", "#6da33c", "#a6cb57", "#2c5a24"),
        "#3b3428",
    ),
    "winter": (
        [(0, "#c7d3dc"), (0.6, "#eef2f4"), (1, "#dfe7ec")],
        ("#eef3f6", "#d4dee5", "#ffffff", "#c0ccd5"),
        "#4b4c50",
    ),
    "birch": (
        [(0, "#b9cf9a"), (0.5, "#eef3d4"), (1, "#94b268")],
        ("#d7c84c", "#b7c44e", "#8aa83e", "#e6dc7c"),
        "#e8e6df",
    ),
    "dusk": (
        [(0, "#283456"), (0.5, "#c9744f"), (1, "#3a2c40")],
        ("#2c2440", "#5a3144", "#a24a3c", "#1c1a30"),
        "#14131f",
    ),
}


def draw(width, height, kind="autumn", seed=1, light=0.4):
    """A wood; `light` is where the brightest gap is across."""
    stops, leaves, bark = KINDS[kind]
    colours, bark = [rgb(one) for one in leaves], rgb(bark)
    random = np.random.default_rng(seed)
    picture = down(width, height, stops)
    air = picture.copy()
    lay(picture, np.ones(3), glow(width, height, width * light, height * 0.42, height * 0.42, 2.2) * 0.75)
    ground = int(height * 0.72)
    for layer in range(7):
        near = layer / 6
        haze = (1 - near) ** 1.3 * 0.9
        count = int(26 - 20 * near)
        for _ in range(count):
            x, wide = (
                random.uniform(-0.05, 1.05) * width,
                width * (0.004 + 0.03 * near**1.8) * random.uniform(0.7, 1.3),
            )
            base = ground + (height - ground) * near**1.4 * 0.9 + random.normal(0, 4)
            bend = random.normal(0, 0.012) * width
            y = np.linspace(-10, base, 40)
            centre = x + bend * np.sin(y / height * 3 + random.uniform(0, 6))
            half = wide / 2 * (0.72 + 0.28 * (y / base)) + np.exp(-(base - y) / (wide * 1.2 + 1)) * wide * 0.5
            outline = np.concatenate([np.stack([centre - half, y], -1), np.stack([centre + half, y], -1)[::-1]])
            _trunk(picture, air, outline, centre, half, bark, haze, kind == "birch", random, light * width > x)
        _canopy(picture, air, colours, haze, near, width, height, random)
    _floor(picture, colours, width, height, ground, random)
    beams = np.zeros((height, width), np.float32)
    for _ in range(7):
        at = width * (light + random.normal(0, 0.12))
        end = at + width * random.uniform(-0.35, 0.25)
        wide = width * random.uniform(0.01, 0.04)
        cv2.fillPoly(
            beams, [np.array([(at, -20), (at + wide, -20), (end + wide * 3, height), (end, height)]).astype(np.int32)],
            float(random.uniform(0.15, 0.4)),
        )  # fmt: skip
    beams = cv2.GaussianBlur(beams, (0, 0), width * 0.012) * np.linspace(1, 0.1, height, dtype=np.float32)[:, None]
    picture += beams[..., None] * (0.12 if kind == "dusk" else 0.3) * rgb(stops[1][1])
    return finish(bloom(picture, 0.8, height * 0.025, 0.45), seed)


def _trunk(picture, air, outline, centre, half, bark, haze, is_birch, random, lit_right):
    left, right = max(0, int(outline[:, 0].min())), min(picture.shape[1], int(outline[:, 0].max()) + 2)
    top, bottom = 0, min(picture.shape[0], int(outline[:, 1].max()) + 2)
    if right - left < 2:
        return
    part = np.zeros((bottom - top, right - left), np.uint8)
    cv2.fillPoly(part, [np.round((outline - (left, top)) * 16).astype(np.int32)], 255, cv2.LINE_AA, 4)
    share = part.astype(np.float32) / 255
    x = (np.arange(right - left) + left - centre.mean()) / max(half.mean(), 1)
    round_light = 0.75 + 0.35 * np.clip(x if lit_right else -x, -1, 1)
    rough = clouds(right - left, bottom - top, max(6, (right - left) / 3), int(random.integers(1e6)), 4, 0.25)
    tone = bark * round_light[None, :, None] * (1 + 0.13 * rough[..., None])
    if is_birch:
        streaks = clouds(right - left, bottom - top, max(5, (right - left) / 5), int(random.integers(1e6)), 2, 3.5)
        tone = tone * (1 - 0.75 * (np.clip(streaks - 1.25, 0, 1) > 0.1))[..., None]
    there = picture[top:bottom, left:right]
    lay(there, tone * (1 - haze) + air[top:bottom, left:right] * haze, share)


def _canopy(picture, air, colours, haze, near, width, height, random):
    size = width * (0.0022 + 0.007 * near**1.5)
    for _ in range(int(2_600 - 1_900 * near)):
        x = random.uniform(0, width)
        y = abs(random.normal(0, 0.20 + 0.05 * near)) * height
        colour = colours[int(random.integers(0, len(colours)))] * random.uniform(0.75, 1.15)
        tone = np.clip(colour * (1 - haze) + air[min(int(y), height - 1), int(x)] * haze, 0, 1)
        axes = (max(1, int(size * random.uniform(0.6, 1.4))), max(1, int(size * random.uniform(0.3, 0.8))))
        cv2.ellipse(
            picture, (int(x), int(y)), axes, float(random.uniform(0, 180)), 0, 360, tuple(float(v) for v in tone), -1,
            cv2.LINE_AA,
        )  # fmt: skip


def _floor(picture, colours, width, height, ground, random):
    rows = np.clip((np.arange(height) - ground) / (height - ground), 0, 1)[:, None]
    lay(picture, np.mean(colours, 0) * 0.62, np.repeat(np.clip(rows * 2.2, 0, 1), width, 1).astype(np.float32) * 0.85)
    for _ in range(7_000):
        near = random.random() ** 0.6
        x, y = random.uniform(0, width), ground + (height - ground) * near
        tone = colours[int(random.integers(0, len(colours)))] * random.uniform(0.5, 1.1)
        axes = (max(1, int(width * 0.0075 * near * random.uniform(0.5, 1))), max(1, int(width * 0.003 * near)))
        cv2.ellipse(
            picture, (int(x), int(y)), axes, float(random.uniform(-30, 30)), 0, 360,
            tuple(float(v) for v in np.clip(tone, 0, 1)), -1, cv2.LINE_AA,
        )  # fmt: skip
