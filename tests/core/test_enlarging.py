"""Enlarging, and the measure by which it was chosen."""

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lucidex.core.encode.likeness import likeness
from lucidex.core.geometry.sizes import Size, Window
from lucidex.core.places.demand import PlaceDemand
from lucidex.core.places.measures import ExactSize
from lucidex.core.resampling import resampled
from tests.conftest import Pixels, picture, smooth_picture
from tests.core.rendering import rendered, source_of


def enlarged(pixels: Pixels, size: Size) -> Pixels:
    """A whole picture at another size."""
    return resampled(pixels, Window(0, 0, pixels.shape[1], pixels.shape[0]), size, False)


def detailed(width: int, height: int) -> Pixels:
    """Soft forms with edges and lines on them, drawn four times finer and averaged, as a lens does."""
    large = smooth_picture(width * 4, height * 4)
    for i in range(12):
        cv2.circle(large, (i * width // 3, (i * i * 53) % (height * 4)), 40 + 9 * i, (20 * i, 250 - 20 * i, 90), -1)
        cv2.line(large, (0, i * height // 3), (width * 4, height * 4 - i * height // 3), (240, 240, 30), 9)
    return np.asarray(cv2.resize(large, (width, height), interpolation=cv2.INTER_AREA))


@settings(max_examples=30)
@given(st.integers(1, 30), st.integers(1, 30), st.integers(1, 90), st.integers(1, 90))
def test_every_enlargement_has_its_size_and_its_range(w: int, h: int, width: int, height: int) -> None:
    pixels = picture(w, h)
    out = rendered(source_of(pixels), PlaceDemand(measure=ExactSize(width_px=width, height_px=height), rule="fill"))
    assert out.shape == (height, width, 3)
    flat = np.full((h, w, 3), 137, np.uint8)
    even = rendered(source_of(flat), PlaceDemand(measure=ExactSize(width_px=width, height_px=height), rule="fill"))
    assert (np.abs(even.astype(int) - 137) <= 1).all()


@pytest.mark.long
@pytest.mark.parametrize("factor", [1.5, 2, 3, 4])
def test_it_comes_nearer_to_what_was_there_than_plain_interpolation(factor: float) -> None:
    original = detailed(480, 360)
    small = cv2.resize(original, (round(480 / factor), round(360 / factor)), interpolation=cv2.INTER_AREA)
    ours = enlarged(small, Size(480, 360))
    plain = cv2.resize(small, (480, 360), interpolation=cv2.INTER_LINEAR)
    cubic = cv2.resize(small, (480, 360), interpolation=cv2.INTER_CUBIC)
    errors = [float(np.mean((original.astype(float) - one) ** 2)) for one in (ours, cubic, plain)]
    assert errors[0] < errors[1] < errors[2]
    assert likeness(original, ours) > likeness(original, plain)


def test_reduced_again_it_is_the_picture_that_it_came_from() -> None:
    small = detailed(120, 90)
    again = cv2.resize(enlarged(small, Size(360, 270)), (120, 90), interpolation=cv2.INTER_AREA)
    assert np.abs(again.astype(int) - small).mean() < 1


def test_an_edge_does_not_ring_and_nothing_is_shifted() -> None:
    step = np.zeros((20, 40, 3), np.uint8)
    step[:, 20:] = 200
    large = enlarged(step, Size(160, 80)).astype(int)
    assert large.max() <= 200 + 8
    assert large.min() >= 0
    middle = large[40, :, 0]
    assert abs(int(np.argmax(middle >= 100)) - 80) <= 1


def test_clear_pixels_do_not_bleed_into_an_enlarged_mark() -> None:
    mark = np.zeros((12, 12, 4), np.uint8)
    mark[..., :3] = (255, 0, 255)
    mark[4:8, 4:8] = (10, 100, 88, 255)
    out = rendered(source_of(mark), PlaceDemand(measure=ExactSize(width_px=48, height_px=48)), ground=None)
    seen = out[out[..., 3] > 8]
    shown = np.abs(seen[:, :3].astype(int) - (10, 100, 88)) * (seen[:, 3:] / 255)
    assert shown.max() <= 1.5
