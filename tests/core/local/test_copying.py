"""Copied spots: whole pixels where nothing is turned, a plain reference where something is."""

import numpy as np
import pytest

from lucidex.core.errors import OutOfRangeError
from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.geometry.sizes import Point, Size
from lucidex.core.source.local.cloning import CloneStroke, Cloning
from lucidex.core.steps.mend_spots import CopySpot
from lucidex.core.steps.on_area import Gesture, Tool
from tests.core.local.pixels import changed, lively


def test_what_is_copied_is_the_source_byte_for_byte() -> None:
    pixels = lively(200, 200)
    stroke = CloneStroke(path=((0.7, 0.6),), radius=0.1, softness=0, from_x=0.3, from_y=0.25)
    found = changed(pixels, Cloning(stroke, 1.0))
    assert np.array_equal(found[110:130, 130:150], pixels[40:60, 50:70])


def test_strength_and_soft_edge_mix_with_what_is_below() -> None:
    pixels = lively(200, 200)
    stroke = CloneStroke(path=((0.7, 0.6),), radius=0.1, softness=0, from_x=0.3, from_y=0.25)
    half = changed(pixels, Cloning(stroke, 0.5)).astype(int)
    mixed = (pixels[110:130, 130:150].astype(int) + pixels[40:60, 50:70]) / 2
    assert np.abs(half[110:130, 130:150] - mixed).max() <= 0.51


@pytest.mark.parametrize("mirrored", [False, True])
def test_turned_by_a_quarter_it_is_the_source_turned(mirrored: bool) -> None:
    pixels = lively(200, 200)
    stroke = CloneStroke(path=((0.7, 0.6),), radius=0.1, softness=0, from_x=0.3, from_y=0.25)
    found = changed(pixels, Cloning(stroke, 1.0, 90, mirrored))[110:130, 130:150]
    source = pixels[40:60, 50:70]
    expected = np.rot90(source[:, ::-1] if mirrored else source, -1)  # clockwise, after it was mirrored
    assert np.abs(found.astype(int) - expected).max() <= 2


def test_beyond_the_edge_there_is_nothing_to_copy() -> None:
    pixels = lively(120, 120)
    stroke = CloneStroke(path=((0.5, 0.5),), radius=0.2, softness=0, from_x=-0.4, from_y=0.5)
    assert np.array_equal(changed(pixels, Cloning(stroke, 1.0)), pixels)


def test_clear_pixels_are_not_copied_onto_others() -> None:
    pixels = lively(120, 120, 4)
    pixels[:, :60] = (255, 0, 0, 0)
    pixels[:, 60:, 3] = 255
    stroke = CloneStroke(path=((0.8, 0.5),), radius=0.1, softness=0, from_x=0.2, from_y=0.5)
    assert np.array_equal(changed(pixels, Cloning(stroke, 1.0)), pixels)


GEOMETRY = PictureGeometry.of(Size(400, 300))


def brush(x: float, y: float) -> Gesture:
    return Gesture(Tool.BRUSH, (Point(x, y), Point(x + 20, y)), 9)


def test_aligned_strokes_keep_the_first_ones_distance_and_fixed_ones_begin_at_the_mark() -> None:
    marked = CopySpot().with_source(Point(0.25, 0.5))
    aligned = marked.drawn(brush(200, 150), GEOMETRY).drawn(brush(240, 180), GEOMETRY)
    first, second = aligned.shapes
    assert (first.from_x, first.from_y) == (0.25, 0.5)
    assert (second.from_x, second.from_y) == (pytest.approx(0.35), pytest.approx(0.6))
    fixed = (
        marked.model_copy(update={"aligned": False}).drawn(brush(200, 150), GEOMETRY).drawn(brush(240, 180), GEOMETRY)
    )
    assert [(one.from_x, one.from_y) for one in fixed.shapes] == [(0.25, 0.5)] * 2


def test_a_new_mark_leaves_the_strokes_that_are_there_and_begins_anew() -> None:
    first = CopySpot().with_source(Point(0.25, 0.5)).drawn(brush(200, 150), GEOMETRY)
    second = first.with_source(Point(0.8, 0.1)).drawn(brush(40, 40), GEOMETRY)
    assert second.shapes[0] == first.shapes[0]
    assert (second.shapes[1].from_x, second.shapes[1].from_y) == (0.8, 0.1)


def test_without_a_mark_nothing_can_be_copied() -> None:
    with pytest.raises(OutOfRangeError, match="Mark first"):
        CopySpot().drawn(brush(10, 10), GEOMETRY)
    assert (
        CopySpot(strength=0, shapes=(CloneStroke(path=((0.5, 0.5),), from_x=0.1, from_y=0.1),)).restorations() == ()
    )
