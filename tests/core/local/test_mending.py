"""Mended spots: on textures whose truth is known, against what the library's own methods make of them."""

from functools import cache
from pathlib import Path

import cv2
import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from lucidex.core.areas.shapes import Stroke
from lucidex.core.source.local.healing import Healing, pieces_of
from lucidex.core.source.local.membrane import membrane
from lucidex.core.steps.mend_spots import MendedSpot, RemoveSpots
from tests.core.local.pixels import changed, lively

DEMO = Path(__file__).parents[3] / "demo/pictures"
PICTURES = ("fern-fronds", "rosette", "dome-at-dusk", "keeper", "terraces", "seed-packet", "pond-tilted", "old-print")
EACH, CUT = 8, 360
SPOILT = (250, 40, 200)


@cache
def picture(name: str) -> np.ndarray:
    return cv2.cvtColor(cv2.imread(str(DEMO / f"{name}.jpg")), cv2.COLOR_BGR2RGB)


def cases(name: str) -> list[tuple[np.ndarray, np.ndarray, np.ndarray, tuple[int, int, int]]]:
    """Parts of a picture, the same with a spot, where it is, and its middle and radius."""
    whole, random = picture(name), np.random.default_rng(len(name))
    found = []
    for _ in range(EACH):
        radius = int(random.integers(4, 22))
        top, left = (int(random.integers(0, side - CUT)) for side in whole.shape[:2])
        x, y = (int(random.integers(60, CUT - 60)) for _ in range(2))
        truth = whole[top : top + CUT, left : left + CUT].copy()
        rows, columns = np.mgrid[0:CUT, 0:CUT] + 0.5
        hole = np.hypot(columns - x, rows - y) < radius + 0.5
        spoilt = truth.copy()
        spoilt[hole] = SPOILT
        found.append((truth, spoilt, hole, (x, y, radius)))
    return found


def mended(spoilt: np.ndarray, x: int, y: int, radius: float) -> np.ndarray:
    return changed(spoilt, Healing(Stroke(path=((x / CUT, y / CUT),), radius=radius / CUT)))


def judged(truth: np.ndarray, found: np.ndarray, hole: np.ndarray, radius: float) -> tuple[float, float]:
    """Error and seam, in code values: how far the tones and how far the liveliness is off, and how much more the rim
    of the spot stands out than it should."""
    before, after = truth.astype(np.float64), found.astype(np.float64)
    sigma = max(1.5, radius / 3)
    coarse = [cv2.GaussianBlur(one, (0, 0), sigma) for one in (before, after)]
    tones = np.sqrt(((coarse[0] - coarse[1])[hole] ** 2).mean())
    fine = [np.abs(one - soft)[hole].mean() for one, soft in zip((before, after), coarse, strict=True)]
    kernel = np.ones((3, 3), np.uint8)
    rim = (cv2.dilate(hole.astype(np.uint8), kernel) > 0) & (cv2.erode(hole.astype(np.uint8), kernel) == 0)
    edges = [np.abs(cv2.Laplacian(one, cv2.CV_64F)).mean(axis=2)[rim].mean() for one in (before, after)]
    return tones + abs(fine[0] - fine[1]), abs(edges[0] - edges[1])


@pytest.mark.long
def test_on_the_demo_pictures_it_is_not_worse_than_the_librarys_own_methods() -> None:
    ours, telea, fluid = [], [], []
    for name in PICTURES:
        for truth, spoilt, hole, (x, y, radius) in cases(name):
            mask = hole.astype(np.uint8)
            ours.append(judged(truth, mended(spoilt, x, y, radius), hole, radius))
            telea.append(judged(truth, cv2.inpaint(spoilt, mask, 3, cv2.INPAINT_TELEA), hole, radius))
            fluid.append(judged(truth, cv2.inpaint(spoilt, mask, 3, cv2.INPAINT_NS), hole, radius))
    error, seam = np.mean(ours, axis=0)
    assert error <= min(np.mean(telea, axis=0)[0], np.mean(fluid, axis=0)[0])
    assert seam <= min(np.mean(telea, axis=0)[1], np.mean(fluid, axis=0)[1])


def test_grain_goes_on_over_the_spot_and_is_no_smear() -> None:
    random = np.random.default_rng(3)
    paper = np.clip(random.normal(190, 9, (200, 200, 3)), 0, 255).astype(np.uint8)
    spoilt = paper.copy()
    spoilt[90:110, 90:110] = 20
    found = changed(spoilt, Healing(Stroke(path=((0.5, 0.5),), radius=0.08)))[88:112, 88:112]
    assert 0.85 < found.std() / paper[88:112, 88:112].std() < 1.15
    assert abs(found.mean() - 190) < 3


@pytest.mark.parametrize("height", [420, 200], ids=["a patch", "no room for a patch"])
def test_light_is_blended_where_a_gradient_runs_over_the_spot(height: int) -> None:
    ramp = np.linspace(40, 220, 240)[None, :, None]
    plain = np.repeat(np.repeat(ramp, height, axis=0), 3, axis=2)
    truth = np.clip(plain + np.random.default_rng(1).normal(0, 2, plain.shape), 0, 255).astype(np.uint8)
    spoilt = truth.copy()
    top = height // 2 - 20
    spoilt[top : top + 40, 100:140] = 255
    found = changed(spoilt, Healing(Stroke(path=((0.5, 0.5),), radius=30 / min(height, 240))))
    assert np.abs(cv2.GaussianBlur(found, (0, 0), 4).astype(int) - plain)[top - 10 : top + 50, 90:150].max() < 5


