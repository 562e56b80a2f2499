"""Routines: kept, found by name, put on other shapes, exported and imported."""

import json
from collections.abc import Callable

import numpy as np
import pytest

from lucidex.core.errors import NotFoundError, OutOfRangeError, UnreadableFileError
from lucidex.core.finish.assets import AssetFile
from lucidex.core.line.places import read_demand
from lucidex.core.places.output_id import OutputId
from lucidex.core.routine import PackedLogo, Routine, RoutineFile, RoutinePlace, RoutineStep, read_routine_file
from lucidex.core.steps.base import Carried
from lucidex.core.steps.crop import Crop, ShapeArea
from lucidex.core.steps.logo import Logo
from lucidex.core.steps.straighten import Straighten
from lucidex.core.steps.tone import Exposure, Light
from lucidex.services.assets import logos
from lucidex.services.bench.steps import PutStep, begun, put_on_pictures
from lucidex.services.folios.folios import read_folio
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.intake import NewFolio, bring_in
from lucidex.services.people.people import Actor
from lucidex.services.pictures import edits
from lucidex.services.pictures.documents import change, read_picture
from lucidex.services.places.places import demand_of, hang_place
from lucidex.services.rendering.render_requests import in_place
from lucidex.services.rendering.renderer import Renderer
from lucidex.services.routines import routine_use, routines
from tests.conftest import encoded, smooth_picture

STEPS = (Light(automatic=True, brightness=5), Exposure(stops=0.2))
ROUTINE = Routine(name="Evenings", group="Marrow Lane", steps=tuple(RoutineStep(step=step) for step in STEPS))


def test_only_what_can_go_to_other_pictures_is_kept(workshop: Workshop, actor: Actor) -> None:
    taken = bring_in(workshop, actor, NewFolio("F"), "a.png", [encoded(smooth_picture(90, 60))])
    steps = (Straighten(angle_degrees=2), Exposure(stops=0.5), Light(contrast=9))
    for number, step in enumerate(steps):
        change(workshop, actor, taken.picture_id, number + 1, "s", edits.add_step(step, f"s{number}"))
    change(workshop, actor, taken.picture_id, 4, "off", edits.switch_step("s2", False))
    goes, stays = routines.steps_to_keep(read_picture(workshop, actor, taken.picture_id), {})
    assert goes == {"s1": RoutineStep(step=Exposure(stops=0.5))}
    assert stays == [Straighten(angle_degrees=2)]


def test_a_routine_is_found_by_name_replaced_renamed_and_taken_out(
    workshop: Workshop, actor: Actor, new_person: Callable[[], Actor]
) -> None:
    first = routines.keep_routine(workshop, actor, ROUTINE)
    found = routines.find_routine(workshop, actor, " evenings ")
    assert found is not None
    assert (found.id, found.routine) == (first, ROUTINE)
    brighter = ROUTINE.model_copy(update={"steps": (RoutineStep(step=Exposure(stops=1)),)})
    assert routines.keep_routine(workshop, actor, brighter) == first
    other = routines.keep_routine(workshop, actor, Routine(name="Other", steps=ROUTINE.steps))
    with pytest.raises(OutOfRangeError, match="called “Evenings” already"):
        routines.change_routine(workshop, actor, other, brighter)
    assert routines.find_routine(workshop, new_person(), "Evenings") is None
    with pytest.raises(NotFoundError):
        routines.remove_routine(workshop, new_person(), first)
    routines.remove_routine(workshop, actor, first)
    assert [kept.routine.name for kept in routines.read_routines(workshop, actor)] == ["Other"]


