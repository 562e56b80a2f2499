"""Faces, red eyes and dust, on the demo pictures and on pictures that have none."""

from functools import cache
from pathlib import Path

import cv2
import numpy as np
import pytest

from lucidex.core.areas.area import Area
from lucidex.core.areas.shapes import Ellipse
from lucidex.core.areas.sight import Sight
from lucidex.core.errors import OutOfRangeError
from lucidex.core.faces.detection import LARGE, MODELS, SMALL, Face, find_all_faces, find_faces
from lucidex.core.faces.flash_eyes import flash_eyes
from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.geometry.sizes import Box, Point, Size, Window
from lucidex.core.picture.dust import find_dust
from lucidex.core.picture.raster import Raster
from lucidex.core.source.local.red_eye import RedEyeRemoval, find_pupil, redness
from lucidex.core.steps.hide import HideFaces
from lucidex.core.steps.mend_spots import MendedSpot, RemoveDust
from lucidex.core.steps.on_area import Gesture, Tool
from lucidex.core.steps.red_eyes import RedEyes
from tests.core.local.pixels import changed, lively

DEMO = Path(__file__).parents[3] / "demo/pictures"
NOBODY = ("terraces", "fern-fronds", "rosette", "orchid-under-lamp", "dome-at-dusk", "seed-packet", "old-print")


@cache
def whole(name: str) -> np.ndarray:
    return cv2.cvtColor(cv2.imread(str(DEMO / f"{name}.jpg")), cv2.COLOR_BGR2RGB)


def raster(name: str, edge: int) -> Raster:
    """The picture as automatic steps look at it."""
    pixels = whole(name)
    size = Size(pixels.shape[1], pixels.shape[0])
    scale = edge / size.longest
    small = cv2.resize(pixels, (round(size.width * scale), round(size.height * scale)), interpolation=cv2.INTER_AREA)
    return Raster(small, PictureGeometry.of(size))


@pytest.mark.parametrize(("name", "count"), [("visitors", 2), ("by-flash", 3), ("keeper", 1)])
def test_faces_are_found_and_each_head_is_covered(name: str, count: int) -> None:
    seen = raster(name, HideFaces.looked_at_edge)
    step = HideFaces().found_on(seen)
    assert len(step.shapes) == count
    assert all(shape.found for shape in step.shapes)
    sight, size = Sight.of_picture(seen.geometry).reduced(seen.to_picture.a), Size(*seen.pixels.shape[1::-1])
    mask = Area(shapes=step.shapes).mask(sight, Box(0, 0, size))
    for face in find_faces(seen.pixels):
        for eye in face.eyes:
            assert mask[int(eye.y), int(eye.x)] == 1
        assert mask[int(face.window.top + face.window.height * 0.9), int(face.window.centre.x)] == 1


@pytest.mark.parametrize("name", NOBODY)
def test_where_nobody_is_nobody_is_found(name: str) -> None:
    step = HideFaces().found_on(raster(name, 1_024))
    assert step.shapes == ()
    assert step.restorations() == ()
    remark = step.remark(PictureGeometry.of(Size(9, 9)))
    assert remark is not None
    assert "No face was found" in remark.sentence


def test_what_was_drawn_stays_when_faces_are_looked_for_again() -> None:
    drawn = Ellipse(x=0.1, y=0.1, width=0.05, height=0.05)
    seen = raster("visitors", 1_024)
    once = HideFaces(shapes=(drawn,)).found_on(seen)
    assert once.found_on(seen) == once
    assert once.shapes[-1] == drawn


def test_small_faces_in_a_wide_picture_are_found_too() -> None:
    portrait = cv2.resize(whole("visitors"), (330, 248), interpolation=cv2.INTER_AREA)
    wide = np.full((700, 1_024, 3), 118, np.uint8)
    wide[60:308, 40:370], wide[400:648, 640:970] = portrait, portrait
    assert len(find_faces(wide)) == 4


