"""Notes at the bench: drawn on the picture, answered, settled, put into the files on purpose."""

from typing import Annotated

from fastapi import APIRouter, Depends, Form
from starlette.responses import HTMLResponse

from lucidex.core.errors import NotUnderstoodError, OutOfRangeError
from lucidex.core.finish.marks import MAX_MARK_WORDS, MarkKind, PenColour, kept_mark
from lucidex.core.finish.text.letters import settable
from lucidex.core.geometry.sizes import Point
from lucidex.services.pictures import notes
from lucidex.web.request.security import check_csrf
from lucidex.web.views.bench.controls.areas import points_of
from lucidex.web.views.bench.pens import OPEN_NOTES, PEN_SHARE
from lucidex.web.views.bench.request import Bench, Pixels

router = APIRouter(prefix="/pictures/{picture_id}/notes", dependencies=[Depends(check_csrf)], include_in_schema=False)

MAX_WAY = 60_000  # letters of a drawn way
NEW_SHARE = 0.18  # of the picture's shorter side: a mark that is added without being drawn

Words = Annotated[str, Form(max_length=20_000)]


def _shown(at: Bench) -> HTMLResponse:
    return at.show(at.place, OPEN_NOTES)


@router.post("/draw")
def draw(
    at: Bench,
    kind: Annotated[MarkKind, Form()],
    way: Annotated[str, Form(max_length=MAX_WAY)],
    colour: Annotated[PenColour, Form()] = PenColour.VERMILION,
    width: Annotated[float, Form(gt=0, le=4_000, allow_inf_nan=False)] = 4.0,
    pressed: Annotated[str, Form(max_length=MAX_WAY)] = "",
    words: Annotated[str, Form(max_length=1_000)] = "",
    note: Annotated[int, Form(ge=0)] = 0,
) -> HTMLResponse:
    """A mark on the prepared picture, in its pixels: in a note of one's own, or a new one."""
    words = settable(words)
    if len(words) > MAX_MARK_WORDS:
        raise OutOfRangeError(f"Words on a picture have up to {MAX_MARK_WORDS} letters. Write the rest beside it.")
    if kind is MarkKind.WORDS and not words:
        raise OutOfRangeError("Type the words first.")
    points = list(points_of(way))
    mark = kept_mark(kind, colour, points, _pressed(pressed, len(points)), width, words, at.state.geometry)
    workshop, actor = at.app.workshop, at.actor
    if note:
        notes.add_mark(workshop, actor, at.picture_id, note, mark)
    else:
        notes.add_note(workshop, actor, at.picture_id, "", [mark])
    return _shown(at)


def _pressed(typed: str, count: int) -> list[float]:
    try:
        pressed = [min(max(float(one), 0.0), 1.0) for one in typed.split()]
    except ValueError as error:
        raise NotUnderstoodError("How hard a pen was pressed is not made of numbers.") from error
    return pressed if len(pressed) == count and len(set(pressed)) > 1 else []


@router.post("/add")
def add(
    at: Bench, kind: Annotated[MarkKind, Form()], words: Annotated[str, Form(max_length=1_000)] = ""
) -> HTMLResponse:
    """A mark in the middle of the picture, to be moved by keys."""
    geometry = at.state.geometry
    middle, side = geometry.window.centre, NEW_SHARE * geometry.size.shortest
    corners = [Point(middle.x - side, middle.y - side / 2), Point(middle.x + side, middle.y + side / 2)]
    points = [middle] if kind is MarkKind.WORDS else corners
    text = settable(words)[:MAX_MARK_WORDS] or "Note"
    width = PEN_SHARE * geometry.size.shortest
    mark = kept_mark(kind, PenColour.VERMILION, points, [], width, text if kind is MarkKind.WORDS else "", geometry)
    notes.add_note(at.app.workshop, at.actor, at.picture_id, "", [mark])
    return _shown(at)


@router.post("/write")
def write_new(at: Bench, text: Words = "") -> HTMLResponse:
    """A note of words alone."""
    notes.add_note(at.app.workshop, at.actor, at.picture_id, text, [])
    return _shown(at)


@router.post("/{note_id}/text")
def write(at: Bench, note_id: int, text: Words = "") -> HTMLResponse:
    """The words of one's own note."""
    notes.write_text(at.app.workshop, at.actor, at.picture_id, note_id, text)
    return _shown(at)


@router.post("/{note_id}/answer")
def answer(at: Bench, note_id: int, text: Words = "") -> HTMLResponse:
    """Answer a note."""
    notes.answer(at.app.workshop, at.actor, at.picture_id, note_id, text)
    return _shown(at)


@router.post("/{note_id}/settle")
def settle(at: Bench, note_id: int, settled: Annotated[bool, Form()] = True) -> HTMLResponse:
    """Settle a note, or open it again."""
    notes.settle(at.app.workshop, at.actor, at.picture_id, note_id, settled)
    return _shown(at)


@router.post("/{note_id}/remove")
def remove(at: Bench, note_id: int) -> HTMLResponse:
    """Take one's own note away."""
    notes.remove_note(at.app.workshop, at.actor, at.picture_id, note_id)
    return _shown(at)


@router.post("/{note_id}/marks/{index}/erase")
def erase(at: Bench, note_id: int, index: int) -> HTMLResponse:
    """Erase a mark of one's own."""
    notes.drop_mark(at.app.workshop, at.actor, at.picture_id, note_id, index)
    return _shown(at)


@router.post("/{note_id}/marks/{index}/move")
def move(at: Bench, note_id: int, index: int, dx: Pixels, dy: Pixels) -> HTMLResponse:
    """Move a mark of one's own by so many pixels of the prepared picture."""
    geometry = at.state.geometry
    middle = geometry.window.centre
    here, there = geometry.to_content(middle), geometry.to_content(Point(middle.x + dx, middle.y + dy))
    notes.move_mark(at.app.workshop, at.actor, at.picture_id, note_id, index, there.x - here.x, there.y - here.y)
    return _shown(at)


@router.post("/{note_id}/into-files")
def put_into_files(at: Bench, note_id: int) -> HTMLResponse:
    """Draw the marks of a note into the picture's files."""
    at.moved(notes.put_into_files(at.app.workshop, at.actor, at.state, at.version, note_id))
    return _shown(at)
