"""The nave on an evening walk, exposed far too short: nearly all of it lies in the lowest quarter."""

from pathlib import Path

import cv2
import numpy as np

WIDTH, HEIGHT = 1_800, 2_400
STOPS, GRAIN = -3.1, 0.0035
EVENING = np.array([0.96, 0.98, 1.06])


def draw() -> np.ndarray:
    nave = cv2.imread(str(Path(__file__).parents[1] / "pictures/IMG_0412.JPG"))
    small = cv2.resize(cv2.cvtColor(nave, cv2.COLOR_BGR2RGB), (WIDTH, HEIGHT), interpolation=cv2.INTER_AREA) / 255.0
    light = np.where(small <= 0.04045, small / 12.92, ((small + 0.055) / 1.055) ** 2.4) * EVENING * 2.0**STOPS
    light += np.random.default_rng(2).standard_normal(light.shape) * GRAIN * np.sqrt(light + 0.002)
    light = np.clip(light, 0, 1)
    encoded = np.where(light <= 0.0031308, 12.92 * light, 1.055 * light ** (1 / 2.4) - 0.055)
    return (encoded * 255 + 0.5).astype(np.uint8)
