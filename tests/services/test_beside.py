"""A soft picture among sharp ones is noticed wherever it is looked at."""

from dataclasses import replace

from lucidex.core.line.places import read_demand
from lucidex.core.places.output_id import OutputId
from lucidex.core.proof.statistics import NEIGHBOURS_NEEDED
from lucidex.core.proof.warnings.softer import FINENESS
from lucidex.launch.mariadb import MariaDbServer
from lucidex.services.folios.folios import read_folio
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.intake import NewFolio, bring_in
from lucidex.services.keeping.many import take_out
from lucidex.services.people.people import Actor
from lucidex.services.places.places import hang_place
from lucidex.services.proof.proof_sheet import find_cell, flags_of, proof_rows
from lucidex.services.rendering.renderer import Renderer
from lucidex.services.rendering.results import StoredResult
from tests.conftest import encoded, picture


def kinds(workshop: Workshop, actor: Actor, picture_id: int, output: OutputId, result: StoredResult) -> set[str]:
    return {flag.kind for flag in flags_of(workshop, find_cell(workshop, actor, picture_id, output), result)}


def test_a_soft_picture_is_told_from_the_others_by_another_process_too(
    workshop: Workshop, database_server: MariaDbServer, renderer: Renderer, actor: Actor
) -> None:
    folio_id, ids = 0, []
    for seed in range(NEIGHBOURS_NEEDED + 1):
        file = encoded(picture(120, 80, seed=seed))
        taken = bring_in(workshop, actor, folio_id or NewFolio("Seeds"), f"{seed}.png", [file])
        folio_id, ids = taken.folio_id, [*ids, taken.picture_id]
    place = hang_place(workshop, actor, folio_id, read_demand("120x80 as png").demand())
    output = OutputId.of(str(place.id))
    made = {}
    for picture_id in ids:
        placed = find_cell(workshop, actor, picture_id, output).placed
        assert placed is not None
        made[picture_id] = renderer.files.render_file(placed.rendering)
    first, *others = ids
    statistics = made[first].statistics
    assert statistics is not None
    fine = statistics.saw(FINENESS)
    assert isinstance(fine, float)
    soft = replace(made[first], statistics=replace(statistics, looks={FINENESS.name: fine / 3}))
    assert "softer" not in kinds(workshop, actor, first, output, soft), "nobody has seen the others yet"
    for picture_id in others:
        kinds(workshop, actor, picture_id, output, made[picture_id])
    elsewhere = Workshop(workshop.data_folder, database_server.url)
    try:
        assert "softer" in kinds(elsewhere, actor, first, output, soft)
        take_out(workshop, actor, folio_id, others[:1])
        assert "softer" not in kinds(elsewhere, actor, first, output, soft), "one that is gone counts no longer"
    finally:
        elsewhere.close()
    rows = proof_rows(workshop, actor, read_folio(workshop, actor, folio_id))
    assert all("softer" not in {flag.kind for flag in row.cells[0].flags} for row in rows), "the files are as fine"
