"""What a picture is of is found, and places show it: boxes stay whole where they can, on any shape and crop."""

import cv2
import numpy as np
import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from lucidex.core.document import Framing, PictureDocument
from lucidex.core.encode import JPEG
from lucidex.core.framing.finding import find_subject
from lucidex.core.framing.subject import GRID, Kept, KeptBox, Subject
from lucidex.core.framing.window import PROPOSALS, kept_shares, kept_weight, subject_window
from lucidex.core.geometry.fit import Anchor, covering_window
from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.geometry.sizes import Box, Size
from lucidex.core.line.places import read_demand
from lucidex.core.proof.warnings import Case, Framed, flags
from tests.conftest import Pixels

shares = st.floats(0, 1)


def subject_of(*boxes: KeptBox, at: tuple[int, int] | None = None, is_concentrated: bool = True) -> Subject:
    """A subject with its weight at one spot of the grid, or evenly."""
    weights = np.full((GRID, GRID), 0 if at else 255, np.uint8)
    if at:
        weights[at[1], at[0]] = 255
    return Subject(boxes=boxes, weights=weights.tobytes().hex(), is_concentrated=is_concentrated)


def box(left: float, top: float, right: float, bottom: float, kind: Kept = Kept.FACE) -> KeptBox:
    return KeptBox(kind=kind, left=left, top=top, right=right, bottom=bottom)


@st.composite
def boxes(draw: st.DrawFn) -> KeptBox:
    (left, right), (top, bottom) = (sorted(draw(st.tuples(shares, shares))) for _ in range(2))
    return box(left, top, right, bottom)


def thing_on_ground(width: int, height: int, x: float, y: float, textured: bool) -> Pixels:
    """A lively disc on a quiet ground, plain or as soft as what is out of focus."""
    random = np.random.default_rng(3)
    ground = np.full((height, width, 3), 200, np.float32)
    if textured:
        ground += cv2.GaussianBlur(random.normal(0, 1, (height, width, 3)).astype(np.float32), (0, 0), 30) * 900
    rows, columns = np.mgrid[0:height, 0:width]
    inside = np.hypot(columns - x * width, rows - y * height) < 0.1 * min(width, height)
    ground[inside] = (200, 60, 40) + 40 * random.normal(0, 1, (int(inside.sum()), 3))
    return np.clip(ground, 0, 255).astype(np.uint8)


@given(boxes(), st.integers(60, 4_000), st.integers(60, 4_000), st.integers(10, 3_000), st.integers(10, 3_000))
@example(box(0.0, 0.0, 0.31, 1.0), 1_000, 100, 31, 10)
def test_a_box_that_can_stay_whole_does_and_the_window_is_a_places_own(
    one: KeptBox, width: int, height: int, across: int, down: int
) -> None:
    geometry, place = PictureGeometry.of(Size(width, height)), Size(across, down)
    wide, high = covering_window(geometry.size, place)
    for subject in (subject_of(one), subject_of(one, at=(GRID - 1, GRID - 1))):
        window = subject_window(geometry, place, subject)
        assert (window.width, window.height) == pytest.approx((wide, high))
        assert -1e-6 <= window.left <= width - wide + 1e-6
        assert -1e-6 <= window.top <= height - high + 1e-6
        fits = (one.right - one.left) * width <= wide + 1e-9 and (one.bottom - one.top) * height <= high + 1e-9
        if fits and min(one.right - one.left, one.bottom - one.top) > 1e-3:
            assert all(kept.share > 1 - 1e-6 for kept in kept_shares(geometry, window, subject))


def test_of_three_faces_as_many_stay_whole_as_can() -> None:
    faces = [box(x, 0.3, x + 0.1, 0.6) for x in (0.05, 0.6, 0.75)]
    window = subject_window(PictureGeometry.of(Size(1_200, 400)), Size(400, 400), subject_of(*faces, at=(2, 12)))
    kept = kept_shares(PictureGeometry.of(Size(1_200, 400)), window, subject_of(*faces))
    assert [round(one.share, 6) for one in kept] == [0, 1, 1]


def test_proposals_lie_apart_and_the_first_is_what_is_shown() -> None:
    geometry, place, subject = PictureGeometry.of(Size(900, 300)), Size(100, 100), subject_of(at=(20, 5))
    starts = [subject_window(geometry, place, subject, number).left for number in range(PROPOSALS)]
    assert min(abs(a - b) for index, a in enumerate(starts) for b in starts[:index]) > 0.1 * (900 - 300)
    assert starts[0] <= 20.5 / GRID * 900 <= starts[0] + 300
    document, demand = PictureDocument(frames_itself=True), read_demand("100x100").demand()
    assert document.placement(geometry, "1", demand, subject).window.left == starts[0]


