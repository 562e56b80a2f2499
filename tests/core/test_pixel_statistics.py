"""What is nearly empty, and what is much softer than its neighbours: on drawn pictures and on the demo pictures."""

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import pyvips

from lucidex.core.encode import FormatName
from lucidex.core.geometry.fit import Placement
from lucidex.core.geometry.sizes import Size, Window
from lucidex.core.line.places import read_demand
from lucidex.core.proof.statistics import fineness
from lucidex.core.proof.warnings import Case, flags, looked_at
from tests.conftest import Pixels, picture, smooth_picture

DEMO = Path(__file__).parents[2] / "demo" / "pictures"
PHOTOGRAPHS = (
    "dome-at-dusk.jpg",
    "fern-fronds.jpg",
    "rosette.jpg",
    "terraces.jpg",
    "keeper.jpg",
    "IMG_0412.JPG",
    "evening-walk.jpg",
    "orchid-under-lamp.jpg",
)


def in_place(name: str, from_width: int = 2_000) -> Pixels:
    """A demo picture at 1080 × 720; from fewer pixels it is enlarged and soft."""
    small = pyvips.Image.thumbnail(str(DEMO / name), from_width, size="down").colourspace("srgb")
    whole = small.resize(max(1080 / small.width, 720 / small.height))
    return whole.crop(0, (whole.height - 720) // 2, 1080, 720).numpy()[..., :3]


def kinds(pixels: Pixels, neighbours: list[float]) -> list[str]:
    size = Size(pixels.shape[1], pixels.shape[0])
    placement = Placement(Window(0, 0, size.width, size.height), size, 0, 0, size)
    numbers = Case(placement, read_demand("100 %").demand(), FormatName("png"))
    known = replace(numbers, statistics=looked_at(pixels), neighbours=tuple(neighbours))
    return [flag.kind for flag in flags(known)]


@pytest.mark.long
def test_the_soft_one_among_sharp_ones_is_flagged_and_no_other() -> None:
    sharp = {name: fineness(in_place(name)) or 0.0 for name in PHOTOGRAPHS}
    for name in PHOTOGRAPHS:
        others = [fine for other, fine in sharp.items() if other != name]
        assert kinds(in_place(name), others) == [], name
    for name in ("fern-fronds.jpg", "terraces.jpg", "IMG_0412.JPG", "rosette.jpg"):
        others = [fine for other, fine in sharp.items() if other != name]
        assert kinds(in_place(name, 360), others) == ["softer"], name


def test_three_neighbours_are_too_few_to_compare_with() -> None:
    soft = in_place("terraces.jpg", 300)
    assert kinds(soft, [0.7] * 3) == []
    assert kinds(soft, [0.7] * 4) == ["softer"]


@pytest.mark.parametrize("bands", [3, 4])
@pytest.mark.parametrize("size", [(1, 1), (20, 9), (640, 480), (1600, 120)])
def test_an_even_ground_is_nearly_empty_and_noise_is_not(size: tuple[int, int], bands: int) -> None:
    even = np.full((size[1], size[0], bands), 200, np.uint8)
    assert kinds(even, [0.7] * 9) == ["nearly empty"]
    if size[0] > 20:
        assert kinds(picture(size[0], size[1], bands), []) == []


def test_what_is_clear_counts_as_even_whatever_lies_beneath() -> None:
    hidden = picture(400, 300, 4)
    hidden[..., 3] = 0
    assert kinds(hidden, []) == ["nearly empty"]


def test_a_soft_gradient_is_not_called_empty() -> None:
    assert kinds(smooth_picture(600, 400), []) == []
