"""Steps on areas over pictures: found anew, put on others on purpose, carried by routines or not."""

import io
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from lucidex.core.areas.shapes import Ellipse, Rectangle
from lucidex.core.geometry.sizes import Size
from lucidex.core.line.places import read_demand
from lucidex.core.places.output_id import OutputId
from lucidex.core.proof.warnings import flags
from lucidex.core.source.local.hiding import Hidden
from lucidex.core.steps.base import Carried
from lucidex.core.steps.cut_out import CutOut
from lucidex.core.steps.detail import Denoise
from lucidex.core.steps.fill_ground import FillGround
from lucidex.core.steps.hide import Hide, HideFaces
from lucidex.core.steps.mend_spots import MendedSpot, RemoveSpots
from lucidex.core.steps.red_eyes import RedEyes
from lucidex.core.steps.tone import Exposure
from lucidex.services.bench.steps import LANDS, PutStep, begun, carried_steps, put_on_pictures
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.intake import NewFolio, bring_in
from lucidex.services.people.people import Actor
from lucidex.services.pictures import edits
from lucidex.services.pictures.documents import PictureState, change, read_picture
from lucidex.services.rendering.render_requests import for_screen, in_place
from lucidex.services.rendering.renderer import Renderer
from lucidex.services.routines.routines import steps_to_keep
from tests.conftest import encoded, smooth_picture

DEMO = Path(__file__).parents[2] / "demo/pictures"
PLATE = Rectangle(x=0.3, y=0.7, width=0.2, height=0.1)


@pytest.fixture
def pictures(workshop: Workshop, actor: Actor) -> list[int]:
    """Two photographs of different shapes, and the visitors."""
    first = bring_in(workshop, actor, NewFolio("Areas"), "one.jpg", [encoded(smooth_picture(600, 400), ".jpg")])
    other = bring_in(workshop, actor, first.folio_id, "two.jpg", [encoded(smooth_picture(400, 600), ".jpg")])
    visitors = bring_in(workshop, actor, first.folio_id, "v.jpg", [(DEMO / "visitors.jpg").read_bytes()])
    return [first.picture_id, other.picture_id, visitors.picture_id]


def with_steps(workshop: Workshop, actor: Actor, picture_id: int, *steps: object) -> PictureState:
    state = read_picture(workshop, actor, picture_id)
    for number, step in enumerate(steps):
        alter = edits.add_step(step, f"s{number}")  # type: ignore[arg-type]
        state = change(workshop, actor, picture_id, state.version, "added", alter)
    return state


def pixels(workshop: Workshop, renderer: Renderer, state: PictureState, typed: str) -> np.ndarray:
    placed = in_place(workshop, state, OutputId.of("1"), read_demand(typed).demand())
    content = workshop.results.read(renderer.files.render_file(placed.rendering).blob_sha256)
    return np.asarray(Image.open(io.BytesIO(content)).convert("RGB"), int)


def test_what_was_drawn_lands_at_the_same_relative_spot_with_a_warning(
    workshop: Workshop, renderer: Renderer, actor: Actor, pictures: list[int]
) -> None:
    step = Hide(shapes=(PLATE,), hidden=Hidden.COVERED, colour="#ff0000", edge_percent=0)
    state = with_steps(workshop, actor, pictures[0], step)
    (done,) = put_on_pictures(renderer, workshop, actor, [PutStep(step)], state.folio_id, [pictures[1]])
    assert done.remark == LANDS
    there = read_picture(workshop, actor, pictures[1])
    red = pixels(workshop, renderer, there, "400 wide as png")
    rows, columns = np.nonzero((red == (255, 0, 0)).all(axis=2))
    assert rows.mean() / 600 == pytest.approx(0.7, abs=0.01)
    assert columns.mean() / 400 == pytest.approx(0.3, abs=0.01)


def test_faces_are_found_anew_and_that_needs_no_warning(
    workshop: Workshop, renderer: Renderer, actor: Actor, pictures: list[int]
) -> None:
    drawn = HideFaces(shapes=(Ellipse(x=0.1, y=0.1, width=0.1, height=0.1, found=True),))
    state = read_picture(workshop, actor, pictures[0])
    here, none = put_on_pictures(
        renderer, workshop, actor, [PutStep(drawn)], state.folio_id, [pictures[2], pictures[1]]
    )
    assert here.remark == ""
    assert len(read_picture(workshop, actor, pictures[2]).document.steps[0].step.shapes) == 2
    assert "No face was found" in none.remark


def test_a_routine_carries_found_faces_on_asking_and_drawn_areas_never(
    workshop: Workshop, actor: Actor, pictures: list[int]
) -> None:
    by_hand = Ellipse(x=0.2, y=0.2, width=0.1, height=0.1)
    faces = HideFaces(shapes=(by_hand.model_copy(update={"found": True}), by_hand))
    spots = RemoveSpots(shapes=(MendedSpot(path=((0.5, 0.5),), radius=0.01),))
    state = with_steps(
        workshop, actor, pictures[0], Hide(shapes=(PLATE,)), faces, spots, RedEyes(), Exposure(stops=1)
    )
    kept, stays = steps_to_keep(state, {})
    assert [one.step.kind for one in kept.values()] == ["hide_faces", "red_eyes", "exposure"]
    assert [one.carried for one in kept.values()] == [Carried.ASK, Carried.ASK, Carried.ALWAYS]
    assert kept["s1"].step.shapes == (), "neither what was found here nor what was drawn"
    assert "Found anew on each picture." in kept["s1"].sentence
    assert [step.kind for step in stays] == ["hide", "remove_spots"]
    goes, left = carried_steps(state.document)
    assert [entry.step.kind for entry in goes] == ["hide_faces", "red_eyes", "exposure"]
    assert len(left) == 2