@pytest.mark.parametrize("turns", range(4))
@pytest.mark.parametrize("stops", [0, -4])
def test_all_faces_are_found_however_a_picture_is_turned_and_in_the_dark(turns: int, stops: int) -> None:
    portrait = cv2.resize(whole("visitors"), (200, 150), interpolation=cv2.INTER_AREA)
    wide = cv2.resize(whole("terraces"), (1_024, 700), interpolation=cv2.INTER_AREA)
    wide[500:650, 700:900] = portrait
    seen = np.ascontiguousarray(np.rot90(wide, turns)).astype(np.float64) / 255
    dark = np.rint(255 * (seen**2.2 * 2.0**stops) ** (1 / 2.2)).astype(np.uint8)
    upright = [face.window.centre for face in find_all_faces(wide)]
    assert len(upright) == 2
    found = find_all_faces(dark)
    assert len(found) == 2
    height, width = wide.shape[:2]
    for at in upright:
        there = [at, Point(at.y, width - at.x), Point(width - at.x, height - at.y), Point(height - at.y, at.x)][turns]
        near = min(found, key=lambda face: np.hypot(face.window.centre.x - there.x, face.window.centre.y - there.y))
        assert np.hypot(near.window.centre.x - there.x, near.window.centre.y - there.y) < 0.4 * near.window.width
        assert near.window.left < near.eyes[0].x < near.window.left + near.window.width
        assert near.window.top < near.eyes[0].y < near.window.top + near.window.height


def test_the_networks_ship_with_their_licence() -> None:
    assert "Apache License" in (MODELS / "LICENSE").read_text()
    assert all((MODELS / network.file).is_file() for network in (LARGE, SMALL))
    assert [len(network.anchors) for network in (LARGE, SMALL)] == [896, 2_304]


# --- eyes


def test_all_five_red_eyes_are_found_and_the_sixth_is_not() -> None:
    step = RedEyes().found_on(raster("by-flash", RedEyes.looked_at_edge))
    assert step.faces == 3
    assert len(step.shapes) == 5


LAMPS = [(1, 1, 1), (1.25, 1, 0.6), (1.5, 1, 0.35), (0.8, 1, 1.25)]  # daylight, two lamps, a blue sky


Rgb = tuple[int, int, int]


def lit(colour: Rgb, lamp: tuple[float, float, float]) -> Rgb:
    """A colour under a lamp, as a camera balanced for daylight sees it."""
    light = np.array(lamp) * (np.array(colour) / 255) ** 2.2
    red, green, blue = (int(value) for value in np.rint(255 * np.minimum(light, 1) ** (1 / 2.2)))
    return red, green, blue


def portrait(
    pupils: tuple[Rgb, ...], iris: Rgb, lamp: tuple[float, float, float] = (1, 1, 1)
) -> tuple[np.ndarray, Face]:
    """Two eyes in a face of 200 pixels, as a camera would blur and number them, and where the face is."""
    pixels = np.full((220, 220, 3), lit((190, 150, 126), lamp), np.uint8)
    eyes = (Point(70, 80), Point(150, 80))
    for middle, pupil in zip(eyes, pupils, strict=True):
        at = (round(middle.x), round(middle.y))
        cv2.ellipse(pixels, at, (17, 9), 0, 0, 360, lit((215, 205, 200), lamp), -1, cv2.LINE_AA)
        cv2.circle(pixels, at, 8, lit(iris, lamp), -1, cv2.LINE_AA)
        cv2.circle(pixels, at, 5, lit(pupil, lamp), -1, cv2.LINE_AA)
        cv2.circle(pixels, (at[0] + 1, at[1] - 1), 1, lit((235, 235, 235), lamp), -1, cv2.LINE_AA)
    noisy = cv2.GaussianBlur(pixels, (0, 0), 0.7) + np.random.default_rng(5).normal(0, 2, pixels.shape)
    jpeg = cv2.imencode(".jpg", np.clip(noisy, 0, 255).astype(np.uint8)[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 88])[1]
    return cv2.imdecode(jpeg, cv2.IMREAD_COLOR)[..., ::-1], Face(Window(10, 20, 200, 200), eyes, 0.9)


@pytest.mark.parametrize("lamp", LAMPS)
@pytest.mark.parametrize("iris", [(104, 70, 44), (63, 31, 11), (140, 95, 50), (96, 120, 130)])
def test_no_iris_is_taken_for_a_flash_in_whatever_light(iris: tuple[int, int, int], lamp) -> None:  # noqa: ANN001
    assert not any(eye.is_sure for eye in flash_eyes(*portrait(((20, 14, 12),) * 2, iris, lamp)))
    assert not any(eye.is_sure for eye in flash_eyes(*portrait((iris,) * 2, iris, lamp))), (
        "nor where no pupil is seen"
    )


