"""Outlines that a picture can have on the finished size: convex polygons, as fine as their size asks for."""

import math
import threading
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from cachetools import LRUCache, cached
from shapely.geometry import Polygon

from lucidex.core.areas.coverage_kernel import polygon_coverage
from lucidex.core.areas.shapes import Masks, arc_pieces
from lucidex.core.geometry.sizes import Box, Size
from lucidex.core.source.pyramid import AnyPixels

KEPT_BYTES = 48_000_000  # of masks, which a picture and its border ask for again and again
_MITRE_LIMIT = 10.0


class FormKind(StrEnum):
    """The outlines."""

    OVAL = "oval"
    CIRCLE = "circle"
    ROUNDED = "rounded"
    SLANTED = "slanted"
    ARCH = "arch"


@dataclass(frozen=True)
class Form:
    """A convex outline; `points` are count × 2 (x, y) in pixels of the canvas, clockwise as one sees them."""

    points: AnyPixels

    def grown(self, by: float) -> "Form | None":
        """The outline so many pixels further out, or further in below 0, everywhere; None where nothing is left.

        Corners stay corners. The parallel curve is found by GEOS (shapely).
        """
        moved = Polygon(self.points).buffer(by, join_style="mitre", mitre_limit=_MITRE_LIMIT)
        if moved.is_empty or not isinstance(moved, Polygon):
            return None
        return Form(np.array(moved.exterior.coords, np.float64)[:-1])

    def coverage(self, size: Size) -> Masks:
        """How much of each pixel lies inside: height × width, 0 to 1, by exact area; not to be changed."""
        return _coverage(np.ascontiguousarray(self.points).tobytes(), size)


@cached(LRUCache(KEPT_BYTES, getsizeof=lambda mask: mask.nbytes), lock=threading.Lock())
def _coverage(points: bytes, size: Size) -> Masks:
    out: Masks = np.empty((size.height, size.width), np.float32)
    polygon_coverage(np.frombuffer(points, np.float64).reshape(-1, 2), out)
    out.flags.writeable = False
    return out


def form_in(kind: FormKind, box: Box, radius: float = 0.0, angle_degrees: float = 0.0) -> Form:
    """An outline in a box of the canvas.

    `radius` is that of rounded corners, as a share of the shorter side, up to 1/2; `angle_degrees`, −60 to 60, is how
    far a slanted one leans to the right. A circle is the largest one in the middle.
    """
    left, top, width, height = box.left, box.top, box.size.width, box.size.height
    right, bottom, middle = left + width, top + height, left + width / 2
    if kind is FormKind.SLANTED:
        lean = min(max(math.tan(math.radians(angle_degrees)) * height, -0.9 * width), 0.9 * width)
        ahead, behind = max(lean, 0.0), max(-lean, 0.0)
        corners = [(left + ahead, top), (right - behind, top), (right - ahead, bottom), (left + behind, bottom)]
        return Form(np.array(corners, np.float64))
    if kind is FormKind.ARCH:
        rise = min(float(height), width / 2)
        return Form(np.array([*_arc(middle, top + rise, width / 2, rise, 2, 4), (right, bottom), (left, bottom)]))
    if kind is FormKind.ROUNDED:
        r = min(max(radius, 0.0), 0.5) * min(width, height)
        if r <= 0:
            return Form(np.array([(left, top), (right, top), (right, bottom), (left, bottom)], np.float64))
        return Form(
            np.array(
                [
                    *_arc(left + r, top + r, r, r, 2, 3),
                    *_arc(right - r, top + r, r, r, 3, 4),
                    *_arc(right - r, bottom - r, r, r, 0, 1),
                    *_arc(left + r, bottom - r, r, r, 1, 2),
                ]
            )
        )
    across, down = width / 2, height / 2
    if kind is FormKind.CIRCLE:
        across = down = min(across, down)
    return Form(np.array(_arc(middle, top + height / 2, across, down, 0, 4)[:-1]))


def _arc(x: float, y: float, across: float, down: float, first: int, last: int) -> list[tuple[float, float]]:
    """Points of an ellipse from one quarter to another, both ends included; quarter 0 points right, 1 down."""
    count = arc_pieces(max(across, down)) // 4 * (last - first)
    angles = np.linspace(first, last, count + 1) * (math.pi / 2)
    return [(x + across * math.cos(angle), y + down * math.sin(angle)) for angle in angles]
