"""Red pupils of a face: the flash thrown back. Judged against the face's own skin, so that warm light reddens none.

A brown iris in warm light is as red in numbers as a pupil in a flash. Divided by the colour of the skin beside it, it
is not: what is left is dark and orange, where the flash's red is light and of no lean to yellow.
"""

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

from lucidex.core.faces.detection import Bytes, Face
from lucidex.core.geometry.sizes import Point, Window

SKIN = Window(0.2, 0.4, 0.6, 0.35)  # of a face: below the eyes, above the chin
EYE_REACH = 0.14  # of a face's width: how far from an eye's place its pupil is
LEAST_REACH = 3.0  # pixels
DIAMETERS = (0.012, 0.12)  # of a face's width
LEAST_PIXELS = 5
SEEN_FROM = 0.36  # how much of the red stands above the other colours, skin being 0
SURE_FROM = 0.48  # in the mean of a pupil
LIGHT_FROM = 0.30  # of the skin's red: an iris in the shade of its lid is darker
LEANS_FROM = 0.62  # of the green in the blue: what has less is orange or brown
ROUND_FROM = 0.5  # of the circle around it
APART_FROM = 0.15  # how much redder than the other eye, where that one is no red pupil

Floats32 = npt.NDArray[Any]


@dataclass(frozen=True)
class FlashEye:
    """What looks like a red pupil, in pixels of the raster: middle, radius, and whether there is no doubt."""

    middle: Point
    radius: float
    is_sure: bool


@dataclass(frozen=True)
class _Candidate:
    middle: Point
    radius: float
    redness: float
    is_plain: bool


def flash_eyes(pixels: Bytes, face: Face) -> list[FlashEye]:
    """The red pupils of a face in a height × width × 3 or more raster of sRGB bytes."""
    skin = _skin(pixels, face.window)
    if skin is None:
        return []
    found = [_candidate(pixels, eye, face.window.width, skin) for eye in face.eyes]
    eyes = []
    for one, place, other in zip(found, face.eyes[::-1], found[::-1], strict=True):
        if one is None:
            continue
        if other is None or not other.is_plain:
            beside = _relative(_around(pixels, place, max(LEAST_REACH, one.radius))[0], skin)
            stands_out = beside.size == 0 or one.redness - float(np.median(_redness(beside))) >= APART_FROM
        else:
            stands_out = True
        eyes.append(FlashEye(one.middle, one.radius, one.is_plain and stands_out))
    return eyes


def _skin(pixels: Bytes, face: Window) -> Floats32 | None:
    """The colour of a face's skin, three values of 0 to 1; None where it has none to compare with."""
    left, top = face.left + SKIN.left * face.width, face.top + SKIN.top * face.height
    across, down = SKIN.width * face.width, SKIN.height * face.height
    part = pixels[
        max(0, int(top)) : max(0, int(top + down) + 1), max(0, int(left)) : max(0, int(left + across) + 1), :3
    ]
    if part.size == 0:
        return None
    colour: Floats32 = np.median(part.reshape(-1, 3), axis=0).astype(np.float32) / 255
    return colour if colour.min() > 0 else None


def _around(pixels: Bytes, middle: Point, reach: float) -> tuple[Bytes, int, int]:
    left, top = max(0, int(middle.x - reach)), max(0, int(middle.y - reach))
    return pixels[top : max(0, int(middle.y + reach) + 1), left : max(0, int(middle.x + reach) + 1), :3], left, top


def _relative(part: Bytes, skin: Floats32) -> Floats32:
    """Colours where the skin is white."""
    return part.astype(np.float32) / 255 / skin


def _redness(colours: Floats32) -> Floats32:
    """How much of the red stands above the other colours, 0 to 1; what is dark is not seen as red."""
    red, other = colours[..., 0], colours[..., 1:3].max(axis=-1)
    share: Floats32 = np.where(red > LIGHT_FROM * 0.7, np.clip(red - other, 0, None) / np.maximum(red, 1e-6), 0)
    return share


def _candidate(pixels: Bytes, eye: Point, face_width: float, skin: Floats32) -> _Candidate | None:
    reach = max(LEAST_REACH, EYE_REACH * face_width)
    part, left, top = _around(pixels, eye, 2 * reach)
    if part.size == 0:
        return None
    colours = _relative(part, skin)
    share = _redness(colours)
    count, labels, stats, middles = cv2.connectedComponentsWithStats(
        (share > SEEN_FROM).astype(np.uint8), connectivity=8
    )
    near = [
        label
        for label in range(1, count)
        if np.hypot(middles[label][0] + 0.5 + left - eye.x, middles[label][1] + 0.5 + top - eye.y) <= reach
        and stats[label][cv2.CC_STAT_AREA] >= LEAST_PIXELS
    ]
    shaped = ((label, *_circle(labels == label)) for label in near)
    least, most = (share * face_width for share in DIAMETERS)
    whole = [one for one in shaped if least <= 2 * one[2] <= max(most, 2 * LEAST_REACH)]
    best = max(whole, key=lambda one: int(stats[one[0]][cv2.CC_STAT_AREA]), default=None)
    if best is None:
        return None
    label, middle, radius, roundness = best
    mean = colours[labels == label].mean(axis=0)
    red = float(share[labels == label].mean())
    is_light, leans = float(mean[0]) >= LIGHT_FROM, float(mean[2]) < LEANS_FROM * float(mean[1])
    if red < SURE_FROM and (leans or not is_light):
        return None  # an iris, as it is
    is_plain = red >= SURE_FROM and is_light and not leans and roundness >= ROUND_FROM
    return _Candidate(Point(middle.x + left, middle.y + top), radius, red, is_plain)


def _circle(mask: npt.NDArray[np.bool_]) -> tuple[Point, float, float]:
    """The circle around what is set, and how much of it that fills with the light that is mirrored in it."""
    outlines, _ = cv2.findContours(mask.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    points = np.concatenate(outlines)
    (x, y), radius = cv2.minEnclosingCircle(points.astype(np.float32))
    filled = np.zeros(mask.shape, np.uint8)
    cv2.drawContours(filled, outlines, -1, 1, cv2.FILLED)
    return Point(x + 0.5, y + 0.5), radius + 0.5, float(filled.sum()) / (np.pi * (radius + 0.5) ** 2)
