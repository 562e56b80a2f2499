"""Formats: several for one place, chosen for a cell, a row or a column, and what to do about a weight."""

from datetime import date

import pytest
from PIL import Image

from lucidex.core.encode import FormatName
from lucidex.core.errors import OutOfRangeError
from lucidex.core.line.places import read_demand
from lucidex.core.places.output_id import OutputId
from lucidex.records.models import Cell, CellState
from lucidex.services.folios.folios import read_folio
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.intake import NewFolio, bring_in
from lucidex.services.people.people import Actor
from lucidex.services.pictures.documents import read_picture
from lucidex.services.places.places import demand_of, hang_place, write_also
from lucidex.services.proof import output_choices, proof_sheet
from lucidex.services.proof.output_choices import Scope, Written
from lucidex.services.proof.proof_sheet import ProofCell, find_cell
from lucidex.services.rendering.renderer import Renderer
from lucidex.services.runs import runs
from lucidex.services.runs.worker import render_cell, take_cell
from tests.conftest import encoded, on_disk, picture

DAY = date(2026, 11, 25)


@pytest.fixture
def folio_id(workshop: Workshop, actor: Actor) -> int:
    first = bring_in(workshop, actor, NewFolio("Seeds"), "wide.jpg", [encoded(picture(400, 300, seed=11), ".jpg")])
    bring_in(workshop, actor, first.folio_id, "upright.jpg", [encoded(picture(300, 400, seed=12), ".jpg")])
    for typed, name in (("160x90", "Card"), ("100x100 as webp", "Square")):
        hang_place(workshop, actor, first.folio_id, read_demand(typed).demand(), name)
    return first.folio_id


def ids(workshop: Workshop, actor: Actor, folio_id: int) -> tuple[list[int], list[int]]:
    folio = read_folio(workshop, actor, folio_id)
    return [one.id for one in folio.pictures], [one.id for one in folio.places]


def formats(workshop: Workshop, actor: Actor, folio_id: int) -> list[list[str]]:
    rows = proof_sheet.proof_rows(workshop, actor, read_folio(workshop, actor, folio_id))
    return [[c.placed.rendering.format if c.placed and c.is_made else "-" for c in row.cells] for row in rows]


def cell(workshop: Workshop, actor: Actor, folio_id: int, row: int, column: int) -> ProofCell:
    pictures, places = ids(workshop, actor, folio_id)
    return find_cell(workshop, actor, pictures[row], OutputId.of(str(places[column])))


def test_a_format_goes_as_far_as_is_said(workshop: Workshop, actor: Actor, folio_id: int) -> None:
    avif = Written(FormatName("avif"), None)
    assert formats(workshop, actor, folio_id) == [["jpeg", "webp"], ["jpeg", "webp"]]
    output_choices.write_as(workshop, actor, cell(workshop, actor, folio_id, 0, 0), avif, Scope.CELL)
    assert formats(workshop, actor, folio_id) == [["avif", "webp"], ["jpeg", "webp"]]
    output_choices.write_as(workshop, actor, cell(workshop, actor, folio_id, 1, 0), avif, Scope.ROW)
    assert formats(workshop, actor, folio_id) == [["avif", "webp"], ["avif", "avif"]]
    png = Written(FormatName("png"), None)
    message = output_choices.write_as(workshop, actor, cell(workshop, actor, folio_id, 0, 1), png, Scope.COLUMN)
    assert formats(workshop, actor, folio_id) == [["avif", "png"], ["avif", "png"]]
    assert message == "All 2 in “Square” are written as PNG."


