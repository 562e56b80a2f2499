"""Filling a hole from the frequencies of what surrounds it.

Frequency-selective reconstruction (A. Kaup, K. Meisinger, T. Aach, 2005; N. Genser and others, 2018), by OpenCV's
`xphoto`: block by block, the model of few frequencies that meets the surroundings best goes on into the hole. Edges
and what repeats itself run through; grain does not, as nobody can know it.
"""

import cv2
import numpy as np
import numpy.typing as npt

from lucidex.core.source.local.blending import Floats32

MARGIN = 18  # pixels of surroundings that a model needs on all sides
LEAST_SIDE = 24  # of a raster from which one can be made at all

Mask = npt.NDArray[np.bool_]


def reconstructed(colours: Floats32, hole: Mask, unknown: Mask) -> Floats32 | None:
    """Height × width × 1 or 3 bands of any range, the hole filled; None where there is too little around it.

    `unknown` holds the hole and whatever else is no model. It takes about 40 µs a pixel of the hole.
    """
    rows, columns = (np.flatnonzero(hole.any(axis=axis)) for axis in (1, 0))
    top, bottom = max(0, rows[0] - MARGIN), min(hole.shape[0], rows[-1] + 1 + MARGIN)
    left, right = max(0, columns[0] - MARGIN), min(hole.shape[1], columns[-1] + 1 + MARGIN)
    window = slice(top, bottom), slice(left, right)
    here, gap, other = colours[window], hole[window], unknown[window] & ~hole[window]
    known = ~(gap | other)
    if min(gap.shape) < LEAST_SIDE or known.sum() < gap.sum() / 4:
        return None
    low, high = here[known].min(axis=0), here[known].max(axis=0)
    span = np.maximum(high - low, 1e-3)
    # eight bits are all that the method takes: those of the surroundings' own range
    coded = np.rint(np.clip((here - low) / span, 0, 1) * 255).astype(np.uint8)
    if other.any():
        spoilt = (gap | other).astype(np.uint8)
        coded = np.where(other[..., None], cv2.inpaint(coded, spoilt, 3, cv2.INPAINT_NS).reshape(coded.shape), coded)
    # beyond the picture's edge it goes on as in a mirror
    around = _mirrored(rows - top, bottom - top), _mirrored(columns - left, right - left)
    wide = np.pad(coded, (*around, (0, 0)), mode="symmetric")
    wide_gap = np.pad(gap, around, mode="symmetric")
    filled = np.zeros_like(wide)
    wide[wide_gap] = 0
    cv2.xphoto.inpaint(
        np.ascontiguousarray(wide), np.where(wide_gap, 0, 255).astype(np.uint8), filled, cv2.xphoto.INPAINT_FSR_FAST
    )
    (above, _), (before, _) = around
    filled = filled.reshape(wide.shape)[above : above + gap.shape[0], before : before + gap.shape[1]]
    made = colours.copy()
    made[window][gap] = (filled.astype(np.float32) / 255 * span + low)[gap]
    return made


def _mirrored(touched: npt.NDArray[np.intp], length: int) -> tuple[int, int]:
    """How much is to be added before and behind a line, of which some places belong to the hole."""
    before, behind = int(touched[0]), length - 1 - int(touched[-1])
    wide = length - before - behind + MARGIN
    return 0 if before >= MARGIN else before + wide, 0 if behind >= MARGIN else behind + wide
