"""Gather: the contact sheet of a folio, the texts of its pictures, and one thing done to several of them."""

import re
from collections.abc import Mapping, Sequence
from types import MappingProxyType
from typing import Annotated, Any

from fastapi import APIRouter, Depends, Form, Query, Request
from starlette.responses import HTMLResponse, RedirectResponse, Response

from lucidex.core.errors import NotUnderstoodError
from lucidex.core.source.formats import format_named
from lucidex.core.stamp.licences import LICENCES
from lucidex.core.stamp.texts import NO_TEXTS
from lucidex.services.folios.folios import FolioView, colleagues, list_folios, read_folio
from lucidex.services.intake import intake
from lucidex.services.keeping import many
from lucidex.services.people.people import Actor
from lucidex.services.pictures import edits
from lucidex.services.pictures.documents import change, read_picture
from lucidex.services.pictures.gathering import Order, Sheet, SheetPicture, read_sheet
from lucidex.web.request.admission import FILES
from lucidex.web.request.context import App, AppContext, SignedIn
from lucidex.web.request.security import check_csrf
from lucidex.web.shell.templating import lead_to, page, partial

router = APIRouter(dependencies=[Depends(check_csrf)], include_in_schema=False)

ORDERS = (
    (Order.ARRIVAL, "arrival"),
    (Order.NAME, "name"),
    (Order.TIME, "time taken"),
    (Order.SIZE, "size"),
    (Order.WEIGHT, "weight"),
    (Order.SHAPE, "shape"),
)
MAX_SEEN = 200_000  # letters: so many pictures with what is known of their texts
PRINTED_AT_ONCE = 48  # pictures, of which a screen shows about as many; what follows comes as one gets there
SHOWN_FOLIOS, SHOWN_IDS, MAX_PAGES_AT_ONCE = 100, 50, 20
Ids = Annotated[list[Annotated[int, Form(ge=1, le=2**63 - 1)]], Form(max_length=many.MAX_AT_ONCE)]
Words = Annotated[str, Form(max_length=20_000)]


def typed_texts(
    alternative: Words = "",
    caption: Words = "",
    credit: Words = "",
    licence: Words = "",
    licence_address: Words = "",
    people: Words = "",
) -> dict[str, str]:
    """The texts as they were typed, by their names."""
    return {
        "alternative": alternative,
        "caption": caption,
        "credit": credit,
        "licence": licence,
        "licence_address": licence_address,
        "people": people,
    }


Typed = Annotated[dict[str, str], Depends(typed_texts)]


@router.get("/folios/{folio_id}/gather")
def gather_page(
    request: Request,
    app: App,
    actor: SignedIn,
    folio_id: int,
    find: Annotated[str, Query(max_length=1_000)] = "",
    order: Order = Order.ARRIVAL,
    flagged: bool = False,
    taken_out: Annotated[list[int], Query(max_length=SHOWN_IDS)] = [],  # noqa: B006
    out: Annotated[int, Query(ge=0)] = 0,
    moved: Annotated[int, Query(ge=0)] = 0,
    back: Annotated[int, Query(ge=0)] = 0,
) -> HTMLResponse:
    """The contact sheet; `taken_out`, `moved` and `back` say what was done a moment ago."""
    sheet = read_sheet(app.workshop, actor, folio_id, find[:200], order, flagged)
    _kept(app, actor, folio_id, sheet)
    others = [one for one in list_folios(app.workshop, actor) if one.id != folio_id][:SHOWN_FOLIOS]
    return page(
        request,
        "gather/gather.html",
        actor=actor,
        sheet=sheet,
        groups=_in_strips(sheet.groups),
        view=sheet.view,
        find=find,
        order=order,
        orders=[(value.value, words) for value, words in ORDERS],
        flagged=flagged,
        other_folios=others,
        removed_count=len(many.read_taken_out(app.workshop, actor, folio_id)),
        colleagues=colleagues(app.workshop, actor),
        said=_said(out or len(taken_out), moved, back),
        undo_ids=taken_out,
    )


Group = tuple[str, int, list[list[SheetPicture]]]


def _in_strips(groups: Sequence[tuple[str, Sequence[SheetPicture]]]) -> list[Group]:
    """Groups with their names, how many are in each, and those in strips: the first is printed, others come later."""
    found: list[Group] = []
    left = PRINTED_AT_ONCE
    for name, pictures in groups:
        now, later = [*pictures[:left]], [*pictures[left:]]
        left -= len(now)
        strips = [later[at : at + PRINTED_AT_ONCE] for at in range(0, len(later), PRINTED_AT_ONCE)]
        found.append((name, len(pictures), [now, *strips]))
    return found


