"""The pond before the dome, photographed with a tilted camera."""

from pathlib import Path

import cv2
import numpy as np

WIDTH, HEIGHT = 3_000, 2_000
TILT_DEGREES = 3.4


def draw() -> np.ndarray:
    dusk = cv2.cvtColor(cv2.imread(str(Path(__file__).parents[1] / "pictures/dome-at-dusk.jpg")), cv2.COLOR_BGR2RGB)
    width = dusk.shape[1]
    scale = WIDTH / (width * 0.62)
    small = cv2.resize(dusk, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    turn = cv2.getRotationMatrix2D((small.shape[1] * 0.56, small.shape[0] * 0.6), TILT_DEGREES, 1)
    turn[:, 2] += np.array([WIDTH / 2 - small.shape[1] * 0.56, HEIGHT / 2 - small.shape[0] * 0.6])
    out = cv2.warpAffine(small, turn, (WIDTH, HEIGHT), flags=cv2.INTER_LANCZOS4, borderMode=cv2.BORDER_CONSTANT)
    assert (out.max(axis=-1) > 0).mean() > 0.999, "the tilted picture must be full"
    return out
