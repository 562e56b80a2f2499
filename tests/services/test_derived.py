"""Derived sources: a local change costs what its box costs, and gives the very pixels that the whole would have."""

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import pytest

from lucidex.core.areas.area import Area
from lucidex.core.areas.shapes import Ellipse, Rectangle, Stroke
from lucidex.core.keys import restoration_keys
from lucidex.core.source.denoising import CosineDenoising
from lucidex.core.source.derivation import Restoration, StoredPixels, restored
from lucidex.core.source.facts import SourceFacts
from lucidex.core.source.local.cutting_out import CuttingOut
from lucidex.core.source.local.distortion import Distortion, Shift, ShiftStroke
from lucidex.core.source.local.healing import Healing
from lucidex.core.source.local.hiding import Hidden, Hiding
from lucidex.core.source.local.softening import LocalSoftening, Softness
from lucidex.core.source.pyramid import AnyPixels, levels_of, reduce_level
from lucidex.records import derived
from lucidex.records.changed_boxes import CHANGED, write_levels
from lucidex.records.decoded import DecodedStore
from lucidex.records.derived import DerivedStore

NAME = "a" * 64


@dataclass
class Kept:
    """An original in a store."""

    decoded: DecodedStore
    derived: DerivedStore
    facts: SourceFacts
    pixels: AnyPixels

    def level(self, restorations: tuple[Restoration, ...], number: int = 1) -> AnyPixels:
        return self.derived.level(NAME, self.facts, restorations, number)

    def folder(self, restorations: tuple[Restoration, ...]) -> Path:
        return self.decoded.folder(f"{NAME}-{restoration_keys(restorations)[-1]}")


def kept(folder: Path, pixels: AnyPixels, orientation: int = 1) -> Kept:
    decoded = DecodedStore(folder)
    bands, deep = pixels.shape[2], pixels.dtype == np.uint16
    facts = SourceFacts.model_construct(
        stored_width=pixels.shape[1],
        stored_height=pixels.shape[0],
        orientation=orientation,
        bands=bands,
        pixel_format="ushort" if deep else "uchar",
        interpretation="b-w" if bands < 3 else "srgb",
        has_alpha=bands in {2, 4},
    )
    scratch = decoded.scratch_folder()
    write_levels(scratch, facts, iter([pixels]))
    decoded.keep(NAME, scratch)
    return Kept(decoded, DerivedStore(decoded), facts, pixels)


def noise(height: int, width: int, bands: int, kind: type[np.uint8] | type[np.uint16] = np.uint8) -> AnyPixels:
    return np.random.default_rng(7).integers(0, np.iinfo(kind).max + 1, (height, width, bands)).astype(kind)


DAB = Healing(Stroke(path=((0.4, 0.45),), radius=0.02))
CHAIN: tuple[Restoration, ...] = (
    DAB,
    Hiding(
        Area(shapes=(Rectangle(x=0.7, y=0.6, width=0.11, height=0.07),), edge=0.01), Hidden.SOFTENED, 0.8, "#000000"
    ),
    CosineDenoising(0.4),
    CuttingOut((((0.1, 0.1), (0.95, 0.2), (0.9, 0.95), (0.2, 0.8)),), 0.02),
    LocalSoftening(Area(shapes=(Ellipse(x=0.02, y=0.97, width=0.3, height=0.2),)), Softness.LENS, 0.01),
    Distortion((ShiftStroke(path=((0.5, 0.5), (0.55, 0.5)), radius=0.08, shift=Shift.PUSH),)),
)


@pytest.fixture(params=[(3, np.uint8, 1), (4, np.uint8, 6), (1, np.uint16, 8), (4, np.uint16, 3)], ids=str)
def any_kind(request: pytest.FixtureRequest, tmp_path: Path) -> Kept:
    bands, kind, orientation = request.param
    return kept(tmp_path, noise(613, 541, bands, kind), orientation)


def test_every_level_of_a_chain_is_that_of_the_whole_byte_for_byte(any_kind: Kept) -> None:
    for length in range(1, len(CHAIN) + 1):
        whole = restored(StoredPixels(any_kind.pixels, any_kind.facts.orientation), CHAIN[:length])
        for number in levels_of(any_kind.facts.stored):
            expected = whole if number == 1 else reduce_level(whole, number, whole.shape[2] in {2, 4})
            assert np.array_equal(any_kind.level(CHAIN[:length], number), expected), (length, number)


def test_a_dab_takes_kilobytes_and_a_hundred_stay_so(tmp_path: Path) -> None:
    there = kept(tmp_path, noise(2_000, 3_000, 3))
    dabs: tuple[Restoration, ...] = ()
    for number in range(100):
        spot = Stroke(path=((0.05 + 0.009 * number, 0.1 + 0.008 * (number % 90)),), radius=0.004)
        dabs = (*dabs, Healing(spot))
    there.level(dabs)
    weights = [(there.folder(dabs[: length + 1]) / CHANGED).stat().st_size for length in range(100)]
    assert max(weights) < 20_000
    assert not list(there.folder(dabs).glob("level-*"))