@router.get("/folios/{folio_id}/gather/prints")
def prints(
    request: Request,
    app: App,
    actor: SignedIn,
    folio_id: int,
    on: Annotated[list[int], Query(max_length=PRINTED_AT_ONCE)],
    order: Order = Order.ARRIVAL,
) -> HTMLResponse:
    """Some pictures of the sheet, in its order, as they stand or stood some seconds ago; none that is not there."""
    read_folio(app.workshop, actor, folio_id)
    held = app.sheets.get((actor.id, folio_id)) or {}
    if any(one not in held for one in on):
        held = _kept(app, actor, folio_id, read_sheet(app.workshop, actor, folio_id, order=order))
    return partial(request, "gather/prints.html", pictures=[held[one] for one in on if one in held])


def _kept(app: AppContext, actor: Actor, folio_id: int, sheet: Sheet) -> dict[int, SheetPicture]:
    """What a page shows, for those of it that are printed later."""
    held = {one.state.picture_id: one for one in sheet.pictures}
    app.sheets.put((actor.id, folio_id), held)
    return held


def _said(out: int, moved: int, back: int) -> str:
    for count, words in ((out, "taken out of this folio"), (moved, "moved here"), (back, "put back")):
        if count:
            return f"{count} picture{'' if count == 1 else 's'} {words}."
    return ""


@router.post("/folios/{folio_id}/gather/chosen")
def chosen(request: Request, app: App, actor: SignedIn, folio_id: int, on: Ids = []) -> HTMLResponse:  # noqa: B006
    """What is known of the selected pictures, and their texts."""
    return _panel(request, app, actor, folio_id, on)


def _panel(
    request: Request,
    app: AppContext,
    actor: SignedIn,
    folio_id: int,
    on: list[int],
    saved: bool = False,
    kept_apart: Sequence[str] = (),
    typed: Mapping[str, str] = MappingProxyType({}),
    framed: bool = False,
) -> HTMLResponse:
    sheet = read_sheet(app.workshop, actor, folio_id)
    wanted = set(on)
    pictures = [one for one in sheet.pictures if one.state.picture_id in wanted]
    values: dict[str, Any] = _panel_values(sheet.view, pictures)
    removed = len(many.read_taken_out(app.workshop, actor, folio_id))
    said = {"saved": saved, "removed_count": removed, "kept_apart": kept_apart, "typed": typed, "framed": framed}
    return partial(request, "gather/chosen.html", colleagues=colleagues(app.workshop, actor), **said, **values)


def _panel_values(view: FolioView, pictures: list[SheetPicture]) -> dict[str, Any]:
    return {
        "view": view,
        "pictures": pictures,
        "weight": sum(one.state.byte_count for one in pictures),
        "licences": LICENCES,
        "seen": many.seen_texts([one.state for one in pictures]),
        "no_texts": NO_TEXTS,
        "drawn": format_named(pictures[0].state.facts.format).drawn if len(pictures) == 1 else None,
    }


@router.post("/pictures/{picture_id}/texts")
def write_texts(
    request: Request,
    app: App,
    actor: SignedIn,
    picture_id: int,
    version: Annotated[int, Form(ge=0)],
    typed: Typed,
) -> HTMLResponse:
    """Write the texts of one picture, as they all stand in the form."""
    before = read_picture(app.workshop, actor, picture_id)
    texts = many.texts_from(typed, before.document.texts)
    change(app.workshop, actor, picture_id, version, "Wrote the texts", edits.set_texts(texts))
    response = _panel(request, app, actor, before.folio_id, [picture_id], saved=True)
    response.headers["HX-Trigger"] = "prints-changed"
    return response


@router.post("/folios/{folio_id}/gather/texts")
def write_many(
    request: Request,
    app: App,
    actor: SignedIn,
    folio_id: int,
    typed: Typed,
    on: Ids = [],  # noqa: B006
    seen: Annotated[str, Form(max_length=MAX_SEEN)] = "",
) -> HTMLResponse:
    """Write some texts on several pictures; what is empty stays with each as it is.

    Where somebody has written another one since it was `seen`, that stays, and is said.
    """
    fields = {name: text for name, text in typed.items() if text.strip()}
    left = many.write_texts_on_many(app.workshop, actor, folio_id, on, fields, seen)
    kept = typed if left else {}
    response = _panel(request, app, actor, folio_id, on, saved=len(left) < len(on), kept_apart=left, typed=kept)
    response.headers["HX-Trigger"] = "prints-changed"
    return response


@router.post("/folios/{folio_id}/gather/framing")
def frame(
    request: Request,
    app: App,
    actor: SignedIn,
    folio_id: int,
    itself: Annotated[bool, Form()] = True,
    on: Ids = [],  # noqa: B006
) -> HTMLResponse:
    """Let the selected pictures frame themselves, or leave them to the middle of their places."""
    summary = "Let pictures frame themselves" if itself else "Left pictures to the middle of their places"
    many.change_many(app.workshop, actor, folio_id, on, summary, edits.frame_itself(itself))
    return _panel(request, app, actor, folio_id, on, framed=True)


