"""Outlines, borders along them, shadows and reflections, against what float64 and plain geometry say."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lucidex.core.document import Framing
from lucidex.core.finish.canvas import given_room
from lucidex.core.finish.forms import FormKind, form_in
from lucidex.core.finish.layer_kernel import lay_colour_under, mix_colour_over, scale_alpha
from lucidex.core.finish.layers import blurred
from lucidex.core.geometry.sizes import Box, Size
from lucidex.core.places.demand import PlaceDemand
from lucidex.core.places.measures import ExactSize
from lucidex.core.steps.border import Border, Side
from lucidex.core.steps.recolour import Recolour
from lucidex.core.steps.reflection import Reflection
from lucidex.core.steps.see_through import SeeThrough
from lucidex.core.steps.shadow import Shadow
from lucidex.core.steps.shape import Shape
from tests.conftest import picture
from tests.core.rendering import rendered, source_of

DEMAND = PlaceDemand(measure=ExactSize(width_px=240, height_px=160))
PICTURE = source_of(picture(240, 160))


@given(st.sampled_from(FormKind), st.integers(4, 400), st.integers(4, 400), st.floats(0, 0.5), st.floats(-60, 60))
@settings(max_examples=60, deadline=None)
def test_an_outline_covers_the_area_that_geometry_says(
    kind: FormKind, width: int, height: int, radius: float, lean: float
) -> None:
    form = form_in(kind, Box(3, 5, Size(width, height)), radius, lean)
    covered = float(form.coverage(Size(width + 9, height + 11)).sum())
    side, round_ = min(width, height), min(radius, 0.5) * min(width, height)
    rise = min(height, width / 2)
    slip = min(abs(math.tan(math.radians(lean)) * height), 0.9 * width)
    exact = {
        FormKind.OVAL: math.pi * width * height / 4,
        FormKind.CIRCLE: math.pi * side**2 / 4,
        FormKind.ROUNDED: width * height - (4 - math.pi) * round_**2,
        FormKind.ARCH: width * (height - rise) + math.pi * width / 2 * rise / 2,
        FormKind.SLANTED: (width - slip) * height,
    }[kind]
    assert covered == pytest.approx(exact, rel=0.004, abs=1.0)


@given(st.sampled_from([FormKind.OVAL, FormKind.ROUNDED, FormKind.CIRCLE]), st.integers(2, 14))
@settings(max_examples=20, deadline=None)
def test_a_border_is_equally_wide_everywhere_along_a_curve(kind: FormKind, width: int) -> None:
    form = form_in(kind, Box(40, 40, Size(220, 130)), 0.3)
    grown = form.grown(width)
    assert grown is not None
    edge = np.vstack([form.points, form.points[:1]])
    for point in grown.points[:: max(1, len(grown.points) // 40)]:
        along = edge[1:] - edge[:-1]
        share = (((point - edge[:-1]) * along).sum(axis=1) / (along**2).sum(axis=1)).clip(0, 1)
        apart = np.hypot(*(edge[:-1] + share[:, None] * along - point).T).min()
        assert apart == pytest.approx(width, abs=0.15)


def test_a_slanted_border_keeps_its_corners_sharp() -> None:
    form = form_in(FormKind.SLANTED, Box(20, 20, Size(100, 60)), angle_degrees=20)
    grown = form.grown(6)
    assert grown is not None
    assert len(grown.points) == 4


@pytest.mark.parametrize("outline", list(FormKind))
@pytest.mark.parametrize("ground", [(0, 0, 0), (255, 255, 255), (40, 120, 60)])
def test_no_edge_takes_on_anything_that_is_not_there(outline: FormKind, ground: tuple[int, int, int]) -> None:
    """A picture of one colour, cut out, stays that colour on every ground: no dark or light seam."""
    colour = (200, 90, 40)
    flat = source_of(np.full((160, 240, 3), colour, np.uint8))
    cut = rendered(flat, DEMAND, Shape(outline=outline), Shadow(strength=0), SeeThrough(opacity_percent=70))
    there = cut[..., 3] > 0
    assert np.abs(cut[there][:, :3].astype(int) - colour).max() <= 1
    alpha = cut[..., 3:].astype(float) / 255
    laid = cut[..., :3] * alpha + np.array(ground) * (1 - alpha)
    low, high = np.minimum(colour, ground), np.maximum(colour, ground)
    assert (laid >= low - 1).all(), "between the picture's colour and the ground's"
    assert (laid <= high + 1).all()


def test_a_border_follows_the_outline_whichever_was_added_first() -> None:
    shape, border = Shape(outline=FormKind.OVAL), Border(width_percent=5, colour="#006400")
    one, other = (rendered(PICTURE, DEMAND, *steps) for steps in ((shape, border), (border, shape)))
    assert np.array_equal(one, other)
    assert tuple(one[80, 1]) == (0, 0x64, 0, 255), "the border reaches the edge of the place"
    assert one[2, 2, 3] == 0, "and the corner stays clear"
    ring = (one[..., :3] == (0, 0x64, 0)).all(axis=2) & (one[..., 3] == 255)
    # eight pixels; the outermost one may be cut by the curve
    assert {int(ring[80, :20].sum()), int(ring[:20, 120].sum())} <= {7, 8}, "as wide at the side as on top"


def test_a_border_around_an_outline_fills_nothing_that_is_clear_within() -> None:
    pixels = np.zeros((160, 240, 4), np.uint8)
    pixels[70:90, 100:140] = (20, 20, 20, 255)
    made = rendered(source_of(pixels), DEMAND, Shape(), Border(width_percent=5, colour="#006400"))
    assert made[40, 120, 3] == 0, "inside the oval it is as clear as it was"
    solid = rendered(PICTURE, DEMAND, Shape(), Border(width_percent=5, colour="#006400"))
    inside = form_in(FormKind.OVAL, Box(0, 0, Size(240, 160))).coverage(Size(240, 160)) == 1
    assert (solid[inside][:, 3] >= 254).all(), "and no seam shows between a picture and its border"


def test_a_border_inside_takes_no_room_and_covers_the_edge() -> None:
    made = rendered(PICTURE, DEMAND, Border(width_percent=5, side=Side.INSIDE, colour="#102030"))
    bare = rendered(PICTURE, DEMAND)
    assert np.array_equal(made[8:-8, 8:-8], bare[8:-8, 8:-8])
    edge = np.ones(made.shape[:2], bool)
    edge[8:-8, 8:-8] = False
    assert (made[edge] == (0x10, 0x20, 0x30)).all()


def test_the_picture_is_moved_inside_its_outline_by_framing() -> None:
    tall = source_of(picture(240, 480))
    shape = Shape(outline=FormKind.OVAL)
    top = rendered(tall, DEMAND, shape, framing=Framing(focal_y=0.2))
    low = rendered(tall, DEMAND, shape, framing=Framing(focal_y=0.8))
    assert np.array_equal(top[..., 3], low[..., 3]), "the outline stays"
    assert np.abs(top[80, 100:140, :3].astype(int) - low[80, 100:140, :3]).max() > 20, "and what it shows moves"


@given(st.floats(0, 360), st.floats(0, 10), st.floats(0, 10))
@settings(max_examples=30, deadline=None)
def test_a_shadow_has_all_the_room_that_it_needs(direction: float, distance: float, softness: float) -> None:
    shadow = Shadow(
        direction_degrees=direction,
        distance_percent=distance,
        softness_percent=softness,
        strength=100,
        colour="#000000",
    )
    flat = source_of(np.full((160, 240, 3), 255, np.uint8))
    made = rendered(flat, DEMAND, shadow)
    alpha = made[..., 3].astype(float)
    for edge in (alpha[0], alpha[-1], alpha[:, 0], alpha[:, -1]):
        touched = edge[edge < 250]
        assert touched.max(initial=0) <= 3, "it has faded where the place ends"


def test_a_shadow_is_the_gaussian_of_what_casts_it() -> None:
    mask = np.zeros((90, 120), np.float32)
    mask[30:60, 40:80] = 1
    for sigma in (0.8, 2.0, 7.5, 20.0):
        reach = math.ceil(6 * sigma)
        kernel = np.exp(-0.5 * (np.arange(-reach, reach + 1) / sigma) ** 2)
        kernel /= kernel.sum()
        exact = np.apply_along_axis(np.convolve, 0, mask.astype(np.float64), kernel, "full")
        exact = np.apply_along_axis(np.convolve, 1, exact, kernel, "full")[reach:-reach, reach:-reach]
        assert np.abs(blurred(mask, sigma) - exact).max() <= 0.02


def test_a_shadow_falls_where_its_hand_points() -> None:
    flat = source_of(np.full((160, 240, 3), 255, np.uint8))
    made = rendered(flat, DEMAND, Shadow(direction_degrees=90, distance_percent=8, softness_percent=0, strength=50))
    assert [made[80, -2, 3], made[80, 1, 3]] == [128, 255], (
        "to the right, half as strong as asked, and not to the left"
    )


def test_a_reflection_is_the_picture_upside_down_and_fades() -> None:
    made = rendered(PICTURE, DEMAND, Reflection(height_percent=50, strength=80, fading=100, gap_percent=0))
    high = round(160 * 50 / 150)
    body, below = made[: 160 - high], made[160 - high :]
    assert (body[..., 3] == 255).all()
    assert np.array_equal(below[..., :3], body[::-1][:high, :, :3]), "row by row, the lowest first"
    expected = 255 * 0.8 * (1 - (np.arange(high) + 0.5) / high)
    assert np.abs(below[:, 100, 3] - expected).max() <= 0.51


def test_the_room_of_what_is_cast_is_shared_so_that_a_reflection_touches_its_picture() -> None:
    unseen = Shadow(direction_degrees=180, distance_percent=5, softness_percent=3, strength=0)
    steps = (unseen, Reflection(gap_percent=0, fading=0, strength=50))
    made = rendered(PICTURE, DEMAND, *steps)
    begins = 160 - max(one.margins.bottom for one in given_room(steps, Size(240, 160)))
    assert made[begins - 1, 120, 3] == 255, "the picture ends"
    assert np.array_equal(made[begins : begins + 9, :, :3], made[begins - 9 : begins, :, :3][::-1]), "where it begins"
    assert (made[begins : begins + 9, 110:130, 3] == 128).all()


@given(st.integers(0, 255), st.integers(0, 255), st.floats(0, 1), st.floats(0, 1))
@settings(max_examples=60, deadline=None)
def test_colours_are_laid_over_and_under_as_the_compositing_rule_says(
    alpha: int, value: int, cover: float, strength: float
) -> None:
    mask = np.full((1, 1), cover, np.float32)
    over, below = (np.array([[[value, value, value, alpha]]], np.uint8) for _ in range(2))
    mix_colour_over(over, mask, strength, 10.0, 200.0, 90.0)
    lay_colour_under(below, mask, strength, 10.0, 200.0, 90.0)
    own, laid = alpha / 255, float(np.float32(cover)) * strength
    for made, total, mixed in (
        (over, laid + own * (1 - laid), 200 * laid + value * own * (1 - laid)),
        (below, own + laid * (1 - own), value * own + 200 * laid * (1 - own)),
    ):
        assert abs(int(made[0, 0, 3]) - 255 * total) <= 0.502
        if total > 0.02 and made[0, 0, 3]:
            assert abs(int(made[0, 0, 1]) - mixed / total) <= 0.51


def test_alpha_is_scaled_and_nothing_else() -> None:
    pixels = picture(30, 20, 4, seed=2)
    before = pixels.copy()
    cover = np.linspace(0, 1, 600, dtype=np.float32).reshape(20, 30)
    scale_alpha(pixels, cover)
    assert np.array_equal(pixels[..., :3], before[..., :3])
    assert np.abs(pixels[..., 3] - before[..., 3] * cover.astype(np.float64)).max() <= 0.51


def test_recolouring_leads_through_black_the_colour_and_white() -> None:
    ramp = np.repeat(np.arange(256, dtype=np.uint8)[None, :, None], 3, axis=2).repeat(4, axis=0)
    demand = PlaceDemand(measure=ExactSize(width_px=256, height_px=4))
    made = rendered(source_of(ramp), demand, Recolour(colour="#0f6a58"))[1].astype(int)
    assert (np.diff(made, axis=0) >= -1).all(), "what is lighter stays lighter"
    assert np.abs(made[0]).max() <= 1
    assert np.abs(made[255] - 255).max() <= 1
    seat = round(255 * (0.2126 * 0x0F + 0.7152 * 0x6A + 0.0722 * 0x58) / 255)
    assert np.abs(made[seat] - (0x0F, 0x6A, 0x58)).max() <= 3


def test_a_shadow_of_a_picture_with_clear_areas_is_cast_by_what_is_there() -> None:
    pixels = np.zeros((160, 240, 4), np.uint8)
    pixels[40:120, 60:180] = (200, 40, 40, 255)
    made = rendered(source_of(pixels), DEMAND, Shadow(direction_degrees=180, distance_percent=6, softness_percent=1))
    assert made[3, 3, 3] == 0, "nothing stands in the corner, so nothing falls there"
    assert made[..., 3].max() == 255
