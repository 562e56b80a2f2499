"""Cutting out: against dense references, known edges and real shapes; what is pointed at is followed."""

from concurrent.futures import ThreadPoolExecutor
from functools import cache
from itertools import product

import cv2
import numpy as np
import numpy.typing as npt
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lucidex.core.areas.shapes import AnyShape, Ellipse, Rectangle, Stroke
from lucidex.core.areas.sight import Sight
from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.geometry.sizes import Box, Size
from lucidex.core.geometry.transform import Transform
from lucidex.core.matting import edge
from lucidex.core.matting.edge import REGULARISATION, WINDOW_RADIUS, carried, separated, solved_alpha
from lucidex.core.matting.rings import MAX_POINTS, MAX_RINGS, filled, is_within_limits, rings_of
from lucidex.core.picture.raster import Raster
from lucidex.core.source.derivation import StoredPixels, restored
from lucidex.core.source.local.cutting_out import CuttingOut
from lucidex.core.steps.cut_out import CutOut
from tests.core.local.test_faces_and_eyes import NOBODY, raster

Floats = npt.NDArray[np.float64]
HEIGHT, WIDTH = 300, 400
LEAF, SOIL = np.array([206.0, 92, 60]), np.array([70.0, 110, 84])
AROUND = Rectangle(x=0.5, y=0.5, width=0.85, height=0.85)
WHOLE_SIZE = Size(WIDTH, HEIGHT)


@cache
def leaf_alpha() -> Floats:
    """A blob with fine hairs, drawn four times finer."""
    fine = np.zeros((HEIGHT * 4, WIDTH * 4), np.uint8)
    cv2.ellipse(fine, (800, 600), (380, 300), 20, 0, 360, 255, -1)
    for turn in range(7, 360, 15):
        way = np.array([np.cos(np.radians(turn)), np.sin(np.radians(turn))])
        ends = [tuple(int(v) for v in (800, 600) + way * far) for far in (280, 420)]
        cv2.line(fine, ends[0], ends[1], 255, 5)
    return cv2.resize(fine, (WIDTH, HEIGHT), interpolation=cv2.INTER_AREA) / 255.0


@cache
def leaf(kind: type = np.uint8) -> npt.NDArray[np.uint8]:
    """It on soil, both with grain."""
    random, alpha = np.random.default_rng(5), leaf_alpha()[..., None]
    mixed = alpha * LEAF + (1 - alpha) * SOIL + random.normal(0, 4, (HEIGHT, WIDTH, 1))
    return np.rint(np.clip(mixed, 0, 255) * (np.iinfo(kind).max / 255)).astype(kind)


def looked_at(pixels: npt.NDArray[np.uint8]) -> Raster:
    return Raster(pixels, PictureGeometry.of(Size(pixels.shape[1], pixels.shape[0])))


def cut_out(*shapes: AnyShape, **values: float) -> CutOut:
    return CutOut(shapes=shapes, **values).found_on(looked_at(leaf()))


def cut(step: CutOut, pixels: npt.NDArray[np.uint8], orientation: int = 1) -> npt.NDArray[np.uint8]:
    return restored(StoredPixels(pixels, orientation), step.restorations())


@cache
def done() -> npt.NDArray[np.uint8]:
    return cut(cut_out(AROUND), leaf())


# --- the edge's arithmetic


def dense_laplacian(colours: Floats) -> Floats:
    """Levin's formula, window by window, of all pixels with all."""
    height, width = colours.shape[:2]
    seats = np.arange(height * width).reshape(height, width)
    whole = np.zeros((height * width,) * 2)
    reach = WINDOW_RADIUS
    count = (2 * reach + 1) ** 2
    for y, x in product(range(reach, height - reach), range(reach, width - reach)):
        there = (slice(y - reach, y + reach + 1), slice(x - reach, x + reach + 1))
        off = colours[there].reshape(count, 3) - colours[there].reshape(count, 3).mean(axis=0)
        inverse = np.linalg.inv(off.T @ off / count + REGULARISATION * np.eye(3))
        at = seats[there].ravel()
        whole[np.ix_(at, at)] += np.eye(count) - (1 + off @ inverse @ off.T) / count
    return whole


