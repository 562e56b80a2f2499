"""The part of a picture that a place shows where nobody framed: the one that keeps most of what the picture is of.

A place shows the largest window of its shape, which slides along one side of the picture only. Each position is worth
the weight that it keeps, less what its ends cut through, less every box that does not stay whole with some air.
"""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import numpy.typing as npt

from lucidex.core.framing.subject import GRID, Kept, KeptBox, Subject
from lucidex.core.geometry.fit import covering_window
from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.geometry.sizes import Point, Size, Window

KEPT_FROM = {Kept.FACE: 0.85, Kept.OBJECT: 0.97}  # of a box: around a face there is air
POSITIONS = 121
FINER = 4  # spots across and down in each of the subject's
CUT_PRICE, MIDDLE_PRICE, BOX_PRICE, AIR_PRICE = 0.5, 0.1, 2.0, 0.2
CUT_BOX_PRICE, WHOLE = 4.0, 1 - 1e-9  # more than all else: a box is cut only where none can stay whole
AIR = 0.04  # of the window, beside what must stay whole
NEXT_APART = 0.12  # of the way: the next proposal lies at least so far from those before
PROPOSALS = 3

Floats = npt.NDArray[np.float64]
Range = tuple[float, float]  # along the side on which the window slides


@dataclass(frozen=True)
class KeptShare:
    """How much of a box stays in view, 0 to 1."""

    box: KeptBox
    share: float


@lru_cache(maxsize=4_096)
def subject_window(geometry: PictureGeometry, place: Size, subject: Subject, proposal: int = 0) -> Window:
    """The window of the place's shape, in picture pixels; `proposal` 0 is the best, the following lie elsewhere."""
    picture = geometry.size
    width, height = covering_window(picture, place)
    is_across = picture.width - width > picture.height - height
    side, length = (picture.width, width) if is_across else (picture.height, height)
    free = side - length
    if free < 1e-9:
        return Window(0.0, 0.0, width, height)
    ranges = _ranges(geometry, subject, is_across)
    starts = _starts(free, length, ranges)
    worth = _worth(starts, length, side, _profile(geometry, subject, is_across), ranges)
    start = float(starts[_chosen(worth, starts / free, proposal)])
    return Window(start, 0.0, width, height) if is_across else Window(0.0, start, width, height)


def _starts(free: float, length: float, ranges: list[Range]) -> Floats:
    """Where a window may begin: at even distances, and where it just holds a box, or as many as it can."""
    ends = [value for low, high in ranges for value in (low, high - length)]
    starts: Floats = np.unique(np.clip([*np.linspace(0, free, POSITIONS), *ends], 0, free))
    return starts


def kept_weight(geometry: PictureGeometry, window: Window, subject: Subject) -> float:
    """How much of the picture's weight lies in a window of it, 0 to 1."""
    points, weights = _spots(geometry, subject)
    if weights.sum() <= 0:
        return 1.0
    inside = (
        (points[:, 0] >= window.left)
        & (points[:, 0] < window.left + window.width)
        & (points[:, 1] >= window.top)
        & (points[:, 1] < window.top + window.height)
    )
    return float(weights[inside].sum() / weights.sum())


def kept_shares(geometry: PictureGeometry, window: Window, subject: Subject) -> list[KeptShare]:
    """How much of each box that lies in the picture stays in a window of it."""
    found = []
    for box in subject.boxes:
        seen = box_in_picture(geometry, box)
        area = seen.width * seen.height
        if area <= 0:
            continue
        across = min(seen.left + seen.width, window.left + window.width) - max(seen.left, window.left)
        down = min(seen.top + seen.height, window.top + window.height) - max(seen.top, window.top)
        found.append(KeptShare(box, max(across, 0.0) * max(down, 0.0) / area))
    return found


def keeps_all(geometry: PictureGeometry, window: Window, subject: Subject) -> bool:
    """Whether everything that must stay whole does, as far as is seen."""
    return all(one.share >= KEPT_FROM[one.box.kind] for one in kept_shares(geometry, window, subject))


