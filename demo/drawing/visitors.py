"""Two visitors in the palm room; one wears a name badge that should not be read on a web page."""

import cv2
import numpy as np

from drawing.people import LONG, SHORT, badge, painted

WIDTH, HEIGHT = 3_000, 2_250
HEADS = (
    (-0.92, 0.05, 0.92, 0.20, LONG, 0.50, 0.30, 0.21, 0.10, 0.045, 0.025, 0.17, 0.045, 0.055, 0.50, 0.47, 0.40, 0, 0),
    (
        1.00,
        0.18,
        1.00,
        -0.24,
        SHORT,
        0.25,
        0.135,
        0.085,
        0.016,
        0.013,
        0.012,
        0.060,
        0.085,
        0.050,
        0.35,
        0.30,
        0.18,
        0,
        0,
    ),
)
BADGE = np.array([(0.305, 0.842), (0.418, 0.850), (0.415, 0.950), (0.302, 0.942)]) * (WIDTH, HEIGHT)


def draw() -> np.ndarray:
    picture = painted(HEADS, (WIDTH, HEIGHT), 4.6, False, 21, 0.010).astype(np.float32)
    card = badge(("VISITOR", "Odette Vane", "Allotment Guild"), (560, 360)) * 255
    corners = np.array([(0, 0), (560, 0), (560, 360), (0, 360)], np.float32)
    turn = cv2.getPerspectiveTransform(corners, BADGE.astype(np.float32))
    shadow = cv2.warpPerspective(
        np.ones((360, 560), np.float32), np.array([[1, 0, 10], [0, 1, 16], [0, 0, 1]]) @ turn, (WIDTH, HEIGHT)
    )
    picture *= 1 - 0.45 * cv2.GaussianBlur(shadow, (0, 0), 12)[..., None]
    laid = cv2.warpPerspective(card.astype(np.float32), turn, (WIDTH, HEIGHT), flags=cv2.INTER_AREA)
    cover = cv2.GaussianBlur(
        cv2.warpPerspective(np.ones((360, 560), np.float32), turn, (WIDTH, HEIGHT)), (0, 0), 0.8
    )[..., None]
    light = np.linspace(0.93, 0.80, HEIGHT, dtype=np.float32)[:, None, None]
    grain = np.random.default_rng(4).normal(0, 2.2, (HEIGHT, WIDTH, 1)).astype(np.float32)
    mixed = picture * (1 - cover) + (laid * light + grain) * cover
    return np.clip(np.rint(mixed), 0, 255).astype(np.uint8)
