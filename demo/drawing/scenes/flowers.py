"""Flower heads: petals in rings about a middle of florets, some sharp and near, some far and soft."""

import math

import cv2
import numpy as np

from drawing.scenes.brush import clouds, finish, lay, rgb, shifted

GOLDEN = math.pi * (3 - math.sqrt(5))
KINDS = {
    "daisy": {
        "petals": (26, 22),
        "long": (1.0, 0.86),
        "wide": 0.15,
        "tip": 1.5,
        "colours": ("#fbfaf4", "#ece8dc"),
        "eye": "#e2b023",
        "eye_size": 0.30,
    },
    "sunflower": {
        "petals": (30, 26, 20),
        "long": (1.0, 0.9, 0.78),
        "wide": 0.19,
        "tip": 0.9,
        "colours": ("#f2b416", "#dd8a12"),
        "eye": "#4a2c17",
        "eye_size": 0.44,
    },
    "dahlia": {
        "petals": (26, 24, 22, 18, 14, 10, 7),
        "long": (1.0, 0.88, 0.75, 0.62, 0.48, 0.35, 0.22),
        "wide": 0.25,
        "tip": 1.25,
        "colours": ("#b4224f", "#e0607c"),
        "eye": "#7a1437",
        "eye_size": 0.08,
    },
    "aster": {
        "petals": (46, 38),
        "long": (1.0, 0.85),
        "wide": 0.085,
        "tip": 1.4,
        "colours": ("#8467c2", "#b09be0"),
        "eye": "#e8b93c",
        "eye_size": 0.26,
    },
    "poppy": {
        "petals": (4, 4),
        "long": (1.0, 0.82),
        "wide": 0.92,
        "tip": 1.5,
        "colours": ("#d8341f", "#b21e17"),
        "eye": "#2a2428",
        "eye_size": 0.24,
    },
}


def draw(width, height, kind="daisy", ground="#41633a", heads=9, seed=1, near=0.36, blooms=None):
    """Heads over soft green; `near` is the radius of the largest, of the shorter side."""
    random = np.random.default_rng(seed)
    shorter = min(width, height)
    picture = np.ones((height, width, 3), np.float32) * rgb(ground)
    picture *= 1 + 0.30 * clouds(width, height, shorter * 0.5, seed, 3)[..., None]
    blades = clouds(width, height, shorter * 0.05, seed + 1, 3, 0.12)
    picture *= 1 + 0.12 * cv2.GaussianBlur(blades, (0, 0), shorter * 0.004)[..., None]
    places = blooms or [
        (
            random.uniform(0.05, 0.95),
            random.uniform(0.08, 0.95),
            near * (0.28 + 0.72 * (i / max(1, heads - 1)) ** 1.6),
        )
        for i in range(heads)
    ]
    for x, y, radius in places:
        size = radius * shorter
        far = 1 - min(1.0, radius / near)
        _head(picture, x * width, y * height, size, KINDS[kind], random, far * shorter * 0.012)
    return finish(picture, seed, vignette=0.28)


def _head(picture, x, y, size, kind, random, blur):
    height, width = picture.shape[:2]
    room = int(size * 1.3 + blur * 3) + 6
    left, upper = max(0, int(x) - room), max(0, int(y) - room)
    right, lower = min(width, int(x) + room), min(height, int(y) + room)
    if right - left < 8 or lower - upper < 8:
        return
    part = picture[upper:lower, left:right].copy()
    middle = np.array([x - left, y - upper])
    gx, gy = np.meshgrid(np.arange(right - left) - middle[0], np.arange(lower - upper) - middle[1])
    squash = random.uniform(0.78, 1.0)
    covered = np.zeros(part.shape[:2], np.float32)
    lightest, darkest = rgb(kind["colours"][0]), rgb(kind["colours"][1])
    for ring, (count, reach) in enumerate(zip(kind["petals"], kind["long"])):
        offset = random.uniform(0, 2 * math.pi)
        for number in random.permutation(count):
            angle = offset + 2 * math.pi * number / count + random.normal(0, 0.06)
            long = size * reach * random.uniform(0.92, 1.05)
            wide = size * kind["wide"] * reach**0.6 * random.uniform(0.85, 1.1)
            t = np.linspace(0, 1, 40)
            half = wide / 2 * np.sin(np.pi * t ** kind["tip"]) ** 0.6
            line = np.stack([t * long, half], -1)
            outline = np.concatenate([line, (line * (1, -1))[::-1]])
            turn = np.array([[math.cos(angle), -math.sin(angle)], [math.sin(angle), math.cos(angle)]])
            placed = outline @ turn.T * (1, squash) + middle
            sheet = np.zeros(part.shape[:2], np.uint8)
            cv2.fillPoly(sheet, [np.round(placed * 16).astype(np.int32)], 255, cv2.LINE_AA, 4)
            share = sheet.astype(np.float32) / 255
            along = (gx * math.cos(angle) + gy / squash * math.sin(angle)) / max(long, 1)
            across = (-gx * math.sin(angle) + gy / squash * math.cos(angle)) / max(wide, 1)
            mixed = np.clip(along, 0, 1)[..., None]
            tone = darkest * (1 - mixed) + lightest * mixed
            fold = 1 + 0.10 * np.cos(across * 9)[..., None] + 0.16 * across[..., None] - 0.05 * ring
            shadow = cv2.GaussianBlur(share, (0, 0), max(1.0, size * 0.02))
            part *= 1 - 0.25 * (shadow * (1 - share))[..., None]
            lay(part, tone * fold * random.uniform(0.92, 1.06), share)
            covered = np.maximum(covered, share)
    _eye(part, middle, size * kind["eye_size"], squash, rgb(kind["eye"]), random)
    if blur > 0.6:
        part = cv2.GaussianBlur(part, (0, 0), blur)
        covered = cv2.GaussianBlur(covered, (0, 0), blur)
    there = picture[upper:lower, left:right]
    soft = cv2.GaussianBlur(covered, (0, 0), size * 0.06)
    there *= 1 - 0.35 * (shifted(soft, 0, size * 0.05) * (1 - covered))[..., None]
    reach = np.maximum(covered, (np.hypot(gx, gy / squash) < size * kind["eye_size"]).astype(np.float32))
    lay(there, part, reach)


def _eye(part, middle, size, squash, colour, random):
    count = int(min(900, max(60, size * size / 14)))
    for number in range(count):
        far = math.sqrt(number / count)
        angle = number * GOLDEN
        at = middle + np.array([math.cos(angle), math.sin(angle) * squash]) * far * size
        tone = colour * (0.62 + 0.5 * (1 - far) + 0.25 * random.random())
        radius = max(1, int(size * 0.05 * (0.6 + 0.7 * far)))
        cv2.circle(
            part,
            tuple(int(v) for v in at + (radius * 0.4, radius * 0.4)),
            radius,
            tuple(float(v) for v in colour * 0.35),
            -1,
            cv2.LINE_AA,
        )
        cv2.circle(
            part, tuple(int(v) for v in at), radius, tuple(float(v) for v in np.clip(tone, 0, 1)), -1, cv2.LINE_AA
        )
