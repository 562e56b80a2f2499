"""Distortion: one field, one resampling, against float64; edges stay; what is taken back is as it was."""

import math

import numpy as np
import pytest

from lucidex.core.areas.sight import Sight
from lucidex.core.geometry.sizes import Box, Size
from lucidex.core.source.local.distortion import (
    LARGER_BY,
    OF_A_CLICK,
    TURNED_BY,
    Distortion,
    Shift,
    ShiftStroke,
    displacements,
)
from lucidex.core.steps.distort import Distort
from tests.core.local.pixels import changed, lively, smooth_waves

SIZE = Size(240, 200)
WHOLE = Box(0, 0, SIZE)
SIGHT = Sight.of_stored(SIZE, 1)


def click(shift: Shift, strength: float = 1.0, radius: float = 0.3) -> ShiftStroke:
    return ShiftStroke(path=((0.5, 0.5),), radius=radius, shift=shift, strength=strength)


def field_of(*strokes: ShiftStroke) -> tuple[np.ndarray, float]:
    return displacements(strokes, SIGHT, WHOLE, SIZE)


def test_one_touch_is_what_its_formula_says() -> None:
    """Four touches at one place, in float64: each takes its pixel from where the one before had put it."""
    field, spacing = field_of(click(Shift.SWELL))
    radius, middle = 0.3 * 200, np.array([120.0, 100.0])
    for at in ((130.0, 110.0), (150.0, 90.0), (100.0, 130.0)):
        place = np.array(at)
        for _ in range(OF_A_CLICK):
            from_middle = place - middle
            share = max(0.0, 1 - (from_middle @ from_middle) / radius**2) ** 2
            place = place - from_middle * LARGER_BY * share
        found = field[round((at[1] - 0.5) / spacing), round((at[0] - 0.5) / spacing)]
        grid = np.array([round((at[0] - 0.5) / spacing), round((at[1] - 0.5) / spacing)]) * spacing + 0.5
        assert np.abs(found - (place - at)).max() < 0.25 + np.abs(grid - at).max() * 0.3


def test_a_swirl_turns_to_its_side() -> None:
    field, spacing = field_of(click(Shift.SWIRL_RIGHT))
    row, column = round(100 / spacing), round(140 / spacing)
    across, down = column * spacing + 0.5 - 120, row * spacing + 0.5 - 100
    dx, dy = field[row, column]
    assert dy < -1, "clockwise: what is on the right comes from above"
    assert math.hypot(across + dx, down + dy) == pytest.approx(math.hypot(across, down), abs=0.3)
    assert TURNED_BY > 0
    left, _ = field_of(click(Shift.SWIRL_LEFT))
    assert left[row, column][1] == pytest.approx(-dy, rel=0.1)


def test_a_push_takes_the_picture_along() -> None:
    pixels = np.full((200, 240, 3), 30, np.uint8)
    pixels[90:110, 110:130] = 250
    stroke = ShiftStroke(path=((0.5, 0.5), (0.6, 0.5)), radius=0.3, shift=Shift.PUSH, strength=1.0)
    found = changed(pixels, Distortion((stroke,)))[100, :, 0] > 140
    assert np.flatnonzero(found).mean() == pytest.approx(119.5 + 18, abs=7)


@pytest.mark.parametrize("bands", [1, 3, 4])
def test_it_is_the_picture_looked_at_through_the_field(bands: int) -> None:
    """Against Catmull and Rom's cubic, in float64, at each place that the field gives."""
    pixels = smooth_waves(200, 240, bands)
    stroke = click(Shift.SWELL, 0.7)
    field, spacing = field_of(stroke)
    box = Distortion((stroke,)).box(SIZE, 1)
    assert box is not None
    inner, spacing = displacements((stroke,), SIGHT, box, SIZE)
    found = changed(pixels, Distortion((stroke,)))
    random = np.random.default_rng(2)
    for _ in range(120):
        row, column = int(random.integers(45, 155)), int(random.integers(65, 175))
        gy, gx = (row - box.top) / spacing, (column - box.left) / spacing
        i, j = int(gy), int(gx)
        v, u = gy - i, gx - j
        shift = (1 - v) * ((1 - u) * inner[i, j] + u * inner[i, j + 1]) + v * (
            (1 - u) * inner[i + 1, j] + u * inner[i + 1, j + 1]
        )
        expected = cubic(pixels.astype(np.float64), column + float(shift[0]), row + float(shift[1]))
        assert np.abs(found[row, column, : min(bands, 3)] - expected[: min(bands, 3)]).max() <= 1.0
    assert field.shape[2] == 2


