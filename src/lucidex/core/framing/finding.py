"""Finding what a picture is of: faces, what lies on a plain ground, and what draws attention."""

import cv2
import numpy as np
import numpy.typing as npt

from lucidex.core.faces.detection import Face, find_large_faces
from lucidex.core.framing.attention import attention
from lucidex.core.framing.subject import GRID, MAX_BOXES, Kept, KeptBox, Subject
from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.geometry.sizes import Size, Window
from lucidex.core.picture.content import find_content
from lucidex.core.picture.ground_surface import fit_ground, is_plain
from lucidex.core.picture.grounds import CLEAR
from lucidex.core.picture.raster import Raster

LOOKED_AT_EDGE = 512  # pixels of the longer side of the raster on which it is looked for
LEAST_FACE = 0.3  # of the largest one: smaller faces are passers-by, and need not stay whole
HAIR, CHIN, SIDES = 0.55, 0.25, 0.25  # of a face's box, which ends at the brows
MOSTLY_THERE = 128  # of 255: what is less is clear
OBJECT_EDGE = 400  # pixels: finer is not needed for a box
CONTENT_TOLERANCE = 8.0  # per cent
NEARLY_ALL, NEXT_TO_NOTHING = 0.97, 0.03  # of a side: content that is all of it, or a speck, says nothing
CONCENTRATED_FROM, CONCENTRATED_AREA = 0.7, 0.2  # so much of the weight on so much of the picture

Bytes = npt.NDArray[np.uint8]


def find_subject(pixels: Bytes) -> Subject:
    """Look at the upright original, height × width × 3 or 4 bytes of sRGB of about `LOOKED_AT_EDGE`.

    The same pixels give the same subject, on any number of threads.
    """
    drawn = attention(pixels)
    weights = cv2.resize(drawn, (GRID, GRID), interpolation=cv2.INTER_AREA)
    weights = np.clip(np.rint(255 * weights / max(float(weights.max()), 1e-6)), 0, 255).astype(np.uint8)
    boxes = (*_faces(pixels), *_object(pixels))
    return Subject(
        boxes=boxes[:MAX_BOXES],
        weights=weights.tobytes().hex(),
        is_concentrated=_is_concentrated(drawn),
        edge=_edge(pixels),
    )


def _is_concentrated(drawn: npt.NDArray[np.float32]) -> bool:
    strongest = np.sort(drawn.ravel())[::-1]
    most = strongest[: round(CONCENTRATED_AREA * strongest.size)].sum()
    return bool(most >= CONCENTRATED_FROM * max(float(strongest.sum()), 1e-6))


def _edge(pixels: Bytes) -> str:
    """The border's colour in the middle of all, or `clear`."""
    border = np.concatenate([pixels[0], pixels[-1], pixels[:, 0], pixels[:, -1]])
    if border.shape[1] == 4:
        border = border[border[:, 3] >= MOSTLY_THERE]
        if len(border) < pixels.shape[0] + pixels.shape[1]:
            return CLEAR
    red, green, blue = (int(value) for value in np.rint(np.median(border[:, :3], axis=0)))
    return f"#{red:02x}{green:02x}{blue:02x}"


def _faces(pixels: Bytes) -> list[KeptBox]:
    """Faces with hair and chin, the largest first."""
    height, width = pixels.shape[:2]
    found = sorted(find_large_faces(pixels), key=_extent, reverse=True)
    near = [face for face in found if _extent(face) >= LEAST_FACE * _extent(found[0])]
    return [_kept(Kept.FACE, _head(face.window), width, height) for face in near]


def _extent(face: Face) -> float:
    return max(face.window.width, face.window.height)


def _head(face: Window) -> Window:
    across, down = face.width, face.height
    return Window(
        face.left - SIDES * across, face.top - HAIR * down, across * (1 + 2 * SIDES), down * (1 + HAIR + CHIN)
    )


def _object(pixels: Bytes) -> list[KeptBox]:
    """All that lies on a plain or clear ground."""
    share = min(1.0, OBJECT_EDGE / max(pixels.shape[:2]))
    if share < 1:
        pixels = np.asarray(cv2.resize(pixels, None, fx=share, fy=share, interpolation=cv2.INTER_AREA), np.uint8)
    height, width = pixels.shape[:2]
    raster = Raster(pixels, PictureGeometry.of(Size(width, height)))
    if pixels.shape[2] == 3 or pixels[..., 3].min() == 255:
        ground = fit_ground(raster)
        if ground is None or not is_plain(raster, ground):
            return []
    content = find_content(raster, CONTENT_TOLERANCE)
    if content is None:
        return []
    across, down = content.window.width / width, content.window.height / height
    if min(across, down) < NEXT_TO_NOTHING or max(across, down) > NEARLY_ALL:
        return []
    return [_kept(Kept.OBJECT, content.window, width, height)]


def _kept(kind: Kept, window: Window, width: int, height: int) -> KeptBox:
    def held(value: float) -> float:
        return round(min(max(value, 0.0), 1.0), 4)

    right, bottom = (window.left + window.width) / width, (window.top + window.height) / height
    return KeptBox(
        kind=kind,
        left=held(window.left / width),
        top=held(window.top / height),
        right=held(right),
        bottom=held(bottom),
    )
