"""A picture of 16 bits on its way into places: kept where the place and its steps let it, and said where not."""

from collections.abc import Callable

import numpy as np
import pytest
import pyvips

from lucidex.core.encode import FormatName, decode
from lucidex.core.line.places import read_demand
from lucidex.core.places.output_id import OutputId
from lucidex.core.steps.base import Step
from lucidex.core.steps.detail import Sharpen
from lucidex.core.steps.tone import Exposure
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.intake import NewFolio, bring_in
from lucidex.services.people.people import Actor
from lucidex.services.pictures import edits
from lucidex.services.pictures.documents import change, read_picture
from lucidex.services.places.places import hang_missing
from lucidex.services.proof.proof_sheet import ProofCell, find_cell
from lucidex.services.proof.weigh import Weighing
from lucidex.services.rendering.render_requests import RenderRequest
from lucidex.services.rendering.renderer import Renderer
from tests.core.reading import said
from tests.core.test_sixteen_bits import dawn

PNG = FormatName("png")
Hang = Callable[..., ProofCell]


@pytest.fixture
def hang(workshop: Workshop, actor: Actor) -> Hang:
    def hanging(demand: str, *steps: Step, content: bytes | None = None) -> ProofCell:
        deep = pyvips.Image.new_from_array(dawn(), interpretation="rgb16").pngsave_buffer()
        taken = bring_in(workshop, actor, NewFolio("Dawn"), "dawn.png", [content or deep])
        state = read_picture(workshop, actor, taken.picture_id)
        for step in steps:
            state = change(workshop, actor, state.picture_id, state.version, "A step", edits.add_step(step))
        place = hang_missing(workshop, actor, state.folio_id, [(read_demand(demand).demand(), "Wall")])[-1]
        return find_cell(workshop, actor, state.picture_id, OutputId(str(place)))

    return hanging


def written(renderer: Renderer, workshop: Workshop, rendering: RenderRequest) -> pyvips.Image:
    return decode(renderer.files.content(renderer.files.render_file(rendering)), rendering.format)


@pytest.mark.parametrize(
    ("demand", "steps", "bits", "warned"),
    [
        ("200x120 as png", (), 16, False),
        ("200x120 as tiff", (Exposure(stops=0.5),), 16, False),
        ("200x120 as tiff in cmyk", (), 8, True),
        ("200x120 as png", (Sharpen(amount=40),), 8, True),
        ("200x120 as png in 8 bits", (), 8, False),
        ("200x120 as jpeg", (), 8, False),
        ("200x120 at 300 dpi as jpeg", (), 8, True),
    ],
)
def test_bits_are_kept_or_it_is_said(
    renderer: Renderer, workshop: Workshop, hang: Hang, demand: str, steps: tuple[Step, ...], bits: int, warned: bool
) -> None:
    placed = hang(demand, *steps).placed
    assert placed is not None
    read = said(workshop.results.read(renderer.files.render_file(placed.rendering).blob_sha256))
    depths = [value for key, value in read.items() if key.endswith((":BitDepth", ":BitsPerSample"))]
    assert {one for depth in depths for one in str(depth).split()} == {str(bits)}
    assert ("bits lost" in {flag.kind for flag in placed.flags}) == warned


def test_what_was_held_in_more_than_it_had_is_written_in_eight(
    renderer: Renderer, workshop: Workshop, hang: Hang
) -> None:
    """Ink of 8 bits is held as 16 bits of sRGB."""
    ink = pyvips.Image.new_from_array(np.full((60, 90, 4), 90, np.uint8), interpretation="cmyk").tiffsave_buffer()
    cell = hang("40x30 as png", content=ink)
    assert cell.placed is not None
    assert cell.state.facts.layout.format == "ushort"
    assert written(renderer, workshop, cell.placed.rendering).format == "uchar"
    assert not cell.placed.flags


def test_a_weighed_file_has_the_bits_of_the_one_that_is_taken(
    renderer: Renderer, workshop: Workshop, hang: Hang
) -> None:
    weighing = Weighing(renderer, workshop, hang("180x110 as jpeg"))
    exact = weighing.rendering(PNG, 100)
    assert written(renderer, workshop, exact).format == "ushort"
    assert weighing.point(PNG, 100).likeness == pytest.approx(100)
    assert "PNG and TIFF without loss" in (weighing.bits_words or "")
    assert written(renderer, workshop, weighing.rendering(PNG, 60)).format == "uchar"
