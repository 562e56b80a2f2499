"""The ground of a picture as a smooth surface: a page under uneven light, a wall with a soft shadow on it.

A page under uneven light is brighter here and darker there, but smoothly so. Its colour is modelled as a
second-order polynomial of the position in each channel, fitted to what looks like ground by least squares with
the outliers left out again and again (Huber, Robust Statistics, 1981: iteratively trimmed). Shadows are followed by
a coarse grid of what is left over, fitted with a price for bending (Eilers and Marx, Flexible smoothing with
B-splines and penalties, 1996) to what hangs together with the ground known so far.
"""

import math

import cv2
import numpy as np
import numpy.typing as npt

from lucidex.core.geometry.transform import Transform
from lucidex.core.picture.raster import Raster

MAX_SAMPLES = 40_000
ROUNDS = 6
BORDER_SHARE = 0.05
NEAR_GROUND = 36.0  # code values from the border's median: what the first fit takes for ground
MIN_SPREAD = 4.0
MIN_GROUND = 0.15  # of the samples; below it there is no plain ground
MAX_GRAIN = 8.0  # code values: what is rougher is no plain ground
PLAIN_WITHIN, PLAIN_SHARE = 12.0, 0.8  # code values; on photographs, brick reaches 0.74, plain grounds 0.97 and more
ORDER_TERMS = 6
GRID = 12  # across and down: enough for a soft shadow of a fifth of the picture
MAX_GRID_SAMPLES = 8_000
MIN_GAIN = 0.005  # of the samples: less is no shadow
STIFFNESS = 0.002  # the price of bending, beside one sample a cell
FOLLOWING_ROUNDS = 12
SUBDIVISIONS = 32  # of a cell: in between, straight lines do
GRAIN_SHARE, GRAINS = 95, 2.2  # per cent of the ground lie within it; what is so many times further is no ground
DOUBLE = np.float64

Floats = npt.NDArray[np.float64]
Mask = npt.NDArray[np.bool_]
Surface = tuple[tuple[float, ...], ...]


def terms(x: Floats, y: Floats) -> Floats:
    """1, x, y, x², xy, y²: the last axis has six."""
    return np.stack([np.ones_like(x), x, y, x * x, x * y, y * y], axis=-1)


def content_grid(to_content: Transform, width: int, height: int, top: int = 0) -> tuple[Floats, Floats]:
    """Content coordinates of the middles of pixels, height × width each; rows begin at `top`."""
    x, y = np.meshgrid(np.arange(width) + 0.5, np.arange(top, top + height) + 0.5)
    depth = to_content.g * x + to_content.h * y + to_content.i
    across = (to_content.a * x + to_content.b * y + to_content.tx) / depth
    return across, (to_content.c * x + to_content.d * y + to_content.ty) / depth


def fit_ground(raster: Raster) -> Surface | None:
    """The ground's colour as three second-order polynomials of the content coordinates, or None if none is plain.

    Code values 0 to 255; see the module for the method.
    """
    height, width = raster.pixels.shape[:2]
    stride = max(1, int(np.ceil(np.sqrt(width * height / MAX_SAMPLES))))
    colours = cv2.blur(raster.pixels[..., :3], (3, 3))[::stride, ::stride].astype(DOUBLE)
    x, y = (axis[::stride, ::stride] for axis in content_grid(raster.to_content, width, height))
    border = _border(colours.shape[0], colours.shape[1])
    plain = np.abs(colours - np.median(colours[border], axis=0)).max(axis=-1) < NEAR_GROUND
    chosen = plain & border
    model = terms(x, y)
    solved = np.zeros((6, 3))
    for _ in range(ROUNDS):
        if chosen.sum() < 12:
            return None
        solved = np.linalg.lstsq(model[chosen], colours[chosen], rcond=None)[0]
        apart = np.abs(colours - model @ solved).max(axis=-1)
        chosen = apart < max(MIN_SPREAD, 3 * float(np.median(apart[chosen])))
    grain = float(np.median(np.abs(colours - model @ solved).max(axis=-1)[chosen])) if chosen.any() else np.inf
    if chosen.mean() < MIN_GROUND or grain > MAX_GRAIN:
        return None
    return tuple(tuple(round(float(value), 6) for value in channel) for channel in solved.T)


def is_plain(raster: Raster, surface: Surface) -> bool:
    """Whether nearly all of the border is as a found ground says. A wall of bricks is not, though most of it is; an
    object may be cut off by the edge."""
    height, width = raster.pixels.shape[:2]
    expected = ground_at(surface, *content_grid(raster.to_content, width, height))
    apart = np.abs(cv2.blur(raster.pixels[..., :3], (3, 3)) - expected).max(axis=-1)
    return bool((apart[_border(height, width)] < PLAIN_WITHIN).mean() >= PLAIN_SHARE)


def _border(height: int, width: int) -> Mask:
    deep = max(1, round(BORDER_SHARE * min(height, width)))
    border = np.ones((height, width), bool)
    border[deep : height - deep, deep : width - deep] = False
    return border