@pytest.mark.parametrize("radius", [6, 40], ids=["at its own scale", "at a smaller one"])
def test_edges_and_what_repeats_itself_go_on_through_the_spot(radius: int) -> None:
    y, x = np.mgrid[0:300, 0:300]
    stripes = 120 + 60 * np.sin((x + 0.6 * y) * 2 * np.pi / (radius * 1.7)) + 40 * (y > x)
    truth = np.repeat(stripes[..., None], 3, axis=2).clip(0, 255).astype(np.uint8)
    hole = np.hypot(x - 150, y - 140) < radius
    spoilt = truth.copy()
    spoilt[hole] = SPOILT
    found = changed(spoilt, Healing(Stroke(path=((0.5, 140 / 300),), radius=(radius + 1) / 300)))
    plain = cv2.inpaint(spoilt, hole.astype(np.uint8), 4, cv2.INPAINT_NS)
    ours, theirs = (np.sqrt(((one.astype(float) - truth)[hole] ** 2).mean()) for one in (found, plain))
    assert ours < 0.5 * theirs


@given(
    st.integers(1, 70),
    st.integers(1, 70),
    st.floats(-0.5, 1.5),
    st.floats(-0.5, 1.5),
    st.floats(0.01, 0.7),
    st.sampled_from((1, 3)),
)
@example(62, 21, 1.02, 0.23064, 0.03736, 1)  # nothing but what fades beyond it lies in the picture
@example(70, 71, 0.5, 1.2805, 0.3095, 3)  # no whole block of what it is reduced to
@settings(max_examples=40, deadline=None)
def test_a_spot_anywhere_on_a_picture_of_any_size_becomes_as_its_surroundings(
    width: int, height: int, x: float, y: float, radius: float, bands: int
) -> None:
    plain = np.full((height, width, bands), (40, 120, 200)[:bands], np.uint8)
    found = changed(plain, Healing(Stroke(path=((x, y),), radius=radius)))
    assert np.abs(found.astype(int) - plain).max() <= 1


def test_sixteen_bits_stay_even_over_the_spot() -> None:
    ramp = np.linspace(9_000, 11_000, 240).astype(np.uint16)
    truth = np.repeat(np.repeat(ramp[None, :, None], 200, axis=0), 3, axis=2)
    spoilt = truth.copy()
    spoilt[90:110, 110:130] = 60_000
    found = changed(spoilt, Healing(Stroke(path=((0.5, 0.5),), radius=0.08)))
    assert np.abs(found.astype(int) - truth).max() < 100, "less than a level of eight bits"


def test_nothing_of_the_spot_is_left() -> None:
    spoilt = lively(200, 200)
    spoilt[95:106, 95:106] = SPOILT
    found = changed(spoilt, Healing(Stroke(path=((0.5, 0.5),), radius=0.05)))
    assert np.abs(found.astype(int) - SPOILT).max(axis=2).min() > 40


def test_a_long_scratch_is_mended_in_pieces_that_each_look_around_themselves() -> None:
    sky, ground = lively(300, 600, seed=2) // 8 + 190, lively(300, 600, seed=3) // 4 + 20
    truth = np.concatenate([sky[:150], ground[150:]])
    spoilt = truth.copy()
    cv2.line(spoilt, (80, 20), (520, 280), (255, 255, 255), 3)
    scratch = MendedSpot(path=((80 / 600, 20 / 300), (520 / 600, 280 / 300)), radius=5 / 300)
    pieces = list(pieces_of(scratch))
    assert len(pieces) >= 3
    assert pieces[0].spot.path[-1] == pieces[1].spot.path[0]
    assert pieces[-1].pending is None
    found = spoilt
    for piece in pieces:
        found = changed(found, piece)
    near_sky, near_ground = found[20:130], found[170:280]
    assert (near_sky.max(axis=2) - truth[20:130].max(axis=2)).astype(np.int8).max() < 60
    assert near_ground.max() < 140, "nothing of the scratch, and nothing of the sky, lies on the ground"


def test_where_no_patch_can_be_had_the_edge_leads() -> None:
    tiny = np.full((9, 9, 3), 90, np.uint8)
    tiny[3:6, 3:6] = 255
    found = changed(tiny, Healing(Stroke(path=((0.5, 0.5),), radius=0.35)))
    assert np.abs(found.astype(int) - 90).max() <= 2


def test_proposals_are_not_mended_before_they_are_accepted() -> None:
    waiting = MendedSpot(path=((0.5, 0.5),), radius=0.02, proposed=True)
    assert RemoveSpots(shapes=(waiting,)).restorations() == ()
    assert len(RemoveSpots(shapes=(waiting.model_copy(update={"proposed": False}),)).restorations()) == 1


@pytest.mark.parametrize("size", [9, 33, 120])
def test_a_membrane_solves_laplaces_equation(size: int) -> None:
    """Against the exact solution: a harmonic polynomial given at the edge."""
    y, x = np.mgrid[0:size, 0:size].astype(np.float64) / size - 0.5
    exact = np.stack([x**2 - y**2 + 0.3 * x, x * y], axis=-1) * 100
    inside = np.zeros((size, size), bool)
    inside[2:-2, 2:-2] = True
    found = membrane(exact.astype(np.float32), inside, np.zeros_like(inside))
    assert np.abs(found - exact).max() < 1.2
    assert np.array_equal(found[~inside], exact.astype(np.float32)[~inside])


def test_a_membrane_hangs_freely_where_nothing_is_given() -> None:
    inside = np.zeros((40, 40), bool)
    inside[10:30, 10:] = True
    free = np.zeros_like(inside)
    free[:, 35:] = True
    values = np.full((40, 40, 1), 7, np.float32)
    values[:, 35:] = 900
    assert np.abs(membrane(values, inside, free)[inside & ~free] - 7).max() < 1e-3
