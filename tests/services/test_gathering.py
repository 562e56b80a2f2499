"""The contact sheet: what is found, in which order, in which groups, and what is said of each picture."""

import io
from collections.abc import Callable
from dataclasses import replace
from datetime import date

import numpy as np
import pytest
from PIL import Image

from lucidex.core.errors import NotAllowedError, NotFoundError, OutOfRangeError
from lucidex.core.line.places import read_demand
from lucidex.core.stamp import Stamp, Texts, xmp_packet
from lucidex.records.models import Scope
from lucidex.services.folios.folios import make_folio, read_folio, share_folio
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.intake import Arrival, bring_in
from lucidex.services.keeping import many
from lucidex.services.people.people import Actor
from lucidex.services.pictures.documents import read_picture
from lucidex.services.pictures.gathering import Order, Sheet, read_sheet
from lucidex.services.places.places import hang_place
from lucidex.services.proof.proof_sheet import proof_rows
from lucidex.services.runs.runs import list_cells
from tests.conftest import encoded, picture, smooth_picture

SCENE = smooth_picture(900, 600)


@pytest.fixture
def folio(workshop: Workshop, actor: Actor) -> int:
    """A scene, its reduced copy, the same file twice, and an upright one, in two groups."""
    folio_id = make_folio(workshop, actor, "Sheet")
    small = np.asarray(Image.fromarray(SCENE).resize((240, 160)))
    files = (
        ("scene.png", encoded(SCENE), ""),
        ("preview.png", encoded(small), "from the site"),
        ("again.png", encoded(SCENE), "from the site"),
        ("tall.png", encoded(picture(500, 800, seed=11)), ""),
    )
    for name, content, group in files:
        bring_in(workshop, actor, folio_id, name, [content], Arrival(group=group))
    return folio_id


def names(sheet: Sheet) -> list[str]:
    return [one.state.file_name for one in sheet.pictures]


def said(sheet: Sheet, name: str) -> str:
    return "; ".join(one.words for one in next(p for p in sheet.pictures if p.state.file_name == name).remarks)


def test_groups_stand_apart_and_nothing_is_lost(workshop: Workshop, actor: Actor, folio: int) -> None:
    sheet = read_sheet(workshop, actor, folio)
    assert [(name, len(pictures)) for name, pictures in sheet.groups] == [("", 2), ("from the site", 2)]
    assert sheet.total == len(sheet.pictures) == 4
    assert sheet.weight == sum(one.state.byte_count for one in sheet.pictures)


@pytest.mark.parametrize(
    ("order", "first"),
    [
        (Order.ARRIVAL, "scene.png"),
        (Order.NAME, "scene.png"),
        (Order.SIZE, "scene.png"),
        (Order.SHAPE, "scene.png"),
        (Order.WEIGHT, "tall.png"),
    ],
)
def test_pictures_lie_in_the_order_that_is_asked_for(
    workshop: Workshop, actor: Actor, folio: int, order: Order, first: str
) -> None:
    assert names(read_sheet(workshop, actor, folio, order=order))[0] == first


@pytest.mark.parametrize(
    ("find", "found"),
    [
        ("SCENE", {"scene.png", "preview.png"}),  # the preview's remark names the scene
        ("tall", {"tall.png"}),
        ("wide site", {"preview.png", "again.png"}),
        ("same file", {"again.png"}),
        ("nothing like it", set()),
        ("", {"scene.png", "preview.png", "again.png", "tall.png"}),
    ],
)
def test_words_that_must_all_be_met(workshop: Workshop, actor: Actor, folio: int, find: str, found: set[str]) -> None:
    assert set(names(read_sheet(workshop, actor, folio, find))) - {"again.png"} == found - {"again.png"}


def test_what_is_to_be_said_is_said(workshop: Workshop, actor: Actor, folio: int) -> None:
    hang_place(workshop, actor, folio, read_demand("1800x1200").demand(), "Wall")
    sheet = read_sheet(workshop, actor, folio)
    assert "probably a preview of “scene.png”" in said(sheet, "preview.png")
    assert "the same file as “scene.png”" in said(sheet, "again.png")
    assert "“preview.png” is nearly the same" in said(sheet, "scene.png")
    assert "too small for “Wall” (2\u00a0×)" in said(sheet, "scene.png")
    assert "too small for “Wall” (7.5\u00a0×)" in said(sheet, "preview.png")
    assert "nearly" not in said(sheet, "tall.png")
    for name in names(sheet):
        assert "rights unknown" in said(sheet, name)
        assert "text missing" in said(sheet, name)
    assert sheet.flagged == 4


