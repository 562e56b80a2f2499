"""What holds for every local change: nothing outside of its box, the same tile by tile, clear stays clear."""

import numpy as np
import pytest

from lucidex.core.areas.area import Area
from lucidex.core.areas.shapes import Ellipse, Outline, Stroke
from lucidex.core.geometry.sizes import Box, Size
from lucidex.core.source import derivation
from lucidex.core.source.derivation import LocalChange, StoredPixels
from lucidex.core.source.local.cloning import CloneStroke, Cloning
from lucidex.core.source.local.distortion import Distortion, Shift, ShiftStroke
from lucidex.core.source.local.healing import Healing
from lucidex.core.source.local.hiding import Hidden, Hiding
from lucidex.core.source.local.red_eye import RedEyeRemoval
from lucidex.core.source.local.softening import LocalSoftening, Softness
from tests.core.local.pixels import box_of, changed, lively, outside

PART = Area(shapes=(Ellipse(x=0.55, y=0.5, width=0.3, height=0.24, angle_degrees=20),), edge=0.03)
DRAWN = Area(
    shapes=(
        Outline(points=((0.3, 0.3), (0.7, 0.35), (0.6, 0.7)), smooth=True, sharp=(1,)),
        Stroke(path=((0.4, 0.5), (0.6, 0.45)), radius=0.05, softness=0.5, takes_away=True),
    ),
    edge=0.02,
)
PATH = ((0.45, 0.5), (0.55, 0.55))
CHANGES: dict[str, LocalChange] = {
    "softened": Hiding(PART, Hidden.SOFTENED, 0.8, "#000000"),
    "coarsened": Hiding(DRAWN, Hidden.COARSENED, 0.8, "#000000"),
    "covered": Hiding(PART, Hidden.COVERED, 1.0, "#3366cc"),
    "soft": LocalSoftening(PART, Softness.SOFT, 0.02),
    "very soft": LocalSoftening(PART, Softness.SOFT, 0.08),
    "lens": LocalSoftening(DRAWN, Softness.LENS, 0.02),
    "motion": LocalSoftening(PART, Softness.MOTION, 0.03, 30),
    "coarse": LocalSoftening(PART, Softness.COARSE, 0.02),
    "mended": Healing(Stroke(path=PATH, radius=0.03)),
    "copied": Cloning(CloneStroke(path=PATH, radius=0.06, softness=0.5, from_x=0.3, from_y=0.3), 0.7),
    "copied, turned": Cloning(CloneStroke(path=PATH, radius=0.06, from_x=0.3, from_y=0.3), 1.0, 30, True),
    "pushed": Distortion((ShiftStroke(path=PATH, radius=0.15, shift=Shift.PUSH, strength=1.0),)),
    "swollen": Distortion((ShiftStroke(path=PATH, radius=0.15, shift=Shift.SWELL, strength=1.0),)),
    "swirled": Distortion((ShiftStroke(path=PATH, radius=0.15, shift=Shift.SWIRL_LEFT, strength=1.0),)),
    "red eye": RedEyeRemoval(Ellipse(x=0.5, y=0.5, width=0.2, height=0.2)),
}
KINDS = [(3, np.uint8), (4, np.uint8), (1, np.uint8), (2, np.uint16), (3, np.uint16), (4, np.uint16)]


@pytest.mark.long
@pytest.mark.parametrize("name", CHANGES)
@pytest.mark.parametrize(("bands", "kind"), KINDS, ids=str)
def test_outside_of_its_box_nothing_changes_byte_for_byte(name: str, bands: int, kind: type) -> None:
    before, change = lively(220, 300, bands, kind), CHANGES[name]
    after = changed(before, change)
    box = box_of(change, before)
    assert np.array_equal(outside(before, box), outside(after, box))
    assert after.dtype == before.dtype
    if name != "red eye":  # nothing here is red
        assert not np.array_equal(before, after)


@pytest.mark.parametrize("name", CHANGES)
def test_alpha_stays_unless_the_picture_itself_is_shifted(name: str) -> None:
    before = lively(220, 300, 4)
    after = changed(before, CHANGES[name])
    if isinstance(CHANGES[name], Distortion):
        assert after[before[..., 3] == 0, 3].max(initial=0) < 255
    elif isinstance(CHANGES[name], Hiding):
        assert (after[..., 3] >= before[..., 3]).all(), (
            "what is hidden is opaque: letters may be drawn in what is clear"
        )
    else:
        assert np.array_equal(after[..., 3], before[..., 3])


@pytest.mark.parametrize("name", [name for name, change in CHANGES.items() if change.is_tiled])
def test_tile_by_tile_it_is_the_same(name: str, monkeypatch: pytest.MonkeyPatch) -> None:
    before = lively(220, 300, 4)
    whole = changed(before, CHANGES[name])
    monkeypatch.setattr(derivation, "TILE_EDGE", 56)
    tiles = changed(before, CHANGES[name])
    assert np.abs(whole.astype(int) - tiles).max() <= 1


@pytest.mark.parametrize("name", CHANGES)
@pytest.mark.parametrize("orientation", [3, 5, 6])
def test_what_lies_on_its_side_is_changed_where_it_is_upright(name: str, orientation: int) -> None:
    upright = lively(240, 240)
    back = {3: lambda p: p[::-1, ::-1], 5: lambda p: p.transpose(1, 0, 2), 6: np.rot90}[orientation]
    forth = {3: back, 5: back, 6: lambda p: np.rot90(p, -1)}[orientation]
    stored = np.ascontiguousarray(back(upright))
    expected, found = changed(upright, CHANGES[name]), forth(changed(stored, CHANGES[name], orientation))
    moved = np.abs(expected.astype(int) - upright).max(axis=2) > 0
    there = np.abs(found.astype(int) - upright).max(axis=2) > 0
    if name in {"coarse", "coarsened", "softened", "mended"}:  # noise counts from the stored corner, patches differ
        assert np.count_nonzero(moved ^ there) < 0.3 * max(np.count_nonzero(moved), 1)
    else:
        assert np.abs(expected.astype(int) - found).max() <= 3


@pytest.mark.parametrize("name", CHANGES)
def test_beyond_the_picture_it_fails_on_no_edge(name: str) -> None:
    change = CHANGES[name]
    for height, width in ((1, 1), (1, 40), (40, 1), (9, 11)):
        pixels = lively(height, width, 4)
        after = changed(pixels, change)
        assert after.shape == pixels.shape


@pytest.mark.parametrize("name", CHANGES)
def test_what_it_reads_is_never_written_to(name: str) -> None:
    pixels = lively(220, 300)
    pixels.flags.writeable = False
    stored = StoredPixels(pixels)
    box = box_of(CHANGES[name], pixels)
    after = CHANGES[name].pixels(stored, box)
    assert after.shape[:2] == (box.size.height, box.size.width)


def test_boxes_are_grown_to_whole_blocks_or_to_the_edge() -> None:
    bounds = Size(101, 67)
    assert derivation.aligned(Box(9, 15, Size(1, 2)), bounds) == Box(8, 8, Size(8, 16))
    assert derivation.aligned(Box(96, 60, Size(5, 7)), bounds) == Box(96, 56, Size(5, 11))
