"""How alike two pictures look, whatever their size and format, by a hash of what is seen.

The hash is that of OpenCV's `img_hash` (PHash: the signs of the lowest frequencies of a cosine transform of 32 × 32
grey pixels, 64 bits); two pictures that differ in few bits look nearly the same.
"""

import cv2
import numpy as np
import numpy.typing as npt

from lucidex.core.source.pyramid import AnyPixels

NEARLY_THE_SAME = 6  # of 64 bits: two scans of a page, or a picture and its reduced copy, differ in fewer
_FLAT = 3.0  # code values: of a picture without anything to be seen no hash means anything


def fingerprint(pixels: AnyPixels, orientation: int = 1) -> str:
    """64 bits as 16 hexadecimal digits, of height × width × 1 to 4 bands of 8 or 16 bits; clear areas are white.

    Pixels are turned upright by the `orientation` of EXIF first. Empty for a picture of one colour only.
    """
    colours: npt.NDArray[np.floating] = pixels[..., : 3 if pixels.shape[2] >= 3 else 1].astype(np.float32)
    full = 65_535 if pixels.dtype == np.uint16 else 255
    if pixels.shape[2] in (2, 4):
        alpha = pixels[..., -1:].astype(np.float32) / full
        colours = colours * alpha + full * (1 - alpha)
    grey = (colours.mean(axis=2) * (255 / full)).clip(0, 255).astype(np.uint8)
    if grey.std() < _FLAT:
        return ""
    if orientation in (2, 4, 5, 7):
        grey = np.ascontiguousarray(grey[:, ::-1])
    turns = {3: 2, 4: 2, 5: 1, 6: 3, 7: 3, 8: 1}.get(orientation, 0)
    upright = np.ascontiguousarray(np.rot90(grey, turns))
    return cv2.img_hash.pHash(upright).tobytes().hex()


def alike(fingerprints: list[str]) -> list[list[int]]:
    """For each of them the others that look nearly the same, by their numbers; none where it has none itself."""
    known = np.array([int(one, 16) if one else 0 for one in fingerprints], np.uint64)
    has_one = np.array([bool(one) for one in fingerprints], bool)
    return [_those_alike(known, has_one, number) for number in range(len(fingerprints))]


def _those_alike(known: npt.NDArray[np.uint64], has_one: npt.NDArray[np.bool_], number: int) -> list[int]:
    if not has_one[number]:
        return []
    near = (np.bitwise_count(known ^ known[number]) <= NEARLY_THE_SAME) & has_one
    near[number] = False
    return [int(one) for one in np.flatnonzero(near)]
