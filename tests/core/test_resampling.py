"""The one resampling: nothing is shifted, every sum agrees with a plain reference, clear pixels do not bleed."""

import resource

import numpy as np
import numpy.typing as npt
import pytest
import pyvips
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from lucidex.core.document import Framing, PictureDocument
from lucidex.core.geometry.fit import Placement, Rule
from lucidex.core.geometry.sizes import Size, Window
from lucidex.core.places.demand import PlaceDemand
from lucidex.core.places.measures import ExactSize
from lucidex.core.render import draw, plan
from lucidex.core.resampling import resample, resampled
from lucidex.core.resampling.tables import Axis, area_table, cubic_table, lanczos_table
from lucidex.core.steps.base import Step
from lucidex.core.steps.detail import Soften
from lucidex.core.steps.straighten import Straighten
from lucidex.core.steps.turn import Direction, Turn
from tests.conftest import Pixels, picture, smooth_picture
from tests.core.rendering import entries, source_of

MAX_SHIFT = 0.02  # pixels of the result
PERIOD = 24.0  # pixels of the result: the wave by which a shift is measured

Floats = npt.NDArray[np.float64]


def waves(size: Size, across: float, down: float) -> Pixels:
    """Red waves across and green ones down, so many periods over each side."""
    x = (np.arange(size.width) + 0.5) / size.width
    y = (np.arange(size.height) + 0.5) / size.height
    red = np.broadcast_to(np.cos(2 * np.pi * across * x)[None, :], (size.height, size.width))
    green = np.broadcast_to(np.cos(2 * np.pi * down * y)[:, None], (size.height, size.width))
    return np.rint(127.5 + 110 * np.stack([red, green, np.zeros_like(red)], -1)).astype(np.uint8)


def phase(values: Floats, at: Floats) -> float:
    """How far a wave of one period a unit lies behind where it should be, in periods, by least squares."""
    weight = np.hanning(len(values) + 2)[1:-1]
    model = np.stack([np.cos(2 * np.pi * at), np.sin(2 * np.pi * at), np.ones_like(at)], -1)
    cosine, sine, _ = np.linalg.lstsq(model * weight[:, None], values * weight, rcond=None)[0]
    return float(np.arctan2(sine, cosine) / (2 * np.pi))


def shifts(pixels: Size, placement: Placement, drawn: Pixels, periods: tuple[float, float]) -> tuple[float, float]:
    """By how many pixels of the result it is shifted, across and down."""
    window, size = placement.window, placement.drawn
    part = drawn[placement.top : placement.top + size.height, placement.left : placement.left + size.width]
    found = []
    for axis, (start, length, whole, count) in enumerate(
        (
            (window.left, window.width, pixels.width, size.width),
            (window.top, window.height, pixels.height, size.height),
        )
    ):
        line = part[..., axis].astype(float).mean(axis=axis)
        at = (start + (np.arange(count) + 0.5) * length / count) / whole * periods[axis]
        found.append(phase(line, at) * whole / periods[axis] * count / length)
    return found[0], found[1]


@pytest.mark.long
@settings(max_examples=120)
@given(
    picture_size=st.tuples(st.integers(200, 900), st.integers(200, 900)),
    place=st.tuples(st.integers(60, 420), st.integers(60, 420)),
    rule=st.sampled_from(Rule),
    focal=st.tuples(st.floats(0, 1), st.floats(0, 1)),
    zoom=st.floats(1, 4),
    steps=st.sampled_from([(), (Turn(direction=Direction.RIGHT),)]),
)
def test_nothing_is_shifted_by_more_than_a_fiftieth_of_a_pixel(
    picture_size: tuple[int, int],
    place: tuple[int, int],
    rule: Rule,
    focal: tuple[float, float],
    zoom: float,
    steps: tuple[Step, ...],
) -> None:
    """In every rule of fit, for every window, at every level, enlarged and reduced."""
    demand = PlaceDemand(measure=ExactSize(width_px=place[0], height_px=place[1]), rule=rule)
    framing = Framing(focal_x=focal[0], focal_y=focal[1], zoom=zoom)
    document = PictureDocument(steps=entries(*steps), framings={"1": framing})
    upright = Size(*picture_size)
    geometry = document.geometry(upright)
    placement = document.placement(geometry, "1", demand)
    assume(min(placement.drawn.width, placement.drawn.height) >= 40)
    wanted = (
        geometry.size.width / placement.window.width * placement.drawn.width / PERIOD,
        geometry.size.height / placement.window.height * placement.drawn.height / PERIOD,
    )
    assume(max(wanted[0] / geometry.size.width, wanted[1] / geometry.size.height) < 0.2)
    pixels = waves(geometry.size, *wanted)
    stored = np.ascontiguousarray(np.rot90(pixels)) if steps else pixels
    source = source_of(stored)
    out = draw(source, plan(source, geometry, placement, (0, 0, 0), document.treatment)).numpy()
    assert max(abs(one) for one in shifts(geometry.size, placement, out, wanted)) <= MAX_SHIFT


