"""Formats: several for one place, chosen for a cell, a row or a column, and what to do about a weight."""

from datetime import date

import pytest
from PIL import Image

from lucidex.core.encode import FormatName
from lucidex.core.errors import OutOfRangeError
from lucidex.core.proofing import FlagKind
from lucidex.core.typed_places import read_demand
from lucidex.records.models import Cell, CellState
from lucidex.services import proofs, runs, writing
from lucidex.services.finishing import finish_cell, take_cell
from lucidex.services.folios import read_folio
from lucidex.services.gather import NewFolio, bring_in
from lucidex.services.people import Who
from lucidex.services.places import demand_of, hang_place, write_also
from lucidex.services.prepare import read_picture
from lucidex.services.proofs import ProofCell, find_cell
from lucidex.services.results import Renderer
from lucidex.services.workshop import Workshop
from lucidex.services.writing import Scope, Written
from tests.conftest import encoded, picture

DAY = date(2026, 11, 25)


@pytest.fixture
def folio_id(workshop: Workshop, who: Who) -> int:
    first = bring_in(workshop, who, NewFolio("Seeds"), "wide.jpg", [encoded(picture(400, 300, seed=11), ".jpg")])
    bring_in(workshop, who, first.folio_id, "upright.jpg", [encoded(picture(300, 400, seed=12), ".jpg")])
    for typed, name in (("160x90", "Card"), ("100x100 as webp", "Square")):
        hang_place(workshop, who, first.folio_id, read_demand(typed).demand(), name)
    return first.folio_id


def ids(workshop: Workshop, who: Who, folio_id: int) -> tuple[list[int], list[int]]:
    folio = read_folio(workshop, who, folio_id)
    return [one.id for one in folio.pictures], [one.id for one in folio.places]


def formats(workshop: Workshop, who: Who, folio_id: int) -> list[list[str]]:
    rows = proofs.proof_rows(workshop, read_folio(workshop, who, folio_id), who)
    return [[c.placed.wanted.format.value if c.placed and c.is_made else "-" for c in row.cells] for row in rows]


def cell(workshop: Workshop, who: Who, folio_id: int, row: int, column: int) -> ProofCell:
    pictures, places = ids(workshop, who, folio_id)
    return find_cell(workshop, who, pictures[row], places[column])


def test_a_format_goes_as_far_as_is_said(workshop: Workshop, who: Who, folio_id: int) -> None:
    avif = Written(FormatName.AVIF, None)
    assert formats(workshop, who, folio_id) == [["jpeg", "webp"], ["jpeg", "webp"]]
    writing.write_as(workshop, who, cell(workshop, who, folio_id, 0, 0), avif, Scope.CELL)
    assert formats(workshop, who, folio_id) == [["avif", "webp"], ["jpeg", "webp"]]
    writing.write_as(workshop, who, cell(workshop, who, folio_id, 1, 0), avif, Scope.ROW)
    assert formats(workshop, who, folio_id) == [["avif", "webp"], ["avif", "avif"]]
    png = Written(FormatName.PNG, None)
    said = writing.write_as(workshop, who, cell(workshop, who, folio_id, 0, 1), png, Scope.COLUMN)
    assert formats(workshop, who, folio_id) == [["avif", "png"], ["avif", "png"]]
    assert said == "All 2 in “Square” are written as PNG."