def test_a_step_begins_with_what_it_finds(
    workshop: Workshop, renderer: Renderer, actor: Actor, pictures: list[int]
) -> None:
    found = begun(renderer, read_picture(workshop, actor, pictures[2]), HideFaces())
    assert len(found.shapes) == 2
    assert begun(renderer, read_picture(workshop, actor, pictures[0]), HideFaces()).shapes == ()


def test_what_is_cut_out_is_clear_in_previews_and_files_and_on_white_where_asked(
    workshop: Workshop, renderer: Renderer, actor: Actor, pictures: list[int]
) -> None:
    found = begun(renderer, read_picture(workshop, actor, pictures[2]), CutOut())
    hidden = Hide(shapes=(Rectangle(x=0.28, y=0.62, width=0.1, height=0.1),), hidden=Hidden.COVERED, edge_percent=0)
    state = with_steps(workshop, actor, pictures[2], found, hidden)
    assert state.document.steps[0].step.seen == "person"
    placed = in_place(workshop, state, OutputId.of("1"), read_demand("400x300").demand())
    assert placed.case.has_clear_areas
    content = workshop.results.read(renderer.files.render_file(placed.rendering).blob_sha256)
    file = np.asarray(Image.open(io.BytesIO(content)))
    seen = renderer.screen.pixels(for_screen(workshop, state, Size(400, 300), state.document))
    assert file.shape == seen.shape == (300, 400, 4)
    assert np.abs(file[..., 3].astype(int) - seen[..., 3]).max() == 0
    assert file[5, 5, 3] == 0
    assert file[186, 112, 3] == 255, "what is hidden afterwards is on it"
    under = edits.add_step(FillGround(colour="#ffffff"), "white")
    white = change(workshop, actor, pictures[2], state.version, "on white", under)
    assert tuple(pixels(workshop, renderer, white, "400x300 as jpeg")[5, 5]) == (255, 255, 255)


def test_a_subject_is_found_anew_on_others_and_where_it_is_not_sure_that_is_said(
    workshop: Workshop, renderer: Renderer, actor: Actor, pictures: list[int]
) -> None:
    box = Rectangle(x=0.5, y=0.5, width=0.5, height=0.5)
    here = begun(renderer, read_picture(workshop, actor, pictures[0]), CutOut(shapes=(box,), reach_percent=2))
    assert here.rings
    state = with_steps(workshop, actor, pictures[0], here)
    kept, _ = steps_to_keep(state, {})
    assert "Found anew on each picture." in kept["s0"].sentence
    sure, unsure = put_on_pictures(
        renderer, workshop, actor, [PutStep(here.for_others)], state.folio_id, [pictures[2], pictures[1]]
    )
    there = read_picture(workshop, actor, pictures[2]).document.steps[0].step
    assert (there.seen, there.shapes, there.reach_percent) == ("person", (), 2)
    assert sure.remark == ""
    assert "one drag is enough" in unsure.remark
    left = read_picture(workshop, actor, pictures[1])
    assert not left.document.steps[0].step.leaves_clear
    banner = OutputId.of("1")
    words = [
        [flag.words for flag in flags(in_place(workshop, state, banner, read_demand("80x40").demand()).case)]
        for state in (left, read_picture(workshop, actor, pictures[2]))
    ]
    assert "not cut out" in words[0]
    assert "not cut out" not in words[1]


def test_preview_and_file_show_the_same_after_local_changes(
    workshop: Workshop, renderer: Renderer, actor: Actor, pictures: list[int]
) -> None:
    state = with_steps(
        workshop,
        actor,
        pictures[0],
        RemoveSpots(shapes=(MendedSpot(path=((0.5, 0.4),), radius=0.03),)),
        Denoise(strength=30),
        Hide(shapes=(PLATE,)),
    )
    file = pixels(workshop, renderer, state, "300 wide as png")
    seen = renderer.screen.pixels(for_screen(workshop, state, Size(300, 300), state.document))[..., :3].astype(int)
    assert np.array_equal(seen, file)


def test_no_recorded_thumbnail_shows_what_was_hidden(
    workshop: Workshop, renderer: Renderer, actor: Actor, pictures: list[int]
) -> None:
    """A file whose Exif holds a small picture of it, as cameras write: nothing of that reaches the finished file."""
    small = io.BytesIO()
    Image.fromarray(smooth_picture(160, 120)).save(small, "JPEG", quality=95)
    exif = Image.Exif()
    exif[0x010E] = "a description"
    body = exif.tobytes()
    holder = io.BytesIO()
    photograph = Image.fromarray(smooth_picture(600, 400))
    photograph.save(holder, "JPEG", exif=body)
    content = holder.getvalue().replace(
        b"\xff\xdb", b"\xff\xe3\x10\x00" + small.getvalue()[:4094].ljust(4094) + b"\xff\xdb", 1
    )
    taken = bring_in(workshop, actor, NewFolio("Thumb"), "t.jpg", [content])
    state = with_steps(workshop, actor, taken.picture_id, Hide(shapes=(PLATE,)))
    for typed in ("300 wide as jpeg", "300 wide as webp", "300 wide as png"):
        placed = in_place(workshop, state, OutputId.of("1"), read_demand(typed).demand())
        written = workshop.results.read(renderer.files.render_file(placed.rendering).blob_sha256)
        assert small.getvalue()[200:400] not in written
        assert b"a description" not in written
        assert written.count(b"\xff\xd8\xff") <= 1