def ground_at(surface: Surface, x: Floats, y: Floats) -> Floats:
    """The modelled ground at content coordinates: … × 3 code values."""
    found = np.array(surface)
    value: Floats = terms(x, y) @ found[:, :ORDER_TERMS].T
    if found.shape[1] == ORDER_TERMS:
        return value
    fine = _basis(np.linspace(0, 1, GRID * SUBDIVISIONS + 1))
    grids = found[:, ORDER_TERMS:].reshape(-1, GRID, GRID)
    drawn = np.stack([fine @ grid @ fine.T for grid in grids], axis=-1).astype(np.float32)
    across, down = (np.clip(axis, 0, 1).astype(np.float32) * (GRID * SUBDIVISIONS) for axis in (x, y))
    return value + cv2.remap(drawn, across, down, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)


def find_shadows(raster: Raster, surface: Surface) -> Surface | None:
    """Soft shadows on a ground: what its colours differ by, as three grids; None where there are none.

    Ground is what hangs together with the border's and is no further from the surface than its own grain; with each
    round the surface reaches further into the shadow.
    """
    height, width = raster.pixels.shape[:2]
    stride = max(1, math.ceil(math.sqrt(width * height / MAX_GRID_SAMPLES)))
    colours = cv2.blur(raster.pixels[..., :3], (3, 3))[::stride, ::stride].astype(DOUBLE)
    x, y = (axis[::stride, ::stride] for axis in content_grid(raster.to_content, width, height))
    left = colours - ground_at(surface, x, y)
    border = _border(*left.shape[:2])
    at_x, at_y = _basis(np.clip(x.ravel(), 0, 1)), _basis(np.clip(y.ravel(), 0, 1))
    model = (at_y[:, :, None] * at_x[:, None, :]).reshape(len(at_x), GRID * GRID)
    first = known = _hanging_together(np.abs(left).max(axis=-1), border, None)
    solved: Floats = np.zeros((GRID * GRID, 3))
    for _ in range(FOLLOWING_ROUNDS):
        chosen = model[known.ravel()]
        price = STIFFNESS * len(model) / GRID**2 * _BENDING
        solved[:] = np.linalg.solve(chosen.T @ chosen + price, chosen.T @ left[known])
        apart: Floats = np.abs(left - (model @ solved).reshape(left.shape)).max(axis=-1)
        before, known = known, _hanging_together(apart, border, known)
        if np.array_equal(before, known):
            break
    if known.sum() - first.sum() < MIN_GAIN * known.size:
        return None
    return tuple(tuple(grid) for grid in np.round(solved.T, 2).tolist())


def with_shadows(surface: Surface, shadows: Surface | None) -> Surface:
    """A ground with what `find_shadows` found on it, as one surface."""
    if shadows is None:
        return surface
    return tuple((*channel, *grid) for channel, grid in zip(surface, shadows, strict=True))


def ground_grain(raster: Raster, surface: Surface) -> float:
    """How far ground is from a surface on the original's own pixels, in code values: what is further is none.

    Noise that is reduced with the raster is taken for as much more on the original.
    """
    height, width = raster.pixels.shape[:2]
    expected = ground_at(surface, *content_grid(raster.to_content, width, height))
    smooth = np.abs(cv2.blur(raster.pixels[..., :3], (3, 3)) - expected).max(axis=-1)
    apart = np.abs(raster.pixels[..., :3] - expected).max(axis=-1)
    ground = _hanging_together(smooth, _border(height, width), None)
    if not ground.any():
        return MAX_GRAIN * GRAINS
    reduced = max(1.0, raster.geometry.size.width / width)
    return float(GRAINS * reduced * np.percentile(apart[ground], GRAIN_SHARE))


def _hanging_together(apart: Floats, border: Mask, known: Mask | None) -> Mask:
    """Where it is no further from the ground than most of what is `known` (at first: near), on to the border."""
    near = apart[apart < PLAIN_WITHIN] if known is None else apart[known]
    limit = max(MIN_SPREAD, 3 * float(np.median(near))) if near.size else MIN_SPREAD
    _, labels = cv2.connectedComponents((apart < limit).astype(np.uint8), connectivity=4)
    at_border = np.unique(labels[border])
    hanging: Mask = np.isin(labels, at_border[at_border > 0])
    return hanging


def _basis(at: Floats) -> Floats:
    """Uniform cubic B-splines over 0 to 1: places × `GRID` weights."""
    cells = GRID - 3
    cell = np.clip((at * cells).astype(np.intp), 0, cells - 1)
    t = at * cells - cell
    weights = np.stack([(1 - t) ** 3, 3 * t**3 - 6 * t**2 + 4, -3 * t**3 + 3 * t**2 + 3 * t + 1, t**3], axis=1) / 6
    placed = np.zeros((len(at), GRID))
    np.put_along_axis(placed, cell[:, None] + np.arange(4), weights, axis=1)
    return placed


def _bending() -> Floats:
    """The square of second differences across and down, of all of a grid's numbers with one another."""
    second = np.diff(np.eye(GRID), 2, axis=0)
    one = second.T @ second
    return np.kron(np.eye(GRID), one) + np.kron(one, np.eye(GRID))


_BENDING = _bending() + 1e-9 * np.eye(GRID * GRID)  # a plane costs nothing, and must still be found
