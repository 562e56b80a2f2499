"""The warp against a reference in float64 that follows the formula: positions, weights, edges, bands."""

import math
from typing import Any

import numpy as np
import numpy.typing as npt
import pytest
import pyvips
from hypothesis import given
from hypothesis import strategies as st

from lucidex.core.geometry.sizes import Size
from lucidex.core.geometry.transform import Transform
from lucidex.core.resampling import warp, warped
from lucidex.core.resampling.warp_kernel import PHASES

FLOOR = 0.5 + 1e-3  # rounding to whole numbers


def lanczos(x: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    weights = np.where(np.abs(x) < 4, np.sinc(x) * np.sinc(x / 4), 0)
    found: npt.NDArray[np.float64] = weights / weights.sum(axis=-1, keepdims=True)
    return found


def reference(pixels: npt.NDArray[Any], to_pixels: Transform, drawn: Size) -> npt.NDArray[np.float64]:
    """Every pixel of the result on its own; the edge goes on beyond the picture."""
    ys, xs = np.mgrid[0 : drawn.height, 0 : drawn.width]
    at = np.stack([xs, ys, np.ones_like(xs)], axis=-1) @ to_pixels.matrix.T
    x, y = at[..., 0] / at[..., 2], at[..., 1] / at[..., 2]
    left, top, taps = np.floor(x), np.floor(y), np.arange(-3, 5)
    across, down = lanczos((x - left)[..., None] - taps), lanczos((y - top)[..., None] - taps)
    columns = np.clip(left[..., None] + taps, 0, pixels.shape[1] - 1).astype(int)
    rows = np.clip(top[..., None] + taps, 0, pixels.shape[0] - 1).astype(int)
    near = pixels.astype(np.float64)[rows[..., :, None], columns[..., None, :]]
    return np.einsum("yxij,yxijb->yxb", down[..., :, None] * across[..., None, :], near)


def turned(degrees: float, scale: float, shear: float, receding: float, size: Size) -> Transform:
    """Around the middle of a picture."""
    c, s = scale * math.cos(math.radians(degrees)), scale * math.sin(math.radians(degrees))
    turn = Transform(c, -s + shear, s, c, size.width / 2, size.height / 2)
    return Transform(1, 0, 0, 1, -size.width / 2, -size.height / 2).then(
        Transform(1, 0, 0, 1, 0, 0, receding / 400, 0, 1).then(turn)
    )


@pytest.mark.long
@given(
    degrees=st.floats(-180, 180),
    scale=st.floats(0.6, 1.3),
    shear=st.floats(-0.3, 0.3),
    receding=st.sampled_from([0.0, 0.3, -0.5]),
    width=st.integers(1, 150),
    height=st.integers(1, 150),
    bands=st.integers(1, 4),
    kind=st.sampled_from([np.uint8, np.uint16]),
    seed=st.integers(0, 9),
)
def test_every_pixel_is_what_the_formula_says(
    degrees: float,
    scale: float,
    shear: float,
    receding: float,
    width: int,
    height: int,
    bands: int,
    kind: type[np.unsignedinteger[Any]],
    seed: int,
) -> None:
    most = int(np.iinfo(kind).max)
    random = np.random.default_rng(seed)
    pixels = random.integers(most // 4, 3 * most // 4, (height, width, bands)).astype(kind)
    drawn = Size(170, 140)  # two tiles down; its corners lead beyond the picture
    transform = turned(degrees, scale, shear, receding, Size(width, height))
    found = warped(pixels, transform, drawn).astype(np.float64)
    expected = np.clip(reference(pixels, transform, drawn), 0, most)
    # half a step between the positions that have weights, at the steepest slope that noise over half the range has
    off = 2 * 4 * (most / 2) / (2 * PHASES)
    assert np.abs(found - expected).max() <= FLOOR + off
    assert np.abs(found - expected).mean() <= FLOOR / 2 + off / 8


def test_premultiplied_floats_never_fall_below_nothing() -> None:
    pixels = np.zeros((40, 40, 4), np.float32)
    pixels[10:30, 10:30] = 255
    found = warped(pixels, turned(30, 1, 0, 0, Size(40, 40)), Size(40, 40))
    assert found.dtype == np.float32
    assert found.min() == 0
    assert found.max() > 255, "what overshoots is held where alpha is known, not here"


def test_a_finer_warp_is_the_mean_of_the_finer_positions() -> None:
    pixels = np.random.default_rng(4).integers(0, 255, (90, 120, 3)).astype(np.uint8)
    transform = turned(12, 1.8, 0, 0.2, Size(120, 90))
    found = warped(pixels, transform, Size(60, 44), finer=3).astype(np.float64)
    grid = Transform(1 / 3, 0, 0, 1 / 3, 0.5 / 3 - 0.5, 0.5 / 3 - 0.5)
    fine = reference(pixels, grid.then(transform), Size(180, 132))
    expected = np.clip(fine.reshape(44, 3, 60, 3, 3).mean(axis=(1, 3)), 0, 255)
    assert np.abs(found - expected).max() <= FLOOR + 0.3


@pytest.mark.parametrize("tile", [(128, 512), (17, 23)])
def test_neither_tiles_nor_threads_change_a_pixel(monkeypatch: pytest.MonkeyPatch, tile: tuple[int, int]) -> None:
    pixels = np.random.default_rng(5).integers(0, 255, (300, 400, 3)).astype(np.uint8)
    transform = turned(41, 1.1, 0.1, 0.3, Size(400, 300))
    before = pyvips.concurrency_get()
    try:
        pyvips.concurrency_set(1)
        expected = warped(pixels, transform, Size(390, 290))
        monkeypatch.setattr(warp, "TILE_ROWS", tile[0])
        monkeypatch.setattr(warp, "TILE_COLUMNS", tile[1])
        pyvips.concurrency_set(3)
        differs = np.abs(warped(pixels, transform, Size(390, 290)).astype(int) - expected)
    finally:
        pyvips.concurrency_set(before)
    # a position that lies halfway between two that have weights may fall to either side
    assert differs.max() <= 1
    assert (differs > 0).mean() < 1e-3


@pytest.mark.parametrize("receding", [-40.0, 40.0, -1e9])
def test_what_lies_behind_the_horizon_harms_nothing(receding: float) -> None:
    pixels = np.full((30, 40, 3), 90, np.uint8)
    transform = turned(0, 1, 0, receding, Size(40, 30))
    assert (warped(pixels, transform, Size(40, 30)) == 90).all()
    nowhere = Transform(1, 0, 0, 1, 0, 0, 0, 0, 0)
    assert warped(pixels, nowhere, Size(4, 4)).shape == (4, 4, 3)


def test_more_bands_than_there_is_room_for_are_refused() -> None:
    with pytest.raises(ValueError, match="5 bands"):
        warped(np.zeros((9, 9, 5), np.uint8), Transform(), Size(9, 9))
