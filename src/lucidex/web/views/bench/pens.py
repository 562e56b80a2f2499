"""Pens, and how marks that were drawn with them are shown on the stage."""

from dataclasses import dataclass

from lucidex.core.areas.sight import Sight
from lucidex.core.finish.marks import COLOURS, Mark, MarkKind, arrow_head
from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.geometry.sizes import Point
from lucidex.services.pictures.documents import PictureState
from lucidex.services.pictures.notes import NoteView
from lucidex.web.views.bench.stage import StageValues, whole

OPEN_NOTES = "notes"
PEN_SHARE = 0.006  # of the picture's shorter side: the usual width of a pen


@dataclass(frozen=True)
class Pen:
    """A colour as the page shows it."""

    name: str
    hex: str


PENS = tuple(Pen(name.value, "#{:02x}{:02x}{:02x}".format(*colour)) for name, colour in COLOURS.items())


def notes_stage(state: PictureState, seen: list[NoteView]) -> StageValues:
    """The prepared picture with the marks of its notes."""
    return whole(state, state.document, None) | {
        "mode": "notes",
        "notes": mark_values(seen, state.geometry),
        "brush": round(PEN_SHARE * state.geometry.size.shortest, 2),
        "post": f"/pictures/{state.picture_id}/notes",
    }


def mark_values(seen: list[NoteView], geometry: PictureGeometry) -> list[dict[str, object]]:
    """Marks as the stage draws them: in pixels of the prepared picture."""
    sight = Sight.of_picture(geometry)
    return [
        {
            "note": note.id,
            "number": note.number,
            "index": index,
            "mine": note.is_mine,
            "settled": note.is_settled,
            **_mark(mark, sight),
        }
        for note in seen
        for index, mark in enumerate(note.marks)
    ]


def _mark(mark: Mark, sight: Sight) -> dict[str, object]:
    points = [sight.pixel(Point(x, y)) for x, y in mark.points]
    pairs = [(round(at.x, 1), round(at.y, 1)) for at in points]
    width = mark.width * sight.unit_at(Point(*mark.points[len(mark.points) // 2]))
    head = arrow_head(pairs, width) if mark.kind is MarkKind.ARROW else []
    return {
        "kind": mark.kind.value,
        "colour": "#{:02x}{:02x}{:02x}".format(*COLOURS[mark.colour]),
        "points": pairs,
        "width": round(width, 2),
        "pressed": list(mark.pressed),
        "text": mark.text,
        "head": [(round(x, 1), round(y, 1)) for x, y in head],
    }
