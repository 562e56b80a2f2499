"""One thing done to several pictures of a folio: texts, another folio, out of it and back, and gone for good."""

import hashlib
import json
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from pydantic import ValidationError
from sqlalchemy import ColumnElement, select, true, update
from sqlalchemy.orm import Session, joinedload

from lucidex.core.document import PictureDocument
from lucidex.core.errors import NotFoundError, NotUnderstoodError, OutOfRangeError
from lucidex.core.places.demand import explain_limits
from lucidex.core.source.facts import SourceFacts
from lucidex.core.stamp.licences import licence_named
from lucidex.core.stamp.texts import Texts
from lucidex.records.models import Document, Picture, Source, now
from lucidex.services.folios.folios import ASKED_AT_ONCE, NO_PICTURE, folio_of
from lucidex.services.house.workshop import Workshop
from lucidex.services.keeping.retention import REMOVED_FOR, erase_pictures
from lucidex.services.people.events import EventKind, note
from lucidex.services.people.people import Actor
from lucidex.services.pictures.documents import Alter, PictureState
from lucidex.services.pictures.folio_history import Recorded, recorded
from lucidex.services.pictures.many_documents import Wanted, all_or_none, change_all_in

MAX_AT_ONCE = 2_000
_SHORT = 8  # letters of a hash, for each text


def texts_from(fields: Mapping[str, str], before: Texts) -> Texts:
    """Texts with what was written in some fields, as they are typed; a known licence brings its address along.

    Raises OutOfRangeError in words where one is too long.
    """
    given: dict[str, object] = {name: " ".join(text.split()) for name, text in fields.items() if name != "people"}
    if "people" in fields:
        names = (" ".join(name.split()) for name in fields["people"].replace("\n", ",").split(","))
        given["people"] = tuple(name for name in names if name)
    if "licence" in given:
        known = licence_named(str(given["licence"]))
        if known is not None:
            given |= {"licence": known.name, "licence_address": known.address}
        elif "licence_address" not in given:
            given["licence_address"] = before.licence_address if given["licence"] == before.licence else ""
    try:
        return Texts.model_validate({**before.model_dump(), **given})
    except ValidationError as error:
        raise OutOfRangeError(_why_not(error)) from error


def _why_not(error: ValidationError) -> str:
    name = str(error.errors()[0]["loc"][0])
    if name == "licence_address":
        return "The address of the licence begins with https:// or http://, and has no spaces."
    words = {"alternative": "alternative text", "people": "list of people"}.get(name, name)
    return f"The {words} is too long." if "too_long" in error.errors()[0]["type"] else explain_limits(error)


def seen_texts(states: Sequence[PictureState]) -> str:
    """What the texts of pictures are, short enough to be sent along with a form: so that a later one is noticed."""
    return " ".join(f"{one.picture_id}:{_short(one.document.texts)}" for one in states)


def _short(texts: Texts) -> str:
    parts = (json.dumps(part, sort_keys=True).encode() for part in texts.model_dump(mode="json").values())
    return "".join(hashlib.sha256(part).hexdigest()[:_SHORT] for part in parts)


def _differing(seen: str, texts: Texts) -> set[str]:
    """The texts that are others by now."""
    present = _short(texts)
    return {
        name
        for number, name in enumerate(Texts.model_fields)
        if seen[number * _SHORT : (number + 1) * _SHORT] != present[number * _SHORT : (number + 1) * _SHORT]
    }


