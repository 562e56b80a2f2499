"""Room and covered strips: every pixel of the picture stays, every other one is exactly the ground."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lucidex.core.geometry.fit import Anchor
from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.geometry.sizes import Size
from lucidex.core.places.demand import PlaceDemand
from lucidex.core.places.measures import ExactSize, Percent
from lucidex.core.steps.corners import Corners
from lucidex.core.steps.crop import Crop, PixelArea
from lucidex.core.steps.room import Edge, Room, RoomOnSides, RoomToShape, RoomToSize, Strip
from lucidex.core.steps.straighten import Straighten
from lucidex.core.steps.turn import Direction, Turn
from tests.conftest import picture, smooth_picture
from tests.core.rendering import rendered, source_of

WHOLE = PlaceDemand(measure=Percent(percent=100))
few = st.integers(0, 9)
sides = st.integers(1, 24)


@given(sides, sides, few, few, few, few, st.sampled_from(["#0a6458", "clear"]))
def test_room_keeps_every_pixel_and_adds_exactly_the_ground(
    w: int, h: int, left: int, top: int, right: int, bottom: int, ground: str
) -> None:
    pixels = picture(w, h)
    room = Room(extent=RoomOnSides(left_px=left, top_px=top, right_px=right, bottom_px=bottom), ground=ground)
    out = rendered(source_of(pixels), WHOLE, room)
    expected = np.zeros((h + top + bottom, w + left + right, out.shape[2]), np.uint8)
    expected[...] = (10, 100, 88, 255)[: out.shape[2]] if ground != "clear" else 0
    expected[top : top + h, left : left + w, :3] = pixels
    if out.shape[2] == 4:
        expected[top : top + h, left : left + w, 3] = 255
    assert np.array_equal(out, expected)


@given(st.integers(1, 20_000), st.integers(1, 20_000), st.integers(1, 50), st.integers(1, 50))
def test_room_to_a_shape_is_the_smallest_that_holds_the_picture(w: int, h: int, across: int, down: int) -> None:
    size = RoomToShape(across=across, down=down).wanted(Size(w, h))
    assert size.width >= w
    assert size.height >= h
    assert size.width == w or size.height == h
    # the shape is met to within half a pixel of the side that was added
    exact = w * down / across if size.width == w and size.height > h else h * across / down
    added = size.height if size.width == w and size.height > h else size.width
    if size != Size(w, h):
        assert abs(added - exact) <= 0.5


@given(sides, sides, st.integers(1, 40), st.integers(1, 40), st.sampled_from(list(Anchor)))
def test_room_to_a_size_keeps_the_asked_corner(w: int, h: int, width: int, height: int, anchor: Anchor) -> None:
    pixels = picture(w, h)
    room = Room(extent=RoomToSize(width_px=width, height_px=height), anchor=anchor, ground="#ff00ff")
    out = rendered(source_of(pixels), WHOLE, room)
    assert out.shape[:2] == (max(h, height), max(w, width))
    left = {"left": 0, "right": out.shape[1] - w}.get(anchor.value.split()[-1], (out.shape[1] - w) // 2)
    top = {"top": 0, "bottom": out.shape[0] - h}.get(anchor.value.split()[0], (out.shape[0] - h) // 2)
    assert np.array_equal(out[top : top + h, left : left + w], pixels)
    geometry = room.transform_geometry(PictureGeometry.of(Size(w, h)))
    assert bool(geometry.remarks) == (w > width or h > height), "what cannot be reached is said"


def test_room_after_a_crop_does_not_bring_back_what_was_cut() -> None:
    pixels = picture(60, 40)
    out = rendered(
        source_of(pixels),
        WHOLE,
        Crop(area=PixelArea(width_px=20, height_px=10)),
        Room(extent=RoomToSize(width_px=30, height_px=30), ground="#ffffff"),
    )
    assert np.array_equal(out[10:20, 5:25], pixels[15:25, 20:40])
    assert (np.delete(out, np.s_[10:20], axis=0) == 255).all()


def test_rooms_and_strips_keep_their_own_colours_through_later_turns() -> None:
    out = rendered(
        source_of(picture(20, 10)),
        WHOLE,
        Room(extent=RoomOnSides(top_px=4), ground="#0000ff"),
        Strip(edge=Edge.LEFT, strip_px=3, ground="#ff0000"),
        Room(extent=RoomOnSides(bottom_px=2), ground="clear"),
        Turn(direction=Direction.RIGHT),
    )
    assert out.shape == (20, 16, 4)
    assert (out[:, :2, 3] == 0).all(), "the clear room, now at the left"
    assert (out[:3, 2:] == (255, 0, 0, 255)).all(), "the strip, now at the top, over picture and blue room"
    assert (out[3:, -4:] == (0, 0, 255, 255)).all(), "the blue room, now at the right"


@given(sides, sides, st.integers(1, 30), st.sampled_from(list(Edge)))
def test_a_strip_covers_its_pixels_and_no_other(w: int, h: int, deep: int, edge: Edge) -> None:
    pixels = picture(w, h)
    out = rendered(source_of(pixels), WHOLE, Strip(edge=edge, strip_px=deep, ground="#123456"))
    expected = pixels.copy()
    seats = {
        Edge.LEFT: np.s_[:, :deep],
        Edge.RIGHT: np.s_[:, max(0, w - deep) :],
        Edge.TOP: np.s_[:deep],
        Edge.BOTTOM: np.s_[max(0, h - deep) :],
    }
    expected[seats[edge]] = (0x12, 0x34, 0x56)
    assert np.array_equal(out, expected)


def test_no_seam_shows_between_a_picture_and_room_of_its_own_colour() -> None:
    """White on white, reduced so that the edge falls inside pixels, and turned: nothing but white comes out."""
    white = np.full((331, 477, 3), 255, np.uint8)
    demand = PlaceDemand(measure=ExactSize(width_px=160, height_px=120))
    steps = (Straighten(angle_degrees=7.3, corners=Corners.COLOURED), Room(extent=RoomToShape(across=3, down=1)))
    assert (rendered(source_of(white), demand, *steps) == 255).all()


@pytest.mark.parametrize("ground", ["#20d040", "clear"])
def test_a_reduced_picture_with_room_is_the_reduced_full_one(ground: str) -> None:
    """Preview and file: the small rendering is the large one made smaller, within a few code values at edges."""
    source = source_of(smooth_picture(600, 400))
    room = Room(extent=RoomOnSides(left_px=100, right_px=50, top_px=20, bottom_px=40), ground=ground)
    large = rendered(source, WHOLE, room).astype(np.float64)
    small = rendered(source, PlaceDemand(measure=Percent(percent=20)), room).astype(np.float64)
    if ground == "clear":
        large, small = (np.concatenate([a[..., :3] * a[..., 3:] / 255, a[..., 3:]], -1) for a in (large, small))
    means = large.reshape(small.shape[0], 5, small.shape[1], 5, -1).mean(axis=(1, 3))
    assert np.abs(means - small).max() < 6
    assert np.abs(means - small).mean() < 0.5
