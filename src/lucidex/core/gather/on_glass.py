"""What lies on a scanner's glass, found on a quick preview: papers, how askew they lie, and the ink on them."""

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
LEAST_PAPER, LEAST_INK = 0.0012, 0.00002  # of the glass: about 9 mm square, so that a stamp is one
NARROWEST_PAPER = 0.015  # of the longer side: a hair on the glass is no paper
MOST_PAPERS = 12
INK_FROM = 0.22  # darker than the paper nearby
PAPER_RADIUS_SHARE = 0.02  # of the longer side
EDGE_SHARE = 0.012  # of the longer side, and of a small paper's own shorter one: its edge is no ink
SMALL_EDGE_SHARE = 0.06
MOST_ASKEW = 22.0  # degrees: beyond, nobody meant it to lie straight
INK_MARGIN = 0.06  # of the ink's longer side, left around it
ROWS = 5  # papers are told from above in so many rows, and in each from the left
# a stain of coffee or tea: wider than a pen's stroke, lighter than ink, and brown
STAIN_WIDTH_SHARE, STAIN_DARKNESS, STAIN_BROWN = 0.0032, 0.5, 0.06


@dataclass(frozen=True)
class PaperOnGlass:
    """One paper, and the ink on it, in pixels of the preview. Positive degrees: it leans to the right."""

    window: Window
    ink: Window | None
    askew_degrees: float


def find_papers(pixels: Bytes) -> tuple[PaperOnGlass, ...]:
    """Look at a preview of all of the glass, height × width × 3 bytes of sRGB, at 50 to 150 dpi.

    The papers that lie there apart from each other, from above and from the left; none on an empty glass.
    """
    longest = max(pixels.shape[:2])
    outlines = _outlines(pixels, max(2, round(RIM_SHARE * longest)))
    if not outlines:
        return ()
    calm = np.asarray(cv2.medianBlur(pixels, 3), np.uint8)
    darkness = ink_in(calm, max(3.0, PAPER_RADIUS_SHARE * longest))
    dark = _without_stains((darkness > INK_FROM).astype(np.uint8), darkness, calm, longest)
    found = [_paper(outline, dark, longest) for outline in outlines]
    return tuple(sorted(found, key=lambda one: _seat(one.window, pixels.shape[0])))


def _seat(window: Window, height: int) -> tuple[int, float]:
    return int((window.top + window.height / 2) * ROWS / height), window.left


def _outlines(pixels: Bytes, rim: int) -> list[npt.NDArray[np.int32]]:
    """Where something covers the lid, each without its holes, the largest ones."""
    edges = (pixels[:rim], pixels[-rim:], pixels[:, :rim], pixels[:, -rim:])
    lid = np.median(np.concatenate([part.reshape(-1, 3) for part in edges]), axis=0)
    soft = cv2.GaussianBlur(pixels, (0, 0), 2.0).astype(np.float32)
    covered = (np.abs(soft - lid).max(axis=-1) > APART_FROM_LID).astype(np.uint8)
    covered = cv2.morphologyEx(covered, cv2.MORPH_CLOSE, np.ones((9, 9), np.uint8))
    outlines, _ = cv2.findContours(covered, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    narrowest = NARROWEST_PAPER * max(covered.shape)
    papers = [
        outline
        for outline in outlines
        if cv2.contourArea(outline) >= LEAST_PAPER * covered.size and min(cv2.minAreaRect(outline)[1]) >= narrowest
    ]
    return [np.asarray(one, np.int32) for one in sorted(papers, key=cv2.contourArea, reverse=True)[:MOST_PAPERS]]


def _paper(outline: npt.NDArray[np.int32], dark: Bytes, longest: int) -> PaperOnGlass:
    left, top, width, height = cv2.boundingRect(outline)
    _, sides, turned = cv2.minAreaRect(outline)
    edge = max(2, round(min(EDGE_SHARE * longest, SMALL_EDGE_SHARE * min(sides))))
    mask = np.zeros(dark.shape, np.uint8)
    cv2.drawContours(mask, [outline], -1, 1, cv2.FILLED)
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * edge + 1, 2 * edge + 1))
    within = np.asarray(cv2.erode(mask, disc), np.uint8)
    angle = (turned + 45) % 90 - 45  # of the side that is nearest to level
    askew = angle if abs(angle) <= MOST_ASKEW else 0.0
    return PaperOnGlass(Window(left, top, width, height), _around_ink(dark & within), askew)


def _without_stains(dark: Bytes, darkness: npt.NDArray[np.float32], pixels: Bytes, longest: int) -> Bytes:
    """What is dark, but for what is wide, pale and brown at once: coffee, not ink."""
    count, labels, stats, _ = cv2.connectedComponentsWithStats(dark, connectivity=8)
    kept = dark.copy()
    for label in range(1, count):
        left, top, width, height, area = (int(number) for number in stats[label])
        if area < LEAST_INK * labels.size:
            continue
        part = np.s_[top : top + height, left : left + width]
        own = labels[part] == label
        across = 2 * cv2.distanceTransform(np.pad(own.astype(np.uint8), 1), cv2.DIST_L2, 3).max()
        red, _, blue = pixels[part][own].astype(np.float32).mean(axis=0) / 255
        is_pale = float(np.median(darkness[part][own])) < STAIN_DARKNESS
        if across > STAIN_WIDTH_SHARE * longest and is_pale and red - blue > STAIN_BROWN:
            kept[part][own] = 0
    return kept


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