@given(st.integers(0, 1000))
@settings(max_examples=12, deadline=None)
def test_alpha_is_what_the_dense_equation_says(seed: int) -> None:
    random = np.random.default_rng(seed)
    colours = np.clip(cv2.GaussianBlur(random.uniform(0, 1, (14, 16, 3)), (0, 0), 1.5) * 2 - 0.5, 0, 1)
    inside, outside = np.zeros((14, 16), bool), np.zeros((14, 16), bool)
    inside[5:8, 5:9] = True
    outside[:3], outside[-3:], outside[:, :3], outside[:, -3:] = True, True, True, True
    free = np.nonzero(~(inside | outside).ravel())[0]
    laplacian, known = dense_laplacian(colours), inside.ravel().astype(float)
    right = -(laplacian @ known)[free]
    expected = np.linalg.lstsq(laplacian[np.ix_(free, free)], right, rcond=None)[0]
    found = solved_alpha(colours, inside, outside)
    assert found[inside].min() == 1
    assert found[outside].max() == 0
    assert np.abs(found.ravel()[free] - np.clip(expected, 0, 1)).max() < 0.03


def test_what_rounds_are_left_out_shows_in_the_result(monkeypatch: pytest.MonkeyPatch) -> None:
    colours = leaf()[:120, :160].astype(float) / 255
    inside, outside = leaf_alpha()[:120, :160] > 0.99, leaf_alpha()[:120, :160] <= 0
    enough = solved_alpha(colours, inside, outside)
    monkeypatch.setattr(edge, "ROUNDS", 600)
    monkeypatch.setattr(edge, "ENOUGH", 1e-9)
    assert np.abs(solved_alpha(colours, inside, outside) - enough).max() < 0.08


def test_both_sides_colours_are_told_apart_where_they_mix() -> None:
    ours, theirs = separated(leaf() / 255.0, leaf_alpha())
    mixed = (leaf_alpha() > 0.2) & (leaf_alpha() < 0.8)
    assert np.abs(ours[mixed] * 255 - LEAF).mean() < 8
    assert np.abs(theirs[mixed] * 255 - SOIL).mean() < 8


def test_a_carried_edge_is_the_edge_on_its_own_raster() -> None:
    colours, alpha = leaf() / 255.0, leaf_alpha()
    slope, added = carried(colours, alpha)
    assert np.abs(np.clip((slope * colours).sum(axis=2) + added, 0, 1) - alpha).mean() < 0.01


# --- lines


@pytest.mark.parametrize("seed", range(3))
def test_a_mask_is_kept_in_few_points_and_comes_back(seed: int) -> None:
    noise = cv2.GaussianBlur(np.random.default_rng(seed).normal(0, 1, (240, 320)), (0, 0), 9)
    mask = noise > 0.02
    rings = rings_of(mask, Transform(1 / 320, 0, 0, 1 / 240))
    back = filled(rings, Sight(Size(320, 240)), Box(0, 0, Size(320, 240)))
    assert (back & mask).sum() / (back | mask).sum() > 0.97
    part = filled(rings, Sight(Size(320, 240)), Box(40, 30, Size(90, 70)))
    assert (part == back[30:100, 40:130]).mean() > 0.999


def test_the_roughest_mask_stays_within_the_limits() -> None:
    rough = np.random.default_rng(1).uniform(size=(480, 480)) > 0.5
    rings = rings_of(rough, Transform(1 / 480, 0, 0, 1 / 480))
    assert 0 < sum(map(len, rings)) <= MAX_POINTS
    assert len(rings) <= MAX_RINGS
    assert is_within_limits(rings)
    CutOut(rings=rings)
    with pytest.raises(ValueError, match="too many points"):
        CutOut(rings=tuple(tuple((0.1, i / 1e4) for i in range(2_500)) for _ in range(3)))


# --- what comes out


def test_a_box_is_enough_and_hairs_are_kept() -> None:
    alpha = done()[..., 3] / 255
    apart = np.abs(alpha - leaf_alpha())
    assert apart.mean() < 0.012
    hard = (leaf_alpha() > 0.5).astype(float)
    assert ((alpha - leaf_alpha()) ** 2).sum() < 0.5 * ((hard - leaf_alpha()) ** 2).sum()


def test_nothing_of_the_old_ground_stays_at_the_edge_and_nothing_else_changes() -> None:
    alpha, colours = done()[..., 3], done()[..., :3].astype(float)
    seen = (alpha > 60) & (alpha < 250)
    assert seen.sum() > 300
    mixed = np.abs(leaf()[seen] - LEAF).mean()
    assert np.abs(colours[seen] - LEAF).mean() < 0.4 * mixed
    assert (done()[alpha == 255][:, :3] == leaf()[alpha == 255]).all()
    assert not done()[alpha == 0].any()


def test_the_same_comes_out_each_time_and_of_each_strip(monkeypatch: pytest.MonkeyPatch) -> None:
    assert cut_out(AROUND) == cut_out(AROUND)
    monkeypatch.setattr("lucidex.core.source.restoration.STRIP_PIXELS", 4_000)
    assert (cut(cut_out(AROUND), leaf()) == done()).all()


