"""The suggested focal point lies on what stands out, however the picture is turned or scaled."""

from pathlib import Path

import numpy as np
import pytest
import pyvips

from lucidex.core.picture.saliency import CANONICAL_EDGE, focal_point

DEMO = Path(__file__).parents[2] / "demo/pictures"


@pytest.mark.parametrize(("x", "y"), [(0.2, 0.3), (0.8, 0.25), (0.5, 0.8)])
@pytest.mark.parametrize("scale", [1, 3])
def test_it_finds_the_thing_on_a_quiet_ground(x: float, y: float, scale: int) -> None:
    width, height = 400 * scale, 300 * scale
    pixels = np.full((height, width, 3), 120, np.uint8)
    rows, columns = np.mgrid[0:height, 0:width]
    thing = (columns - x * width) ** 2 + (rows - y * height) ** 2 < (26 * scale) ** 2
    stripes = (columns // (6 * scale)) % 2 == 0
    pixels[thing & stripes] = (230, 60, 30)
    pixels[thing & ~stripes] = (250, 210, 60)
    found = focal_point(pixels)
    assert abs(found.x - x) < 0.12
    assert abs(found.y - y) < 0.12


def test_a_picture_of_one_pixel_has_a_focal_point() -> None:
    found = focal_point(np.zeros((1, 1, 3), np.uint8))
    assert 0 <= found.x <= 1
    assert 0 <= found.y <= 1


@pytest.mark.parametrize(
    ("file", "x", "y"), [("dome-at-dusk.jpg", 0.62, 0.64), ("keeper.jpg", 0.52, 0.36), ("pond-tilted.jpg", 0.6, 0.57)]
)
def test_on_the_demo_pictures_it_is_near_to_what_a_person_chose(file: str, x: float, y: float) -> None:
    image = pyvips.Image.thumbnail(str(DEMO / file), CANONICAL_EDGE)
    found = focal_point(image.numpy())
    assert abs(found.x - x) < 0.1
    assert abs(found.y - y) < 0.1
