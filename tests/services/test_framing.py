"""Pictures that come in frame themselves; those that were there before do when somebody asks, and back."""

from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pytest

from lucidex.core.areas.shapes import Rectangle
from lucidex.core.geometry.sizes import Size
from lucidex.core.line.places import read_demand
from lucidex.core.places.output_id import OutputId
from lucidex.core.proof.warnings import Framed
from lucidex.core.steps.hide import Hide
from lucidex.records.models import Source
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.intake import NewFolio, bring_in
from lucidex.services.intake.sources import know_anew
from lucidex.services.keeping import many
from lucidex.services.people.people import Actor
from lucidex.services.pictures import edits, folio_history
from lucidex.services.pictures.documents import PictureState, change, read_picture
from lucidex.services.pictures.framing import middle, next_proposal
from lucidex.services.places.places import hang_place
from lucidex.services.proof import proof_sheet
from lucidex.services.proof.proof_sheet import find_cell
from lucidex.services.rendering.render_requests import in_place
from tests.conftest import encoded

SQUARE = read_demand("200x200").demand()
AT = OutputId.of("1")


@pytest.fixture
def state(workshop: Workshop, actor: Actor) -> PictureState:
    """A thing at the left end of a long plain ground."""
    pixels = np.full((300, 900, 3), 210, np.uint8)
    pixels[120:180, 40:120] = np.random.default_rng(2).integers(0, 120, (60, 80, 3))
    taken = bring_in(workshop, actor, NewFolio("Glass"), "pane.png", [encoded(pixels)])
    return read_picture(workshop, actor, taken.picture_id)


def left_edge(workshop: Workshop, state: PictureState) -> float:
    return in_place(workshop, state, AT, SQUARE).placement.window.left


def test_a_picture_that_comes_in_frames_itself(workshop: Workshop, state: PictureState) -> None:
    assert state.document.frames_itself
    placed = in_place(workshop, state, AT, SQUARE)
    assert placed.placement.window.left <= 40
    assert placed.case.framed is Framed.BY_ITSELF
    assert placed.case.subject is not None
    assert placed.case.subject.words == "what lies on the plain ground"
    assert placed.flags == ()


def test_the_next_proposals_and_the_middle_are_one_change_each(
    workshop: Workshop, actor: Actor, state: PictureState
) -> None:
    place = hang_place(workshop, actor, state.folio_id, SQUARE, "Card")
    key, by_itself = str(place.id), left_edge(workshop, state)
    seen = []
    for _ in range(3):
        framing = next_proposal(workshop, state, key, SQUARE)
        state = change(workshop, actor, state.picture_id, state.version, "next", edits.set_framing(place.id, framing))
        seen.append(in_place(workshop, state, OutputId.of(key), SQUARE))
    assert [one.case.framed for one in seen] == [Framed.BY_ITSELF] * 3
    assert seen[2].placement.window.left == pytest.approx(by_itself, abs=1), "after the last comes the first"
    assert len({round(one.placement.window.left) for one in seen}) == 3
    assert "subject cut" in [flag.kind for flag in seen[0].flags], "a proposal is nobody's decision"
    left_alone = change(workshop, actor, state.picture_id, state.version, "as before", edits.frame_itself(False))
    first = next_proposal(workshop, left_alone, key, SQUARE)
    assert first is not None
    assert first.proposal == 0, "where it does not frame itself, the first one is a framing of its own"
    state = change(workshop, actor, state.picture_id, left_alone.version, "1", edits.set_framing(place.id, first))
    second = next_proposal(workshop, state, key, SQUARE)
    assert second is not None
    assert second.proposal == 1
    framing = middle(state, key, SQUARE)
    state = change(workshop, actor, state.picture_id, state.version, "middle", edits.set_framing(place.id, framing))
    assert in_place(workshop, state, OutputId.of(key), SQUARE).placement.window.left == pytest.approx(300)


