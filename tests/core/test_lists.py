"""Lists of steps: any of them in any order, their notes and better orders, framings that follow, and storing."""

import json

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from lucidex.core.document import SCHEMA_REVISION, FocalPoint, Framing, Output, PictureDocument, framing_of_window
from lucidex.core.errors import OutOfRangeError
from lucidex.core.finish.canvas import given_room, total_margins
from lucidex.core.geometry.fit import Anchor
from lucidex.core.geometry.picture_geometry import PictureGeometry, Remedy
from lucidex.core.geometry.sizes import MAX_PIXELS, Point, Size, check_output_size
from lucidex.core.places.demand import PlaceDemand
from lucidex.core.places.measures import ExactSize, Multiple
from lucidex.core.steps import ALL_STEPS, StepEntry, all_offers, geometry_after
from lucidex.core.steps.bands import FinishStep
from lucidex.core.steps.base import Step, plain
from lucidex.core.steps.border import Border
from lucidex.core.steps.crop import Crop, PixelArea, ShapeArea
from lucidex.core.steps.marks import Marks
from lucidex.core.steps.order import advice, moved_before
from lucidex.core.steps.room import Room, RoomOnSides, RoomToShape
from lucidex.core.steps.shadow import Shadow
from lucidex.core.steps.straighten import Straighten
from lucidex.core.steps.trim import Trim
from lucidex.core.steps.turn import Direction, Turn
from tests.conftest import picture
from tests.core.any_step import any_step
from tests.core.rendering import entries, rendered, source_of

BANNER = PlaceDemand(measure=ExactSize(width_px=160, height_px=64))
CROP = Crop(area=ShapeArea(across=1, down=1))


@given(any_step)
def test_every_parameter_of_every_step_survives_being_written_and_read(step: Step) -> None:
    entry = StepEntry.model_validate({"id": "a", "step": step.model_dump()})
    document = PictureDocument(steps=(entry,))
    assert PictureDocument.read(json.loads(document.model_dump_json())) == document
    assert plain(step.sentence()).endswith("."), "and every step has its sentence"


@settings(max_examples=60)
@given(st.lists(any_step, min_size=1, max_size=4), st.integers(1, 40), st.integers(1, 30), st.integers(1, 40))
@example([Border(width_percent=1.0, colour="#000000")] * 2, 8, 8, 3)
@example([Border(width_percent=0.0, width_px=1), Shadow(distance_percent=0.0, softness_percent=1.0)], 1, 1, 3)
def test_any_list_of_steps_gives_exactly_the_place(steps: list[Step], w: int, h: int, side: int) -> None:
    """Numbers that no longer fit are clamped or said, never an error."""
    demand = PlaceDemand(measure=ExactSize(width_px=side, height_px=9))
    geometry = geometry_after(PictureGeometry.of(Size(w, h)), entries(*steps))
    check_output_size(geometry.size)
    if geometry.size.pixels > MAX_PIXELS // 4:
        return
    canvas = Size(side, 9)
    finish = tuple(step.measured_on(canvas) for step in steps if isinstance(step, FinishStep))
    margins = total_margins(given_room(finish, canvas))
    if margins.left + margins.right >= side or margins.top + margins.bottom >= 9:
        with pytest.raises(OutOfRangeError, match="leaves no room for it"):
            rendered(source_of(picture(w, h)), demand, *steps)
        return
    out = rendered(source_of(picture(w, h)), demand, *steps)
    assert out.shape[:2] == (9, side)
    assert all(note.sentence.endswith(".") and note.step_id for note in geometry.remarks)


def test_every_kind_is_offered_in_words_of_its_own() -> None:
    words = [word for offer in all_offers() for word in offer.words]
    assert len(words) == len(set(words))
    # marks come from notes alone
    assert {type(offer.step) for offer in all_offers()} == set(ALL_STEPS) - {Marks}
    assert all(offer.explanation.endswith(".") for offer in all_offers())


def test_straightening_before_the_crop_is_advised_where_it_keeps_more() -> None:
    listed = entries(Crop(area=PixelArea(width_px=300, height_px=200)), Straighten(angle_degrees=8))
    (given_advice,) = advice(PictureGeometry.of(Size(600, 400)), listed)
    assert (given_advice.step_id, given_advice.before_id) == ("s1", "s0")
    better = moved_before(listed, "s1", "s0")
    now, then = (geometry_after(PictureGeometry.of(Size(600, 400)), one).size.pixels for one in (listed, better))
    percent = int(given_advice.sentence.split("keeps ")[1].split(" %")[0])
    assert then / now == pytest.approx(1 + percent / 100, abs=0.006)
    assert advice(PictureGeometry.of(Size(600, 400)), better) == []


