"""The terraces on a hazy noon: a flat grey sky, nothing black and nothing white."""

from pathlib import Path

import cv2
import numpy as np

WIDTH, HEIGHT = 2_400, 1_600
VEIL = np.array([0.60, 0.61, 0.62])  # of sRGB's gamma
CLEAR_NEAR, CLEAR_FAR = 0.52, 0.26  # how much of the scene comes through, at the foot and at the top


def draw() -> np.ndarray:
    clear = cv2.imread(str(Path(__file__).parents[1] / "pictures/terraces.jpg"))
    scene = cv2.resize(cv2.cvtColor(clear, cv2.COLOR_BGR2RGB), (WIDTH, HEIGHT), interpolation=cv2.INTER_AREA) / 255.0
    through = np.linspace(CLEAR_FAR, CLEAR_NEAR, HEIGHT)[:, None, None]
    grain = np.random.default_rng(7).standard_normal(scene.shape[:2])[..., None] * 0.008
    return (np.clip(VEIL + through * (scene - VEIL) + grain, 0, 1) * 255 + 0.5).astype(np.uint8)