@pytest.mark.parametrize("red", [(205, 32, 38), (150, 30, 30), (110, 20, 24)])
@pytest.mark.parametrize("iris", [(104, 70, 44), (96, 120, 130)])
def test_a_red_pupil_is_found_in_one_eye_or_in_both(red: Rgb, iris: Rgb) -> None:
    dark = (20, 14, 12)
    for pupils in ((red, red), (red, dark), (dark, red)):
        pixels, face = portrait(pupils, iris)
        sure = [eye for eye in flash_eyes(pixels, face) if eye.is_sure]
        assert len(sure) == pupils.count(red)
        for eye in sure:
            assert min(np.hypot(eye.middle.x - at.x, eye.middle.y - at.y) for at in face.eyes) < 3
            assert eye.radius < 8


def test_a_face_without_light_has_no_red_eyes() -> None:
    assert flash_eyes(np.zeros((220, 220, 3), np.uint8), portrait(((9, 9, 9),) * 2, (9, 9, 9))[1]) == []


def test_a_reddish_eye_that_may_be_so_is_left_and_said(monkeypatch: pytest.MonkeyPatch) -> None:
    pixels, face = portrait(((190, 80, 70),) * 2, (104, 70, 44))
    monkeypatch.setattr("lucidex.core.steps.red_eyes.find_faces", lambda pixels: (face,))
    step = RedEyes().found_on(Raster(pixels, PictureGeometry.of(Size(220, 220))))
    assert (step.shapes, step.doubtful) == ((), 2)
    remark = step.remark(PictureGeometry.of(Size(220, 220)))
    assert remark is not None
    assert remark.sentence.startswith("2 eyes are reddish")


def test_only_the_red_goes() -> None:
    before = whole("by-flash")
    step = RedEyes().found_on(raster("by-flash", RedEyes.looked_at_edge))
    after = before
    for change in step.restorations():
        after = changed(after, change)  # type: ignore[arg-type]
    moved = np.abs(after.astype(int) - before).max(axis=2) > 0
    assert redness(before[moved].astype(np.float32)[None] / 255).min() > 0.07, (
        "nothing that is not reddish has changed"
    )
    around = np.zeros(moved.shape, np.uint8)
    for eye in step.shapes:
        centre = (round(eye.x * before.shape[1]), round(eye.y * before.shape[0]))
        cv2.circle(around, centre, round(eye.width / 2 * before.shape[0]), 1, -1)
    left = redness(after.astype(np.float32) / 255)[around > 0]
    assert (left > 0.58).mean() < 0.02
    assert moved[around == 0].sum() == 0


def eye(pupil: tuple[int, int, int]) -> np.ndarray:
    """Skin, white, a brown iris, a pupil and the flash mirrored in it."""
    pixels = np.full((120, 160, 3), (216, 168, 140), np.uint8)
    cv2.ellipse(pixels, (80, 60), (52, 30), 0, 0, 360, (228, 222, 218), -1, cv2.LINE_AA)
    cv2.circle(pixels, (80, 60), 24, (104, 70, 44), -1, cv2.LINE_AA)
    cv2.circle(pixels, (80, 60), 13, pupil, -1, cv2.LINE_AA)
    cv2.circle(pixels, (85, 55), 4, (252, 250, 250), -1, cv2.LINE_AA)
    return pixels


def test_catch_light_iris_and_skin_stay() -> None:
    pixels = eye((205, 32, 38))
    after = changed(pixels, RedEyeRemoval(Ellipse(x=0.5, y=0.5, width=0.4, height=0.4)))
    assert np.array_equal(after[55, 85], pixels[55, 85]), "the light in the eye"
    assert np.array_equal(after[60, 62], pixels[60, 62]), "the iris"
    assert np.array_equal(after[10:20], pixels[10:20]), "the skin"
    dark = after[66, 74].astype(int)
    assert dark.max() < 60
    assert np.ptp(dark) <= 2, "a pupil is grey"


def test_an_eye_that_is_not_red_is_left_alone() -> None:
    pixels = eye((14, 13, 12))
    assert np.array_equal(changed(pixels, RedEyeRemoval(Ellipse(x=0.5, y=0.5, width=0.4, height=0.4))), pixels)
    assert find_pupil(pixels.astype(np.float32) / 255, Point(80, 60), 30) is None


def test_a_click_takes_the_red_near_it() -> None:
    pixels = eye((205, 32, 38))
    geometry = PictureGeometry.of(Size(160, 120))
    step = RedEyes().drawn(Gesture(Tool.BRUSH, (Point(76, 62),), 22), geometry)
    (change,) = step.restorations()
    after = changed(pixels, change)  # type: ignore[arg-type]
    left = redness(after.astype(np.float32) / 255)[45:76, 64:96]
    assert (left > 0.5).sum() < 0.05 * (redness(pixels.astype(np.float32) / 255) > 0.5).sum()