def cubic(values: np.ndarray, x: float, y: float) -> np.ndarray:
    def weights(t: float) -> list[float]:
        return [
            ((-0.5 * t + 1) * t - 0.5) * t,
            (1.5 * t - 2.5) * t * t + 1,
            ((-1.5 * t + 2) * t + 0.5) * t,
            (0.5 * t - 0.5) * t * t,
        ]

    left, top = math.floor(x), math.floor(y)
    across, down = weights(x - left), weights(y - top)
    rows = [sum(w * values[top - 1 + i, left - 1 + j] for j, w in enumerate(across)) for i in range(4)]
    return sum(w * row for w, row in zip(down, rows, strict=True))


def test_twenty_strokes_lose_no_more_than_one() -> None:
    """By the liveliness that is left: each resampling takes some of it, and here there is one."""
    pixels = np.random.default_rng(4).integers(0, 256, (200, 240, 1)).astype(np.uint8)
    out = ShiftStroke(path=((0.48, 0.5), (0.5, 0.5)), radius=0.4, shift=Shift.PUSH, strength=0.11)
    down = out.model_copy(update={"path": ((0.5, 0.48), (0.5, 0.5))})
    strokes = (out, down) * 10

    def left_of(found: np.ndarray) -> float:
        return float(found[80:120, 100:140].astype(np.float64).std())

    one, together = left_of(changed(pixels, Distortion((out,)))), left_of(changed(pixels, Distortion(strokes)))
    apart = pixels
    for stroke in strokes:
        apart = changed(apart, Distortion((stroke,)))
    assert together > 0.9 * one
    assert left_of(apart) < 0.75 * one


def test_the_pictures_edge_stays_and_so_does_what_lies_apart() -> None:
    pixels = lively(200, 240)
    found = changed(pixels, Distortion((click(Shift.SWELL, 1.0, 0.9),)))
    for edge in (np.s_[0], np.s_[-1], np.s_[:, 0], np.s_[:, -1]):
        assert np.array_equal(found[edge], pixels[edge])
    corner = Distortion((ShiftStroke(path=((0.0, 0.0), (0.2, 0.2)), radius=0.3, shift=Shift.PUSH, strength=1.0),))
    assert np.array_equal(changed(pixels, corner)[0], pixels[0])


def test_the_back_brush_takes_back() -> None:
    swollen, _ = field_of(click(Shift.SWELL))
    eased, _ = field_of(click(Shift.SWELL), *[click(Shift.BACK, 1.0)] * 4)
    middle = np.s_[
        eased.shape[0] * 2 // 5 : eased.shape[0] * 3 // 5, eased.shape[1] * 2 // 5 : eased.shape[1] * 3 // 5
    ]
    assert np.abs(eased[middle]).max() < 0.1 * np.abs(swollen).max()


def test_strength_nought_is_identity() -> None:
    pixels = lively(200, 240)
    for shift in Shift:
        assert np.array_equal(changed(pixels, Distortion((click(shift, 0.0),))), pixels)
    assert Distort().restorations() == ()


def test_strokes_that_touch_are_one_change_and_others_are_their_own() -> None:
    far = ShiftStroke(path=((0.9, 0.9),), radius=0.05, shift=Shift.SWELL)
    near = ShiftStroke(path=((0.55, 0.5),), radius=0.1, shift=Shift.SWELL)
    step = Distort(shapes=(click(Shift.SWELL, radius=0.1), far, near))
    assert [len(one.strokes) for one in step.restorations()] == [2, 1]  # type: ignore[attr-defined]
