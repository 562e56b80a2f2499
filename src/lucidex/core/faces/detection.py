"""Where faces are, found by two small networks that ship with the product (`models/`, Apache License 2.0).

Both are single-shot detectors for mobile devices (V. Bazarevsky and others, BlazeFace: sub-millisecond neural face
detection on mobile GPUs, 2019): each anchor of a grid says how likely a face is there, and, as shifts from it, its
box and six points, of which the first two are the eyes. One network sees large faces, the other small ones; it looks
at the whole and at overlapping parts, so that faces in a group are found too.
"""

import math
import threading
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

from lucidex.core.cancellation import check_wanted
from lucidex.core.geometry.sizes import Point, Window

MODELS = Path(__file__).parent / "models"
CERTAIN_FROM = 0.6  # of 1
SAME_FROM = 0.3  # overlap over union: two findings of one face
PART_SHARE, SMALL_SHARE = 0.6, 0.27  # of the raster's sides
OVERLAPPING = 0.2  # of a part, beside the next one
LEAST_PART = 200  # pixels: what is smaller has no parts
CERTAIN_IF_ALONE = 0.65
ALONE = 2.0  # times a face, when it is looked at once more
DARK_BELOW, LIT_TO = 100.0, 230.0  # code values: of the lightest hundredth
COLOURS = 127.5  # the networks see code values as -1 to 1

Bytes = npt.NDArray[np.uint8]
Floats32 = npt.NDArray[Any]

_one_at_a_time = threading.Lock()  # a network keeps what it computes in itself


@dataclass(frozen=True)
class Face:
    """A face in pixels of the raster: what is between forehead, chin and cheeks, its eyes, and how certain it is."""

    window: Window
    eyes: tuple[Point, Point]
    certainty: float


@dataclass(frozen=True)
class Network:
    """A network: its file, the side of its square input, and for each grid of anchors its side and how many lie
    together."""

    file: str
    edge: int
    grids: tuple[tuple[int, int], ...]
    boxes: str
    scores: str

    @property
    def anchors(self) -> Floats32:
        """The middles of its anchors, count × 2, as fractions of its input."""
        found = []
        for side, together in self.grids:
            y, x = np.mgrid[0:side, 0:side]
            middles = (np.stack([x.ravel(), y.ravel()], axis=1) + 0.5) / side
            found.append(np.repeat(middles, together, axis=0))
        return np.concatenate(found).astype(np.float32)


LARGE = Network("face-short-range.tflite", 128, ((16, 2), (8, 6)), "regressors", "classificators")
SMALL = Network("face-full-range.tflite", 192, ((48, 1),), "reshaped_regressor_face_4", "reshaped_classifier_face_4")


@cache
def _loaded(network: Network) -> Any:  # noqa: ANN401 - OpenCV's nets have no type
    # the classic engine gives several of a network's results at once
    return cv2.dnn.readNetFromTFLite(str(MODELS / network.file), cv2.dnn.ENGINE_CLASSIC)


def find_faces(pixels: Bytes) -> tuple[Face, ...]:
    """The faces of a height × width × 3 or more raster of sRGB bytes, the most certain first.

    Upright ones from a twentieth of the longer side on, in a fraction of a second.
    """
    return tuple(_without_doubles(_seen_at_large(_lit(pixels))))


def find_large_faces(pixels: Bytes) -> tuple[Face, ...]:
    """The same of upright faces from about a tenth of the longer side on, in a third of the time."""
    colours = _lit(pixels)
    seen = [face for network in (LARGE, SMALL) for face in _seen_by(network, colours, 0, 0)]
    return tuple(_without_doubles(seen))


def find_all_faces(pixels: Bytes) -> tuple[Face, ...]:
    """The same and besides small ones, from a thirtieth of the longer side on, and turned ones, in a second or two.

    What only a closer look finds is looked at once more by itself, and must be a face there too.
    """
    colours = _lit(pixels)
    found = [*find_faces(pixels)]
    for turns in range(4):
        turned = np.ascontiguousarray(np.rot90(colours, turns))
        check_wanted()
        near = [*_seen_in_parts(turned, SMALL_SHARE), *(_seen_at_large(turned) if turns else ())]
        height, width = colours.shape[:2]
        for face in _without_doubles([one for one in near if one.certainty >= CERTAIN_IF_ALONE]):
            if _is_one_by_itself(turned, face):
                found.append(_turned_back(face, turns, width, height))
    return tuple(_without_doubles(found))


def _seen_at_large(pixels: Bytes) -> list[Face]:
    """What both networks see of the whole, and one of large parts."""
    return [*_seen_by(LARGE, pixels, 0, 0), *_seen_by(SMALL, pixels, 0, 0), *_seen_in_parts(pixels, PART_SHARE)]


def _seen_in_parts(pixels: Bytes, share: float) -> list[Face]:
    return [face for left, top, part in _parts(pixels, share) for face in _seen_by(SMALL, part, left, top)]


