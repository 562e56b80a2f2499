"""How fine the pictures of a column are, so that each can be compared with the others wherever it is looked at."""

from collections.abc import Iterable, Mapping

from sqlalchemy import select
from sqlalchemy.dialects.mysql import insert

from lucidex.core.places.output_id import OutputId
from lucidex.records.models import Fineness, Picture, Place
from lucidex.services.house.workshop import Workshop

Columns = dict[OutputId, dict[int, float]]


def read_fineness(workshop: Workshop, place_ids: Iterable[int]) -> Columns:
    """What is known of the pictures that hang in some places: by column and picture."""
    found: Columns = {}
    wanted = (
        select(Fineness.output, Fineness.picture_id, Fineness.fineness)
        .join(Place, Place.id == Fineness.place_id)
        .join(Picture, Picture.id == Fineness.picture_id)
        .where(Fineness.place_id.in_([*place_ids]), Picture.folio_id == Place.folio_id, Picture.removed_at.is_(None))
    )
    with workshop.database.begin() as session:
        for output, picture_id, fineness in session.execute(wanted):
            found.setdefault(OutputId(output), {})[picture_id] = fineness
    return found


def note_fineness(workshop: Workshop, seen: Mapping[tuple[int, OutputId], float]) -> None:
    """Write down how fine pictures are in columns, whatever was known before."""
    rows = [
        {"picture_id": picture_id, "output": str(output), "place_id": int(output.place), "fineness": fineness}
        for (picture_id, output), fineness in sorted(seen.items())
    ]
    if rows:
        with workshop.database.begin() as session:
            written = insert(Fineness).values(rows)
            session.execute(written.on_duplicate_key_update(fineness=written.inserted.fineness))
