"""What is drawn onto the finished size: exact sizes, in order, with room, the same on the stage as in the file."""

import numpy as np
import pyvips
from hypothesis import given, settings
from hypothesis import strategies as st

from lucidex.core.document import PictureDocument
from lucidex.core.errors import OutOfRangeError
from lucidex.core.finish.assets import AssetFile
from lucidex.core.finish.compositing import Ink, composited
from lucidex.core.geometry.fit import Anchor, Rule
from lucidex.core.geometry.sizes import Box, Size
from lucidex.core.keys import pixels_key
from lucidex.core.places.demand import PlaceDemand
from lucidex.core.places.measures import ExactSize, LongestEdge
from lucidex.core.render import Plan, SourceAssets, draw, draw_finish, plan
from lucidex.core.steps.base import FinishStep
from lucidex.core.steps.border import Border
from lucidex.core.steps.logo import Logo
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


def planned(pixels: np.ndarray, demand: PlaceDemand, *steps: FinishStep) -> Plan:
    source = source_of(pixels)
    document = PictureDocument(steps=entries(*steps))
    geometry = document.geometry(source.upright)
    placement = document.placement(geometry, "1", demand)
    return plan(source, geometry, placement, (9, 9, 9), finish=document.finish("1", placement.canvas))


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
    if rule is Rule.SCALE_DOWN:  # the picture keeps its shape inside what its borders leave
        assert made.shape[0] <= plain[0]
        assert made.shape[1] <= plain[1]
    else:
        assert made.shape[:2] == (down, across)


@given(st.integers(80, 300), st.integers(80, 300), st.floats(1, 12))
@settings(max_examples=25, deadline=None)
def test_the_picture_gives_way_and_is_drawn_at_the_size_that_is_left(across: int, down: int, width: float) -> None:
    pixels, border = picture(240, 160), Border(width_percent=width, colour="#102030")
    whole = PlaceDemand(measure=ExactSize(width_px=across, height_px=down))
    made = rendered(source_of(pixels), whole, border)
    room = border.room(Size(across, down)).left
    assert room == max(1, round(min(across, down) * width / 100))
    inner = PlaceDemand(measure=ExactSize(width_px=across - 2 * room, height_px=down - 2 * room))
    assert np.array_equal(made[room:-room, room:-room], rendered(source_of(pixels), inner))
    outside = np.ones(made.shape[:2], bool)
    outside[room:-room, room:-room] = False
    assert (made[outside] == (0x10, 0x20, 0x30)).all()


def test_things_are_drawn_in_the_order_of_the_list() -> None:
    demand = PlaceDemand(measure=ExactSize(width_px=200, height_px=100))
    outer, inner = Border(width_percent=5, colour="#ff0000"), Border(width_percent=5, colour="#0000ff")
    made = rendered(source_of(picture(200, 100)), demand, outer, inner)
    assert [tuple(made[50, x]) for x in (0, 4, 5, 9)] == [(255, 0, 0)] * 2 + [(0, 0, 255)] * 2
    mark = Logo(logo=MARK, anchor=Anchor.TOP_LEFT, margin_percent=0, ink=Ink.WHITE, size_percent=30)
    over = rendered(source_of(picture(200, 100)), demand, outer, mark, assets=ASSETS)
    under = rendered(source_of(picture(200, 100)), demand, mark, outer, assets=ASSETS)
    assert not np.array_equal(over[:5, :30], under[:5, :30]), "the logo lies over the border, or under it"
    assert (under[:5, :30] == (255, 0, 0)).all()


@given(FINISH.filter(lambda steps: sum(isinstance(step, Border) for step in steps) < 2))
@settings(max_examples=40, deadline=None)
def test_what_the_stage_shows_over_the_picture_is_what_the_file_has(steps: list[FinishStep]) -> None:
    demand = PlaceDemand(measure=ExactSize(width_px=160, height_px=120))
    pixels = picture(160, 120)
    chosen = planned(pixels, demand, *steps)
    made = draw(source_of(pixels), chosen, ASSETS).numpy().astype(int)
    overlay = draw_finish(chosen, ASSETS, 1_000)
    bare = draw(source_of(pixels), planned(pixels, demand, *(s for s in steps if isinstance(s, Border)))).numpy()
    canvas = pyvips.Image.new_from_array(np.ascontiguousarray(bare)).copy(interpretation="srgb")
    seen = composited(canvas, overlay, Box(0, 0, Size(160, 120)), 1.0, Ink.OWN).numpy().astype(int)
    most = 1 + 2 * len(steps)
    assert np.abs(seen[..., :3] - made[..., :3]).max() <= most, "half-clear pixels are rounded once more for each"


def test_the_stage_is_shown_no_more_pixels_than_it_needs() -> None:
    demand = PlaceDemand(measure=ExactSize(width_px=3_000, height_px=1_000))
    chosen = planned(picture(300, 100), demand, Border(), Logo(logo=MARK))
    drawn = draw_finish(chosen, ASSETS, 600)
    assert (drawn.width, drawn.height) == (600, 200)


def test_the_key_follows_the_finish_its_assets_and_the_room() -> None:
    demand = PlaceDemand(measure=LongestEdge(longest_px=120))
    keys = set()
    for steps in ((), (Border(),), (Border(width_percent=9),), (Logo(logo=MARK),), (Border(), Logo(logo=MARK))):
        keys.add(pixels_key("a" * 64, entries(*steps), planned(picture(90, 60), demand, *steps)))
    assert len(keys) == 5
