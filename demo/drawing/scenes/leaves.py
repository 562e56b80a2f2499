"""Leaves that lie over each other, each with its veins and its shadow."""

import math

import cv2
import numpy as np

from drawing.scenes.brush import clouds, finish, lay, rgb, shifted

PALETTES = {
    "autumn": ("#a5391b", "#cc6a1e", "#e2a12e", "#8a2a1e", "#b98b2c", "#6f3b1c"),
    "green": ("#2f6b3a", "#4d8c3f", "#7fae4b", "#1f5240", "#a3bf62", "#3b7d5c"),
    "frost": ("#8fa6a8", "#b9c7c3", "#6d8a86", "#d6dedb", "#9db0a2", "#7b6f63"),
    "plum": ("#5c2445", "#8a3a5c", "#3d3058", "#b2606b", "#70405e", "#2e4a4f"),
}


def _outline(kind, points=160):
    """A leaf upright in a unit frame: its half widths at both sides along its length, as a closed outline."""
    t = np.linspace(0, 1, points)
    if kind == "beech":
        half = 0.30 * np.sin(np.pi * t**0.85) ** 0.9 * (1 + 0.025 * np.sin(t * 46))
    elif kind == "willow":
        half = 0.115 * np.sin(np.pi * t) ** 0.8
    elif kind == "ginkgo":
        a = np.linspace(-1.15, 1.15, points)
        rim = 0.95 + 0.05 * np.sin(a * 9) - 0.22 * np.exp(-((a / 0.08) ** 2))
        fan = np.stack([rim * np.sin(a) * 0.62, -rim * np.cos(a) * 0.9], -1)
        return np.concatenate([[(0.0, 0.05)], fan, [(0.0, 0.05)]])
    else:  # oak
        half = 0.28 * np.sin(np.pi * t**0.8) ** 0.7 * (0.80 + 0.26 * np.sin(t * 27 - 0.8))
    left = np.stack([-half, -t], -1)
    return np.concatenate([left, np.stack([half, -t], -1)[::-1]])


def draw(width, height, palette="autumn", kinds=("beech", "oak"), ground="#3a2c22", count=150, size=0.30, seed=1):
    """A floor of leaves; the last ones lie on top and are the sharpest and lightest."""
    random = np.random.default_rng(seed)
    picture = np.ones((height, width, 3), np.float32) * rgb(ground)
    picture *= 1 + 0.22 * clouds(width, height, 60, seed, 6)[..., None]
    shorter = min(width, height)
    outlines = {kind: _outline(kind) for kind in kinds}
    for number in range(count):
        top = number / count
        long = shorter * size * random.uniform(0.65, 1.2)
        middle = np.array([random.uniform(-0.05, 1.05) * width, random.uniform(-0.05, 1.1) * height])
        kind = kinds[int(random.integers(0, len(kinds)))]
        colour = rgb(PALETTES[palette][int(random.integers(0, 6))])
        _leaf(picture, outlines[kind], kind, middle, long, random.uniform(0, 2 * math.pi), colour, top, random)
    return finish(picture, seed, vignette=0.3)


def _leaf(picture, outline, kind, middle, long, angle, colour, top, random):
    height, width = picture.shape[:2]
    turn = np.array([[math.cos(angle), -math.sin(angle)], [math.sin(angle), math.cos(angle)]])
    place = (outline + (0, 0.5)) @ turn.T * long + middle
    room = int(long * 0.12) + 4
    left, upper = np.floor(place.min(0)).astype(int) - room
    right, lower = np.ceil(place.max(0)).astype(int) + room
    left, upper, right, lower = max(0, left), max(0, upper), min(width, right), min(height, lower)
    if right - left < 4 or lower - upper < 4:
        return
    size = (right - left, lower - upper)
    sheet = np.zeros((size[1], size[0]), np.uint8)
    cv2.fillPoly(sheet, [np.round((place - (left, upper)) * 16).astype(np.int32)], 255, cv2.LINE_AA, 4)
    share = sheet.astype(np.float32) / 255
    there = picture[upper:lower, left:right]
    shift = max(2, int(long * 0.03))
    shadow = cv2.GaussianBlur(shifted(share, shift, shift), (0, 0), max(1.0, long * 0.025))
    there *= 1 - 0.5 * shadow[..., None] * (1 - share[..., None])
    gx, gy = np.meshgrid(np.arange(size[0]) + left - middle[0], np.arange(size[1]) + upper - middle[1])
    along, across = (
        (gx * -math.sin(angle) + gy * math.cos(angle)) / long,
        (gx * math.cos(angle) + gy * math.sin(angle)) / long,
    )
    tone = np.ones((*share.shape, 3), np.float32) * colour * (0.55 + 0.45 * top)
    blot = clouds(size[0], size[1], max(8, long * 0.35), int(random.integers(1e6)), 5)
    tone *= 1 + 0.13 * blot[..., None]
    bright = np.clip(np.sin((along * 2 + np.abs(across) * 1.6) * 12 + random.uniform(0, 6)) * 0.5, -0.5, 0.5)
    if kind == "ginkgo":
        bright = np.sin(np.arctan2(across, 0.55 - along) * 46) * 0.4
    tone *= 1 + 0.10 * bright[..., None] + 0.10 * np.clip(across * 2.2, -1, 1)[..., None]
    vein = np.exp(-((across * long / max(1.2, long * 0.007)) ** 2)) * (kind != "ginkgo")
    if kind in ("beech", "oak"):
        branch = np.abs(((along + np.abs(across) * 0.95 + 0.5) * 9) % 1 - 0.5) * long / 9
        vein = np.maximum(vein, np.exp(-((branch / max(0.9, long * 0.0035)) ** 2)) * 0.55 * (np.abs(across) < 0.3))
    tone = tone * (1 - 0.35 * vein[..., None]) + (colour * 0.6 + 0.36) * 0.35 * vein[..., None]
    lay(there, tone, share)
