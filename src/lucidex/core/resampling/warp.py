"""Pixels at real positions: a picture turned, sheared or seen in perspective, by Lanczos over 8 × 8 pixels.

It neither reduces nor enlarges by much: whoever reduces does so first (`resample`). Weights are Lanczos' kernel with
four lobes (C. Lanczos, Applied Analysis, 1956; Duchon, Lanczos Filtering in One and Two Dimensions, 1979) at 1 024
positions within a pixel, each made to sum to one. Beyond the edge its last pixels go on.

Tiles of the result read no more than they need, so that a large picture is never held as floats, at any angle.
"""

import threading
from concurrent.futures import ThreadPoolExecutor
from functools import cache
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt
import pyvips

from lucidex.core.cancellation import check_wanted, present_event
from lucidex.core.geometry.sizes import Size, Window
from lucidex.core.geometry.transform import Transform, box_around, shift
from lucidex.core.resampling.kernel import rounded
from lucidex.core.resampling.warp_kernel import LANES, PHASES, TAPS, gathered, spread, warp_rows

AnyPixels = npt.NDArray[Any]
Floats = npt.NDArray[np.float32]

LOBES = TAPS // 2
MARGIN = 6.0  # pixels around what a part of the result shows, so that its Lanczos has neighbours
BEYOND = 2 * LOBES + 1  # pixels by which an edge goes on: further out nothing differs
TILE_ROWS, TILE_COLUMNS = 128, 512


def warped(pixels: AnyPixels, to_pixels: Transform, drawn: Size, finer: int = 1) -> AnyPixels:
    """`drawn` pixels of the same type: that at (x, y), counted from 0, shows `pixels` where `to_pixels` leads.

    `pixels`: height × width × 1 to 4 bands, of 8 or 16 bits, or floats premultiplied with alpha, which is the last
    band. With `finer` it samples as many times finer on both sides and takes means, where the picture is pulled so
    unevenly that single positions would miss some of it.

    Raises ValueError for more bands, NoLongerWantedError where nobody waits for it any more.
    """
    if not 1 <= pixels.shape[2] <= LANES:
        raise ValueError(f"{pixels.shape[2]} bands cannot be warped, at most {LANES}.")
    out = np.empty((drawn.height, drawn.width, pixels.shape[2]), pixels.dtype)
    gone, rooms = present_event(), _Rooms()

    def put(tile: tuple[int, int]) -> None:
        check_wanted(gone)
        top, left = tile
        part = out[top : top + TILE_ROWS, left : left + TILE_COLUMNS]
        size = Size(part.shape[1], part.shape[0])
        part[:] = _as_type(_tile(pixels, shift(left, top).then(to_pixels), size, finer, rooms), pixels.dtype)

    tiles = [(y, x) for y in range(0, drawn.height, TILE_ROWS) for x in range(0, drawn.width, TILE_COLUMNS)]
    threads = pyvips.concurrency_get()
    if threads == 1 or len(tiles) == 1:
        for tile in tiles:
            put(tile)
        return out
    with ThreadPoolExecutor(threads) as pool:
        for _ in pool.map(put, tiles):
            pass  # a tile that failed raises here
    return out


class _Rooms(threading.local):
    """Memory of each thread that one tile after the other uses: new pages cost as much as the sums."""

    def __init__(self) -> None:
        self._held: dict[str, Floats] = {}

    def floats(self, name: str, height: int, width: int) -> Floats:
        """Height × width × lanes of whatever was there."""
        numbers = height * width * LANES
        held = self._held.get(name)
        if held is None or held.size < numbers:
            held = self._held[name] = np.zeros(numbers + numbers // 4, np.float32)
        return held[:numbers].reshape(height, width, LANES)


@cache
def _weights() -> Floats:
    x = np.arange(PHASES + 1)[:, None] / PHASES - np.arange(1 - LOBES, LOBES + 1)[None, :]
    weights = np.where(np.abs(x) < LOBES, np.sinc(x) * np.sinc(x / LOBES), 0)
    return np.ascontiguousarray(weights / weights.sum(axis=1, keepdims=True), np.float32).reshape(-1)


def _tile(pixels: AnyPixels, to_pixels: Transform, size: Size, finer: int, rooms: _Rooms) -> Floats:
    height, width, bands = pixels.shape
    box = box_around(to_pixels, Window(-1, -1, size.width + 1, size.height + 1), MARGIN, Size(width, height))
    near: AnyPixels = pixels[box.top : box.top + box.size.height, box.left : box.left + box.size.width]
    # where the box ends inside the picture nothing reaches beyond it; where the picture ends, its edge goes on
    near = cv2.copyMakeBorder(near, BEYOND, BEYOND, BEYOND, BEYOND, cv2.BORDER_REPLICATE)
    floats = rooms.floats("near", *near.shape[:2])
    spread(near.reshape(-1), bands, floats.reshape(-1))
    grid = Transform(1 / finer, 0, 0, 1 / finer, 0.5 / finer - 0.5, 0.5 / finer - 0.5)
    matrix = grid.then(to_pixels).then(shift(BEYOND - box.left, BEYOND - box.top)).matrix
    out = rooms.floats("out", size.height * finer, size.width * finer)
    warp_rows(
        floats.reshape(-1), floats.shape[1], floats.shape[0], matrix, _weights(), out.reshape(size.height * finer, -1)
    )
    if finer > 1:
        out = np.asarray(cv2.resize(out, (size.width, size.height), interpolation=cv2.INTER_AREA), np.float32)
    kept = np.empty((size.height, size.width, bands), np.float32)
    gathered(out.reshape(-1), bands, kept.reshape(-1))
    return kept


def _as_type(values: Floats, number_type: "np.dtype[Any]") -> AnyPixels:
    if number_type == np.float32:  # Lanczos overshoots; premultiplied colours and alpha are never below nothing
        return np.maximum(values, 0)
    out = np.empty(values.shape, number_type)
    rounded(values.reshape(-1), np.float32(np.iinfo(number_type).max), out.reshape(-1))
    return out