def write_texts_on_many(
    workshop: Workshop,
    actor: Actor,
    folio_id: int,
    picture_ids: Sequence[int],
    fields: Mapping[str, str],
    seen: str = "",
) -> list[str]:
    """Write some of the texts of several pictures; what is not among `fields` stays with each.

    `seen` says what they were when somebody decided that (`seen_texts`): where one of them was written by somebody
    else since, the picture stays as it is. The names of these pictures.
    """
    heads = (one.partition(":") for one in seen.split())
    known = {int(number): short for number, _, short in heads if number.isdecimal()}
    left: set[int] = set()

    def alter_of(picture_id: int) -> Alter:
        def alter(document: PictureDocument, facts: SourceFacts) -> PictureDocument:
            if not fields:
                raise NotUnderstoodError("Nothing is written yet that could be put on them.")
            if picture_id in known and _differing(known[picture_id], document.texts) & fields.keys():
                left.add(picture_id)
                return document
            return document.model_copy(update={"texts": texts_from(fields, document.texts)})

        return alter

    states, _ = _change_each(workshop, actor, folio_id, picture_ids, "Wrote the texts", alter_of)
    return [one.file_name for one in states if one.picture_id in left]


def change_many(
    workshop: Workshop, actor: Actor, folio_id: int, picture_ids: Sequence[int], summary: str, alter: Alter
) -> Recorded:
    """One change on several pictures of a folio, as one action."""
    return _change_each(workshop, actor, folio_id, picture_ids, summary, lambda _: alter)[1]


def _change_each(
    workshop: Workshop,
    actor: Actor,
    folio_id: int,
    picture_ids: Sequence[int],
    summary: str,
    alter_of: Callable[[int], Alter],
) -> tuple[list[PictureState], Recorded]:
    with workshop.database.begin() as session, recorded(session, actor, folio_id, summary, picture_ids) as result:
        _check_count(picture_ids)
        _standing(session, actor, folio_id, picture_ids)
        wanted = {picture_id: Wanted(alter_of(picture_id)) for picture_id in picture_ids}
        states = all_or_none(change_all_in(session, actor, wanted, summary))
    return states, result


def _check_count(picture_ids: Sequence[int]) -> None:
    if not picture_ids:
        raise OutOfRangeError("No picture is selected.")
    if len(picture_ids) > MAX_AT_ONCE:
        raise OutOfRangeError(f"At most {MAX_AT_ONCE} pictures are taken at once.")


def take_out(workshop: Workshop, actor: Actor, folio_id: int, picture_ids: Sequence[int]) -> int:
    """Take pictures out of a folio; how many. `put_back` undoes it, for 30 days."""
    with workshop.database.begin() as session:
        folio_of(session, actor, folio_id, to_change=True)
        _check_count(picture_ids)
        pictures = _standing(session, actor, folio_id, picture_ids)
        _all(session, pictures, removed_at=now())
        for picture in pictures.values():
            note(session, actor.id, EventKind.REMOVAL, f"Took “{picture.file_name}” out of a folio.")
    return len(pictures)


def put_back(workshop: Workshop, actor: Actor, folio_id: int, picture_ids: Sequence[int]) -> int:
    """Put pictures back that were taken out; how many."""
    with workshop.database.begin() as session:
        folio_of(session, actor, folio_id, to_change=True)
        _check_count(picture_ids)
        pictures = _found(session, actor, folio_id, picture_ids, true())
        _all(session, pictures, removed_at=None)
    return len(pictures)


def _standing(session: Session, actor: Actor, folio_id: int, picture_ids: Sequence[int]) -> dict[int, Picture]:
    """Pictures of a folio that were not taken out of it; NotFoundError where one of them is not there."""
    return _found(session, actor, folio_id, picture_ids, Picture.removed_at.is_(None))


def _found(
    session: Session, actor: Actor, folio_id: int, picture_ids: Sequence[int], also: ColumnElement[bool]
) -> dict[int, Picture]:
    found: dict[int, Picture] = {}
    for some in _parts(picture_ids):
        asked = select(Picture).where(Picture.id.in_(some), also)
        found |= {picture.id: picture for picture in session.scalars(asked)}
    for picture_id in picture_ids:
        if picture_id not in found:
            raise NotFoundError(NO_PICTURE)
        if found[picture_id].folio_id != folio_id:
            _check_seen(session, actor, found[picture_id].folio_id)
            raise NotFoundError("This picture is in another folio by now. Load the page again.")
    return found