def box_in_picture(geometry: PictureGeometry, box: KeptBox) -> Window:
    """A box in picture pixels, as far as it lies in the picture."""
    corners = [geometry.to_picture(Point(x, y)) for x in (box.left, box.right) for y in (box.top, box.bottom)]
    left, right = max(min(p.x for p in corners), 0.0), min(max(p.x for p in corners), float(geometry.size.width))
    top, bottom = max(min(p.y for p in corners), 0.0), min(max(p.y for p in corners), float(geometry.size.height))
    return Window(left, top, max(right - left, 0.0), max(bottom - top, 0.0))


def _worth(starts: Floats, length: float, side: float, profile: Floats, ranges: list[Range]) -> Floats:
    ends, total = starts + length, max(float(profile.sum()), 1e-9)
    edges = np.linspace(0, side, len(profile) + 1)
    summed = np.concatenate([[0.0], np.cumsum(profile)]) / total
    worth = np.interp(ends, edges, summed) - np.interp(starts, edges, summed)
    middles = (edges[1:] + edges[:-1]) / 2
    dense = profile / max(float(profile.max()), 1e-9)
    for at in (starts, ends):
        cuts = np.where((at <= 1e-6 * side) | (at >= (1 - 1e-6) * side), 0.0, np.interp(at, middles, dense))
        worth -= CUT_PRICE / 2 * length / side * cuts
    centre = float((profile * middles).sum()) / total if profile.any() else side / 2
    worth -= MIDDLE_PRICE * np.abs(starts + length / 2 - centre) / length
    for low, high in ranges:
        extent = max(high - low, 1e-9)
        share = np.clip(np.minimum(high, ends) - np.maximum(low, starts), 0, extent) / extent
        air = np.minimum(np.where(starts > 0, low - starts, length), np.where(ends < side, ends - high, length))
        worth -= (
            BOX_PRICE * (1 - share)
            + CUT_BOX_PRICE * (share < WHOLE)
            + AIR_PRICE * np.clip(1 - air / (AIR * length), 0, 1)
        )
    return worth


def _chosen(worth: Floats, at: Floats, proposal: int) -> int:
    """The best position, or one of the following, each of which lies apart from those before; `at` are 0 to 1."""
    left = worth.copy()
    best = int(left.argmax())
    for _ in range(proposal % PROPOSALS):
        left[np.abs(at - at[best]) < NEXT_APART] = -np.inf
        if np.isinf(left).all():
            return int(worth.argmax())
        best = int(left.argmax())
    return best


def _spots(geometry: PictureGeometry, subject: Subject) -> tuple[Floats, Floats]:
    """The middles of finer spots in picture pixels, count × 2, and their weights; none of what is cropped away."""
    at = (np.arange(GRID * FINER) + 0.5) / (GRID * FINER)
    x, y = np.meshgrid(at, at)
    upright, total = geometry.upright, geometry.transform
    across, down = x.ravel() * upright.width, y.ravel() * upright.height
    depth = total.g * across + total.h * down + total.i
    points = np.stack(
        [
            (total.a * across + total.b * down + total.tx) / depth,
            (total.c * across + total.d * down + total.ty) / depth,
        ],
        axis=1,
    )
    weights = np.repeat(np.repeat(subject.grid, FINER, 0), FINER, 1).ravel()
    picture = geometry.size
    inside = ((points >= 0) & (points < (picture.width, picture.height))).all(axis=1) & (depth > 0)
    return points[inside], weights[inside]


def _profile(geometry: PictureGeometry, subject: Subject, is_across: bool) -> Floats:
    """The weight along the side on which the window slides."""
    points, weights = _spots(geometry, subject)
    side = geometry.size.width if is_across else geometry.size.height
    counted: Floats = np.histogram(points[:, 0 if is_across else 1], GRID * 2, (0, side), weights=weights)[0]
    return counted


def _ranges(geometry: PictureGeometry, subject: Subject, is_across: bool) -> list[Range]:
    seen = [box_in_picture(geometry, box) for box in subject.boxes]
    if is_across:
        return [(box.left, box.left + box.width) for box in seen if box.width > 0 and box.height > 0]
    return [(box.top, box.top + box.height) for box in seen if box.width > 0 and box.height > 0]