def test_two_formats_of_a_place_are_two_exact_files(
    workshop: Workshop, renderer: Renderer, actor: Actor, folio_id: int
) -> None:
    _, places = ids(workshop, actor, folio_id)
    write_also(workshop, actor, places[0], (FormatName("webp"), FormatName("png")))
    # what is PNG first is not written as PNG twice
    output_choices.write_as(
        workshop, actor, cell(workshop, actor, folio_id, 1, 0), Written(FormatName("png"), None), Scope.CELL
    )
    assert formats(workshop, actor, folio_id) == [["jpeg", "webp", "png", "webp"], ["png", "webp", "-", "webp"]]
    listed = [c.listed.path for c in runs.list_cells(workshop, actor, folio_id, "{place}/{name}", DAY) if c.listed]
    assert listed[:3] == ["card/wide.jpg", "card/wide.webp", "card/wide.png"]
    run_id = runs.begin_run(workshop, actor, folio_id, "{place}/{name}")
    while (taken := take_cell(workshop, "me")) is not None:
        render_cell(renderer, workshop, taken)
    cells = runs.read_cells(workshop, actor, run_id)
    assert [one.path for one in cells] == listed
    assert {one.state for one in cells} == {CellState.DONE}
    with workshop.database.begin() as session:
        for one in cells:
            blob = session.get_one(Cell, one.id).blob_sha256
            with Image.open(on_disk(workshop.results, blob or "")) as read:
                assert read.format == {"jpg": "JPEG", "png": "PNG", "webp": "WEBP"}[one.path.rsplit(".")[-1]]
                assert read.size == ((160, 90) if one.place == "Card" else (100, 100))


def test_a_further_format_has_its_own_quality_and_can_be_left_out(
    workshop: Workshop, actor: Actor, folio_id: int
) -> None:
    pictures, places = ids(workshop, actor, folio_id)
    write_also(workshop, actor, places[0], (FormatName("webp"),))
    further = find_cell(workshop, actor, pictures[0], OutputId.of(str(places[0]), FormatName("webp")))
    output_choices.write_as(workshop, actor, further, Written(None, 33), Scope.CELL)
    further = find_cell(workshop, actor, pictures[0], OutputId.of(str(places[0]), FormatName("webp")))
    assert further.placed is not None
    assert (further.placed.rendering.format, further.placed.rendering.encoding.quality) == (FormatName("webp"), 33)
    first = find_cell(workshop, actor, pictures[0], OutputId.of(str(places[0])))
    assert first.placed is not None
    assert first.placed.rendering.encoding.quality != 33
    proof_sheet.leave_out(workshop, actor, further, True)
    assert formats(workshop, actor, folio_id)[0] == ["jpeg", "-", "webp"]


def test_a_weight_that_cannot_be_kept_is_accepted_for_one_picture(
    workshop: Workshop, renderer: Renderer, actor: Actor, folio_id: int
) -> None:
    demand = read_demand("300x300 under 2 kB as png").demand()
    place = hang_place(workshop, actor, folio_id, demand, "Tight")
    pictures, _ = ids(workshop, actor, folio_id)

    def heavy(picture_id: int) -> tuple[ProofCell, int, bool]:
        found = find_cell(workshop, actor, picture_id, OutputId.of(str(place.id)))
        assert found.placed is not None
        weight = renderer.files.render_file(found.placed.rendering).byte_count
        return found, weight, any(flag.kind == "too heavy" for flag in found.flags_at(weight))

    found, weight, is_heavy = heavy(pictures[0])
    assert is_heavy
    output_choices.accept_weight(workshop, actor, found, weight)
    assert not heavy(pictures[0])[2]
    assert heavy(pictures[1])[2]
    assert demand_of(place).max_bytes == 2_000
    smaller = output_choices.smaller(workshop, found, 50)
    assert (smaller.size.width, smaller.size.height) == (150, 150)
    assert renderer.files.render_file(smaller.rendering).byte_count < weight


def test_a_place_without_a_size_of_its_own_is_not_made_smaller(
    workshop: Workshop, actor: Actor, folio_id: int
) -> None:
    place = hang_place(workshop, actor, folio_id, read_demand("place 16:9").demand())
    pictures, _ = ids(workshop, actor, folio_id)
    with pytest.raises(OutOfRangeError):
        output_choices.smaller(workshop, find_cell(workshop, actor, pictures[0], OutputId.of(str(place.id))), 50)
    assert read_picture(workshop, actor, pictures[0]).version == 1


@pytest.mark.parametrize(
    ("typed", "first", "also"),
    [
        ("300x200 as jpeg + webp", FormatName("jpeg"), (FormatName("webp"),)),
        ("300x200 as png+avif+webp under 9 kB", FormatName("png"), (FormatName("avif"), FormatName("webp"))),
        ("300x200 also as webp", None, (FormatName("webp"),)),
        ("300x200 as jpg", FormatName("jpeg"), ()),
    ],
)
def test_several_formats_are_typed(typed: str, first: FormatName | None, also: tuple[FormatName, ...]) -> None:
    demand = read_demand(typed).demand()
    assert (demand.format, demand.also) == (first, also)
