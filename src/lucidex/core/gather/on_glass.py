"""What lies on a scanner's glass, found on a quick preview: the sheet, how askew it lies, and the ink on it."""

import math
from dataclasses import dataclass

import cv2
import numpy as np
import numpy.typing as npt

from lucidex.core.geometry.sizes import Window
from lucidex.core.picture.effects.two_tone import ink_in

Bytes = npt.NDArray[np.uint8]

RIM_SHARE = 0.012  # of the longer side: where the lid is looked at
APART_FROM_LID = 5.0  # code values, after softening
LEAST_SHEET, LEAST_INK = 0.01, 0.00002  # of the glass
INK_FROM = 0.22  # darker than the paper nearby
PAPER_RADIUS_SHARE = 0.02  # of the longer side
EDGE_SHARE = 0.012  # of the longer side: a sheet's own edge is no ink
MOST_ASKEW = 12.0  # degrees: beyond, nobody meant it to lie straight
INK_MARGIN = 0.06  # of the ink's longer side, left around it


@dataclass(frozen=True)
class OnGlass:
    """Windows in pixels of the preview; None where nothing is found. Positive degrees: it leans to the right."""

    sheet: Window | None
    ink: Window | None
    askew_degrees: float


def find_on_glass(pixels: Bytes) -> OnGlass:
    """Look at a preview of all of the glass, height × width × 3 bytes of sRGB, at 50 to 150 dpi."""
    longest = max(pixels.shape[:2])
    sheet = _sheet(pixels, max(2, round(RIM_SHARE * longest)))
    if sheet is None:
        return OnGlass(None, None, 0.0)
    around, mask, angle = sheet
    edge = max(2, round(EDGE_SHARE * longest))
    within = cv2.erode(mask, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * edge + 1, 2 * edge + 1)))
    darkness = ink_in(np.asarray(cv2.medianBlur(pixels, 3), np.uint8), max(3.0, PAPER_RADIUS_SHARE * longest))
    ink = ((darkness > INK_FROM) & (within > 0)).astype(np.uint8)
    return OnGlass(around, _around_ink(ink), angle)


def _sheet(pixels: Bytes, rim: int) -> tuple[Window, Bytes, float] | None:
    """Where something covers the lid, as one mask without holes, with its bounds and its angle."""
    edges = (pixels[:rim], pixels[-rim:], pixels[:, :rim], pixels[:, -rim:])
    lid = np.median(np.concatenate([part.reshape(-1, 3) for part in edges]), axis=0)
    soft = cv2.GaussianBlur(pixels, (0, 0), 2.0).astype(np.float32)
    covered = (np.abs(soft - lid).max(axis=-1) > APART_FROM_LID).astype(np.uint8)
    covered = cv2.morphologyEx(covered, cv2.MORPH_CLOSE, np.ones((9, 9), np.uint8))
    outlines, _ = cv2.findContours(covered, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    largest = max(outlines, key=cv2.contourArea, default=None)
    if largest is None or cv2.contourArea(largest) < LEAST_SHEET * covered.size:
        return None
    mask = np.zeros(covered.shape, np.uint8)
    cv2.drawContours(mask, [largest], -1, 1, cv2.FILLED)
    left, top, width, height = cv2.boundingRect(largest)
    _, _, turned = cv2.minAreaRect(largest)
    angle = (turned + 45) % 90 - 45  # of the side that is nearest to level
    return Window(left, top, width, height), mask, angle if abs(angle) <= MOST_ASKEW else 0.0


def _around_ink(ink: Bytes) -> Window | None:
    count, labels, stats, _ = cv2.connectedComponentsWithStats(ink, connectivity=8)
    parts = [stats[label] for label in range(1, count) if stats[label][cv2.CC_STAT_AREA] >= LEAST_INK * labels.size]
    if not parts:
        return None
    left, top = min(part[0] for part in parts), min(part[1] for part in parts)
    right = max(part[0] + part[2] for part in parts)
    bottom = max(part[1] + part[3] for part in parts)
    margin = math.ceil(INK_MARGIN * max(right - left, bottom - top))
    height, width = ink.shape
    left, top = max(0, int(left) - margin), max(0, int(top) - margin)
    return Window(left, top, min(width, int(right) + margin) - left, min(height, int(bottom) + margin) - top)
