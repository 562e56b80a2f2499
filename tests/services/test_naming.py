"""How a picture and its files are called: where something is hidden, not after what nobody shall read."""

import secrets
from collections.abc import Callable

import pytest

from lucidex.core.areas.shapes import Rectangle
from lucidex.core.errors import UserError
from lucidex.core.line.places import read_demand
from lucidex.core.places.output_id import OutputId
from lucidex.core.steps.hide import Hide
from lucidex.services.folios.folios import read_folio
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.intake import NewFolio, bring_in, copy_picture
from lucidex.services.people.people import Actor
from lucidex.services.pictures import edits
from lucidex.services.pictures.documents import PictureState, change, read_picture, undo
from lucidex.services.places.places import hang_missing
from lucidex.services.proof.proof_sheet import find_cell
from tests.conftest import encoded, smooth_picture

Bring = Callable[[], PictureState]


@pytest.fixture
def bring(workshop: Workshop, actor: Actor) -> Bring:
    def bringing() -> PictureState:
        name = f"KX4471 {secrets.token_hex(3)}.JPG"
        taken = bring_in(workshop, actor, NewFolio("Yard"), name, [encoded(smooth_picture(90, 60), ".jpg")])
        hide = edits.add_step(Hide(shapes=(Rectangle(x=0.5, y=0.5, width=0.3, height=0.2),)))
        return change(workshop, actor, taken.picture_id, 1, "Hidden", hide)

    return bringing


def finished_name(workshop: Workshop, actor: Actor, state: PictureState) -> str:
    place = hang_missing(workshop, actor, state.folio_id, [(read_demand("48x30").demand(), "Banner")])
    placed = find_cell(workshop, actor, state.picture_id, OutputId(str(place[-1]))).placed
    assert placed is not None
    return placed.file_name


def test_until_somebody_says_so_the_name_is_the_originals(workshop: Workshop, actor: Actor, bring: Bring) -> None:
    state = bring()
    assert state.document.may_be_named_after_what_is_hidden
    assert finished_name(workshop, actor, state).startswith("kx4471-")
    kept = edits.set_file_name(state.file_name)
    state = change(workshop, actor, state.picture_id, state.version, "Named", kept)
    assert not state.document.may_be_named_after_what_is_hidden, "somebody looked at it"


def test_another_name_is_everywhere_and_can_be_taken_back(workshop: Workshop, actor: Actor, bring: Bring) -> None:
    before = bring()
    named = edits.set_file_name("The yard.JPG")
    state = change(workshop, actor, before.picture_id, before.version, "Named", named)
    assert state.file_name == read_picture(workshop, actor, state.picture_id).file_name == "The yard.JPG"
    assert finished_name(workshop, actor, state) == "the-yard-48x30-hidden.jpg"
    assert [one.file_name for one in read_folio(workshop, actor, state.folio_id).pictures] == ["The yard.JPG"]
    back = undo(workshop, actor, state.picture_id, state.version)
    assert back.file_name == before.file_name


def test_a_variant_of_it_has_a_name_of_its_own_that_stays(workshop: Workshop, actor: Actor, bring: Bring) -> None:
    state = bring()
    state = change(workshop, actor, state.picture_id, state.version, "Named", edits.set_file_name("The yard.JPG"))
    copy = copy_picture(workshop, actor, state.picture_id, state.document, "variant", "Kept as a variant")
    other = read_picture(workshop, actor, copy)
    assert other.file_name == "The yard, variant.JPG"
    turned = change(workshop, actor, copy, other.version, "Cleared", edits.clear_steps())
    assert turned.file_name == "The yard, variant.JPG"


@pytest.mark.parametrize("name", ["../yard.jpg", "a\nb.jpg", "", "x" * 300])
def test_a_name_that_is_none_is_refused(workshop: Workshop, actor: Actor, bring: Bring, name: str) -> None:
    state = bring()
    with pytest.raises((UserError, ValueError)):
        change(workshop, actor, state.picture_id, state.version, "Named", edits.set_file_name(name))
    assert read_picture(workshop, actor, state.picture_id).file_name == state.file_name