def test_it_is_said_where_faces_have_no_red_eye() -> None:
    step = RedEyes().found_on(raster("visitors", RedEyes.looked_at_edge))
    assert (step.faces, step.shapes) == (2, ())
    remark = step.remark(PictureGeometry.of(Size(9, 9)))
    assert remark is not None
    assert remark.sentence.startswith("2 faces were found, but no red eye")


# --- dust


def test_specks_of_a_scan_are_proposed_and_little_else() -> None:
    """On a print of known specks: nearly all are found, and few are proposed that are none."""
    random = np.random.default_rng(8)
    page = np.clip(lively(1_400, 2_000, 3, seed=4) // 6 + 110 + random.normal(0, 2, (1_400, 2_000, 1)), 0, 255)
    page = cv2.GaussianBlur(page.astype(np.uint8), (0, 0), 2)
    places = [(int(x), int(y)) for x, y in random.uniform((40, 40), (1_960, 1_360), (60, 2))]
    for number, (x, y) in enumerate(places):
        cv2.circle(page, (x, y), int(random.integers(1, 4)), (245,) * 3 if number % 3 else (25,) * 3, -1, cv2.LINE_AA)
    found = find_dust(page, 0.5)
    hit = [any(np.hypot(spot.x - x, spot.y - y) <= radius + 2 for spot, radius in found) for x, y in places]
    assert sum(hit) >= 54
    stray = [spot for spot, _ in found if min(np.hypot(spot.x - x, spot.y - y) for x, y in places) > 8]
    assert len(stray) <= 6


def test_dust_waits_for_an_answer_and_what_was_accepted_stays() -> None:
    seen = raster("old-print", RemoveDust.looked_at_edge)
    step = RemoveDust().found_on(seen)
    assert 30 <= len(step.shapes) <= 140
    assert all(spot.proposed for spot in step.shapes)
    assert step.restorations() == ()
    accepted = step.with_shapes([step.shapes[0].model_copy(update={"proposed": False}), *step.shapes[1:]])
    again = accepted.found_on(seen)
    assert again.shapes[0] == accepted.shapes[0]
    assert sum(not spot.proposed for spot in again.shapes) == 1
    remark = step.remark(seen.geometry)
    assert remark is not None
    assert "not mended before you accept" in remark.sentence


def test_a_clean_picture_has_no_dust_and_that_is_said() -> None:
    smooth = np.repeat(np.linspace(60, 200, 900)[None, :, None].astype(np.uint8), 600, axis=0).repeat(3, axis=2)
    step = RemoveDust().found_on(Raster(smooth, PictureGeometry.of(Size(900, 600))))
    assert step.shapes == ()
    remark = step.remark(PictureGeometry.of(Size(900, 600)))
    assert remark is not None
    assert "No dust was found" in remark.sentence


def test_dust_is_looked_for_within_the_limits_of_a_step() -> None:
    spots = [MendedSpot(path=((0.5, 0.5),), radius=0.001)] * 190
    step = RemoveDust(shapes=tuple(spots)).found_on(raster("old-print", RemoveDust.looked_at_edge))
    assert len(step.shapes) == 200
    assert "More are not looked for" in step.remark(PictureGeometry.of(Size(9, 9))).sentence  # type: ignore[union-attr]


def test_a_click_goes_to_the_pupil_or_says_that_there_is_none() -> None:
    seen = raster("by-flash", RedEyes.looked_at_edge)
    found = RedEyes().found_on(seen).shapes[0]
    size = seen.geometry.size
    click = Gesture(Tool.BRUSH, (Point(found.x * size.width + 12, found.y * size.height - 9),), 40)
    gesture = RedEyes().seen_on(click, seen)
    assert gesture.points[0].x == pytest.approx(found.x * size.width, abs=3)
    assert gesture.points[0].y == pytest.approx(found.y * size.height, abs=3)
    with pytest.raises(OutOfRangeError, match="no red pupil here"):
        RedEyes().seen_on(Gesture(Tool.BRUSH, (Point(200, 200),), 40), seen)
    with pytest.raises(OutOfRangeError, match="no red pupil here"):
        RedEyes().seen_on(Gesture(Tool.BRUSH, (Point(-900, 9_000),), 40), seen)
