"""A scan of an old print: the terraces in brown, with paper grain, dust, hairs, a scratch, a fold and a torn corner."""

import math
from pathlib import Path

import cv2
import numpy as np

WIDTH, HEIGHT = 2_800, 2_000
PRINT = (150, 120, 2_640, 1_870)  # left, top, right, bottom of the print on the glass
DUST, HAIRS = 95, 7
random = np.random.default_rng(1931)


def rough(shape, scale, seed):
    """Smooth unevenness around 0."""
    small = (
        np.random.default_rng(seed).standard_normal((shape[0] // scale + 3, shape[1] // scale + 3)).astype(np.float32)
    )
    return cv2.resize(small, (shape[1], shape[0]), interpolation=cv2.INTER_CUBIC)


def brown(grey):
    """The tones of an old print: warm shadows, yellowed paper."""
    tones = np.linspace(0, 1, 5)
    colours = np.array([(42, 32, 26), (92, 74, 58), (146, 123, 97), (197, 176, 145), (228, 212, 184)], np.float32)
    return np.stack([np.interp(grey, tones, colours[:, band]) for band in range(3)], axis=-1).astype(np.float32)


def wavering(points, count, jitter, seed):
    """A line through points that a hand would not draw straight."""
    points = np.array(points, np.float64)
    at = np.linspace(0, len(points) - 1, count)
    line = np.stack([np.interp(at, np.arange(len(points)), points[:, axis]) for axis in (0, 1)], axis=1)
    drift = np.cumsum(np.random.default_rng(seed).normal(0, jitter, line.shape), axis=0)
    return line + drift - np.linspace(0, 1, count)[:, None] * drift[-1]


def draw() -> np.ndarray:
    left, top, right, bottom = PRINT
    width, height = right - left, bottom - top
    picture = cv2.imread(str(Path(__file__).parents[1] / "pictures/terraces.jpg"))
    tall, wide = picture.shape[:2]
    across = min(wide, int(tall * (width - 140) / (height - 140)))
    start = (wide - across) // 2
    cut = cv2.cvtColor(picture[:, start : start + across], cv2.COLOR_BGR2GRAY).astype(np.float32) / 255
    grey = cv2.resize(cut, (width - 140, height - 140), interpolation=cv2.INTER_AREA)
    grey = cv2.GaussianBlur(grey, (0, 0), 1.3)
    vignette = rough(grey.shape, 500, 5) * 0.03
    grey = 0.16 + 0.66 * np.clip(grey * 1.15, 0, 1) ** 1.05 + vignette
    sheet = np.full((height, width), 0.93, np.float32)
    sheet[70:-70, 70:-70] = grey
    sheet += rough(sheet.shape, 3, 6) * 0.012 + rough(sheet.shape, 160, 7) * 0.018
    paper = brown(np.clip(sheet, 0, 1))
    paper *= 1 - 0.10 * np.clip(rough(sheet.shape, 420, 8), 0, 2)[..., None] * np.array([0.3, 0.6, 1.0], np.float32)
    # a fold across, where the emulsion cracked
    fold = wavering([(0, height * 0.64), (width, height * 0.60)], 400, 0.5, 9)
    crack = np.zeros((height, width), np.float32)
    cv2.polylines(crack, [np.int32(fold * 16)], False, 1.0, 3, cv2.LINE_AA, 4)
    ridge = cv2.GaussianBlur(crack, (0, 0), 9)
    broken = cv2.GaussianBlur(crack * (rough(crack.shape, 14, 10) > -0.35), (0, 0), 0.8)
    paper = paper * (1 - 0.35 * ridge[..., None]) + broken[..., None] * (np.array([232, 224, 206]) - paper) * 0.85
    # one long scratch
    scratch = np.zeros((height, width), np.float32)
    line = wavering(
        [(width * 0.58, height * 0.08), (width * 0.66, height * 0.45), (width * 0.71, height * 0.93)], 300, 0.35, 11
    )
    cv2.polylines(scratch, [np.int32(line * 16)], False, 1.0, 4, cv2.LINE_AA, 4)
    scratch = np.clip(cv2.GaussianBlur(scratch, (0, 0), 0.9) * (0.75 + 0.4 * rough(scratch.shape, 30, 12)), 0, 1)
    paper += (np.array([236, 228, 210]) - paper) * scratch[..., None] * 0.9
    # on the scanner's glass: the lid is a light grey, the print throws a thin shadow
    scan = np.full((HEIGHT, WIDTH, 3), (214, 214, 212), np.float32) + rough((HEIGHT, WIDTH), 2, 13)[..., None] * 1.6
    there = np.zeros((HEIGHT, WIDTH), np.float32)
    there[top:bottom, left:right] = 1
    tear = wavering(
        [
            (right - 430, top - 8),
            (right - 330, top + 90),
            (right - 190, top + 150),
            (right - 110, top + 290),
            (right + 8, top + 370),
        ],
        160,
        2.2,
        14,
    )
    torn = np.vstack([tear, [(right + 60, top - 60)]])
    gone = np.zeros_like(there)
    cv2.fillPoly(gone, [np.int32(torn * 16)], 1.0, cv2.LINE_AA, 4)
    there *= 1 - gone
    rim = np.clip(cv2.GaussianBlur(gone, (0, 0), 7) * 2.4, 0, 1) * there
    laid = np.zeros_like(scan)
    laid[top:bottom, left:right] = paper
    laid += (np.array([240, 236, 226]) - laid) * rim[..., None]
    scan *= 1 - 0.20 * cv2.GaussianBlur(there, (0, 0), 8)[..., None]
    there = cv2.GaussianBlur(there, (0, 0), 0.7)[..., None]
    scan = scan * (1 - there) + laid * there
    # dust and hairs, on the glass and on the print
    for _ in range(DUST):
        x, y = random.uniform(left + 20, right - 20), random.uniform(top + 20, bottom - 20)
        radius = random.uniform(1.6, 4.6) if random.random() < 0.85 else random.uniform(5, 8)
        light = random.random() < 0.72
        speck = np.zeros((41, 41), np.float32)
        angle = random.uniform(0, 180)
        cv2.ellipse(
            speck,
            (20 * 16, 20 * 16),
            (int(radius * 16), int(radius * random.uniform(0.5, 1) * 16)),
            angle,
            0,
            360,
            1.0,
            -1,
            cv2.LINE_AA,
            4,
        )
        speck = cv2.GaussianBlur(speck, (0, 0), 0.7) * random.uniform(0.75, 1)
        r, c = int(y) - 20, int(x) - 20
        if r < 0 or c < 0 or r + 41 > HEIGHT or c + 41 > WIDTH:
            continue
        part = scan[r : r + 41, c : c + 41]
        part += ((245, 242, 235) - part if light else (38, 30, 26) - part) * speck[..., None]
    for number in range(HAIRS):
        x, y, turn = (
            random.uniform(left + 100, right - 500),
            random.uniform(top + 100, bottom - 300),
            random.uniform(0, 6),
        )
        bend = random.uniform(-0.02, 0.02)
        length = int(random.uniform(60, 190))
        steps = turn + bend * np.arange(length)
        path = np.stack([x + np.cumsum(np.cos(steps)), y + np.cumsum(np.sin(steps))], axis=1)
        hair = np.zeros((HEIGHT, WIDTH), np.float32)
        cv2.polylines(hair, [np.int32(path * 16)], False, 1.0, 2, cv2.LINE_AA, 4)
        hair = cv2.GaussianBlur(hair, (0, 0), 0.7)[..., None] * 0.8
        scan += ((240, 238, 232) - scan if number % 2 else (52, 42, 36) - scan) * hair
    grain = np.random.default_rng(15).normal(0, 2.0, (HEIGHT, WIDTH, 1)) + np.random.default_rng(16).normal(
        0, 0.8, (HEIGHT, WIDTH, 3)
    )
    matrix = cv2.getRotationMatrix2D((WIDTH / 2, HEIGHT / 2), math.degrees(0.004), 1)
    turned = cv2.warpAffine(scan, matrix, (WIDTH, HEIGHT), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    return np.clip(np.rint(turned + grain), 0, 255).astype(np.uint8)
