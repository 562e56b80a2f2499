"""Three friends at the evening opening, by flash: five red eyes, as one looked aside with the other."""

import numpy as np

from drawing.people import LONG, SHORT, TIED, painted

WIDTH, HEIGHT = 3_000, 2_000
HEADS = (
    (
        -1.62,
        -0.02,
        0.86,
        0.10,
        TIED,
        0.46,
        0.27,
        0.19,
        0.22,
        0.12,
        0.055,
        0.05,
        0.08,
        0.16,
        0.42,
        0.40,
        0.36,
        1.0,
        1.0,
    ),
    (
        0.02,
        0.20,
        0.95,
        -0.02,
        SHORT,
        0.30,
        0.165,
        0.105,
        0.020,
        0.015,
        0.013,
        0.16,
        0.15,
        0.14,
        0.10,
        0.09,
        0.08,
        0.9,
        1.0,
    ),
    (
        1.66,
        -0.06,
        0.88,
        -0.16,
        LONG,
        0.52,
        0.31,
        0.23,
        0.055,
        0.028,
        0.018,
        0.20,
        0.065,
        0.045,
        0.45,
        0.38,
        0.22,
        1.0,
        0.0,
    ),
)


def draw() -> np.ndarray:
    return painted(HEADS, (WIDTH, HEIGHT), 5.6, True, 33, 0.014)
