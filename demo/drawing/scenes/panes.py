"""A pane at night or in rain: lights that lie out of focus behind it, and drops that turn them over."""

import cv2
import numpy as np

from drawing.scenes.brush import clouds, down, finish, glow, lay, rgb

MOODS = {
    "lamps": (
        [(0, "#0d1626"), (0.6, "#22304a"), (1, "#101722")],
        ("#ffcf7a", "#ff9d4d", "#ffe7b8", "#8fd0c0", "#f06f5a"),
    ),
    "garden": (
        [(0, "#4c6b57"), (0.5, "#86a67c"), (1, "#30493b")],
        ("#cfe3a0", "#8fbf7a", "#f3f0c4", "#5d9a80", "#e6d77b"),
    ),
    "dusk": (
        [(0, "#38365f"), (0.6, "#b3637a"), (1, "#4a3350")],
        ("#ffc9a0", "#ff8f7d", "#f7e3d8", "#a78ad6", "#ffdb8f"),
    ),
}


def draw(width, height, mood="lamps", drops=900, lights=60, seed=1):
    """Soft discs of light, and drops of water before them."""
    stops, colours = MOODS[mood]
    random, shorter = np.random.default_rng(seed), min(width, height)
    behind = down(width, height, stops)
    behind *= 1 + 0.18 * clouds(width, height, shorter * 0.6, seed, 4)[..., None]
    for _ in range(lights):
        at = (int(random.uniform(0, width)), int(random.normal(0.5, 0.2) * height))
        radius = int(shorter * random.uniform(0.02, 0.085))
        disc = np.zeros((height, width), np.float32)
        cv2.circle(disc, at, radius, 1.0, -1, cv2.LINE_AA)
        disc = cv2.GaussianBlur(disc, (0, 0), max(1.0, radius * 0.06))
        rim = np.clip(disc - cv2.GaussianBlur(disc, (0, 0), max(1.0, radius * 0.3)), 0, 1)
        colour = rgb(colours[int(random.integers(0, len(colours)))])
        behind += colour * (disc * random.uniform(0.18, 0.6) + rim * 0.25)[..., None]
    picture = behind.copy()
    gx, gy = np.meshgrid(np.arange(width, dtype=np.float32), np.arange(height, dtype=np.float32))
    for number in range(drops):
        radius = shorter * (0.003 + 0.028 * (number / max(1, drops)) ** 9 + 0.004 * random.random())
        x, y = random.uniform(0, width), random.uniform(0, height)
        room = int(radius * 1.6) + 3
        left, upper, right, lower = (
            max(0, int(x) - room),
            max(0, int(y) - room),
            min(width, int(x) + room),
            min(height, int(y) + room),
        )
        if right - left < 3 or lower - upper < 3:
            continue
        u, v = (gx[upper:lower, left:right] - x) / radius, (gy[upper:lower, left:right] - y) / (radius * 1.12)
        far = np.sqrt(u**2 + v**2)
        share = np.clip((1 - far) * radius * 0.9 + 0.3, 0, 1)
        turned = cv2.remap(
            behind, np.clip(x - u * radius * 7, 0, width - 1).astype(np.float32),
            np.clip(y - v * radius * 7, 0, height - 1).astype(np.float32), cv2.INTER_LINEAR,
        )  # fmt: skip
        tone = (
            turned * (1.12 - 0.55 * far[..., None] ** 3)
            + 0.5 * np.exp(-((u + 0.35) ** 2 + (v + 0.4) ** 2) * 26)[..., None]
        )
        there = picture[upper:lower, left:right]
        there *= 1 - 0.25 * np.clip(1.25 - far, 0, 1)[..., None] * (1 - share[..., None])
        lay(there, tone, share)
    picture += glow(width, height, width * 0.5, height * 0.45, shorter * 0.9)[..., None] * 0.03
    return finish(picture, seed, vignette=0.35)
