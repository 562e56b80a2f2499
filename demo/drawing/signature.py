"""A signature in blue-black ink, scanned askew on a greyish, unevenly lit page."""

import cv2
import numpy as np

WIDTH, HEIGHT, FINER = 2_480, 1_754, 2
ASKEW_DEGREES = -4.2
INK = (30, 38, 92)
STROKES = (
    # M, with a long first stroke
    (
        (700, 1010),
        (745, 800),
        (800, 640),
        (835, 700),
        (850, 900),
        (905, 720),
        (965, 640),
        (985, 760),
        (975, 960),
        (1010, 1000),
    ),
    # "ara"
    (
        (1010, 1000),
        (1060, 930),
        (1100, 880),
        (1060, 870),
        (1030, 930),
        (1050, 985),
        (1105, 930),
        (1110, 985),
        (1150, 960),
        (1170, 890),
        (1200, 905),
        (1190, 975),
        (1235, 930),
        (1270, 880),
        (1235, 880),
        (1215, 935),
        (1240, 980),
        (1285, 930),
        (1290, 985),
        (1340, 940),
    ),
    # E
    (
        (1580, 690),
        (1500, 660),
        (1440, 720),
        (1480, 790),
        (1540, 800),
        (1440, 830),
        (1400, 930),
        (1470, 1000),
        (1570, 960),
    ),
    # "llery", ending in a loop below
    (
        (1570, 960),
        (1640, 800),
        (1680, 650),
        (1650, 640),
        (1620, 800),
        (1630, 970),
        (1690, 900),
        (1740, 690),
        (1715, 650),
        (1685, 800),
        (1695, 975),
        (1750, 920),
        (1795, 880),
        (1775, 930),
        (1760, 985),
        (1820, 960),
        (1850, 890),
        (1880, 905),
        (1870, 975),
        (1930, 900),
        (1935, 960),
        (1990, 890),
        (1960, 1060),
        (1880, 1180),
        (1840, 1120),
        (1960, 1020),
        (2090, 960),
    ),
    # the stroke under it all
    ((640, 1120), (1000, 1082), (1500, 1096), (2020, 1052)),
)


def curve(points: np.ndarray, each: int = 40) -> np.ndarray:
    """A smooth line through points (Catmull and Rom 1974)."""
    padded = np.vstack([points[0], points, points[-1]])
    t = np.linspace(0, 1, each, endpoint=False)[:, None]
    parts = []
    for a, b, c, d in zip(padded, padded[1:], padded[2:], padded[3:]):
        parts.append(
            0.5 * (2 * b + (c - a) * t + (2 * a - 5 * b + 4 * c - d) * t**2 + (3 * b - a - 3 * c + d) * t**3)
        )
    return np.vstack(parts)


def draw() -> np.ndarray:
    random = np.random.default_rng(12)
    ink = np.zeros((HEIGHT * FINER, WIDTH * FINER), np.uint8)
    for stroke in STROKES:
        line = curve(np.array(stroke, float))
        ahead = np.gradient(line, axis=0)
        down = ahead[:, 1] / (np.hypot(*ahead.T) + 1e-6)
        widths = 7.5 + 5 * np.clip(down, -0.4, 1) + 0.6 * np.sin(np.arange(len(line)) / 9)
        for start, end, width in zip(line, line[1:], widths):
            a, b = (tuple(int(v * FINER) for v in p) for p in (start, end))
            cv2.line(ink, a, b, 255, max(2, int(width * FINER)), cv2.LINE_AA)
    ink = cv2.resize(ink, (WIDTH, HEIGHT), interpolation=cv2.INTER_AREA).astype(np.float32) / 255
    turn = cv2.getRotationMatrix2D((WIDTH / 2, HEIGHT / 2), ASKEW_DEGREES, 1)
    ink = cv2.warpAffine(ink, turn, (WIDTH, HEIGHT), flags=cv2.INTER_CUBIC)
    ink = np.clip(cv2.GaussianBlur(ink, (0, 0), 1.1), 0, 1)
    density = np.clip(
        0.86 + cv2.GaussianBlur(random.normal(0, 1.0, ink.shape).astype(np.float32), (0, 0), 6) * 0.9, 0.6, 1
    )
    x, y = np.meshgrid(np.linspace(-1, 1, WIDTH), np.linspace(-1, 1, HEIGHT))
    light = 209 + 14 * x - 11 * y - 12 * x**2 - 7 * y**2 + 5 * x * y
    fibre = cv2.GaussianBlur(random.normal(0, 1, ink.shape).astype(np.float32), (0, 0), 2.2) * 5
    grain = random.normal(0, 2.4, (HEIGHT, WIDTH, 1)).astype(np.float32)
    page = (light + fibre)[..., None] * np.array([1.0, 0.992, 0.965]) + grain
    mixed = page * (1 - (ink * density)[..., None]) + np.array(INK) * (ink * density)[..., None]
    for _ in range(14):
        at = int(random.integers(0, WIDTH)), int(random.integers(0, HEIGHT))
        cv2.circle(mixed, at, int(random.integers(1, 3)), (120, 116, 108), -1, cv2.LINE_AA)
    return np.clip(mixed, 0, 255).astype(np.uint8)