@pytest.mark.parametrize("orientation", [3, 6, 8])
def test_a_picture_that_lies_on_its_side_is_cut_as_it_is_seen(orientation: int) -> None:
    upright = leaf()
    turned = {3: np.rot90(upright, 2), 6: np.rot90(upright, 1), 8: np.rot90(upright, -1)}[orientation]
    found = cut(cut_out(AROUND), np.ascontiguousarray(turned), orientation)
    back = {3: np.rot90(found, 2), 6: np.rot90(found, -1), 8: np.rot90(found, 1)}[orientation]
    assert np.abs(back[..., 3].astype(int) - done()[..., 3]).mean() < 1.5


def test_grey_sixteen_bits_and_what_was_clear_before() -> None:
    step = cut_out(AROUND)
    assert cut(step, leaf()[..., :1]).shape == (HEIGHT, WIDTH, 2)
    deep = cut(step, leaf(np.uint16))
    assert deep.dtype == np.uint16
    assert np.abs(deep[..., 3] / 257.0 - done()[..., 3]).mean() < 0.6
    surely = deep[..., 3] == 65_535
    assert (deep[surely][:, :3] == leaf(np.uint16)[surely]).all()
    half = np.dstack([leaf(), np.full((HEIGHT, WIDTH), 128, np.uint8)])
    kept = cut(step, half)[..., 3]
    assert np.abs(kept.astype(float) - done()[..., 3] * (128 / 255)).max() <= 1


def test_an_edge_moves_in_and_out_and_softens() -> None:
    def covered(**values: float) -> float:
        return float(cut(cut_out(AROUND, **values), leaf())[..., 3].mean())

    plain = covered()
    assert covered(outwards_percent=-3) < plain * 0.96
    assert covered(outwards_percent=3) > plain * 1.04
    soft = cut(cut_out(AROUND, soft_percent=3), leaf())[..., 3]
    assert ((soft > 20) & (soft < 235)).mean() > 1.5 * ((done()[..., 3] > 20) & (done()[..., 3] < 235)).mean()


# --- what is pointed at


def test_a_box_around_one_of_two_leaves_the_other_out_until_it_is_kept() -> None:
    two = np.hstack([leaf()[:, 50:350], leaf()[:, 50:350]])
    one = CutOut(shapes=(Rectangle(x=0.25, y=0.5, width=0.9, height=0.9),)).found_on(looked_at(two))
    alpha = cut(one, two)[..., 3]
    assert alpha[150, 150] == 255
    assert alpha[:, 320:].max() == 0
    both = one.with_shapes((*one.shapes, Rectangle(x=0.75, y=0.5, width=0.9, height=0.9)))
    assert cut(both.found_on(looked_at(two)), two)[150, 450, 3] == 255


def test_strokes_keep_and_drop_whatever_colours_say() -> None:
    dropped = Stroke(path=((0.45, 0.45), (0.55, 0.55)), radius=0.06, takes_away=True)
    alpha = cut(cut_out(AROUND, dropped), leaf())[..., 3]
    assert alpha[150, 200] < 26
    assert alpha[150, 130] == 255
    kept = Stroke(path=((0.14, 0.14), (0.2, 0.2)), radius=0.05)
    assert done()[51, 68, 3] == 0
    assert cut(cut_out(AROUND, kept), leaf())[51, 68, 3] > 230


def test_a_box_around_all_of_the_picture_still_takes_the_ground_away() -> None:
    alpha = cut(cut_out(Rectangle(x=0.5, y=0.5, width=2, height=2)), leaf())[..., 3]
    assert np.abs(alpha / 255 - leaf_alpha()).mean() < 0.012


def test_four_at_once_and_any_number_of_threads_find_the_same() -> None:
    seen = raster("visitors", 512)
    before = cv2.getNumThreads()
    with ThreadPoolExecutor(4) as threads:
        found = list(threads.map(lambda _: (CutOut().found_on(seen), cut_out(AROUND)), range(4)))
    cv2.setNumThreads(3)
    try:
        found.append((CutOut().found_on(seen), cut_out(AROUND)))
    finally:
        cv2.setNumThreads(before)
    assert all(one == found[0] for one in found)


def test_a_stroke_on_something_beside_a_person_does_not_mean_the_person() -> None:
    seen = raster("visitors", 512)
    pixels = seen.pixels.copy()
    pixels[20:80, 20:80] = (40, 90, 200)
    step = CutOut(shapes=(Stroke(path=((0.07, 0.1), (0.12, 0.16)), radius=0.03),))
    found = step.found_on(Raster(pixels, seen.geometry))
    alpha = restored(StoredPixels(pixels), found.restorations())[..., 3]
    assert alpha[50, 50] == 255
    assert alpha[200, 165] == 0


