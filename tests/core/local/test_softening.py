"""Softening a part, against plain float64 sums over what each kind averages."""

import math

import numpy as np
import pytest

from lucidex.core.areas.area import Area
from lucidex.core.areas.shapes import Ellipse, Rectangle
from lucidex.core.geometry.sizes import Box, Size
from lucidex.core.source.derivation import StoredPixels
from lucidex.core.source.local.softening import LIGHT_EXPONENT, LocalSoftening, Softness
from lucidex.core.steps.soften_part import SoftenPart
from tests.core.local.pixels import changed, lively

ALL = Area(shapes=(Rectangle(width=2.9, height=2.9),))


def averaged(pixels: np.ndarray, weights: np.ndarray, exponent: float = 1.0) -> np.ndarray:
    """Every pixel's neighbours, weighted; edges go on as they end. Float64, without any shortcut."""
    reach = weights.shape[0] // 2
    values = (np.pad(pixels.astype(np.float64), ((reach, reach), (reach, reach), (0, 0)), "edge") / 255) ** exponent
    total = np.zeros(pixels.shape)
    for row, column in np.argwhere(weights):
        total += weights[row, column] * values[row : row + pixels.shape[0], column : column + pixels.shape[1]]
    return 255 * (total / weights.sum()) ** (1 / exponent)


def disc(radius: float, finer: int = 24) -> np.ndarray:
    reach = math.ceil(radius) + 1
    y, x = (np.mgrid[0 : (2 * reach + 1) * finer, 0 : (2 * reach + 1) * finer] + 0.5) / finer - reach - 0.5
    return (x**2 + y**2 <= radius**2).reshape(2 * reach + 1, finer, 2 * reach + 1, finer).mean(axis=(1, 3))


def gaussian(sigma: float) -> np.ndarray:
    reach = math.ceil(5 * sigma)
    line = np.exp(-(np.arange(-reach, reach + 1) ** 2) / (2 * sigma**2))
    return np.outer(line, line)


@pytest.mark.parametrize("sigma", [1.5, 5.0, 14.0])
def test_soft_is_a_gaussian(sigma: float) -> None:
    pixels = lively(100, 140)
    found = changed(pixels, LocalSoftening(ALL, Softness.SOFT, sigma / 100)).astype(np.float64)
    assert np.abs(found - averaged(pixels, gaussian(sigma))).max() < (1.0 if sigma < 12 else 1.6)


@pytest.mark.parametrize("radius", [3.0, 9.0, 26.0])
def test_a_lens_averages_light_over_a_disc(radius: float) -> None:
    pixels = lively(100, 140)
    found = changed(pixels, LocalSoftening(ALL, Softness.LENS, radius / 100)).astype(np.float64)
    off = np.abs(found - averaged(pixels, disc(radius), LIGHT_EXPONENT))
    assert off.mean() < 0.7
    assert off.max() < (2.0 if radius < 20 else 6.0), "blocks at a disc's edge are a pixel or two too many or few"


@pytest.mark.parametrize("angle", [0, 90, 45])
def test_a_movement_runs_along_its_direction_only(angle: int) -> None:
    pixels = np.zeros((101, 101, 3), np.uint8)
    pixels[50, 50] = 255
    spread = changed(pixels, LocalSoftening(ALL, Softness.MOTION, 0.12, angle)).astype(np.float64).mean(axis=2)
    rows, columns = np.nonzero(spread > 2)
    along = (columns - 50) * math.cos(math.radians(angle)) + (rows - 50) * math.sin(math.radians(angle))
    across = -(columns - 50) * math.sin(math.radians(angle)) + (rows - 50) * math.cos(math.radians(angle))
    assert np.abs(across).max() < 1.5
    assert 10.5 < np.abs(along).max() < 13.5


def test_coarse_shows_the_mean_of_each_square() -> None:
    pixels = lively(96, 128)
    found = changed(pixels, LocalSoftening(ALL, Softness.COARSE, 4 / 96))
    means = pixels.reshape(12, 8, 16, 8, 3).astype(np.float64).mean(axis=(1, 3))
    assert np.abs(found - np.repeat(np.repeat(means, 8, axis=0), 8, axis=1)).max() <= 0.51


def test_the_edge_fades_between_what_was_and_what_is() -> None:
    pixels = lively(120, 160)
    area = Area(shapes=(Ellipse(width=0.4, height=0.4),), edge=0.1)
    mask = area.mask(StoredPixels(pixels).sight, Box(0, 0, Size(160, 120)))[..., None]
    full = changed(pixels, LocalSoftening(ALL, Softness.SOFT, 0.03)).astype(np.float64)
    found = changed(pixels, LocalSoftening(area, Softness.SOFT, 0.03))
    assert np.abs(found - (pixels + (full - pixels) * mask)).max() <= 1.01


def test_clear_parts_do_not_bleed_into_what_is_softened() -> None:
    pixels = np.zeros((80, 80, 4), np.uint8)
    pixels[:, :40] = (255, 0, 0, 0)
    pixels[:, 40:] = (0, 0, 255, 255)
    found = changed(pixels, LocalSoftening(ALL, Softness.SOFT, 0.06))
    assert found[40, 44:, 0].max() == 0


def test_everything_but_a_part_leaves_the_part_as_it_is() -> None:
    step = SoftenPart(shapes=(Rectangle(width=0.5, height=0.5),), around=True, edge_percent=0, radius_percent=2)
    pixels = lively(100, 140)
    (change,) = step.restorations()
    found = changed(pixels, change)  # type: ignore[arg-type]
    assert np.array_equal(found[26:74, 46:94], pixels[26:74, 46:94])
    assert np.abs(found.astype(int) - pixels)[:20].mean() > 3


def test_strength_nought_is_identity() -> None:
    assert SoftenPart(shapes=(Rectangle(),), radius_percent=0).restorations() == ()