@router.post("/folios/{folio_id}/gather/take-out")
def take_out(request: Request, app: App, actor: SignedIn, folio_id: int, on: Ids = []) -> Response:  # noqa: B006
    """Take the selected pictures out."""
    count = many.take_out(app.workshop, actor, folio_id, on)
    # beyond a few, the list of what was taken out is where they are put back
    ids = "".join(f"&taken_out={one}" for one in on) if len(on) <= SHOWN_IDS else ""
    return lead_to(request, f"/folios/{folio_id}/gather?out={count}{ids}")


@router.post("/folios/{folio_id}/gather/put-back")
def put_back(request: Request, app: App, actor: SignedIn, folio_id: int, on: Ids = []) -> Response:  # noqa: B006
    """Put pictures back that were taken out."""
    return lead_to(request, f"/folios/{folio_id}/gather?back={many.put_back(app.workshop, actor, folio_id, on)}")


@router.post("/folios/{folio_id}/gather/move")
def move(
    request: Request,
    app: App,
    actor: SignedIn,
    folio_id: int,
    goal: Annotated[int, Form(ge=0, le=2**63 - 1)] = 0,
    on: Ids = [],  # noqa: B006
) -> Response:
    """Move the selected pictures to another folio, and go there."""
    count = many.move_to_folio(app.workshop, actor, on, folio_id, goal)
    return lead_to(request, f"/folios/{goal}/gather?moved={count}")


@router.get("/folios/{folio_id}/removed")
def removed_page(
    request: Request, app: App, actor: SignedIn, folio_id: int, erased: Annotated[int, Query(ge=0)] = 0
) -> HTMLResponse:
    """What was taken out and can be put back."""
    view = read_folio(app.workshop, actor, folio_id)
    removed = many.read_taken_out(app.workshop, actor, folio_id)
    said = f"{erased} picture{'' if erased == 1 else 's'} deleted for good." if erased else ""
    return page(request, "gather/removed.html", actor=actor, view=view, removed=removed, said=said)


@router.post("/folios/{folio_id}/removed/erase")
def erase(app: App, actor: SignedIn, folio_id: int, on: Ids = []) -> Response:  # noqa: B006
    """Delete pictures for good that were taken out."""
    count = many.erase_for_good(app.workshop, actor, folio_id, on)
    return RedirectResponse(f"/folios/{folio_id}/removed?erased={count}", 303)


@router.post("/pictures/{picture_id}/remove")
def remove(request: Request, app: App, actor: SignedIn, picture_id: int) -> Response:
    """Take one picture out of its folio."""
    state = read_picture(app.workshop, actor, picture_id)
    many.take_out(app.workshop, actor, state.folio_id, [picture_id])
    return lead_to(request, f"/folios/{state.folio_id}/gather?taken_out={picture_id}")


@router.post("/pictures/{picture_id}/put-back")
def put_one_back(request: Request, app: App, actor: SignedIn, picture_id: int) -> Response:
    """Put a removed picture back."""
    folio_id = intake.put_back_picture(app.workshop, actor, picture_id)
    return lead_to(request, f"/folios/{folio_id}/gather?back=1")


@router.post("/pictures/{picture_id}/parts", dependencies=[FILES])
def take_parts(
    request: Request,
    app: App,
    actor: SignedIn,
    picture_id: int,
    pages: Annotated[str, Form(max_length=400)] = "1",
    density: Annotated[int | None, Form(ge=1, le=20_000)] = None,
) -> Response:
    """Take other pages of a file, or the same drawn otherwise, as pictures of their own."""
    state = read_picture(app.workshop, actor, picture_id)
    drawn = format_named(state.facts.format).drawn
    if drawn is not None and density == drawn.usual:
        density = None
    for number in pages_of(pages):
        intake.take_page(app.workshop, actor, picture_id, number, density)
    return lead_to(request, f"/folios/{state.folio_id}/gather")


def pages_of(text: str) -> list[int]:
    """Pages as they are typed. NotUnderstoodError in words for anything else, or for too many at once.

    >>> pages_of("2, 4-6")
    [2, 4, 5, 6]
    """
    found: list[int] = []
    for part in filter(None, re.split(r"[\s,;]+", re.sub(r"\s*[-–]\s*", "-", text.strip()))):
        match = re.fullmatch(r"(\d{1,5})(?:-(\d{1,5}))?", part)
        if match is None:
            raise NotUnderstoodError(f"“{part[:40]}” is no page. Type pages as 2, 4-6.")
        first, last = int(match[1]), int(match[2] or match[1])
        if first < 1 or last < first or last - first >= MAX_PAGES_AT_ONCE:
            raise NotUnderstoodError(f"Type pages from 1 on, at most {MAX_PAGES_AT_ONCE} at once.")
        found.extend(range(first, last + 1))
    if not 0 < len(found) <= MAX_PAGES_AT_ONCE:
        raise NotUnderstoodError(f"Type pages from 1 on, at most {MAX_PAGES_AT_ONCE} at once.")
    return list(dict.fromkeys(found))