def test_upright_and_wide_pictures_are_never_squashed_and_looked_at_anew(
    workshop: Workshop, renderer: Renderer, actor: Actor
) -> None:
    wide = bring_in(workshop, actor, NewFolio("Mixed"), "wide.png", [encoded(smooth_picture(300, 200))])
    dark = (smooth_picture(200, 300).astype(float) * 0.2).astype(np.uint8)
    upright = bring_in(workshop, actor, wide.folio_id, "upright.png", [encoded(dark)])
    place = hang_place(workshop, actor, wide.folio_id, read_demand("120x90").demand())
    light = begun(renderer, read_picture(workshop, actor, wide.picture_id), Light(automatic=True))
    assert isinstance(light, Light)
    assert light.brightness == 0
    steps = [PutStep(light), PutStep(Crop(area=ShapeArea.model_validate({"across": 4, "down": 5})))]
    done = put_on_pictures(renderer, workshop, actor, steps, wide.folio_id, [wide.picture_id, upright.picture_id])
    assert [one.trouble for one in done] == [None, None]
    for picture_id in (wide.picture_id, upright.picture_id):
        state = read_picture(workshop, actor, picture_id)
        assert state.geometry.size.width * 5 == pytest.approx(state.geometry.size.height * 4, abs=5)
        placed = in_place(workshop, state, OutputId.of(str(place.id)), demand_of(place))
        drawn, window = placed.placement.drawn, placed.placement.window
        assert drawn.width / window.width == pytest.approx(drawn.height / window.height)
    lifted = read_picture(workshop, actor, upright.picture_id).document.steps[0].step
    assert lifted.brightness > 20, "found anew on the dark one"


def test_export_and_import_keep_every_routine(workshop: Workshop, actor: Actor, new_person) -> None:  # noqa: ANN001
    routines.keep_routine(workshop, actor, ROUTINE)
    text = routines.export_routines(workshop, actor).written().encode()
    colleague = new_person()
    assert routines.import_routines(workshop, colleague, text) == 1
    assert routines.export_routines(workshop, colleague) == routines.export_routines(workshop, actor)


@pytest.mark.parametrize(
    ("content", "message"),
    [
        (b"\xff\xfe", "no JSON file"),
        (b"[]", "another kind"),
        (b'{"schema_revision": 99, "routines": []}', "newer version"),
        (b'{"routines": [{"name": "x", "steps": []}]}', "at least 1 item"),
        (b'{"routines": [{"name": "x", "steps": [{"kind": "melt"}]}]}', "routines, 0, steps, 0"),
        (b'{"schema_revision": 3, "routines": [{"name": "x", "steps": [{"kind": "exposure"}]}]}', "steps, 0"),
        (json.dumps({"routines": [], "x": "y" * 30_100_000}).encode(), "at most 30 MB"),
    ],
    ids=["bytes", "list", "newer", "empty", "unknown step", "older form", "large"],
)
def test_a_file_that_is_none_is_refused_in_words(content: bytes, message: str) -> None:
    with pytest.raises(UnreadableFileError, match=message):
        read_routine_file(content)


def test_an_older_file_is_upgraded_on_reading() -> None:
    older = {
        "schema_revision": 1,
        "routines": [{"name": "x", "group": "", "steps": [{"kind": "exposure", "stops": 1}]}],
    }
    (read,) = read_routine_file(json.dumps(older).encode()).routines
    assert read == Routine(name="x", steps=(RoutineStep(step=Exposure(stops=1)),))
    kept_before = {"name": "x", "group": "", "steps": [{"kind": "exposure", "stops": 1}]}
    assert Routine.read(kept_before) == read
    assert Routine.read(read.stored()) == read


def bring(workshop: Workshop, actor: Actor, folio: int | NewFolio, name: str, width: int, height: int):  # noqa: ANN201
    return bring_in(workshop, actor, folio, name, [encoded(smooth_picture(width, height))])


def test_what_goes_along_what_asks_and_what_stays_behind(
    workshop: Workshop, renderer: Renderer, actor: Actor
) -> None:
    always, asks, never = Exposure(stops=0.1), Exposure(stops=0.2), Exposure(stops=0.3)
    routine = Routine(
        name="Choosy",
        steps=(
            RoutineStep(step=always),
            RoutineStep(step=asks, carried=Carried.ASK),
            RoutineStep(step=never, carried=Carried.NEVER),
        ),
    )
    assert routine.asks == [1]
    taken = bring(workshop, actor, NewFolio("F"), "a.png", 90, 60)
    other = bring(workshop, actor, taken.folio_id, "b.png", 60, 90)
    for picture_id, asked, steps in ((taken.picture_id, {1}, [always, asks]), (other.picture_id, set(), [always])):
        done = routine_use.use_routine(
            renderer, workshop, actor, taken.folio_id, routine, frozenset(asked), [picture_id]
        )
        assert done[0].trouble is None
        state = read_picture(workshop, actor, picture_id)
        assert [entry.step for entry in state.document.steps] == steps
        assert state.undo == "Put on the routine “Choosy”"


