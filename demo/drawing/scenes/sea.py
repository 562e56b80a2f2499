"""Waves under a low sun, seen along the water."""

import cv2
import numpy as np

from drawing.scenes.brush import bloom, clouds, down, finish, glow, lay, rgb

LIGHTS = {
    "evening": ([(0, "#33466f"), (0.6, "#d58b6a"), (1, "#f9cf8e")], "#1f3a4d", "#ffcf92"),
    "morning": ([(0, "#8fb4d4"), (0.7, "#dbe6ea"), (1, "#f4ecd8")], "#2d6272", "#fff3d6"),
    "storm": ([(0, "#3c454d"), (0.7, "#7d868a"), (1, "#a9aca8")], "#26383d", "#d8dcd8"),
}


def draw(width, height, light="evening", sun=0.4, seed=1):
    """Sky above, water below, a path of light on it."""
    stops, deep, shine = LIGHTS[light]
    level = int(height * 0.44)
    picture = np.concatenate([down(width, level, stops), np.ones((height - level, width, 3), np.float32) * rgb(deep)])
    veil = clouds(width, level, width / 3, seed, 6, 3.2)
    lay(picture[:level], rgb(shine), np.clip(veil * 0.35, 0, 0.6))
    lay(picture[:level], rgb(stops[0][1]) * 0.7, np.clip(-veil * 0.25 - 0.08, 0, 0.5))
    picture += (
        glow(width, height, width * sun, level - height * 0.02, height * 0.10, 2.2)[..., None]
        * rgb(shine)
        * (0.9 if light != "storm" else 0.15)
    )
    rows = height - level
    near = (np.arange(rows, dtype=np.float32) / rows)[:, None]
    steep = np.zeros((rows, width), np.float32)
    for octave, (size, strength) in enumerate(((300, 1.0), (120, 0.7), (46, 0.5), (18, 0.3))):
        wide = clouds(width, 1_000, size, seed + octave, 4, 3.4)
        source = (58 / (near[:, 0] + 0.06)).astype(np.float32)  # rows crowd towards the horizon
        gx, gy = np.meshgrid(np.arange(width, dtype=np.float32), 999 - np.clip(source, 0, 999))
        swell = cv2.remap(
            wide,
            (gx - width / 2) * (1.35 - 0.9 * near) + width / 2,
            gy,
            cv2.INTER_LINEAR,
            borderMode=cv2.BORDER_REFLECT,
        )
        steep += swell * strength * (0.35 + 0.65 * near)
    sky = picture[:level][::-1]
    lift = np.clip((steep * 26 * near + near * rows * 0.9), 0, level - 1).astype(np.float32)
    gx, _ = np.meshgrid(np.arange(width, dtype=np.float32), np.arange(rows, dtype=np.float32))
    mirrored = cv2.remap(
        np.ascontiguousarray(sky), np.clip(gx + steep * 20 * near, 0, width - 1), lift, cv2.INTER_LINEAR
    )
    facing = np.clip(0.62 - 0.32 * near + 0.20 * steep, 0.04, 1)[..., None]
    water = rgb(deep) * (0.75 + 0.25 * steep[..., None]) * (1 - facing) + mirrored * facing
    path = np.exp(-(((gx - width * sun) / (width * (0.03 + 0.16 * near))) ** 2))
    spark = np.clip(steep * 0.9 + 0.35 * clouds(width, rows, 9, seed + 9, 2, 4.0) - 0.75, 0, 1) * path
    water += rgb(shine) * (spark * (1.5 if light != "storm" else 0.2))[..., None]
    foam = np.clip(steep - 1.75, 0, 1) * (0.9 if light == "storm" else 0.35) * near
    water += foam[..., None] * 0.7
    picture[level:] = water
    picture[level - 1 : level + 2] = cv2.GaussianBlur(picture, (0, 0), 2)[level - 1 : level + 2]
    return finish(bloom(picture, 0.8, height * 0.02, 0.5), seed)