def _check_seen(session: Session, actor: Actor, folio_id: int) -> None:
    """Of a folio that somebody may not see, nothing is said, not even that a picture is in it."""
    try:
        folio_of(session, actor, folio_id)
    except NotFoundError:
        raise NotFoundError(NO_PICTURE) from None


def _all(session: Session, picture_ids: Iterable[int], **values: object) -> None:
    """One statement for many rows."""
    for some in _parts(list(picture_ids)):
        session.execute(
            update(Picture).where(Picture.id.in_(some)).values(**values).execution_options(synchronize_session=False)
        )


def _parts(picture_ids: Sequence[int]) -> Iterator[Sequence[int]]:
    return (picture_ids[start : start + ASKED_AT_ONCE] for start in range(0, len(picture_ids), ASKED_AT_ONCE))


def move_to_folio(workshop: Workshop, actor: Actor, picture_ids: Sequence[int], folio_id: int, goal_id: int) -> int:
    """Move pictures of a folio to another one, with all that was decided about them; how many."""
    with workshop.database.begin() as session:
        # in order of their numbers, so that two who move towards each other do not wait for each other
        for one in sorted((folio_id, goal_id)):
            folio = folio_of(session, actor, one, to_change=True)
            folio.changed_at = now()
        if folio_id == goal_id:
            raise OutOfRangeError("They are in this folio already.")
        _check_count(picture_ids)
        session.flush()
        pictures = _standing(session, actor, folio_id, picture_ids)
        _all(session, pictures, folio_id=goal_id, arrival_id=None)
        for some in _parts(list(pictures)):  # whoever has one open learns that it moved
            session.execute(
                update(Document)
                .where(Document.picture_id.in_(some))
                .values(version=Document.version + 1)
                .execution_options(synchronize_session=False)
            )
    return len(pictures)


@dataclass(frozen=True)
class TakenOut:
    """A picture that was taken out of a folio, and until when it can be put back."""

    picture_id: int
    file_name: str
    facts: SourceFacts
    byte_count: int
    removed_at: datetime
    until: datetime

    @property
    def days_left(self) -> int:
        """Days until it goes for good, the present one counted."""
        return max(0, -((now() - self.until) // timedelta(days=1)))


def read_taken_out(workshop: Workshop, actor: Actor, folio_id: int) -> list[TakenOut]:
    """The pictures that were taken out of a folio and can be put back, the latest first."""
    with workshop.database.begin() as session:
        folio_of(session, actor, folio_id)
        asked = select(Picture).options(joinedload(Picture.source).joinedload(Source.original))
        asked = asked.where(Picture.folio_id == folio_id, Picture.removed_at.is_not(None), Picture.trial_of.is_(None))
        rows = session.scalars(asked.order_by(Picture.removed_at.desc()).limit(MAX_AT_ONCE))
        return [
            TakenOut(
                row.id,
                row.file_name,
                SourceFacts.model_validate(row.source.facts),
                row.source.original.byte_count,
                row.removed_at,
                row.removed_at + REMOVED_FOR,
            )
            for row in rows
            if row.removed_at is not None
        ]


def erase_for_good(workshop: Workshop, actor: Actor, folio_id: int, picture_ids: Sequence[int]) -> int:
    """Pictures that were taken out go for good now: with their documents, and with the file where nobody has it."""
    with workshop.database.begin() as session:
        folio_of(session, actor, folio_id, to_change=True)
        _check_count(picture_ids)
        for picture in _found(session, actor, folio_id, picture_ids, true()).values():
            if picture.removed_at is None:
                raise OutOfRangeError(f"“{picture.file_name}” stands in the folio. Take it out first.")
            note(session, actor.id, EventKind.REMOVAL, f"Removed “{picture.file_name}” for good.")
    return erase_pictures(workshop, picture_ids)