def test_pictures_that_were_there_before_wait_until_somebody_asks(
    workshop: Workshop, actor: Actor, state: PictureState
) -> None:
    """One action on a folio, taken back as one; four look at the same time and find the same."""
    know_anew(workshop, state.source_key, state.facts.model_copy(update={"subject": None}))
    state = change(workshop, actor, state.picture_id, state.version, "as before", edits.frame_itself(False))
    assert state.facts.subject is None
    assert left_edge(workshop, state) == 300
    many.change_many(workshop, actor, state.folio_id, [state.picture_id], "Framed", edits.frame_itself(True))
    asked = read_picture(workshop, actor, state.picture_id)
    with ThreadPoolExecutor(4) as pool:
        found = set(pool.map(lambda _: left_edge(workshop, asked), range(4)))
    assert len(found) == 1
    assert found.pop() <= 40
    assert read_picture(workshop, actor, state.picture_id).facts.subject is not None, "the page says what was found"
    with workshop.database.begin() as session:
        facts = session.get_one(Source, state.source_key).facts
    assert facts.pop("subject")["boxes"][0]["kind"] == "object"
    before = state.facts.model_dump(mode="json")
    before.pop("subject")
    assert facts == before, "nothing else of what is known has changed"
    (entry, *_) = folio_history.read_folio_history(workshop, actor, state.folio_id)
    folio_history.take_back(workshop, actor, state.folio_id, entry.change_id)
    assert left_edge(workshop, read_picture(workshop, actor, state.picture_id)) == 300


def test_what_is_accepted_on_the_sheet_is_somebodys_own(
    workshop: Workshop, actor: Actor, state: PictureState
) -> None:

    place = hang_place(workshop, actor, state.folio_id, SQUARE, "Card")
    framing = next_proposal(workshop, state, str(place.id), SQUARE)
    change(workshop, actor, state.picture_id, state.version, "next", edits.set_framing(place.id, framing))
    cell = find_cell(workshop, actor, state.picture_id, OutputId.of(str(place.id)))
    assert "subject cut" in [flag.kind for flag in cell.flags]
    assert proof_sheet.accept(workshop, actor, cell).flags == ()


def test_of_a_picture_in_which_something_is_hidden_nothing_is_named(
    workshop: Workshop, actor: Actor, state: PictureState
) -> None:
    covered = Hide(shapes=(Rectangle(x=0.09, y=0.5, width=0.3, height=0.3),))
    state = change(workshop, actor, state.picture_id, state.version, "hide", edits.add_step(covered))
    placed = in_place(workshop, state, AT, SQUARE)
    assert placed.placement.window.left <= 40, "it is still in view"
    assert placed.case.subject is None


def test_what_fits_no_part_of_a_shape_is_shown_whole_on_its_own_ground_and_said(
    workshop: Workshop, actor: Actor
) -> None:
    pixels = np.full((300, 900, 3), (232, 240, 214), np.uint8)
    pixels[100:200, 60:840] = np.random.default_rng(4).integers(0, 90, (100, 780, 3))
    taken = bring_in(workshop, actor, NewFolio("Signs"), "sign.png", [encoded(pixels)])
    state = read_picture(workshop, actor, taken.picture_id)
    place = hang_place(workshop, actor, state.folio_id, SQUARE, "Card")
    output = OutputId.of(str(place.id))
    placed = in_place(workshop, state, output, SQUARE)
    assert placed.size == Size(200, 200)
    assert placed.placement.drawn == Size(200, 67)
    assert placed.rendering.encoding.ground == (232, 240, 214)
    assert [flag.words for flag in placed.flags] == ["shown whole"]
    wide = in_place(workshop, state, OutputId.of("7"), read_demand("900x250").demand())
    assert wide.case.framed is Framed.BY_ITSELF, "here it fits"

    accepted = proof_sheet.accept(workshop, actor, find_cell(workshop, actor, state.picture_id, output))
    assert accepted.flags == ()
    assert accepted.placed is not None
    assert accepted.placed.placement == placed.placement

    state = accepted.state
    framing = next_proposal(workshop, state, output.place, SQUARE)
    assert framing is not None
    assert framing.proposal == 0
    state = change(workshop, actor, state.picture_id, state.version, "cut", edits.set_framing(place.id, framing))
    cut = in_place(workshop, state, output, SQUARE)
    assert cut.placement.window.width == 300
    assert [flag.words for flag in cut.flags] == ["cut through it"]
    proposed = proof_sheet.propose(workshop, actor, find_cell(workshop, actor, state.picture_id, output), False)
    assert proposed.state.document.framings[output.place].proposal == 1
    centred = proof_sheet.propose(workshop, actor, proposed, True)
    assert centred.placed is not None
    assert centred.placed.placement.window.left == pytest.approx(300)
    nudged = proof_sheet.nudge(workshop, actor, find_cell(workshop, actor, state.picture_id, output), 0.1, 0, 1)
    assert nudged.placed is not None
    assert nudged.placed.case.framed is Framed.CHOSEN
