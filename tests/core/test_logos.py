"""Logos keep to their corner on any size, are never stretched, and are laid over exactly."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lucidex.core.document import PictureDocument
from lucidex.core.finish.assets import AssetFile
from lucidex.core.finish.compositing import Ink, anchored_box, composited
from lucidex.core.geometry.fit import Anchor
from lucidex.core.geometry.sizes import Box, Size
from lucidex.core.steps import StepEntry
from lucidex.core.steps.logo import Logo
from lucidex.core.steps.turn import Direction, Turn
from tests.conftest import picture
from tests.core.line.reading import step_read

SIDES = st.integers(1, 4_000)
SIZES = st.builds(Size, SIDES, SIDES)
FILE = AssetFile(sha256="a" * 64, name="seal.png")


@given(SIZES, SIZES, st.sampled_from(Anchor), st.floats(0.01, 1), st.floats(0, 0.4))
def test_a_logo_lies_inside_at_its_anchor_and_keeps_its_shape(
    canvas: Size, logo: Size, anchor: Anchor, size: float, margin: float
) -> None:
    box = anchored_box(Box(0, 0, canvas), canvas.shortest, logo, anchor, size, margin)
    right, bottom = canvas.width - box.left - box.size.width, canvas.height - box.top - box.size.height
    away = min(round(canvas.shortest * margin), (canvas.shortest - 1) // 2)
    assert min(box.left, box.top, right, bottom) >= away
    across, down = (float(share) for share in anchor.fractions)
    assert abs(box.left - away - across * (box.left + right - 2 * away)) <= 1
    assert abs(box.top - away - down * (box.top + bottom - 2 * away)) <= 1
    # the side that follows from the other one is the nearest whole pixel
    off = (
        abs(box.size.width - box.size.height * logo.width / logo.height),
        abs(box.size.height - box.size.width * logo.height / logo.width),
    )
    assert min(off) <= 0.5001 or min(box.size.width, box.size.height) == 1


@given(SIZES, st.integers(2, 6), st.sampled_from(Anchor))
def test_a_logo_looks_alike_on_a_larger_place(canvas: Size, times: int, anchor: Anchor) -> None:
    canvas = Size(canvas.width + 80, canvas.height + 80)
    logo, larger = Size(800, 300), Size(canvas.width * times, canvas.height * times)
    small = anchored_box(Box(0, 0, canvas), canvas.shortest, logo, anchor, 0.3, 0.05)
    large = anchored_box(Box(0, 0, larger), larger.shortest, logo, anchor, 0.3, 0.05)
    for one, other in ((small.left, large.left), (small.top, large.top), (small.size.width, large.size.width)):
        assert abs(other / times - one) <= 2


@pytest.mark.parametrize("bands", [3, 4])
@pytest.mark.parametrize("logo_bands", [3, 4])
@pytest.mark.parametrize("ink", list(Ink))
@pytest.mark.parametrize("strength", [1.0, 0.35])
def test_a_logo_is_laid_over_as_the_compositing_rule_says(
    bands: int, logo_bands: int, ink: Ink, strength: float
) -> None:
    under, logo = picture(40, 30, bands, seed=3), picture(12, 9, logo_bands, seed=4)
    got = composited(under.copy(), logo, Box(20, 14, Size(12, 9)), strength, ink).astype(np.float64)
    expected = under.astype(np.float64)
    part = expected[14:23, 20:32]
    alpha = strength * (logo[..., 3:] / 255 if logo_bands == 4 else np.ones((9, 12, 1)))
    colour = {Ink.WHITE: 255.0, Ink.BLACK: 0.0}.get(ink, logo[..., :3].astype(np.float64))
    beneath = (part[..., 3:] / 255 if bands == 4 else 1.0) * (1 - alpha)
    part[..., :3] = (colour * alpha + part[..., :3] * beneath) / np.maximum(alpha + beneath, 1e-12)
    if bands == 4:
        part[..., 3:] = 255 * (alpha + beneath)
    seen = np.broadcast_to(expected[..., 3:] > 0, got[..., :3].shape) if bands == 4 else np.ones(got.shape, bool)
    assert np.abs(got[..., :3] - expected[..., :3])[seen].max() <= 0.501
    assert np.abs(got - expected)[..., 3:].max(initial=0) <= 0.501
    # beyond its box nothing changes, not by one value
    got[14:23, 20:32] = under[14:23, 20:32]
    assert np.array_equal(got, under)


@pytest.mark.parametrize(
    ("typed", "anchor", "percent"),
    [
        ("logo", Anchor.BOTTOM_RIGHT, 30),
        ("Logo top left", Anchor.TOP_LEFT, 30),
        ("logo at the bottom 12,5 %", Anchor.BOTTOM, 12.5),
        ("emblem bottom left, 20%", Anchor.BOTTOM_LEFT, 20),
        ("watermark", Anchor.CENTRE, 60),
    ],
)
def test_a_logo_is_typed(typed: str, anchor: Anchor, percent: float) -> None:
    step = step_read(typed)
    assert isinstance(step, Logo)
    assert (step.anchor, step.size_percent) == (anchor, percent)


def test_only_the_finish_counts_in_one_place_alone() -> None:
    turn = {"id": "a", "only_in": "7", "step": Turn(direction=Direction.LEFT).model_dump()}
    with pytest.raises(ValueError, match="finished size"):
        StepEntry.model_validate(turn)
    here = StepEntry(id="b", only_in="7", step=Logo(logo=FILE))
    everywhere = StepEntry(id="c", step=Logo(logo=FILE, anchor=Anchor.TOP))
    document = PictureDocument(steps=(StepEntry(id="a", step=Turn(direction=Direction.LEFT)), here, everywhere))
    assert [entry.id for entry in document.counting_in("7")] == ["a", "b", "c"]
    assert [entry.id for entry in document.counting_in("8")] == ["a", "c"]
    assert [entry.id for entry in document.counting_in(None)] == ["a"]
