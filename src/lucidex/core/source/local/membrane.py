"""Values that run smoothly over a hole, like a membrane held at its edge: the solution of Laplace's equation.

As light is blended into a patch (P. Pérez, M. Gangnet, A. Blake, Poisson image editing, 2003: seamless cloning solves
it for the difference of patch and surroundings). Solved from coarse to fine.
"""

from typing import Any

import numpy as np
import numpy.typing as npt

from lucidex.core.source.local.blending import Floats32
from lucidex.core.source.local.membrane_kernel import relax

COARSEST_EDGE = 12
ROUNDS, COARSEST_ROUNDS, OVER = 16, 60, 1.5

Mask = npt.NDArray[np.bool_]


def membrane(values: Floats32, is_open: Mask, is_free: Mask) -> Floats32:
    """Height × width × bands: given where neither is set; computed where `is_open`; of no account where `is_free`.

    `is_free` is what lies beyond what is known; there, and at the array's edge, the membrane hangs freely. Where
    nothing is given at all, 0.
    """
    given = ~is_open & ~is_free
    start = np.where(given[..., None], values, 0).astype(np.float32)
    return _solved(start, is_open & ~is_free, is_free) if given.any() else np.zeros_like(start)


def _solved(values: Floats32, is_open: Mask, is_free: Mask) -> Floats32:
    height, width = is_open.shape
    if max(height, width) <= COARSEST_EDGE:
        given = ~is_open & ~is_free
        values[is_open] = values[given].mean(axis=0)
        relax(values, is_open, is_free, COARSEST_ROUNDS, OVER)
        return values
    given = (~is_open & ~is_free).astype(np.float32)
    weights, sums = _halved(given[..., None]), _halved(values * given[..., None])
    known = weights[..., 0] > 0
    coarse = np.divide(sums, weights, out=np.zeros_like(sums), where=weights > 0)
    opened = _halved(is_open[..., None].astype(np.float32))[..., 0] > 0
    coarse = _solved(coarse, opened & ~known, ~opened & ~known)
    finer = np.repeat(np.repeat(coarse, 2, axis=0), 2, axis=1)[:height, :width]
    values[is_open] = finer[is_open]
    relax(values, is_open, is_free, ROUNDS, OVER)
    return values


def _halved(values: Any) -> Floats32:  # noqa: ANN401 - floats of any number of bands
    """The sums of 2 × 2 blocks."""
    height, width = values.shape[:2]
    padded = np.pad(values, ((0, height % 2), (0, width % 2), (0, 0)))
    halved: Floats32 = padded.reshape(padded.shape[0] // 2, 2, padded.shape[1] // 2, 2, -1).sum(axis=(1, 3))
    return halved.astype(np.float32)