def test_a_picture_that_is_just_being_taken_out_spoils_no_sheet(
    workshop: Workshop, actor: Actor, folio: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = read_folio(workshop, actor, folio)
    gone = before.pictures[0].id
    many.take_out(workshop, actor, folio, [gone])
    for module in ("pictures.gathering", "runs.runs"):  # they have looked at the folio a moment earlier
        monkeypatch.setattr(f"lucidex.services.{module}.read_folio", lambda *_: before)
    rest = [one.id for one in before.pictures[1:]]
    assert {one.state.picture_id for one in read_sheet(workshop, actor, folio).pictures} == set(rest)
    assert [row.state.picture_id for row in proof_rows(workshop, actor, before)] == rest
    hang_place(workshop, actor, folio, read_demand("100 x 50").demand(), "Strip")
    with_places = read_folio(workshop, actor, folio)
    hung = replace(with_places, pictures=before.pictures)
    monkeypatch.setattr("lucidex.services.runs.runs.read_folio", lambda *_: hung)
    cells = list_cells(workshop, actor, folio, "{name}-{number}", date(2026, 12, 1))
    assert [cell.picture_id for cell in cells] == rest
    assert [int(cell.listed.path[:-4].rsplit("-", 1)[1]) for cell in cells if cell.listed] == [2, 3, 4]


def test_what_was_answered_is_said_no_more(workshop: Workshop, actor: Actor, folio: int) -> None:
    ids = [one.state.picture_id for one in read_sheet(workshop, actor, folio).pictures]
    many.write_texts_on_many(workshop, actor, folio, ids, {"licence": "own words", "alternative": "Soft colours"})
    sheet = read_sheet(workshop, actor, folio)
    assert all("unknown" not in said(sheet, name) and "missing" not in said(sheet, name) for name in names(sheet))
    assert names(read_sheet(workshop, actor, folio, flagged=True)) == ["preview.png", "again.png"]


def test_texts_that_a_file_brings_along_are_there_from_the_beginning(workshop: Workshop, actor: Actor) -> None:
    texts = Texts(
        alternative="A dome",
        credit="M. Ellery",
        licence="CC BY 4.0",
        licence_address="https://creativecommons.org/licenses/by/4.0/",
        people=("Ida Brook", "Tom & Reed"),
    )
    out = io.BytesIO()
    Image.fromarray(SCENE).save(out, "JPEG", xmp=xmp_packet(Stamp(texts=texts)))
    folio_id = make_folio(workshop, actor, "Texts")
    taken = bring_in(workshop, actor, folio_id, "dome.jpg", [out.getvalue()])
    assert read_picture(workshop, actor, taken.picture_id).document.texts == texts


@pytest.mark.parametrize(
    ("fields", "sentence"),
    [
        ({"alternative": "x" * 2_001}, "alternative text is too long"),
        ({"people": ", ".join(str(number) for number in range(51))}, "list of people is too long"),
        ({"licence_address": "javascript:alert(1)"}, "begins with https://"),
        ({"licence": "x" * 401}, "licence is too long"),
    ],
)
def test_texts_that_cannot_be_are_refused_in_words(fields: dict[str, str], sentence: str) -> None:
    with pytest.raises(OutOfRangeError, match=sentence):
        many.texts_from(fields, Texts())


def test_an_own_licence_loses_the_address_of_the_one_before() -> None:
    free = many.texts_from({"licence": "cc0 1.0"}, Texts())
    assert free.licence_address.endswith("/zero/1.0/")
    assert many.texts_from({"licence": "ask us"}, free).licence_address == ""
    assert many.texts_from({"credit": "me"}, free).licence_address == free.licence_address


def test_nothing_is_done_to_pictures_of_another_folio_or_by_those_who_only_look(
    workshop: Workshop, actor: Actor, folio: int, new_person: Callable[[], Actor]
) -> None:
    other, looker = make_folio(workshop, actor, "Other"), new_person()
    ids = [one.state.picture_id for one in read_sheet(workshop, actor, folio).pictures]
    share_folio(workshop, actor, folio, looker.login, Scope.LOOK)
    for wrong in (
        lambda: many.take_out(workshop, actor, other, ids),
        lambda: many.move_to_folio(workshop, actor, ids, other, folio),
        lambda: many.write_texts_on_many(workshop, actor, other, ids, {"credit": "x"}),
    ):
        with pytest.raises(NotFoundError):
            wrong()
    for refused in (
        lambda: many.take_out(workshop, looker, folio, ids),
        lambda: many.write_texts_on_many(workshop, looker, folio, ids, {"credit": "x"}),
        lambda: many.erase_for_good(workshop, looker, folio, ids),
    ):
        with pytest.raises(NotAllowedError):
            refused()
    assert len(read_sheet(workshop, actor, folio).pictures) == 4


def test_a_colleagues_newer_text_stays_where_several_are_written_on(
    workshop: Workshop, actor: Actor, folio: int
) -> None:
    states = [one.state for one in read_sheet(workshop, actor, folio).pictures]
    ids = [one.picture_id for one in states]
    seen = many.seen_texts(states)
    many.write_texts_on_many(workshop, actor, folio, ids[:1], {"caption": "Theirs"})
    left = many.write_texts_on_many(workshop, actor, folio, ids, {"caption": "Mine"}, seen)
    assert left == [states[0].file_name]
    captions = [read_picture(workshop, actor, one).document.texts.caption for one in ids]
    assert captions == ["Theirs", *["Mine"] * (len(ids) - 1)]
    assert many.write_texts_on_many(workshop, actor, folio, ids, {"credit": "Mine"}, seen) == [], "another text"
    assert many.write_texts_on_many(workshop, actor, folio, ids[:1], {"caption": "Mine"}, seen) == left
    fresh = many.seen_texts([read_picture(workshop, actor, one) for one in ids])
    assert many.write_texts_on_many(workshop, actor, folio, ids, {"caption": "Both"}, fresh) == []
    assert len(fresh) <= 70 * len(ids), "so many pictures as may be selected fit into a form"
