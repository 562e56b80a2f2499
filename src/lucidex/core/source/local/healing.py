"""Mending a spot: its surroundings go on into it (`reconstruction`), with grain of a patch from near by.

The patch gives what a large spot, which is reconstructed at a smaller scale, has not; and all of it where there is
too little around. It is looked for among all shifts within some radii: its ring of surroundings must be like the
spot's but for an even difference of light (as in exemplar-based filling: A. Criminisi, P. Pérez, K. Toyama, 2004),
and it must be as lively as they are. What differs in light is carried over the spot by a membrane (`membrane`),
between surroundings that are smoothed, so that grain at the edge is not drawn into the middle.
"""

import math
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

from lucidex.core.areas.area import held_box
from lucidex.core.areas.shapes import Brushed, grown
from lucidex.core.areas.sight import Sight
from lucidex.core.geometry.sizes import Box, Size
from lucidex.core.source.derivation import LocalChange, OfBox, StoredPixels, part_of
from lucidex.core.source.local.blending import Floats32, mixed_in, padded_part
from lucidex.core.source.local.membrane import membrane
from lucidex.core.source.local.reconstruction import reconstructed
from lucidex.core.source.pyramid import AnyPixels

SEARCHED = 7.0  # radii around the spot
RING = 0.7  # of the radius: how wide the surroundings are that are compared
REDUCED_RADIUS = 7.0  # pixels of a spot's radius at which patches are looked for
SMOOTHED = 0.25  # of the radius: the light at the edge
FEATHERED = 0.2  # of the radius, beyond the brush: there patch and picture run into each other
LIGHT_COUNTS, LIVELINESS_COUNTS, DISTANCE_COUNTS = 0.05, 1.0, 0.02
BEST_KEPT = 6
RECONSTRUCTED_RADIUS = 12.0  # pixels of a spot's radius at which its surroundings are carried on
GRAIN_SIGMA = 1.5  # pixels: what is finer is grain
SAFE_GRAIN, MOST_GRAIN = 0.8, 8.0  # code values of its median deviation: anywhere, and where it is surely grain
ALIKE = 0.25  # the correlation of neighbours from which fine detail is no grain
COMPARED_PIXELS = 900
PIECE_RADII = 16.0  # a long stroke is mended piece by piece, each so many radii long

Mask = npt.NDArray[np.bool_]


@dataclass(frozen=True)
class Healing(LocalChange):
    """`spot` is mended; `pending` is what else of the same stroke is still to be mended, so that it is no model."""

    spot: Brushed
    pending: Brushed | None = None

    @property
    def is_tiled(self) -> bool:
        """One patch for all of it."""
        return False

    def box(self, stored: Size, orientation: int) -> Box | None:
        """Around the brush and what fades beyond it."""
        sight = Sight.of_stored(stored, orientation)
        return held_box(grown(self.spot.bounds(sight), _feather(self.spot.radius_px(sight))), stored)

    def prepared(self, stored: StoredPixels) -> OfBox:
        """Looks around for a patch."""
        return lambda box: self._mended(stored, box)

    def _mended(self, stored: StoredPixels, box: Box) -> AnyPixels:
        radius = max(1.0, self.spot.radius_px(stored.sight))
        pixels, wider = padded_part(stored, box, math.ceil((SEARCHED + RING + 1) * radius) + 4)
        scale = 255 / stored.opaque
        colours = pixels[..., : stored.colour_bands].astype(np.float32) * np.float32(scale)
        cover = _covered(stored.sight, self.spot, wider)
        hole = cover > 0
        unknown = hole | (_covered(stored.sight, self.pending, wider) > 0 if self.pending else False)
        if stored.has_alpha:
            unknown |= pixels[..., -1] == 0
        mask = _faded(hole, _feather(radius))
        patch = patched(colours, hole, mask > 0, unknown, radius)
        mask = part_of(mask, wider, box)
        return mixed_in(stored, box, part_of(patch, wider, box) / np.float32(scale), mask)