def test_a_box_on_something_beside_a_person_does_not_mean_the_person_either() -> None:
    seen = raster("visitors", 512)
    pixels = seen.pixels.copy()
    pixels[20:80, 20:80] = (40, 90, 200)
    side = 80 / pixels.shape[0]
    box = Rectangle(x=50 / pixels.shape[1], y=50 / pixels.shape[0], width=side, height=side)
    found = CutOut(shapes=(box,)).found_on(Raster(pixels, seen.geometry))
    assert restored(StoredPixels(pixels), found.restorations())[50, 50, 3] == 255


def test_a_thin_thing_is_kept_however_wide_its_edge_is_looked_for() -> None:
    pixels = np.broadcast_to(SOIL, (200, 300, 3)).astype(np.uint8).copy()
    pixels[95:105, 20:280] = LEAF
    ring = ((20 / 300, 95 / 200), (280 / 300, 95 / 200), (280 / 300, 105 / 200), (20 / 300, 105 / 200))
    alpha = restored(StoredPixels(pixels), (CuttingOut((ring,), 0.08),))[..., 3]
    assert alpha[100, 30:270].min() > 250
    assert max(alpha[:85].max(), alpha[115:].max()) < 8


def test_several_things_on_a_plain_ground_are_no_subject() -> None:
    spots = np.full((300, 400, 3), 236, np.uint8)
    for x, y in product((60, 150, 240, 330), (60, 150, 240)):
        cv2.circle(spots, (x, y), 25, LEAF.tolist(), -1)
    assert CutOut().found_on(looked_at(spots)).rings == ()


def test_strokes_alone_are_enough() -> None:
    alone = cut_out(Stroke(path=((0.35, 0.5), (0.65, 0.5)), radius=0.05))
    assert np.abs(cut(alone, leaf())[..., 3] / 255 - leaf_alpha()).mean() < 0.03


@pytest.mark.parametrize(
    "shapes",
    [
        (Rectangle(x=0.5, y=0.5, width=0.01, height=0.01),),
        (Rectangle(x=1.4, y=1.4, width=0.1, height=0.1),),
        (AROUND.model_copy(update={"width": 3.0, "height": 3.0}),),
        (AROUND, Rectangle(x=0.5, y=0.5, width=3, height=3, takes_away=True)),
        (Ellipse(x=0.02, y=0.02, width=0.2, height=0.2),),
    ],
)
def test_whatever_is_drawn_gives_a_picture_or_a_sentence(shapes: tuple[AnyShape, ...]) -> None:
    step = cut_out(*shapes)
    assert cut(step, leaf()).shape[2] in {3, 4}
    assert (step.remark(PictureGeometry.of(WHOLE_SIZE)) is None) == bool(step.rings) == step.leaves_clear


def test_plain_pictures_of_every_size_are_no_trouble() -> None:
    for width, height in ((1, 1), (2, 900), (40, 3)):
        plain = np.full((height, width, 3), 90, np.uint8)
        step = CutOut(shapes=(AROUND,)).found_on(looked_at(plain))
        assert cut(step, plain).shape[:2] == (height, width)
        assert restored(StoredPixels(plain), (CuttingOut((((0.1, 0.1), (0.9, 0.1), (0.5, 0.9)),), 0.01),)).any()


# --- by itself


def test_people_are_cut_out_by_themselves() -> None:
    seen = raster("visitors", 1_024)
    step = CutOut().found_on(seen)
    assert step.seen == "person"
    found = restored(StoredPixels(seen.pixels), step.restorations())[..., 3] / 255
    assert found[:150, :100].max() == 0
    assert 0.45 < found.mean() < 0.75
    assert "a person" in "".join(part.text for part in step.sentence())


@pytest.mark.parametrize("name", [name for name in NOBODY if name not in {"seed-packet", "old-print"}])
def test_where_it_is_not_sure_nothing_is_cut_out_and_a_drag_is_asked_for(name: str) -> None:
    step = CutOut().found_on(raster(name, 1_024))
    assert step.restorations() == ()
    remark = step.remark(PictureGeometry.of(WHOLE_SIZE))
    assert remark is not None
    assert "one drag is enough" in remark.sentence
    assert step.waits_for_hint


def test_what_stands_on_a_plain_ground_is_cut_out_by_itself() -> None:
    plain = leaf_alpha()[..., None] * LEAF + (1 - leaf_alpha()[..., None]) * 236
    pixels = np.rint(plain).astype(np.uint8)
    step = CutOut().found_on(looked_at(pixels))
    assert step.seen == "object"
    assert np.abs(cut(step, pixels)[..., 3] / 255 - leaf_alpha()).mean() < 0.012


def test_others_get_nothing_that_was_found_or_drawn_here() -> None:
    there = cut_out(AROUND, reach_percent=3).for_others
    assert there == CutOut(reach_percent=3)
