"""A tiny round seal on clear ground: the dome in a ring."""

import cv2
import numpy as np

EDGE, FINER = 72, 16
GREEN = (15, 106, 88)


def draw() -> np.ndarray:
    size = EDGE * FINER
    ink = np.zeros((size, size), np.uint8)
    middle = size // 2

    def at(share: float) -> int:
        return int(share * size)

    cv2.circle(ink, (middle, middle), at(0.48), 255, -1)
    cv2.circle(ink, (middle, middle), at(0.43), 0, at(0.022))
    dome = np.zeros_like(ink)
    cv2.ellipse(dome, (middle, at(0.62)), (at(0.28), at(0.3)), 0, 180, 360, 255, at(0.03))
    for share in (0.1, 0.19):
        cv2.ellipse(dome, (middle, at(0.62)), (at(share), at(0.3)), 0, 180, 360, 255, at(0.016))
    cv2.line(dome, (at(0.18), at(0.62)), (at(0.82), at(0.62)), 255, at(0.035))
    cv2.line(dome, (middle, at(0.24)), (middle, at(0.62)), 255, at(0.016))
    for wave in (0.69, 0.745):
        cv2.line(dome, (at(0.28 + (wave - 0.69)), at(wave)), (at(0.72 - (wave - 0.69)), at(wave)), 255, at(0.016))
    ink[dome > 0] = 0
    alpha = cv2.resize(ink, (EDGE, EDGE), interpolation=cv2.INTER_AREA)
    return np.dstack([np.full((EDGE, EDGE, 3), GREEN, np.uint8), alpha])