def pieces_of(stroke: Brushed) -> Iterator[Healing]:
    """A stroke as changes that each look at their own surroundings: a long one in pieces."""
    parts = list(_divided(stroke))
    for number, part in enumerate(parts):
        rest = [spot for later in parts[number + 1 :] for spot in later.path]
        pending = stroke.model_copy(update={"path": (part.path[-1], *rest)}) if rest else None
        yield Healing(part, pending)


def _divided(stroke: Brushed) -> Iterator[Brushed]:
    """A stroke cut where it has become longer than a piece should be."""
    longest, path, length = PIECE_RADII * stroke.radius, [stroke.path[0]], 0.0
    for (x0, y0), (x1, y1) in pairwise(stroke.path):
        whole = math.hypot(x1 - x0, y1 - y0)
        cuts = max(1, math.ceil(whole / longest))
        for cut in range(1, cuts + 1):
            spot = (round(x0 + (x1 - x0) * cut / cuts, 6), round(y0 + (y1 - y0) * cut / cuts, 6))
            path.append(spot)
            length += whole / cuts
            if length >= longest:
                yield stroke.model_copy(update={"path": tuple(path)})
                path, length = [spot], 0.0
    if len(path) > 1 or len(stroke.path) == 1:
        yield stroke.model_copy(update={"path": tuple(path)})


def _covered(sight: Sight, stroke: Brushed, box: Box) -> Floats32:
    cover = np.zeros((box.size.height, box.size.width), np.float32)
    stroke.covered(sight, box.left, box.top, cover)
    return cover


def _feather(radius: float) -> float:
    """Over how many pixels beyond the brush a patch fades."""
    return max(1.0, FEATHERED * radius)


