"""Less noise: the formula in float64, what is found of the noise, and that nothing is made worse."""

import cv2
import numpy as np
import numpy.typing as npt
import pytest

from lucidex.core.source.denoising import (
    LEVELS,
    STRIDE,
    THRESHOLD,
    TO_ORTHOGONAL,
    USUAL,
    CosineDenoising,
    measured_noise,
)
from lucidex.core.source.derivation import StoredPixels, restored
from tests.conftest import smooth_picture
from tests.core.local.pixels import lively

Floats = npt.NDArray[np.float64]
COSINES = np.array([[np.cos((2 * x + 1) * u * np.pi / 16) for x in range(8)] for u in range(8)]) / 2
COSINES[0] /= np.sqrt(2)


def spoilt(clean: np.ndarray, deviation: float, seed: int = 3) -> npt.NDArray[np.uint8]:
    noise = np.random.default_rng(seed).normal(0, deviation, clean.shape)
    return np.clip(np.rint(clean + noise), 0, 255).astype(np.uint8)


def calmed(noisy: np.ndarray, strength: float = USUAL) -> np.ndarray:
    return restored(StoredPixels(noisy), (CosineDenoising(strength),))


def error(one: np.ndarray, other: np.ndarray) -> float:
    return float(np.sqrt(((one.astype(float) - other) ** 2).mean()))


def transformed(block: Floats) -> Floats:
    return np.stack([COSINES @ plane @ COSINES.T for plane in block])


def by_formula(noisy: np.ndarray, noise: Floats) -> Floats:
    """Both passes, block by block."""
    planes = np.einsum("cd,yxd->cyx", TO_ORTHOGONAL.astype(np.float64), noisy.astype(np.float64))
    height, width = noisy.shape[:2]
    tops, lefts = (sorted({*range(0, side - 7, STRIDE), side - 8}) for side in (height, width))
    guide: Floats | None = None
    for _ in range(2):
        total, weights = np.zeros_like(planes), np.zeros((height, width))
        for top in tops:
            for left in lefts:
                part = np.s_[:, top : top + 8, left : left + 8]
                found = transformed(planes[part])
                seen = found if guide is None else transformed(guide[part])
                level = int(np.clip(seen[0, 0, 0] / 8 * LEVELS / (np.sqrt(3) * 256), 0, LEVELS - 1))
                deviation = noise[:, level][:, None, None]
                if guide is None:
                    share = (np.abs(found) >= THRESHOLD * deviation).astype(float)
                else:
                    share = seen**2 / (seen**2 + deviation**2 + 1e-12)
                weight = 1 / (1 + (share**2).sum())
                share[:, 0, 0] = 1
                kept = np.stack([COSINES.T @ plane @ COSINES for plane in found * share])
                total[part] += weight * kept
                weights[part[1:]] += weight
        guide = total / weights
    assert guide is not None
    return np.einsum("cd,cyx->yxd", TO_ORTHOGONAL.astype(np.float64), guide)


def test_it_agrees_with_its_formula_in_float64() -> None:
    noisy = spoilt(lively(53, 62, 3), 9)
    exact = np.clip(by_formula(noisy, measured_noise(noisy)), 0, 255)
    off = np.abs(calmed(noisy) - exact)
    assert np.quantile(off, 0.99) <= 0.55, "half a value is the rounding"
    assert off.max() <= 2, "where a number stands at the threshold"


@pytest.mark.parametrize("deviation", [2, 6, 15])
def test_the_noise_is_found_on_the_picture_itself(deviation: float) -> None:
    found = measured_noise(spoilt(smooth_picture(400, 300), deviation))
    assert found.shape == (3, LEVELS)
    assert np.median(found, axis=1) == pytest.approx([deviation] * 3, rel=0.15)


def test_the_noise_is_found_for_each_level_of_light() -> None:
    clean = np.repeat(np.linspace(20, 230, 640)[None, :, None], 480, axis=0).repeat(3, axis=2)
    random = np.random.default_rng(2)
    noisy = np.clip(np.rint(clean + random.normal(0, 1, clean.shape) * (3 + clean / 50)), 0, 255).astype(np.uint8)
    found = measured_noise(noisy)[0]
    wanted = 3 + (np.arange(LEVELS) + 0.5) * 32 / 50
    assert found[1:-1] == pytest.approx(wanted[1:-1], rel=0.2)


def test_texture_is_not_taken_for_noise_where_anything_is_flat() -> None:
    y, x = np.mgrid[0:320, 0:480]
    busy = np.repeat((115 + 60 * np.sin(x * 1.3) * np.sin(y * 0.9))[..., None], 3, axis=2)
    busy[:, :160] = np.linspace(90, 140, 160)[None, :, None]
    assert np.median(measured_noise(spoilt(busy, 3))) < 5


def test_the_noise_is_found_where_a_colour_is_at_its_end_everywhere() -> None:
    red = smooth_picture(320, 240)
    red[..., 1] = 0
    noisy = spoilt(red, 8)
    assert np.median(measured_noise(noisy)[0]) > 4
    assert error(calmed(noisy), red) < 0.6 * error(noisy, red)


@pytest.mark.parametrize("deviation", [2, 5, 12, 25])
@pytest.mark.parametrize("bands", [1, 3])
def test_nothing_is_worse_than_before_at_any_strength(deviation: float, bands: int) -> None:
    clean = smooth_picture(260, 200)[..., :bands]
    clean[40:160, 30:130] = 200
    clean[80:90:2, :, 0] = 40
    noisy = spoilt(clean, deviation)
    errors = [error(calmed(noisy, strength), clean) for strength in (0.1, 0.25, USUAL, 0.7, 1.0)]
    assert max(errors) < error(noisy, clean)
    assert errors[0] > errors[1] > errors[2], "less strength leaves more of it"


def test_a_drawing_without_noise_stays_as_it_is() -> None:
    drawing = np.full((200, 300, 3), 255, np.uint8)
    cv2.circle(drawing, (150, 100), 60, (20, 90, 160), -1)
    assert np.array_equal(calmed(drawing), drawing)


def test_a_wide_picture_is_sampled_and_not_all_of_it(monkeypatch: pytest.MonkeyPatch) -> None:
    seen: list[int] = []
    transform = cv2.transform

    def counting(pixels: np.ndarray, matrix: np.ndarray) -> np.ndarray:
        seen.append(pixels.shape[0] * pixels.shape[1])
        return transform(pixels, matrix)

    monkeypatch.setattr(cv2, "transform", counting)
    assert np.median(measured_noise(spoilt(np.full((40, 60_000, 3), 120), 6))) == pytest.approx(6, rel=0.1)
    assert sum(seen) <= 2_000_000


@pytest.mark.parametrize("size", [(1, 1), (7, 40), (8, 8), (9, 300), (70, 3)])
def test_small_pictures_keep_their_size_and_may_stay_as_they_are(size: tuple[int, int]) -> None:
    noisy = spoilt(np.full((*size, 3), 120), 10)
    assert calmed(noisy).shape == noisy.shape


def test_sixteen_bits_are_calmed_alike() -> None:
    noisy = spoilt(smooth_picture(200, 160), 10)
    deep = calmed(noisy.astype(np.uint16) * 257).astype(float) / 257
    assert np.quantile(np.abs(deep - calmed(noisy)), 0.99) <= 1.5