def _lit(pixels: Bytes) -> Bytes:
    """As light as a face is looked for in."""
    colours = np.ascontiguousarray(pixels[..., :3])
    lightest = float(np.percentile(colours, 99)) if colours.size else 255.0
    if lightest >= DARK_BELOW or lightest < 1:
        return colours
    lit: Bytes = np.minimum(colours * (LIT_TO / lightest), 255).astype(np.uint8)
    return lit


def _is_one_by_itself(pixels: Bytes, face: Face) -> bool:
    """Whether the network for large faces sees one where another has seen a small one."""
    side, middle = ALONE * max(face.window.width, face.window.height), face.window.centre
    left, top = max(0, round(middle.x - side / 2)), max(0, round(middle.y - side / 2))
    part = np.ascontiguousarray(pixels[top : round(middle.y + side / 2), left : round(middle.x + side / 2)])
    if min(part.shape[:2]) < 8:
        return False
    seen = _seen_by(LARGE, part, left, top)
    return any(_overlap(one.window, face.window) > SAME_FROM for one in seen)


def _turned_back(face: Face, turns: int, width: int, height: int) -> Face:
    """A face that was seen in a raster turned by so many quarters to the left, in the raster of width × height."""

    def back(x: float, y: float) -> Point:
        places = (Point(x, y), Point(width - y, x), Point(width - x, height - y), Point(y, height - x))
        return places[turns]

    one, other = (
        back(face.window.left, face.window.top),
        back(face.window.left + face.window.width, face.window.top + face.window.height),
    )
    left, top = min(one.x, other.x), min(one.y, other.y)
    window = Window(left, top, abs(one.x - other.x), abs(one.y - other.y))
    eyes = (back(face.eyes[0].x, face.eyes[0].y), back(face.eyes[1].x, face.eyes[1].y))
    return Face(window, eyes, face.certainty)


def _parts(pixels: Bytes, share: float) -> Iterator[tuple[int, int, Bytes]]:
    """Parts of so much of the raster's sides, overlapping, with where they begin; none of what is small."""
    height, width = pixels.shape[:2]
    high, wide = (max(round(side * share), min(side, round(max(height, width) * share))) for side in (height, width))
    if min(high, wide) >= LEAST_PART:
        for top in _begins(height, high):
            for left in _begins(width, wide):
                yield left, top, np.ascontiguousarray(pixels[top : top + high, left : left + wide])


def _begins(side: int, part: int) -> list[int]:
    count = 1 if part >= side else max(2, math.ceil((side - part) / (part * (1 - OVERLAPPING))) + 1)
    return sorted({round(share * (side - part)) for share in np.linspace(0, 1, count)})


def _seen_by(network: Network, pixels: Bytes, left: int, top: int) -> list[Face]:
    """The faces that a network sees in a part that begins at `left`, `top` of the raster."""
    height, width = pixels.shape[:2]
    side = max(height, width)
    square = cv2.copyMakeBorder(pixels, 0, side - height, 0, side - width, cv2.BORDER_CONSTANT)
    small = cv2.resize(square, (network.edge, network.edge), interpolation=cv2.INTER_AREA)
    blob = (small.astype(np.float32) / COLOURS - 1).transpose(2, 0, 1)[None]
    with _one_at_a_time:
        net = _loaded(network)
        net.setInput(blob)
        shifts, scores = (np.array(one[0]) for one in net.forward([network.boxes, network.scores]))
    return list(_decoded(network, shifts, scores[:, 0], Point(left, top), side))


def _decoded(network: Network, shifts: Floats32, scores: Floats32, origin: Point, side: int) -> Iterator[Face]:
    certainties = 1 / (1 + np.exp(-np.clip(scores, -80, 80)))
    anchors = network.anchors
    for index in np.flatnonzero(certainties >= CERTAIN_FROM):
        pairs = shifts[index].reshape(-1, 2) / network.edge * side
        middle, extent = pairs[0] + anchors[index] * side, pairs[1]
        eyes = pairs[2:4] + anchors[index] * side
        window = Window(
            origin.x + float(middle[0] - extent[0] / 2),
            origin.y + float(middle[1] - extent[1] / 2),
            float(extent[0]),
            float(extent[1]),
        )
        seen = tuple(Point(origin.x + float(x), origin.y + float(y)) for x, y in eyes)
        if min(window.width, window.height) > 0:
            yield Face(window, (seen[0], seen[1]), float(certainties[index]))


def _without_doubles(found: list[Face]) -> Iterator[Face]:
    """Each face once, as the most certain of its findings has it."""
    kept: list[Face] = []
    for face in sorted(found, key=lambda one: -one.certainty):
        if all(_overlap(face.window, other.window) < SAME_FROM for other in kept):
            kept.append(face)
            yield face


def _overlap(a: Window, b: Window) -> float:
    """What two windows share of both: 0 to 1. One that lies within another shares it all."""
    across = min(a.left + a.width, b.left + b.width) - max(a.left, b.left)
    down = min(a.top + a.height, b.top + b.height) - max(a.top, b.top)
    if across <= 0 or down <= 0:
        return 0.0
    return across * down / min(a.width * a.height, b.width * b.height)
