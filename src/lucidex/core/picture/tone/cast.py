"""Whether a cast of colour lies over the whole picture, and which.

Three estimates of the light's colour, each from other evidence: the brightest parts (E. H. Land's retinex), a power
mean of all (Finlayson and Trezzi, Shades of Gray, 2004), and a power mean of the edges (van de Weijer, Gevers and
Gijsenij, Edge-Based Color Constancy, 2007). Each alone takes a green leaf for green light. Only where all three
agree (or the first two very closely), and on a light that lamps and skies have, is the cast believed: a picture that
is right is left alone.
"""

import cv2
import numpy as np
import numpy.typing as npt

from lucidex.core.luma import BT709_LUMA
from lucidex.core.picture.tone.development import balance_for_grey, to_linear
from lucidex.core.source.pyramid import AnyPixels

CLIPPED_FROM, DARK_UNTIL = 250, 0.02  # a code value, and linear luminance: beyond them nothing is known of the light
BRIGHTEST_SHARE = 0.04
POWER_OF_ALL, POWER_OF_EDGES = 6, 5
SMOOTHED_BY = 1.2  # raster pixels
AGREEING, DISAGREEING = 0.15, 0.40  # apart, in warmth and tint: wholly believed up to one, not at all from the other
CLOSE, NOT_CLOSE, FAR_APART = 0.05, 0.10, 0.5  # for the brightest and the mean alone, the edges not far from them
SURE_OF_TWO = 0.85
NEARLY_RIGHT = 0.16  # a cast this slight stays, and one twice as strong goes
SLIGHT = 0.45  # up to here a picture may be so by what it shows, and they must agree more closely
CLOSER_ON_SLIGHT, CLOSER_FOR_TWO = 0.6, 0.4
GREENEST_LIGHT = 0.30  # of tint: a greener picture shows something green
MIN_PIXELS = 200
WHITE_FROM, WHITE_SHARE = (
    246,
    0.005,
)  # code values of all channels, and of all pixels: then white is known to be white

Floats = npt.NDArray[np.float64]


def found_cast(pixels: AnyPixels) -> tuple[float, float]:
    """The warmth and tint, −1 to 1, that take the cast away; (0, 0) where there is none to be sure of.

    `pixels`: n × m × 3 bytes of sRGB.
    """
    if (pixels.min(axis=-1) >= WHITE_FROM).mean() > WHITE_SHARE:
        return 0.0, 0.0
    light: Floats = cv2.GaussianBlur(to_linear(pixels / 255.0), (0, 0), SMOOTHED_BY).astype(np.float64)
    luminance: Floats = light @ np.array(BT709_LUMA)
    known = (pixels.max(axis=-1) < CLIPPED_FROM) & (luminance > DARK_UNTIL)
    if np.count_nonzero(known) < MIN_PIXELS:
        return 0.0, 0.0
    estimates = np.array([balance_for_grey(colour) for colour in _lights(light, luminance, known)])
    warmth, tint = np.median(estimates, axis=0)
    size = float(np.hypot(warmth, tint))
    sure = _sureness(estimates, size)
    if size <= NEARLY_RIGHT or tint > GREENEST_LIGHT:
        return 0.0, 0.0
    share = sure * min(1.0, (size - NEARLY_RIGHT) / NEARLY_RIGHT)
    return float(warmth * share) + 0.0, float(tint * share) + 0.0


def _sureness(estimates: Floats, size: float) -> float:
    """How far the estimates are believed, 0 to 1: all three agree; on a strong cast the first two, closely."""
    apart = np.linalg.norm(estimates[:, None] - estimates[None], axis=-1)
    closer, for_two = (CLOSER_ON_SLIGHT, CLOSER_FOR_TWO) if size < SLIGHT else (1.0, 1.0)
    by_all = _falling(float(apart.max()), closer * AGREEING, closer * DISAGREEING)
    by_two = SURE_OF_TWO * _falling(float(apart[0, 1]), for_two * CLOSE, for_two * NOT_CLOSE)
    by_two = by_two if apart.max() < FAR_APART else 0.0
    return max(by_all, by_two)


def _falling(value: float, whole: float, none: float) -> float:
    return float(np.clip((none - value) / (none - whole), 0, 1))


def _lights(light: Floats, luminance: Floats, known: npt.NDArray[np.bool_]) -> tuple[Floats, Floats, Floats]:
    seen = light[known]
    bright = seen[luminance[known] >= np.quantile(luminance[known], 1 - BRIGHTEST_SHARE)]
    steepness = np.abs(cv2.Sobel(light, cv2.CV_64F, 1, 0)) + np.abs(cv2.Sobel(light, cv2.CV_64F, 0, 1))
    return (
        np.exp(np.log(bright + 1e-4).mean(axis=0)),
        _power_mean(seen, POWER_OF_ALL),
        _power_mean(steepness[known], POWER_OF_EDGES),
    )


def _power_mean(values: Floats, power: int) -> Floats:
    mean: Floats = (values**power).mean(axis=0) ** (1 / power)
    return mean