@pytest.mark.parametrize("level_edge", [300, 700, 1_500, 3_000])
@pytest.mark.parametrize("offset", [0.0, 0.25, 0.5, 0.77])
def test_no_level_shifts_a_window(level_edge: int, offset: float) -> None:
    size = Size(level_edge, level_edge // 2)
    window = Window(3 + offset, 2 + offset, size.width - 9.3, size.height - 6.1)
    placement = Placement(window, Size(150, 74), 0, 0, Size(150, 74))
    periods = (150 / PERIOD, 74 / PERIOD)
    source = source_of(waves(size, *periods))
    out = draw(source, plan(source, PictureDocument().geometry(size), placement, None)).numpy()
    assert max(abs(one) for one in shifts(size, placement, out, periods)) <= MAX_SHIFT


def lanczos(x: Floats) -> Floats:
    return np.where(np.abs(x) < 3, np.sinc(x) * np.sinc(x / 3), 0)


def reduced_plainly(pixels: Pixels, window: Window, drawn: Size) -> Floats:
    """Lanczos in 64 bits, written out: every old pixel against every new one, edges going on for ever."""

    def matrix(count: int, origin: float, length: float, old: int) -> Floats:
        step = length / count
        far = np.arange(-int(4 * step) - 4, old + int(4 * step) + 4)
        centres = origin + (np.arange(count) + 0.5) * step
        weights = lanczos((far[None, :] + 0.5 - centres[:, None]) / step)
        weights /= weights.sum(axis=1, keepdims=True)
        for row, centre in zip(weights, centres, strict=True):  # a slope stays where it is
            before = np.searchsorted(far + 0.5, centre) - 1
            off_centre = row @ (far + 0.5) - centre
            row[before] += off_centre
            row[before + 1] -= off_centre
        folded = np.zeros((count, old))
        np.add.at(folded.T, np.clip(far, 0, old - 1), weights.T)
        return folded

    down = matrix(drawn.height, window.top, window.height, pixels.shape[0])
    across = matrix(drawn.width, window.left, window.width, pixels.shape[1])
    return np.einsum("ij,jkb,lk->ilb", down, pixels.astype(float), across)


@settings(max_examples=60)
@given(
    size=st.tuples(st.integers(2, 90), st.integers(2, 70)),
    kind=st.sampled_from([np.uint8, np.uint16]),
    bands=st.sampled_from([1, 3]),
    data=st.data(),
)
def test_reducing_agrees_with_a_reference_in_64_bits(
    size: tuple[int, int], kind: type, bands: int, data: st.DataObject
) -> None:
    width, height = size
    drawn = Size(data.draw(st.integers(1, width)), data.draw(st.integers(1, height)))
    across, down = (
        data.draw(st.floats(count, whole)) for count, whole in ((drawn.width, width), (drawn.height, height))
    )
    window = Window(data.draw(st.floats(0, width - across)), data.draw(st.floats(0, height - down)), across, down)
    pixels = picture(width, height, bands, seed=5).astype(kind)
    most = np.iinfo(kind).max
    pixels = pixels * np.array(most // 255, kind)
    expected = np.clip(reduced_plainly(pixels, window, drawn), 0, most)
    out = resampled(pixels, window, drawn, False)
    assert np.abs(out - expected).max() <= 0.5 + most * 1e-5


def test_clear_colours_do_not_bleed_at_any_depth() -> None:
    """A strong colour that cannot be seen stays unseen, at 8 and at 16 bits, reduced and enlarged."""
    for kind, most in ((np.uint8, 255), (np.uint16, 65_535)):
        pixels = np.zeros((60, 60, 4), kind)
        pixels[..., 0] = most
        pixels[20:40, 20:40] = (0, most // 2, 0, most)
        for side in (17, 150):
            out = resampled(pixels, Window(0.3, 0.2, 59, 59.5), Size(side, side), True).astype(float)
            seen = out[..., 3] > most * 0.02
            assert out[seen][:, 0].max() <= most * 0.02
            assert out[..., 3].max() == most


def test_sixteen_bits_of_alpha_are_taken_for_what_they_are() -> None:
    """Alpha of 65 535 is opaque: a half-clear edge of 16 bits becomes half of 8 bits, not a 256th less or more."""
    pixels = np.zeros((40, 40, 4), np.uint16)
    pixels[..., :3] = 40_000
    pixels[..., 3] = 65_535
    pixels[:, 20:, 3] = 32_768
    out = resampled(pixels, Window(0, 0, 40, 40), Size(20, 20), True)
    assert (out[:, :6, 3] == 65_535).all()
    assert (np.abs(out[:, 14:, 3].astype(int) - 32_768) <= 1).all()
    assert (np.abs(out[..., :3].astype(int) - 40_000) <= 2).all()


@pytest.mark.parametrize("table", [lanczos_table, cubic_table, area_table])
@pytest.mark.parametrize(
    "axis", [Axis(7, 0.0, 3.3, 24), Axis(50, 1.7, 0.31, 19), Axis(1, 0.2, 0.5, 1), Axis(3, -0.4, 1, 2)]
)
def test_weights_add_up_and_stay_inside(table: object, axis: Axis) -> None:
    made = table(axis)  # type: ignore[operator]
    assert made.weights.sum(axis=1) == pytest.approx(1, abs=1e-5)
    assert made.first.min() >= 0
    assert (made.first + made.weights.shape[1]).max() <= axis.length


def test_a_whole_window_at_its_own_size_is_left_alone() -> None:
    pixels = picture(30, 20)
    out = resampled(pixels, Window(4, 3, 10, 12), Size(10, 12), False)
    assert np.array_equal(out, pixels[3:15, 4:14])


@pytest.mark.long
def test_strips_meet_without_a_seam_and_threads_change_nothing() -> None:
    pixels = picture(900, 700)
    window, size = Window(10.3, 7.7, 400, 300), Size(1_700, 1_300)
    before = pyvips.concurrency_get()
    outs = []
    for threads in (1, 4):
        pyvips.concurrency_set(threads)
        outs.append(resampled(pixels, window, size, False))
    pyvips.concurrency_set(before)
    assert np.array_equal(*outs)
    small, resample.STRIP_NUMBERS = resample.STRIP_NUMBERS, 60_000
    try:
        narrow = resampled(pixels, window, size, False)
    finally:
        resample.STRIP_NUMBERS = small
    assert np.abs(narrow.astype(int) - outs[0]).max() <= 1


def test_a_part_is_enlarged_as_the_whole_is() -> None:
    """What lies outside a window changes what is inside no more than at its very edge."""
    pixels = picture(100, 100)
    whole = resampled(pixels, Window(0, 0, 100, 100), Size(400, 400), False).astype(int)
    part = resampled(pixels, Window(20.25, 17.5, 60, 60), Size(240, 240), False)
    off = np.abs(part - whole[70:310, 81:321])
    assert off[36:-36, 36:-36].max() == 0
    assert off.max() <= 60, "noise, at the very edge: what is only partly seen is corrected only partly"


def test_effects_on_what_is_enlarged_a_lot_look_no_further_than_can_be_paid_for() -> None:
    """A wide softening, looked at from very close: what is computed is bounded, and as soft as it should be."""
    pixels = smooth_picture(1_200, 900)
    source, size = source_of(pixels), Size(1_200, 900)
    document = PictureDocument(steps=entries(Soften(radius_percent=5)))
    geometry = document.geometry(size)
    close = Placement(Window(600, 400, 24, 18), Size(1_600, 1_200), 0, 0, Size(1_600, 1_200))
    chosen = plan(source, geometry, close, None, document.treatment)
    assert chosen.widened.placement.drawn.pixels < 3_000_000
    out = draw(source, chosen).numpy().astype(float)
    own = Placement(Window(600, 400, 24, 18), Size(24, 18), 0, 0, Size(24, 18))
    expected = draw(source, plan(source, geometry, own, None, document.treatment)).numpy().astype(float)
    assert out.shape[:2] == (1_200, 1_600)
    assert np.abs(out.mean(axis=(0, 1)) - expected.mean(axis=(0, 1))).max() <= 2


def test_looking_very_close_costs_what_is_shown() -> None:
    """A thousandth of a pixel, drawn large: memory follows what comes out, not how much it is enlarged."""
    pixels = smooth_picture(2_000, 1_500)
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    out = resampled(pixels, Window(999.5, 700.5, 0.001, 40), Size(300, 300), False)
    assert out.shape == (300, 300, 3)
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 200_000


def test_a_turned_picture_keeps_its_edge_where_it_is() -> None:
    """The warp has real neighbours beyond its window: what lies outside continues into it without a rim."""
    pixels = picture(800, 600)
    source, whole = source_of(pixels), Size(800, 600)
    document = PictureDocument(steps=entries(Straighten(angle_degrees=3.0)))
    geometry = document.geometry(whole)
    large = Placement(Window(100, 100, 200, 160), Size(200, 160), 0, 0, Size(200, 160))
    inner = Placement(Window(130, 120, 100, 80), Size(100, 80), 0, 0, Size(100, 80))
    around = draw(source, plan(source, geometry, large, None)).numpy()
    alone = draw(source, plan(source, geometry, inner, None)).numpy()
    # noise, where a thirty-second of a pixel counts: OpenCV's own grid; without neighbours it is three times as much
    assert np.abs(around[20:100, 30:130].astype(int) - alone).max() <= 14