def test_what_changes_much_is_kept_as_a_whole_and_a_dab_after_it_is_not(tmp_path: Path) -> None:
    there = kept(tmp_path, noise(400, 600, 3))
    around = Area(shapes=(Ellipse(width=0.3, height=0.3),), inverted=True)
    wide = LocalSoftening(around, Softness.SOFT, 0.01)
    there.level((wide, DAB))
    assert (there.folder((wide,)) / "level-1.raw").is_file()
    assert (there.folder((wide, DAB)) / CHANGED).is_file()


def test_what_lies_outside_of_the_picture_changes_nothing_and_weighs_nothing(tmp_path: Path) -> None:
    there = kept(tmp_path, noise(90, 80, 3))
    far = Hiding(Area(shapes=(Rectangle(x=1.4, y=1.4, width=0.1, height=0.1),)), Hidden.COVERED, 1.0, "#ff0000")
    assert np.array_equal(there.level((far,)), there.pixels)
    assert (there.folder((far,)) / CHANGED).stat().st_size < 20


def test_levels_are_never_written_to(tmp_path: Path) -> None:
    there = kept(tmp_path, noise(90, 80, 3))
    with pytest.raises(ValueError, match="read-only"):
        there.level((DAB,))[0, 0] = 0


def test_a_link_that_is_gone_or_cut_short_is_made_anew(tmp_path: Path) -> None:
    there = kept(tmp_path, noise(300, 300, 3))
    expected = there.level(CHAIN[:2]).copy()
    there.decoded.drop(there.folder(CHAIN[:1]).name)
    again = DerivedStore(there.decoded)
    assert np.array_equal(again.level(NAME, there.facts, CHAIN[:2], 1), expected)
    changed = there.folder(CHAIN[:2]) / CHANGED
    changed.write_bytes(changed.read_bytes()[:60])
    fresh = DerivedStore(there.decoded)
    with pytest.raises(FileNotFoundError):
        fresh.level(NAME, there.facts, CHAIN[:2], 1)
    assert np.array_equal(fresh.level(NAME, there.facts, CHAIN[:2], 1), expected)


def test_nothing_is_remembered_of_an_original_that_was_dropped(tmp_path: Path) -> None:
    there = kept(tmp_path, noise(300, 300, 3))
    there.level((DAB,))
    there.decoded.drop(NAME)
    with pytest.raises(FileNotFoundError):
        there.level((DAB,))


def test_four_who_ask_at_once_get_the_same_and_it_is_made_once(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    there = kept(tmp_path, noise(300, 300, 3))
    made: list[Restoration] = []
    prepared = Healing.prepared
    monkeypatch.setattr(Healing, "prepared", lambda self, stored: made.append(self) or prepared(self, stored))
    with ThreadPoolExecutor(4) as threads:
        levels = list(threads.map(lambda _: there.level((DAB,)).copy(), range(4)))
    assert made == [DAB]
    assert all(np.array_equal(level, levels[0]) for level in levels)


def test_what_another_process_made_first_is_taken(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    there = kept(tmp_path, noise(300, 300, 3))
    prepared = Healing.prepared

    def made_meanwhile(self: Healing, stored: StoredPixels) -> object:
        monkeypatch.setattr(Healing, "prepared", prepared)
        DerivedStore(DecodedStore(tmp_path)).level(NAME, there.facts, (DAB,), 1)
        return prepared(self, stored)

    monkeypatch.setattr(Healing, "prepared", made_meanwhile)
    level = there.level((DAB,))
    assert np.array_equal(level, restored(StoredPixels(there.pixels), (DAB,)))
    assert not list(tmp_path.glob("derived-*")), "nothing half made is left"


def test_each_link_names_all_before_it() -> None:
    other: tuple[Restoration, ...] = (CHAIN[1], CHAIN[0], *CHAIN[2:])
    names, others = restoration_keys(CHAIN), restoration_keys(other)
    assert len({*names, *others}) == 2 * len(CHAIN)
    assert restoration_keys(CHAIN[:3]) == names[:3]


def test_what_is_kept_laid_over_is_bounded_by_the_pages_that_it_touches(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    there = kept(tmp_path, noise(300, 2_000, 3))
    monkeypatch.setattr(derived, "OVERLAID_BYTES", 500_000)
    for number in range(30):
        there.level((Healing(Stroke(path=((0.1 + number / 50, 0.5),), radius=0.05)),))
    held = there.derived._overlaid.values()
    assert 1 <= len(held) < 10
    monkeypatch.setattr(derived, "OVERLAID_BYTES", 10**9)
    monkeypatch.setattr(derived, "OVERLAID_KEPT", 3)
    nowhere = Area(shapes=(Rectangle(x=1.4, y=1.4, width=0.1, height=0.1),))
    for number in range(6):
        there.level((Hiding(nowhere, Hidden.COVERED, 1.0, f"#00000{number}"),))
    assert len(there.derived._overlaid) == 3, "what touches no page holds a file too"
    monkeypatch.setattr(derived, "OVERLAID_BYTES", 500_000)
    there.level((DAB,))
    assert sum(weight for _, weight in held) <= 500_000