def test_room_before_a_trim_is_advised_against_and_switched_off_steps_do_not_count() -> None:
    listed = entries(Room(extent=RoomToShape(across=1, down=1)), Trim())
    assert [one.before_id for one in advice(PictureGeometry.of(Size(60, 40)), listed)] == ["s0"]
    off = (listed[0].model_copy(update={"active": False}), listed[1])
    assert advice(PictureGeometry.of(Size(60, 40)), off) == []


def test_a_crop_beyond_the_picture_names_its_step_and_the_ways_out() -> None:
    geometry = geometry_after(
        PictureGeometry.of(Size(300, 200)),
        entries(Turn(direction=Direction.LEFT), Crop(area=PixelArea(width_px=900, height_px=100))),
    )
    (note,) = geometry.remarks
    assert note.step_id == "s1"
    assert note.remedies == tuple(Remedy)
    assert note.wanted_size == Size(900, 100)
    assert "only 200 × 300 here" in note.sentence


def test_the_focal_point_decides_where_nobody_framed() -> None:
    document = PictureDocument(focal_point=FocalPoint(x=0.9, y=0.5))
    geometry = document.geometry(Size(400, 100))
    square = PlaceDemand(measure=ExactSize(width_px=50, height_px=50))
    assert document.placement(geometry, "1", square).window.left == 300, "as far as the picture goes"
    framed = document.model_copy(update={"framings": {"1": Framing(focal_x=0.1, focal_y=0.5)}})
    assert framed.placement(geometry, "1", square).window.left == 0, "a framing by hand comes first"
    keeps_left = square.model_copy(update={"anchor": Anchor.LEFT})
    assert document.placement(geometry, "1", keeps_left).window.left == 0, (
        "and so does a side that the place keeps to"
    )


def test_a_framing_that_moved_with_the_picture_says_so_until_it_is_found_right() -> None:
    document = PictureDocument()
    geometry = document.geometry(Size(600, 400))
    window = document.placement(geometry, "1", BANNER).window
    framed = document.model_copy(update={"framings": {"1": framing_of_window(geometry, Size(160, 64), window)}})
    assert not framed.has_moved(geometry, "1")
    straightened = framed.model_copy(update={"steps": entries(Straighten(angle_degrees=3))})
    later = straightened.geometry(Size(600, 400))
    assert straightened.has_moved(later, "1")
    assert not straightened.has_moved(later, "2")
    point = later.to_picture(Point(framed.framings["1"].focal_x, framed.framings["1"].focal_y))
    moved = straightened.placement(later, "1", BANNER).window
    assert (moved.centre.x, moved.centre.y) == pytest.approx((point.x, point.y), abs=1)
    again = framing_of_window(later, Size(160, 64), moved)
    assert not straightened.model_copy(update={"framings": {"1": again}}).has_moved(later, "1")


def test_a_multiple_is_chosen_for_each_picture() -> None:
    box = PlaceDemand(measure=Multiple(width_px=18, height_px=7))
    document = PictureDocument(outputs={"1": Output(times=3)})
    geometry = document.geometry(Size(400, 300))
    assert document.placement(geometry, "1", box).canvas == Size(54, 21)
    assert document.placement(geometry, "2", box).canvas == Size(18 * 22, 7 * 22), (
        "the nearest, where nothing was chosen"
    )


def test_documents_of_the_first_revision_are_read() -> None:
    old = {"schema_revision": 1, "steps": [], "framings": {"4": {"focal_x": 0.3, "focal_y": 0.2, "zoom": 2.0}}}
    read = PictureDocument.read(old)
    assert read.schema_revision == SCHEMA_REVISION
    assert read.framings["4"].made_for is None
    assert not read.has_moved(read.geometry(Size(10, 10)), "4"), "what is not known is not claimed"


def test_the_order_of_room_and_crop_counts() -> None:
    source = source_of(picture(40, 20))
    room = Room(extent=RoomToShape(across=1, down=1), ground="#000000")
    roomy, cropped = (
        rendered(source, PlaceDemand(measure=ExactSize(width_px=20, height_px=20)), *steps)
        for steps in ((room, CROP), (CROP, room))
    )
    assert not np.array_equal(roomy, cropped)


def test_a_step_that_would_lead_beyond_the_limits_is_left_out_and_said() -> None:
    huge = Room(extent=RoomOnSides(left_px=20_000))
    geometry = geometry_after(PictureGeometry.of(Size(600, 400)), entries(huge, huge, Turn(direction=Direction.LEFT)))
    assert geometry.size == Size(400, 20_600)
    (note,) = geometry.remarks
    assert note.step_id == "s1"
    assert note.sentence.startswith("This step is left out. 40600 × 400 is too large")
