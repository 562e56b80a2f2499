"""What lies on a scanner's glass, drawn here with sides and angles that are known."""

import math

import cv2
import numpy as np
import pytest

from lucidex.core.gather.on_glass import find_papers
from lucidex.core.geometry.sizes import Window
from tests.conftest import Pixels

PER_MM = 100 / 25.4
LID, PAPER = (238, 239, 236), (222, 221, 214)


def glass() -> Pixels:
    """An empty one at 100 dpi, with a sensor's noise."""
    noise = np.random.default_rng(4).normal(0, 1.5, (1_170, 850, 3))
    return np.clip(np.array(LID) + noise, 0, 255).astype(np.uint8)


def lay(
    on: Pixels, middle: tuple[float, float], size: tuple[float, float], degrees: float = 0.0, paper: object = PAPER
) -> None:
    """Lay a paper down, by millimetres."""
    turned = (middle[0] * PER_MM, middle[1] * PER_MM), (size[0] * PER_MM, size[1] * PER_MM), degrees
    cv2.fillPoly(on, [np.round(cv2.boxPoints(turned)).astype(np.int32)], paper)


def line(on: Pixels, start: tuple[float, float], end: tuple[float, float], colour: object, wide: float) -> None:
    points = [tuple(round(value * PER_MM) for value in point) for point in (start, end)]
    cv2.line(on, points[0], points[1], colour, max(1, round(wide * PER_MM)), cv2.LINE_AA)


def middle_of(window: Window) -> tuple[float, float]:
    return (window.left + window.width / 2) / PER_MM, (window.top + window.height / 2) / PER_MM


@pytest.mark.long
@pytest.mark.parametrize("degrees", [-20, -13, -4, 0, 6, 17, 20])
def test_a_paper_may_lie_twenty_degrees_askew(degrees: float) -> None:
    on = glass()
    lay(on, (105, 140), (120, 80), degrees)
    (paper,) = find_papers(on)
    assert paper.askew_degrees == pytest.approx(degrees, abs=0.3)
    assert middle_of(paper.window) == pytest.approx((105, 140), abs=1)


def test_what_lies_far_askew_was_meant_so() -> None:
    on = glass()
    lay(on, (105, 140), (120, 80), 35)
    assert find_papers(on)[0].askew_degrees == 0


def test_several_papers_are_found_each_with_its_slant_and_its_ink() -> None:
    on = glass()
    lay(on, (60, 50), (90, 60), -3)
    line(on, (40, 50), (80, 52), (30, 40, 120), 0.6)
    lay(on, (160, 55), (60, 40), 15)
    lay(on, (70, 200), (100, 120), 2)
    line(on, (50, 180), (90, 230), (20, 20, 20), 0.6)
    papers = find_papers(on)
    assert [middle_of(one.window) for one in papers] == [
        pytest.approx((60, 50), abs=1.5),
        pytest.approx((160, 55), abs=1.5),
        pytest.approx((70, 200), abs=1.5),
    ]
    assert [one.askew_degrees for one in papers] == pytest.approx([-3, 15, 2], abs=0.4)
    assert [one.ink is not None for one in papers] == [True, False, True]
    assert papers[0].ink is not None
    assert papers[0].ink.width / PER_MM == pytest.approx(40, abs=8)


def test_a_stamp_is_a_paper_and_a_hair_is_none() -> None:
    on = glass()
    lay(on, (100, 100), (21, 25), 3)
    line(on, (20, 200), (90, 260), (150, 150, 150), 0.3)
    papers = find_papers(on)
    assert [middle_of(one.window) for one in papers] == [pytest.approx((100, 100), abs=1)]


def test_an_empty_glass_holds_nothing() -> None:
    assert find_papers(glass()) == ()


@pytest.mark.long
@pytest.mark.parametrize("filled", [True, False])
def test_coffee_is_no_ink(filled: bool) -> None:
    """A ring and a spill beside what was written, in blue and in the brown ink of old letters."""
    for colour in ((30, 40, 120), (70, 45, 25), (20, 20, 20)):
        on = glass()
        lay(on, (105, 140), (170, 200))
        line(on, (60, 90), (120, 96), colour, 0.7)
        line(on, (60, 104), (110, 101), colour, 0.5)
        cup = np.zeros(on.shape[:2], np.float32)
        middle = tuple(round(value * PER_MM) for value in (130, 180))
        cv2.circle(cup, middle, round(38 * PER_MM), 1.0, -1 if filled else round(4 * PER_MM), cv2.LINE_AA)
        stain = 1 - cv2.GaussianBlur(cup, (0, 0), 2)[..., None] * (1 - np.array([0.78, 0.66, 0.5]))
        on = np.clip(on * stain, 0, 255).astype(np.uint8)
        (paper,) = find_papers(on)
        assert paper.ink is not None, colour
        bottom = (paper.ink.top + paper.ink.height) / PER_MM
        assert bottom < 120, "nothing of the cup is framed"
        assert paper.ink.width / PER_MM == pytest.approx(60, abs=10)
        assert math.isclose(paper.askew_degrees, 0, abs_tol=0.2)
