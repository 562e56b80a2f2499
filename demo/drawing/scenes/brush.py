"""What all scenes paint with: clouds of noise, gradients, soft light, shapes that lie over each other."""

import cv2
import numpy as np


def rgb(text):
    """A colour like #0f6a58 as three floats of 0 to 1."""
    return np.array([int(text[i : i + 2], 16) for i in (1, 3, 5)], np.float32) / 255


def clouds(width, height, size, seed, octaves=5, stretch=1.0, gain=0.5):
    """Noise in octaves about 0, its largest lumps `size` pixels wide; deviation about 1."""
    random = np.random.default_rng(seed)
    total, weight = np.zeros((height, width), np.float32), 1.0
    for octave in range(octaves):
        step = max(2.0, size / 2**octave)
        grid = random.normal(0, 1, (int(height / step) + 4, int(width / (step * stretch)) + 4)).astype(np.float32)
        wide, high = int(grid.shape[1] * step * stretch), int(grid.shape[0] * step)
        total += weight * cv2.resize(grid, (wide, high), interpolation=cv2.INTER_CUBIC)[:height, :width]
        weight *= gain
    return (total - total.mean()) / (total.std() + 1e-6)


def down(width, height, stops):
    """A gradient from above: pairs of a place (0 to 1) and a colour."""
    places = [place for place, _ in stops]
    colours = np.array([rgb(colour) for _, colour in stops])
    y = np.linspace(0, 1, height)
    column = np.stack([np.interp(y, places, colours[:, band]) for band in range(3)], -1).astype(np.float32)
    return np.repeat(column[:, None, :], width, axis=1)


def lay(picture, colour, share):
    """Lay a colour (or a picture) over it as far as `share` says, 0 to 1."""
    share = np.clip(share, 0, 1).astype(np.float32)[..., None]
    over = np.asarray(colour, np.float32)
    picture *= 1 - share
    picture += over * share


def glow(width, height, x, y, radius, power=2.0):
    """Light about a point, 1 in its middle; places and radius in pixels."""
    gx, gy = np.meshgrid(np.arange(width, dtype=np.float32), np.arange(height, dtype=np.float32))
    far = np.hypot(gx - x, gy - y) / radius
    return (1 / (1 + far**power)).astype(np.float32)


def mask(width, height, polygons, finer=2, soft=0.0):
    """Where polygons (in pixels) cover, with smooth edges."""
    sheet = np.zeros((height * finer, width * finer), np.uint8)
    for polygon in polygons:
        cv2.fillPoly(sheet, [np.round(np.asarray(polygon) * finer).astype(np.int32)], 255, cv2.LINE_AA)
    covered = cv2.resize(sheet, (width, height), interpolation=cv2.INTER_AREA).astype(np.float32) / 255
    return cv2.GaussianBlur(covered, (0, 0), soft) if soft else covered


def shifted(covered, across, down_by):
    """A mask moved by so many pixels; nothing comes in at the other side."""
    matrix = np.array([[1, 0, across], [0, 1, down_by]], np.float32)
    return cv2.warpAffine(covered, matrix, (covered.shape[1], covered.shape[0]))


def finish(picture, seed, grain=0.012, vignette=0.18, warmth=0.0):
    """Film at the end: a little grain, darker corners, 8 bits."""
    height, width = picture.shape[:2]
    random = np.random.default_rng(seed + 99)
    x, y = np.meshgrid(np.linspace(-1, 1, width, dtype=np.float32), np.linspace(-1, 1, height, dtype=np.float32))
    picture = picture * (1 - vignette * (x**2 + y**2) / 2)[..., None]
    picture = picture * np.array([1 + warmth, 1, 1 - warmth], np.float32)
    speck = cv2.GaussianBlur(random.normal(0, 1, (height, width)).astype(np.float32), (0, 0), 0.7)
    picture = picture + (speck * grain * 1.6)[..., None] * (0.4 + 0.6 * np.sqrt(np.clip(picture, 0, 1)))
    return np.rint(np.clip(picture, 0, 1) * 255).astype(np.uint8)


def bloom(picture, from_value=0.75, radius=24, strength=0.5):
    """Light that spills over from what is bright."""
    bright = np.clip(picture - from_value, 0, None)
    return picture + cv2.GaussianBlur(bright, (0, 0), radius) * strength
