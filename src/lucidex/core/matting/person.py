"""Which pixels are people, seen by a small network that ships with the product (`models/`, Apache License 2.0).

It was made for portraits and takes a cat or a ladybird for a person as readily (a network of the kind of MobileNetV3:
A. Howard and others, Searching for MobileNetV3, 2019), so it counts only where a face stands in what it sees.
"""

import threading
from functools import cache
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

from lucidex.core.faces.detection import Face, find_large_faces

MODEL = Path(__file__).parent / "models" / "person.tflite"
EDGE = 256  # pixels: the side of its square input
OF_A_FACE = 0.8  # of a face's window must be a person

Bytes = npt.NDArray[np.uint8]
Floats = npt.NDArray[Any]

_one_at_a_time = threading.Lock()  # a network keeps what it computes in itself


@cache
def _loaded() -> Any:  # noqa: ANN401 - OpenCV's nets have no type
    return cv2.dnn.readNetFromTFLite(str(MODEL), cv2.dnn.ENGINE_CLASSIC)


def person_likelihood(pixels: Bytes) -> Floats | None:
    """How likely each pixel of a height × width × 3 raster of sRGB bytes is a person, 0 to 1; None without a face."""
    faces = find_large_faces(pixels)
    if not faces:
        return None
    height, width = pixels.shape[:2]
    small = cv2.resize(np.ascontiguousarray(pixels[..., :3]), (EDGE, EDGE), interpolation=cv2.INTER_AREA)
    with _one_at_a_time:
        _loaded().setInput(cv2.dnn.blobFromImage(small, 1 / 255))
        seen = np.array(_loaded().forward()).reshape(EDGE, EDGE)
    likely: Floats = cv2.resize(seen, (width, height), interpolation=cv2.INTER_LINEAR)
    return likely if any(_holds(likely, face) for face in faces) else None


def _holds(likely: Floats, face: Face) -> bool:
    window = face.window
    top, left = max(0, int(window.top)), max(0, int(window.left))
    part = likely[top : int(window.top + window.height) + 1, left : int(window.left + window.width) + 1]
    return bool(part.size) and float((part > 0.5).mean()) >= OF_A_FACE
