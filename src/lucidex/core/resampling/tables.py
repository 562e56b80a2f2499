"""Which pixels of a line become one new pixel, and how much each of them counts.

Along an axis, new pixel i covers the old ones from `origin + i · step` to `origin + (i + 1) · step`, in old pixels.
Both numbers are real: a table is worked out in 64 bits, whatever the window, so that nothing is shifted by rounding.
"""

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import numpy.typing as npt

LOBES = 3
KEPT_TABLES, KEPT_UP_TO_TAPS = 24, 20_000  # at most some 12 MB of them
CUBIC = -0.75  # the slope of the cubic at 1, as image libraries commonly have it

Floats = npt.NDArray[np.float64]
Shape = Callable[[Floats], Floats]


@dataclass(frozen=True)
class Axis:
    """One axis: `count` new pixels from `origin` on, `step` old pixels each, out of `length` old ones."""

    count: int
    origin: float
    step: float
    length: int


@dataclass(frozen=True)
class Table:
    """For each new pixel the first old one, and the weights of it and those after it: count, and count × taps."""

    first: npt.NDArray[np.int64]
    weights: npt.NDArray[np.float32]

    @property
    def reach(self) -> tuple[int, int]:
        """The first old pixel that is needed, and the one after the last."""
        return int(self.first.min()), int(self.first.max()) + self.weights.shape[1]

    def part(self, start: int, end: int) -> "Table":
        """The table of some new pixels."""
        return Table(self.first[start:end], self.weights[start:end])


def _lanczos(x: Floats) -> Floats:
    inside = np.abs(x) < LOBES
    value: Floats = np.where(inside, np.sinc(x) * np.sinc(x / LOBES), 0.0)
    return value


def _cubic(x: Floats) -> Floats:
    x = np.abs(x)
    near = (CUBIC + 2) * x**3 - (CUBIC + 3) * x**2 + 1
    far = CUBIC * (x**3 - 5 * x**2 + 8 * x - 4)
    value: Floats = np.where(x <= 1, near, np.where(x < 2, far, 0.0))
    return value


def lanczos_table(axis: Axis) -> Table:
    """For reducing: Lanczos with three lobes, as wide as the reduction (Duchon 1979, Lanczos filtering)."""
    return _kept_lanczos(axis) if axis.count * axis.step <= KEPT_UP_TO_TAPS else _new_lanczos(axis)


def _new_lanczos(axis: Axis) -> Table:
    return _table(axis, _lanczos, LOBES * max(axis.step, 1.0), max(axis.step, 1.0))


# the same place asks for the same table picture after picture, and a moving slider for each of its drafts
_kept_lanczos = lru_cache(KEPT_TABLES)(_new_lanczos)


def cubic_table(axis: Axis) -> Table:
    """For enlarging: cubic convolution (Keys 1981)."""
    return _table(axis, _cubic, 2.0, 1.0)


def area_table(axis: Axis) -> Table:
    """Means over each new pixel's exact area, edges by their share; the nearest one where nothing is covered."""
    starts = axis.origin + np.arange(axis.count) * axis.step
    ends = starts + axis.step
    taps = min(axis.length, int(np.ceil(axis.step)) + 2)
    first = np.clip(np.floor(starts).astype(np.int64), 0, max(0, axis.length - taps))
    at = first[:, None] + np.arange(taps)[None, :]
    covered = np.minimum(ends[:, None], at + 1.0) - np.maximum(starts[:, None], at)
    weights = np.clip(covered, 0, None)
    total = weights.sum(axis=1, keepdims=True)
    nearest = np.clip(np.floor((starts + ends) / 2), 0, axis.length - 1)[:, None] == at
    weights = np.where(total > 1e-9, weights / np.maximum(total, 1e-9), nearest)
    return Table(first, weights.astype(np.float32))


def _centre(weights: Floats, away: Floats) -> None:
    """Move weight between the two old pixels about each centre, until no slope is shifted.

    Lanczos' kernel, sampled at old pixels, has a centre of gravity of its own: up to some hundredths of a pixel away,
    most where it hardly reduces.
    """
    rows = np.arange(len(weights))
    right = np.argmax(away >= 0, axis=1)
    shift = (weights * away).sum(axis=1)
    weights[rows, right] -= shift
    weights[rows, right - 1] += shift


def _table(axis: Axis, shape: Shape, support: float, stretch: float) -> Table:
    """Weights of a kernel of a support in old pixels; beyond the edge the last pixel goes on."""
    centres = axis.origin + (np.arange(axis.count) + 0.5) * axis.step
    wide = int(np.ceil(2 * support)) + 1
    low = np.ceil(centres - support - 0.5).astype(np.int64)
    at = low[:, None] + np.arange(wide)[None, :]
    away = at + 0.5 - centres[:, None]
    weights = shape(away / stretch)
    weights /= weights.sum(axis=1, keepdims=True)
    _centre(weights, away)
    taps = min(wide, axis.length)
    first = np.clip(low, 0, axis.length - taps)
    held = np.clip(at, 0, axis.length - 1) - first[:, None]
    gathered = np.zeros((axis.count, taps))
    np.add.at(gathered, (np.arange(axis.count)[:, None], np.clip(held, 0, taps - 1)), weights)
    return Table(first, gathered.astype(np.float32))