def _faded(hole: Mask, feather: float) -> Floats32:
    """All of the hole, and fading beyond it."""
    apart = cv2.distanceTransform((~hole).astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    faded: Floats32 = np.clip(1 - apart / (feather + 1), 0, 1).astype(np.float32)
    return faded


def patched(colours: Floats32, hole: Mask, shown: Mask, unknown: Mask, radius: float) -> Floats32:
    """Height × width × bands code values of 8 bits, mended where `shown` is set: the hole, and some beyond it.

    `unknown` holds the hole and whatever else is no model. Where there is no room for a patch, the edge alone leads.
    """
    if unknown.all() or not hole.any():
        return colours  # nothing is known that could lead, or nothing of the spot lies in the picture
    factor = max(1, math.ceil(radius / RECONSTRUCTED_RADIUS))
    sigma = max(0.8, SMOOTHED * radius)
    coarse = reconstructed(_reduced(colours, factor), _any(hole, factor), _any(unknown, factor))
    shift = best_shift(colours, hole, unknown, radius)
    window = _window(shown, margin=math.ceil(3 * sigma) + 2)
    here, inside, hidden = colours[window], shown[window], unknown[window]
    patch = None if shift is None else _moved(colours, window, *shift)
    if coarse is not None:
        moved = _enlarged(coarse, colours.shape, factor)[window]
        moved = moved if patch is None else moved + _grain(moved, hole[window], ~hidden, patch, factor)
    elif patch is not None:
        moved = patch
    else:
        return _filled_from_edge(colours, shown, unknown, sigma)
    # the difference of light is smoothed at the edge, over what is known
    apart = _smoothed(here - moved, (~hidden).astype(np.float32), sigma)
    light = membrane(apart, inside, hidden & ~inside)
    mended = colours.copy()
    mended[window][inside] = np.clip((moved + light)[inside], 0, 255)
    return mended


def _enlarged(coarse: Floats32, shape: tuple[int, ...], factor: int) -> Floats32:
    """A reduced raster at full scale, without what was added to reduce it."""
    if factor == 1:
        return coarse
    size = (coarse.shape[1] * factor, coarse.shape[0] * factor)
    large = cv2.resize(coarse, size, interpolation=cv2.INTER_CUBIC).reshape(size[1], size[0], -1)
    return large[: shape[0], : shape[1]]


def _grain(filled: Floats32, hole: Mask, known: Mask, patch: Floats32, factor: int) -> Floats32:
    """What a patch adds to a reconstruction: what that could not see at its scale, and as much of the finest that the
    hole becomes as lively as what surrounds it; texture that is more than grain would only be wrong."""
    fine = patch - _soft(patch, GRAIN_SIGMA * factor)
    if factor > 1:
        return fine
    fine_here = filled - _soft(filled, GRAIN_SIGMA)
    own, there = np.abs(fine_here), np.abs(fine)
    around = cv2.dilate(hole.astype(np.uint8), _disc(6)) > 0
    ring = around & known
    if not ring.any():
        return np.zeros_like(fine)
    wanted, has, gives = (np.median(one, axis=0) for one in (own[ring], own[hole], there[hole]))
    most = SAFE_GRAIN + MOST_GRAIN * _whiteness(fine_here, ring, wanted)
    missing = np.sqrt(np.maximum(np.minimum(wanted, most) ** 2 - has**2, 0))
    grain: Floats32 = (fine * np.minimum(missing / np.maximum(gives, 0.3), 1.5)).astype(np.float32)
    grain[~hole] = 0
    return grain


def _soft(values: Floats32, sigma: float) -> Floats32:
    return cv2.GaussianBlur(values, (0, 0), sigma).reshape(values.shape)


def _whiteness(fine: Floats32, ring: Mask, median: npt.NDArray[Any]) -> float:
    """1 where neighbours know nothing of each other, as in grain, 0 from `ALIKE` on, as in what a lens has drawn."""
    held = np.clip(fine, -3 * median - 1, 3 * median + 1) * ring[..., None]
    whole = max(float((held * held).sum()), 1e-6)
    alike = max(float((held[1:] * held[:-1]).sum()), float((held[:, 1:] * held[:, :-1]).sum())) / whole
    return min(max(1 - alike / ALIKE, 0.0), 1.0)


def _window(mask: Mask, margin: int) -> tuple[slice, slice]:
    """The rows and columns of what is set, and some around it."""
    rows, columns = np.flatnonzero(mask.any(axis=1)), np.flatnonzero(mask.any(axis=0))
    height, width = mask.shape
    return (
        slice(max(0, int(rows[0]) - margin), min(height, int(rows[-1]) + 1 + margin)),
        slice(max(0, int(columns[0]) - margin), min(width, int(columns[-1]) + 1 + margin)),
    )


def _smoothed(values: Floats32, weights: Floats32, sigma: float) -> Floats32:
    """A Gaussian that counts only what has weight."""
    held = cv2.GaussianBlur(values * weights[..., None], (0, 0), sigma).reshape(values.shape)
    cover = cv2.GaussianBlur(weights, (0, 0), sigma)[..., None]
    smooth: Floats32 = np.divide(held, cover, out=values.copy(), where=cover > 1e-3)
    return smooth


def _moved(colours: Floats32, window: tuple[slice, slice], dx: int, dy: int) -> Floats32:
    """What lies `dx`, `dy` further than a window, at each of its places; the picture's edge goes on."""
    height, width = colours.shape[:2]
    rows = np.clip(np.arange(window[0].start, window[0].stop) + dy, 0, height - 1)
    columns = np.clip(np.arange(window[1].start, window[1].stop) + dx, 0, width - 1)
    moved: Floats32 = colours[rows][:, columns]
    return moved


def _filled_from_edge(colours: Floats32, shown: Mask, unknown: Mask, sigma: float) -> Floats32:
    """The colours with a membrane over the hole, held by what surrounds it, without its grain."""
    window = _window(shown, margin=math.ceil(3 * sigma) + 2)
    inside, hidden = shown[window], unknown[window]
    if (inside | hidden).all():
        inside = inside & hidden  # what fades beyond the spot is all that is known
    smooth = _smoothed(colours[window], (~hidden).astype(np.float32), sigma)
    mended = colours.copy()
    mended[window][inside] = membrane(smooth, inside, hidden & ~inside)[inside]
    return mended


def best_shift(colours: Floats32, hole: Mask, unknown: Mask, radius: float) -> tuple[int, int] | None:
    """From where a patch is taken: so many pixels across and down. None where there is none."""
    factor = max(1, int(radius / REDUCED_RADIUS))
    small = _reduced(colours, factor)
    small_hole, small_unknown = _any(hole, factor), _any(unknown, factor)
    costs = shift_costs(small, small_hole, small_unknown, radius / factor)
    found = list(_least(costs, radius / factor))
    if not found or factor == 1:
        return found[0] if found else None
    return _refined(colours, hole, unknown, radius, [(dx * factor, dy * factor) for dx, dy in found], factor)


def _reduced(values: Floats32, factor: int) -> Floats32:
    if factor == 1:
        return values
    whole = np.pad(values, (*_up_to_blocks(values.shape, factor), (0, 0)), mode="edge")
    size = (whole.shape[1] // factor, whole.shape[0] // factor)
    reduced = cv2.resize(whole, size, interpolation=cv2.INTER_AREA)
    return reduced.reshape(size[1], size[0], -1)


def _any(mask: Mask, factor: int) -> Mask:
    whole = np.pad(mask, _up_to_blocks(mask.shape, factor), mode="edge")
    blocks = whole.reshape(whole.shape[0] // factor, factor, whole.shape[1] // factor, factor)
    return np.asarray(blocks.any(axis=(1, 3)))


def _up_to_blocks(shape: tuple[int, ...], factor: int) -> tuple[tuple[int, int], tuple[int, int]]:
    """How much is to be added below and to the right, so that whole blocks of `factor` pixels cover a raster."""
    return (0, -shape[0] % factor), (0, -shape[1] % factor)


def shift_costs(colours: Floats32, hole: Mask, unknown: Mask, radius: float) -> dict[str, Any]:
    """What each shift would cost: a raster of costs, infinite where there is no patch, and the shift of its origin.

    The cost of a shift is the mean square difference of the two rings once an even difference of light is taken out,
    and a little for that difference, for another liveliness, and for distance; all of it by correlation.
    """
    width_of_ring = max(2, math.ceil(RING * radius))
    window = _window(hole, margin=width_of_ring)
    top, left = window[0].start, window[1].start
    near = cv2.dilate(hole[window].astype(np.uint8), _disc(width_of_ring)) > 0
    ring = (near & ~unknown[window]).astype(np.float32)
    inside = hole[window].astype(np.float32)
    count, within = float(ring.sum()), float(inside.sum())
    if count < 4:
        return {"costs": np.full((1, 1), np.inf), "left": left, "top": top}
    target = colours[window] * ring[..., None]
    shape = (colours.shape[0] - ring.shape[0] + 1, colours.shape[1] - ring.shape[1] + 1)
    apart, light, lively = np.zeros(shape), np.zeros(shape), np.zeros(shape)
    for band in range(colours.shape[2]):
        plane = np.ascontiguousarray(colours[..., band])
        wanted = target[..., band]
        sums, squares = _correlated(plane, ring), _correlated(plane * plane, ring)
        products = _correlated(plane, wanted)
        mean = float(wanted.sum()) / count
        bias = mean - sums / count
        spread = squares / count - (sums / count) ** 2
        own_spread = float((wanted**2).sum()) / count - mean**2
        apart += np.maximum(own_spread + spread - 2 * (products / count - mean * sums / count), 0)
        light += bias**2
        middle = _correlated(plane, inside) / within
        inner = np.maximum(_correlated(plane * plane, inside) / within - middle**2, 0)
        lively += (np.sqrt(inner) - math.sqrt(max(own_spread, 0))) ** 2
    taken = _correlated(unknown.astype(np.float32), np.maximum(ring, inside)) > 0.5
    y, x = np.mgrid[0 : shape[0], 0 : shape[1]]
    far = ((x - left) ** 2 + (y - top) ** 2) / max(radius, 1) ** 2
    costs = apart + LIGHT_COUNTS * light + LIVELINESS_COUNTS * lively + DISTANCE_COUNTS * far
    costs[taken] = np.inf
    return {"costs": costs, "left": left, "top": top}


def _correlated(plane: Floats32, kernel: Floats32) -> npt.NDArray[np.float64]:
    """The sum of a plane times a kernel, at every place where the kernel lies within the plane."""
    found = cv2.matchTemplate(np.ascontiguousarray(plane), np.ascontiguousarray(kernel), cv2.TM_CCORR)
    return found.astype(np.float64)


def _disc(radius: int) -> npt.NDArray[np.uint8]:
    shape: npt.NDArray[np.uint8] = cv2.getStructuringElement(
        cv2.MORPH_ELLIPSE, (2 * radius + 1, 2 * radius + 1)
    ).astype(np.uint8)
    return shape


def _least(found: dict[str, Any], radius: float) -> Iterator[tuple[int, int]]:
    """The cheapest shifts, apart from each other."""
    costs = found["costs"].copy()
    apart = max(1, round(radius / 2))
    for _ in range(BEST_KEPT):
        row, column = np.unravel_index(int(np.argmin(costs)), costs.shape)
        if not np.isfinite(costs[row, column]):
            return
        yield int(column) - found["left"], int(row) - found["top"]
        costs[max(0, row - apart) : row + apart + 1, max(0, column - apart) : column + apart + 1] = np.inf


def _refined(
    colours: Floats32, hole: Mask, unknown: Mask, radius: float, shifts: list[tuple[int, int]], reach: int
) -> tuple[int, int]:
    """The best shift near some, at full scale, judged by the ring's pixels, or by many of them."""
    ring = max(2, math.ceil(RING * radius))
    window = _window(hole, margin=ring)
    apart_from_hole = cv2.distanceTransform((~hole[window]).astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_3)
    rows, columns = np.nonzero(np.logical_and(apart_from_hole <= ring, ~unknown[window]))
    rows, columns = rows + window[0].start, columns + window[1].start
    inner_rows, inner_columns = np.nonzero(hole)
    inner_rows, inner_columns = (
        one[:: max(1, len(inner_rows) // (4 * COMPARED_PIXELS))] for one in (inner_rows, inner_columns)
    )
    every = max(1, len(rows) // COMPARED_PIXELS)
    rows, columns = rows[::every], columns[::every]
    wanted = colours[rows, columns]
    best, cost = shifts[0], math.inf
    step = reach
    tried = shifts
    while True:
        for dx, dy in tried:
            y, x = rows + dy, columns + dx
            if y.min() < 0 or x.min() < 0 or y.max() >= colours.shape[0] or x.max() >= colours.shape[1]:
                continue
            y_inside, x_inside = inner_rows + dy, inner_columns + dx
            if unknown[y_inside.clip(0, len(unknown) - 1), x_inside.clip(0, unknown.shape[1] - 1)].any():
                continue
            apart = wanted - colours[y, x]
            light = apart.mean(axis=0)
            here = float(((apart - light) ** 2).mean() + LIGHT_COUNTS * (light**2).mean())
            if here < cost:
                best, cost = (dx, dy), here
        if step == 0:
            return best
        step //= 2
        around = (-max(step, 1), 0, max(step, 1))
        tried = [(best[0] + i, best[1] + j) for i in around for j in around if i or j]