def test_by_hand_wins_then_the_focal_point_and_nothing_moves_unasked() -> None:
    geometry, subject = PictureGeometry.of(Size(900, 300)), subject_of(at=(20, 5))
    demand = read_demand("100x100").demand()
    anchored = demand.model_copy(update={"anchor": Anchor.LEFT})
    own = subject_window(geometry, Size(100, 100), subject).left
    document = PictureDocument(frames_itself=True)
    assert own > 400
    assert document.placement(geometry, "1", demand, subject).window.left == own
    assert document.placement(geometry, "1", anchored, subject).window.left == 0, "a place that keeps to a side does"
    assert PictureDocument().placement(geometry, "1", demand, subject).window.left == 300, "as before"
    assert document.placement(geometry, "1", demand, None).window.left == 300
    unsure = subject.model_copy(update={"is_concentrated": False})
    assert document.placement(geometry, "1", demand, unsure).window.left == 300, (
        "the middle, where nothing stands out"
    )
    framed = document.model_copy(update={"framings": {"1": Framing(focal_x=0.1)}})
    assert framed.placement(geometry, "1", demand, subject).window.left == 0
    assert framed.placement(geometry, "2", demand, subject).window.left == own


def test_a_crop_before_it_moves_no_box() -> None:
    subject = subject_of(box(0.8, 0.2, 0.9, 0.5), at=(20, 8))
    whole = PictureGeometry.of(Size(1_000, 500))
    cropped = whole.cut(Box(400, 0, Size(600, 500)))
    for geometry, left in ((whole, 800), (cropped, 400)):
        window = subject_window(geometry, Size(200, 500), subject)
        assert window.left <= left
        assert left + 100 <= window.left + window.width
        assert kept_weight(geometry, window, subject) == 1
    gone = whole.cut(Box(0, 0, Size(300, 500)))
    assert kept_shares(gone, gone.window, subject) == []


@pytest.mark.parametrize("textured", [False, True])
@pytest.mark.parametrize(("x", "y"), [(0.2, 0.4), (0.8, 0.6), (0.5, 0.25)])
def test_a_thing_is_found_at_any_size_and_the_same_each_time(x: float, y: float, textured: bool) -> None:
    for width in (300, 900):
        height = width * 2 // 3
        subject = find_subject(thing_on_ground(width, height, x, y, textured))
        assert subject == find_subject(thing_on_ground(width, height, x, y, textured))
        assert subject.is_sure
        rows, columns = np.mgrid[0:GRID, 0:GRID] / GRID
        middle = (subject.grid * (columns + 0.5 / GRID)).sum() / subject.grid.sum()
        assert middle == pytest.approx(x, abs=0.08)
        assert (subject.grid * (rows + 0.5 / GRID)).sum() / subject.grid.sum() == pytest.approx(y, abs=0.1)
        if not textured:
            (found,) = subject.boxes
            assert found.kind is Kept.OBJECT
            assert (found.left + found.right) / 2 == pytest.approx(x, abs=0.02)


def test_nothing_stands_out_of_noise_and_of_nothing() -> None:
    noise = np.random.default_rng(1).integers(0, 256, (240, 320, 3), np.uint8)
    for pixels in (noise, np.zeros((1, 1, 3), np.uint8), np.full((9, 700, 4), 255, np.uint8)):
        subject = find_subject(pixels)
        assert not subject.is_sure
        assert subject.words == "nothing that stands out"


def test_a_face_that_is_cut_is_said_and_what_somebody_framed_is_not() -> None:
    geometry, demand = PictureGeometry.of(Size(900, 300)), read_demand("100x100").demand()
    subject = subject_of(box(0.05, 0.1, 0.15, 0.5))
    shown = PictureDocument().placement(geometry, "1", demand, subject)

    def said(framed: Framed, of: Subject = subject) -> list[str]:
        case = Case(shown, demand, JPEG, geometry=geometry, framed=framed, subject=of)
        return [flag.words for flag in flags(case)]

    assert said(Framed.BY_PLACE) == said(Framed.BY_ITSELF) == ["a face is cut"]
    assert said(Framed.CHOSEN) == []
    assert said(Framed.BY_PLACE, subject_of(box(0.4, 0.1, 0.6, 0.9))) == []
    assert said(Framed.BY_PLACE, subject_of(at=(2, 3))) == ["much is outside"]
    assert said(Framed.BY_PLACE, subject_of(at=(2, 3), is_concentrated=False)) == []
    assert said(Framed.BY_PLACE, subject_of(at=(12, 3))) == []
