"""The suggested focal point lies on what stands out, however the picture is turned or scaled."""

import numpy as np
import pytest
import pyvips

from lucidex.core.attention import focal_point


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
    image = pyvips.Image.new_from_memory(pixels.tobytes(), width, height, 3, "uchar").copy(interpretation="srgb")
    found = focal_point(image)
    assert abs(found.x - x) < 0.12
    assert abs(found.y - y) < 0.12


def test_a_picture_of_one_pixel_has_a_focal_point() -> None:
    found = focal_point(pyvips.Image.black(1, 1, bands=3).copy(interpretation="srgb"))
    assert 0 <= found.x <= 1
    assert 0 <= found.y <= 1
