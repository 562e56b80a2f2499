"""Routines: kept, found by name, put on other shapes, exported and imported."""

import json

import numpy as np
import pytest

from lucidex.core.errors import NotFoundError, OutOfRangeError, UnreadableFileError
from lucidex.core.routine import Routine, read_routine_file
from lucidex.core.steps.crop import Crop, ShapeArea
from lucidex.core.steps.straighten import Straighten
from lucidex.core.steps.tone import Exposure, Light
from lucidex.core.typed_places import read_demand
from lucidex.services import changes, routines
from lucidex.services.gather import NewFolio, bring_in
from lucidex.services.people import Who
from lucidex.services.places import demand_of, hang_place
from lucidex.services.prepare import change, read_picture
from lucidex.services.results import Renderer
from lucidex.services.stepping import begun, put_on_pictures
from lucidex.services.wanted import in_place
from lucidex.services.workshop import Workshop
from tests.conftest import encoded, smooth_picture

STEPS = (Light(automatic=True, brightness=5), Exposure(stops=0.2))
ROUTINE = Routine(name="Evenings", group="Marrow Lane", steps=STEPS)


def test_only_what_can_go_to_other_pictures_is_kept(workshop: Workshop, who: Who) -> None:
    taken = bring_in(workshop, who, NewFolio("F"), "a.png", [encoded(smooth_picture(90, 60))])
    steps = (Straighten(angle_degrees=2), Exposure(stops=0.5), Light(contrast=9))
    for number, step in enumerate(steps):
        change(workshop, who, taken.picture_id, number + 1, "s", changes.add_step(step, f"s{number}"))
    change(workshop, who, taken.picture_id, 4, "off", changes.switch_step("s2", False))
    goes, stays = routines.steps_to_keep(read_picture(workshop, who, taken.picture_id))
    assert goes == [("s1", Exposure(stops=0.5))]
    assert stays == [Straighten(angle_degrees=2)]
    assert routines.steps_to_keep(read_picture(workshop, who, taken.picture_id), ["s0"])[0] == []


def test_a_routine_is_found_by_name_replaced_renamed_and_taken_out(workshop: Workshop, who: Who, new_person) -> None:  # noqa: ANN001
    first = routines.keep_routine(workshop, who, ROUTINE)
    assert routines.find_routine(workshop, who, " evenings ") == ROUTINE
    brighter = ROUTINE.model_copy(update={"steps": (Exposure(stops=1),)})
    assert routines.keep_routine(workshop, who, brighter) == first
    other = routines.keep_routine(workshop, who, Routine(name="Other", steps=ROUTINE.steps))
    with pytest.raises(OutOfRangeError, match="called “Evenings” already"):
        routines.change_routine(workshop, who, other, brighter)
    assert routines.find_routine(workshop, new_person(), "Evenings") is None
    with pytest.raises(NotFoundError):
        routines.remove_routine(workshop, new_person(), first)
    routines.remove_routine(workshop, who, first)
    assert [kept.routine.name for kept in routines.read_routines(workshop, who)] == ["Other"]


def test_upright_and_wide_pictures_are_never_squashed_and_looked_at_anew(
    workshop: Workshop, renderer: Renderer, who: Who
) -> None:
    wide = bring_in(workshop, who, NewFolio("Mixed"), "wide.png", [encoded(smooth_picture(300, 200))])
    dark = (smooth_picture(200, 300).astype(float) * 0.2).astype(np.uint8)
    upright = bring_in(workshop, who, wide.folio_id, "upright.png", [encoded(dark)])
    place = hang_place(workshop, who, wide.folio_id, read_demand("120x90").demand())
    light = begun(renderer, read_picture(workshop, who, wide.picture_id), Light(automatic=True))
    assert isinstance(light, Light)
    assert light.brightness == 0
    steps = [light, Crop(area=ShapeArea.model_validate({"across": 4, "down": 5}))]
    done = put_on_pictures(renderer, workshop, who, steps, [wide.picture_id, upright.picture_id])
    assert [one.trouble for one in done] == [None, None]
    for picture_id in (wide.picture_id, upright.picture_id):
        state = read_picture(workshop, who, picture_id)
        assert state.frame.size.width * 5 == pytest.approx(state.frame.size.height * 4, abs=5)
        placed = in_place(workshop, state, str(place.id), demand_of(place))
        drawn, window = placed.placement.drawn, placed.placement.window
        assert drawn.width / window.width == pytest.approx(drawn.height / window.height)
    lifted = read_picture(workshop, who, upright.picture_id).document.steps[0].step
    assert lifted.brightness > 20, "found anew on the dark one"


def test_export_and_import_keep_every_routine(workshop: Workshop, who: Who, new_person) -> None:  # noqa: ANN001
    routines.keep_routine(workshop, who, ROUTINE)
    text = routines.export_routines(workshop, who).written().encode()
    colleague = new_person()
    assert routines.import_routines(workshop, colleague, text) == 1
    assert routines.export_routines(workshop, colleague) == routines.export_routines(workshop, who)


@pytest.mark.parametrize(
    ("content", "said"),
    [
        (b"\xff\xfe", "no JSON file"),
        (b"[]", "another kind"),
        (b'{"schema_revision": 99, "routines": []}', "newer version"),
        (b'{"routines": [{"name": "x", "steps": []}]}', "at least 1 item"),
        (b'{"routines": [{"name": "x", "steps": [{"kind": "melt"}]}]}', "routines, 0, steps, 0"),
        (json.dumps({"routines": [], "x": "y" * 2_100_000}).encode(), "at most 2 MB"),
    ],
    ids=["bytes", "list", "newer", "empty", "unknown step", "large"],
)
def test_a_file_that_is_none_is_refused_in_words(content: bytes, said: str) -> None:
    with pytest.raises(UnreadableFileError, match=said):
        read_routine_file(content)