def test_two_formats_of_a_place_are_two_exact_files(
    workshop: Workshop, renderer: Renderer, who: Who, folio_id: int
) -> None:
    _, places = ids(workshop, who, folio_id)
    write_also(workshop, who, places[0], (FormatName.WEBP, FormatName.PNG))
    # what is PNG first is not written as PNG twice
    writing.write_as(workshop, who, cell(workshop, who, folio_id, 1, 0), Written(FormatName.PNG, None), Scope.CELL)
    assert formats(workshop, who, folio_id) == [["jpeg", "webp", "png", "webp"], ["png", "webp", "-", "webp"]]
    listed = [c.listed.path for c in runs.list_cells(workshop, who, folio_id, "{place}/{name}", DAY) if c.listed]
    assert listed[:3] == ["card/wide.jpg", "card/wide.webp", "card/wide.png"]
    run_id = runs.begin_run(workshop, who, folio_id, "{place}/{name}")
    while (taken := take_cell(workshop, "me")) is not None:
        finish_cell(workshop, renderer, taken)
    cells = runs.read_cells(workshop, who, run_id)
    assert [one.path for one in cells] == listed
    assert {one.state for one in cells} == {CellState.DONE}
    with workshop.database.begin() as session:
        for one in cells:
            blob = session.get_one(Cell, one.id).blob_sha256
            with Image.open(workshop.results.path(blob or "")) as read:
                assert read.format == {"jpg": "JPEG", "png": "PNG", "webp": "WEBP"}[one.path.rsplit(".")[-1]]
                assert read.size == ((160, 90) if one.place == "Card" else (100, 100))


def test_a_further_format_has_its_own_quality_and_can_be_left_out(
    workshop: Workshop, who: Who, folio_id: int
) -> None:
    pictures, places = ids(workshop, who, folio_id)
    write_also(workshop, who, places[0], (FormatName.WEBP,))
    further = find_cell(workshop, who, pictures[0], places[0], FormatName.WEBP)
    writing.write_as(workshop, who, further, Written(None, 33), Scope.CELL)
    further = find_cell(workshop, who, pictures[0], places[0], FormatName.WEBP)
    assert further.placed is not None
    assert (further.placed.wanted.format, further.placed.wanted.encoding.quality) == (FormatName.WEBP, 33)
    first = find_cell(workshop, who, pictures[0], places[0])
    assert first.placed is not None
    assert first.placed.wanted.encoding.quality != 33
    proofs.leave_out(workshop, who, further, True)
    assert formats(workshop, who, folio_id)[0] == ["jpeg", "-", "webp"]


def test_a_weight_that_cannot_be_kept_is_accepted_for_one_picture(
    workshop: Workshop, renderer: Renderer, who: Who, folio_id: int
) -> None:
    demand = read_demand("300x300 under 2 kB as png").demand()
    place = hang_place(workshop, who, folio_id, demand, "Tight")
    pictures, _ = ids(workshop, who, folio_id)

    def heavy(picture_id: int) -> tuple[ProofCell, int, bool]:
        found = find_cell(workshop, who, picture_id, place.id)
        assert found.placed is not None
        weight = renderer.finish(found.placed.wanted).byte_count
        return found, weight, any(flag.kind is FlagKind.TOO_HEAVY for flag in found.flags_at(weight))

    found, weight, is_heavy = heavy(pictures[0])
    assert is_heavy
    writing.accept_weight(workshop, who, found, weight)
    assert not heavy(pictures[0])[2]
    assert heavy(pictures[1])[2]
    assert demand_of(place).max_bytes == 2_000
    smaller = writing.smaller(workshop, found, 50)
    assert (smaller.size.width, smaller.size.height) == (150, 150)
    assert renderer.finish(smaller.wanted).byte_count < weight


def test_a_place_without_a_size_of_its_own_is_not_made_smaller(workshop: Workshop, who: Who, folio_id: int) -> None:
    place = hang_place(workshop, who, folio_id, read_demand("50 %").demand())
    pictures, _ = ids(workshop, who, folio_id)
    with pytest.raises(OutOfRangeError):
        writing.smaller(workshop, find_cell(workshop, who, pictures[0], place.id), 50)
    assert read_picture(workshop, who, pictures[0]).version == 1


@pytest.mark.parametrize(
    ("typed", "first", "also"),
    [
        ("300x200 as jpeg + webp", FormatName.JPEG, (FormatName.WEBP,)),
        ("300x200 as png+avif+webp under 9 kB", FormatName.PNG, (FormatName.AVIF, FormatName.WEBP)),
        ("300x200 also as webp", None, (FormatName.WEBP,)),
        ("300x200 as jpg", FormatName.JPEG, ()),
    ],
)
def test_several_formats_are_typed(typed: str, first: FormatName | None, also: tuple[FormatName, ...]) -> None:
    demand = read_demand(typed).demand()
    assert (demand.format, demand.also) == (first, also)