def test_a_routine_brings_its_places_and_its_logo_only_where_it_belongs(
    workshop: Workshop, renderer: Renderer, actor: Actor, new_person: Callable[[], Actor]
) -> None:
    kept = logos.keep_logo(workshop, actor, "seal.png", [encoded(smooth_picture(40, 40))])
    card, banner = read_demand("120x90").demand(), read_demand("160x60").demand()
    routine = Routine(
        name="With seal",
        steps=(RoutineStep(step=Logo(logo=kept.file), only_in="Card"),),
        places=(RoutinePlace(name="Card", demand=card), RoutinePlace(name="Banner", demand=banner)),
    )
    taken = bring(workshop, actor, NewFolio("F"), "a.png", 200, 150)
    hang_place(workshop, actor, taken.folio_id, banner, "Site banner")
    # what hangs already is not hung again, whatever it is called
    tried, places = routine_use.tried(renderer, workshop, actor, taken.picture_id, routine, frozenset())
    assert [(place.name, place.hangs) for place in places] == [("Site banner", True), ("Card", False)]
    assert tried.document.steps[0].only_in == places[1].key
    assert read_picture(workshop, actor, taken.picture_id).document.steps == ()
    routine_use.use_routine(renderer, workshop, actor, taken.folio_id, routine, frozenset(), [taken.picture_id])
    hung = read_folio(workshop, actor, taken.folio_id).places
    assert [place.name for place in hung] == ["Site banner", "Card"]
    (entry,) = read_picture(workshop, actor, taken.picture_id).document.steps
    assert entry.only_in == str(hung[1].id)
    # exported with the file of its logo, so that somebody else can use it; without it, it is refused
    routines.keep_routine(workshop, actor, routine)
    file = routines.export_routines(workshop, actor)
    colleague = new_person()
    bare = file.model_copy(update={"logos": ()})
    with pytest.raises(NotFoundError, match="not among yours"):
        routines.import_routines(workshop, colleague, bare.written().encode())
    assert routines.import_routines(workshop, colleague, file.written().encode()) == 1
    assert [one.sha256 for one in logos.read_logos(workshop, colleague)] == [kept.sha256]


def test_a_damaged_logo_in_a_file_is_refused() -> None:
    packed = PackedLogo(file=AssetFile(sha256="0" * 64, name="seal.png"), content="c2VhbA==")
    file = read_routine_file(RoutineFile(routines=(ROUTINE,), logos=(packed,)).written().encode())
    with pytest.raises(UnreadableFileError, match="damaged"):
        file.logos[0].unpacked()


def test_a_routine_is_changed_on_a_trial_picture(workshop: Workshop, renderer: Renderer, actor: Actor) -> None:
    routine_id = routines.keep_routine(workshop, actor, ROUTINE)
    taken = bring(workshop, actor, NewFolio("F"), "a.png", 90, 60)
    trial = routine_use.begin_trial(renderer, workshop, actor, routine_id, taken.picture_id)
    folio = read_folio(workshop, actor, taken.folio_id)
    assert [picture.id for picture in folio.pictures] == [taken.picture_id], "it stands apart"
    state = read_picture(workshop, actor, trial)
    assert [entry.step.kind for entry in state.document.steps] == ["light", "exposure"]
    assert routine_use.trial_of(workshop, actor, trial) == routine_id
    assert routine_use.trial_of(workshop, actor, taken.picture_id) is None
    routine_use.end_trial(workshop, actor, trial)
    with pytest.raises(NotFoundError):
        read_picture(workshop, actor, trial)
    with pytest.raises(OutOfRangeError):
        routine_use.end_trial(workshop, actor, taken.picture_id)
    other = routine_use.begin_trial(renderer, workshop, actor, routine_id, taken.picture_id)
    routines.remove_routine(workshop, actor, routine_id)
    with pytest.raises(NotFoundError):
        read_picture(workshop, actor, other)
