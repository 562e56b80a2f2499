"""What is drawn onto the finished size: exact sizes, in order, with room, the same on the stage as in the file."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lucidex.core.document import PictureDocument
from lucidex.core.errors import OutOfRangeError
from lucidex.core.finish.assets import NO_ASSETS, AssetFile
from lucidex.core.finish.canvas import given_room, total_margins
from lucidex.core.finish.compositing import Ink, composited
from lucidex.core.finish.forms import FormKind
from lucidex.core.finish.text.backing import Behind
from lucidex.core.geometry.fit import Anchor, Rule
from lucidex.core.geometry.sizes import Box, Size
from lucidex.core.keys import pixels_key
from lucidex.core.places.demand import PlaceDemand
from lucidex.core.places.measures import ExactSize, LongestEdge
from lucidex.core.render import Plan, SourceAssets, draw, draw_finish, plan, reduced, under
from lucidex.core.steps.bands import FinishStep
from lucidex.core.steps.border import Border, Side
from lucidex.core.steps.logo import Logo
from lucidex.core.steps.reflection import Reflection
from lucidex.core.steps.see_through import SeeThrough
from lucidex.core.steps.shadow import Shadow
from lucidex.core.steps.shape import Shape
from lucidex.core.steps.text import Text
from tests.conftest import picture
from tests.core.rendering import entries, rendered, source_of

MARK = AssetFile(sha256="c" * 64, name="mark.png")
ASSETS = SourceAssets({MARK.sha256: source_of(picture(60, 30, 4, seed=8))})
SIDES = st.integers(1, 400)
LOGOS = st.builds(
    Logo,
    logo=st.just(MARK),
    anchor=st.sampled_from(Anchor),
    size_percent=st.floats(1, 100),
    margin_percent=st.floats(0, 40),
    ink=st.sampled_from(Ink),
)
BORDERS = st.builds(Border, width_percent=st.floats(0, 30), colour=st.sampled_from(["#ffffff", "#1d2326", "#8c2f1b"]))
FINISH = st.lists(st.one_of(LOGOS, BORDERS), max_size=4)
GROUNDS = st.sampled_from(["clear", "#ffffff", "#336699"])
SHAPES = st.builds(
    Shape,
    outline=st.sampled_from(FormKind),
    radius_percent=st.floats(0, 50),
    lean_degrees=st.floats(-60, 60),
    outside=GROUNDS,
)
SHADOWS = st.builds(
    Shadow,
    direction_degrees=st.floats(0, 360),
    distance_percent=st.floats(0, 10),
    softness_percent=st.floats(0, 10),
    ground=GROUNDS,
)
REFLECTIONS = st.builds(
    Reflection,
    height_percent=st.floats(1, 100),
    fading=st.floats(0, 100),
    gap_percent=st.floats(0, 10),
    ground=GROUNDS,
)
TEXTS = st.builds(
    Text,
    text=st.sampled_from(["Seed swap", "A\nlonger line of words", "Ελληνικά שלום 漢字", "W" * 60]),
    size_percent=st.floats(0.5, 60),
    least_px=st.floats(0, 60),
    angle_degrees=st.floats(-180, 180),
    behind=st.sampled_from(Behind),
    anchor=st.sampled_from(Anchor),
    margin_percent=st.floats(0, 40),
)
SIDED = st.builds(Border, width_percent=st.floats(0, 30), side=st.sampled_from(Side), colour=st.just("#8c2f1b"))
EVERYTHING = st.lists(
    st.one_of(LOGOS, SIDED, SHAPES, SHADOWS, REFLECTIONS, TEXTS, st.builds(SeeThrough, ground=GROUNDS)), max_size=5
)


def planned(pixels: np.ndarray, demand: PlaceDemand, *steps: FinishStep) -> Plan:
    source = source_of(pixels)
    document = PictureDocument(steps=entries(*steps))
    geometry = document.geometry(source.upright)
    placement = document.placement(geometry, "1", demand)
    return plan(source, geometry, placement, (9, 9, 9), finish=document.finish("1", placement.canvas))


@pytest.mark.long
@settings(max_examples=150, deadline=None)
@given(SIDES, SIDES, SIDES, SIDES, st.sampled_from(Rule), FINISH)
def test_any_finish_leaves_the_size_exact(
    width: int, height: int, across: int, down: int, rule: Rule, steps: list[FinishStep]
) -> None:
    pixels = picture(width, height)
    demand = PlaceDemand(measure=ExactSize(width_px=across, height_px=down), rule=rule)
    plain = rendered(source_of(pixels), demand).shape[:2]
    try:
        made = rendered(source_of(pixels), demand, *steps, assets=ASSETS)
    except OutOfRangeError:
        assert sum(isinstance(step, Border) for step in steps) > 1, "one border always leaves some room"
        return
    assert made.shape[:2] == (plain if rule is Rule.SCALE_DOWN else (down, across))


@pytest.mark.long
@settings(max_examples=150, deadline=None)
@given(st.integers(1, 160), st.integers(1, 160), st.sampled_from([Rule.COVER, Rule.CONTAIN, Rule.FILL]), EVERYTHING)
def test_everything_together_leaves_the_size_exact(
    across: int, down: int, rule: Rule, steps: list[FinishStep]
) -> None:
    demand = PlaceDemand(measure=ExactSize(width_px=across, height_px=down), rule=rule)
    margins = total_margins(given_room(steps, Size(across, down)))
    if margins.left + margins.right >= across or margins.top + margins.bottom >= down:
        with pytest.raises(OutOfRangeError, match="leaves no room for it"):
            rendered(source_of(picture(90, 60)), demand, *steps, assets=ASSETS)
        return
    made = rendered(source_of(picture(90, 60)), demand, *steps, assets=ASSETS)
    assert made.shape[:2] == (down, across)
    grounds = [step.ground_below for step in sorted(steps, key=lambda step: step.seat)]
    clear = any(step.lets_through for step in steps) and not any(ground is not None for ground in grounds)
    assert made.shape[2] == (4 if clear else 3), "clear where something lets through, and no ground lies below"


@given(st.integers(80, 300), st.integers(80, 300), st.floats(1, 12) | st.integers(1, 39))
@settings(max_examples=50, deadline=None)
def test_the_picture_gives_way_and_is_drawn_at_the_size_that_is_left(across: int, down: int, width: float) -> None:
    wide = {"width_px": width} if isinstance(width, int) else {"width_percent": width}
    pixels, border = picture(240, 160), Border.model_validate({"colour": "#102030", **wide})
    whole = PlaceDemand(measure=ExactSize(width_px=across, height_px=down))
    made = rendered(source_of(pixels), whole, border)
    room = width if isinstance(width, int) else max(1, round(min(across, down) * width / 100))
    assert border.measured_on(Size(across, down)).room(Size(across, down)).left == room
    inner = PlaceDemand(measure=ExactSize(width_px=across - 2 * room, height_px=down - 2 * room))
    assert np.array_equal(made[room:-room, room:-room], rendered(source_of(pixels), inner))
    outside = np.ones(made.shape[:2], bool)
    outside[room:-room, room:-room] = False
    assert (made[outside] == (0x10, 0x20, 0x30)).all()


def test_so_many_pixels_are_as_wide_a_share_where_the_place_is_shown_smaller() -> None:
    demand, pixels = PlaceDemand(measure=ExactSize(width_px=400, height_px=300)), picture(400, 300)
    source = source_of(pixels)
    chosen = planned(pixels, demand, Border(width_px=40, colour="#102030"))
    small = draw(source, reduced(source, chosen, 100)).numpy()
    assert small.shape[:2] == (75, 100)
    assert (small[:, :10] == (0x10, 0x20, 0x30)).all()
    assert (small[20:55, 10:12] != (0x10, 0x20, 0x30)).any()


def test_variants_of_a_border_in_pixels_are_shares_that_count() -> None:
    canvas = Size(400, 300)
    rooms = [Border(width_px=40).varied(value).measured_on(canvas).room(canvas).left for value in ("1", "2", "8 %")]
    assert rooms == [3, 6, 24]


def test_later_borders_lie_further_out_and_what_is_laid_over_lies_over_all() -> None:
    demand = PlaceDemand(measure=ExactSize(width_px=200, height_px=100))
    inner, outer = Border(width_percent=5, colour="#0000ff"), Border(width_percent=5, colour="#ff0000")
    made = rendered(source_of(picture(200, 100)), demand, inner, outer)
    assert [tuple(made[50, x]) for x in (0, 4, 5, 9)] == [(255, 0, 0)] * 2 + [(0, 0, 255)] * 2
    mark = Logo(logo=MARK, anchor=Anchor.TOP_LEFT, margin_percent=0, ink=Ink.WHITE, size_percent=30)
    one = rendered(source_of(picture(200, 100)), demand, outer, mark, assets=ASSETS)
    other = rendered(source_of(picture(200, 100)), demand, mark, outer, assets=ASSETS)
    assert np.array_equal(one, other), "a border never covers a logo, which lies inside of it"
    assert (one[:5] == (255, 0, 0)).all()


@given(FINISH.filter(lambda steps: sum(isinstance(step, Border) for step in steps) < 2))
@settings(max_examples=40, deadline=None)
def test_what_the_stage_shows_over_the_picture_is_what_the_file_has(steps: list[FinishStep]) -> None:
    demand = PlaceDemand(measure=ExactSize(width_px=160, height_px=120))
    pixels = picture(160, 120)
    chosen, source = planned(pixels, demand, *steps), source_of(pixels)
    made = draw(source, chosen, ASSETS).numpy().astype(int)
    below = draw(source, under(chosen), ASSETS)
    overlay = draw_finish(source, chosen, below, ASSETS).numpy()
    bare = draw(source, planned(pixels, demand, *(s for s in steps if isinstance(s, Border)))).numpy().copy()
    seen = composited(bare, overlay, Box(0, 0, Size(160, 120)), 1.0, Ink.OWN).astype(int)
    most = 1 + 2 * len(steps)
    assert np.abs(seen[..., :3] - made[..., :3]).max() <= most, "half-clear pixels are rounded once more for each"


def test_the_stage_veils_what_an_outline_cuts_away_and_lets_the_picture_through_inside() -> None:
    demand = PlaceDemand(measure=ExactSize(width_px=200, height_px=120))
    pixels = picture(200, 120)
    chosen, source = planned(pixels, demand, Shape(), Border(colour="#006400")), source_of(pixels)
    overlay = draw_finish(source, chosen, draw(source, under(chosen)), NO_ASSETS).numpy()
    assert overlay[60, 100, 3] == 0, "the middle of the oval shows the picture"
    assert overlay[1, 1, 3] > 220, "its corner is veiled"
    assert tuple(overlay[60, 2]) == (0, 0x64, 0, 255), "and the border is there"


@pytest.mark.long
@given(st.sampled_from(Rule), EVERYTHING, st.integers(20, 900))
@settings(max_examples=40, deadline=None)
def test_the_stage_is_shown_no_more_pixels_than_it_needs(rule: Rule, steps: list[FinishStep], longest: int) -> None:
    demand = PlaceDemand(measure=ExactSize(width_px=3_000, height_px=2_400), rule=rule)
    source = source_of(picture(300, 100))
    try:
        chosen = planned(picture(300, 100), demand, *steps)
        small = reduced(source, chosen, longest)
    except OutOfRangeError:
        return
    canvas = chosen.placement.canvas
    assert small.placement.canvas.longest <= longest
    assert small.placement.window == chosen.placement.window
    for side in ("left", "top"):
        share = longest / canvas.longest if canvas.longest > longest else 1.0
        # each thing around the picture rounds its room to whole pixels
        assert getattr(small.placement, side) == pytest.approx(
            getattr(chosen.placement, side) * share, abs=2 + 3 * len(steps)
        )
    drawn = draw_finish(source, small, draw(source, under(small), ASSETS), ASSETS)
    assert (drawn.width, drawn.height) == (small.placement.canvas.width, small.placement.canvas.height)


def test_the_key_follows_the_finish_its_assets_and_the_room() -> None:
    demand = PlaceDemand(measure=LongestEdge(longest_px=120))
    keys = set()
    for steps in ((), (Border(),), (Border(width_percent=9),), (Logo(logo=MARK),), (Border(), Logo(logo=MARK))):
        keys.add(pixels_key("a" * 64, entries(*steps), planned(picture(90, 60), demand, *steps)))
    assert len(keys) == 5
