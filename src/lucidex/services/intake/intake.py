"""Bringing pictures in: check, decode, store, record. All of a picture is recorded, or nothing of it."""

import math
import re
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from pathlib import Path

from sqlalchemy import func, select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from lucidex.core.document import PictureDocument
from lucidex.core.errors import (
    ChangedMeanwhileError,
    NoLongerWantedError,
    NotAllowedError,
    NotFoundError,
    OutOfRangeError,
    StorageFullError,
    TooLargeError,
    UserError,
)
from lucidex.core.places.demand import PlaceDemand
from lucidex.core.proof.names import clean_file_name
from lucidex.core.source.decoder import WHOLE
from lucidex.core.source.facts import SourceFacts
from lucidex.core.source.formats import Part, format_named
from lucidex.core.source.key import SourceKey
from lucidex.core.stamp.from_file import texts_of
from lucidex.records.models import (
    MAX_GROUP,
    Document,
    Folio,
    Original,
    Picture,
    Place,
    Snapshot,
    Source,
    now,
)
from lucidex.records.store import Received
from lucidex.services.folios.folios import (
    allowed_pictures,
    check_may_change,
    clean_name,
    folio_of,
    hanging_places,
    picture_of,
    removed_picture_of,
)
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.sources import decode_received, decode_stored, known_facts, record_facts, record_source
from lucidex.services.people.people import Actor

KEPT_FREE_BYTES = 300_000_000  # of the disk: beyond it nothing is brought in, so that what is there can be worked on
QUOTA_BYTES = 100_000_000_000  # of originals in the folios of one person


@dataclass(frozen=True)
class BroughtIn:
    """A picture that is now in a folio, with sentences about what was adjusted or noticed."""

    picture_id: int
    folio_id: int
    file_name: str
    facts: SourceFacts
    byte_count: int
    notes: tuple[str, ...]


def clean_group(group: str) -> str:
    """Folder names joined by “ / ”, without `.` and `..`, at most 200 characters.

    >>> clean_group("../phone/./August/")
    'phone / August'
    """
    parts = ("".join(c if c.isprintable() else " " for c in part).strip() for part in re.split(r"[/\\\\]", group))
    return " / ".join(part for part in parts if part not in ("", ".", ".."))[:MAX_GROUP].strip()


@dataclass(frozen=True)
class NewFolio:
    """A folio that is made together with its first picture, with the places wanted for it."""

    name: str
    places: tuple[tuple[PlaceDemand, str], ...] = ()  # each with its name, which may be empty


@dataclass(frozen=True)
class Arrival:
    """How a file came: its seat among others, the folders it lay in, and a name of this one sending.

    A picture that came under the same `came_as` is there already: it is not taken twice, however often it is sent.
    `alter` changes its first document, and `on_recorded` writes more of it down, in the transaction that records it.
    """

    seat: "Seat | None" = None
    group: str = ""
    came_as: str | None = None
    alter: Callable[[PictureDocument, SourceFacts], PictureDocument] | None = None
    on_recorded: Callable[[Session, int], None] | None = None


PLAINLY = Arrival()


@dataclass(frozen=True)
class Seat:
    """Where a picture stands among those that were chosen together, whichever of them arrives first.

    `first_id` is the picture of these that was taken first, `number` the place in what was chosen, 0 or more.
    """

    first_id: int
    number: int


def bring_in(
    workshop: Workshop,
    actor: Actor,
    target: int | NewFolio,
    file_name: str,
    chunks: Iterable[bytes],
    arrival: Arrival = PLAINLY,
) -> BroughtIn:
    """Take a file into a folio (by id), or into a new one that is made only if the file is taken.

    Raises the `UserError` family with a sentence that names the file and the reason; then nothing is stored.
    """
    check_target(workshop, actor, target)
    try:
        with workshop.originals.receive(chunks, workshop.limits.file_bytes) as received:
            return bring_in_received(workshop, actor, target, file_name, received, arrival)
    except UserError as error:
        raise not_taken(file_name, error) from error


def check_target(workshop: Workshop, actor: Actor, target: int | NewFolio) -> None:
    """Refuse before anything is received where the person may not put something there, or there is no room for it."""
    if workshop.disk_free() < KEPT_FREE_BYTES:
        raise StorageFullError("The disk on which pictures are kept is full. Free some room, then bring it in again.")
    with workshop.database.begin() as session:
        owner_id = actor.id
        if isinstance(target, int):
            folio = folio_of(session, actor, target)
            check_may_change(session, actor, folio.id)
            owner_id = folio.owner_id
        weight = select(func.coalesce(func.sum(Original.byte_count), 0)).select_from(Picture).join(Folio)
        weight = weight.join(Source, Source.key == Picture.source_key).join(Original)
        taken = int(session.scalar(weight.where(Folio.owner_id == owner_id)) or 0)
    if taken >= QUOTA_BYTES:
        raise StorageFullError(
            f"The pictures in this account's folios weigh {taken / 1e9:.0f} GB, and {QUOTA_BYTES / 1e9:.0f} GB "
            f"are the most. Take some out; they go for good after 30 days."
        )


def bring_in_received(
    workshop: Workshop,
    actor: Actor,
    target: int | NewFolio,
    file_name: str,
    received: Received,
    arrival: Arrival = PLAINLY,
) -> BroughtIn:
    """The same for a file that has arrived already. Sentences of errors begin with “It …”.

    Without a seat, or where the seat's first picture is of another folio, it stands behind what is there.
    """
    if (there := already_taken(workshop, actor, arrival.came_as)) is not None:
        return there
    part, facts = _decoded(workshop, target, received)
    try:
        return _record(workshop, actor, target, file_name, received, facts, arrival, part)
    except IntegrityError:
        there = already_taken(workshop, actor, arrival.came_as)  # somebody sent it twice at the same time
        if there is None:
            raise ChangedMeanwhileError("It came in already, and was taken out again since.") from None
        return there


def _decoded(workshop: Workshop, target: int | NewFolio, received: Received) -> tuple[Part, SourceFacts]:
    """The file as it is usually read; a drawing as large as the places of its folio ask for."""
    facts = decode_received(workshop, received)
    drawn = format_named(facts.format).drawn
    if drawn is None or not drawn.grows:
        return WHOLE, facts
    if isinstance(target, int):
        with workshop.database.begin() as session:
            demands = [PlaceDemand.model_validate(place.demand) for place in hanging_places(session, target)]
    else:
        demands = [demand for demand, _ in target.places]
    wanted = math.ceil(facts.upright.longest * max((_enlargement(facts, one) for one in demands), default=1.0))
    if wanted <= facts.upright.longest:
        return WHOLE, facts
    part = Part(density=min(drawn.largest, wanted))
    try:
        return part, decode_received(workshop, received, part)
    except TooLargeError:
        return WHOLE, facts  # it stays as it was drawn, and is said to be too small where it is


def _enlargement(facts: SourceFacts, demand: PlaceDemand) -> float:
    document = PictureDocument()
    try:
        return document.placement(document.geometry(facts.upright), "0", demand).enlargement
    except OutOfRangeError:
        return 1.0


def already_taken(workshop: Workshop, actor: Actor, came_as: str | None) -> BroughtIn | None:
    """The picture that came as this upload; None where it did not yet."""
    if came_as is None:
        return None
    with workshop.database.begin() as session:
        found = session.scalar(select(Picture).where(Picture.came_as == came_as, allowed_pictures(actor)))
        if found is None:
            return None
        facts = SourceFacts.model_validate(found.source.facts)
        weight = found.source.original.byte_count
        return BroughtIn(found.id, found.folio_id, found.file_name, facts, weight, ())


def not_taken(file_name: str, error: UserError) -> UserError:
    """The error with the file's name before its reason."""
    if isinstance(error, NotFoundError | NotAllowedError | NoLongerWantedError):
        return error
    return type(error)(f"“{_shortened(clean_file_name(file_name))}” was not taken. {error.sentence}")


def _record(
    workshop: Workshop,
    actor: Actor,
    target: int | NewFolio,
    typed: str,
    received: Received,
    facts: SourceFacts,
    arrival: Arrival,
    part: Part,
) -> BroughtIn:
    name = clean_file_name(typed)
    with workshop.database.begin() as session:
        if isinstance(target, int):
            folio = folio_of(session, actor, target, to_change=True)
        else:
            folio = _make_folio(session, actor, target)
        notes = (*_name_notes(typed, name, facts), *_duplicate_notes(session, folio.id, received.sha256))
        key = record_source(session, received, facts, part)
        picture = Picture(folio_id=folio.id, source_key=key, file_name=name, came_as=arrival.came_as)
        picture.group_name = clean_group(arrival.group)
        seat = arrival.seat
        if seat is not None and _is_of(session, folio.id, seat.first_id):
            picture.arrival_id, picture.arrival_number = seat.first_id, seat.number
        session.add(picture)
        session.flush()
        document = PictureDocument(texts=texts_of(facts.recorded), frames_itself=True)
        if arrival.alter is not None:
            document = arrival.alter(document, facts)
        if arrival.on_recorded is not None:
            arrival.on_recorded(session, picture.id)
        start_document(session, actor, picture.id, document, "Brought in")
        folio.changed_at = now()
        workshop.originals.keep(received)
        return BroughtIn(picture.id, folio.id, name, facts, received.byte_count, notes)


def _is_of(session: Session, folio_id: int, picture_id: int) -> bool:
    return (
        session.scalar(select(Picture.id).where(Picture.id == picture_id, Picture.folio_id == folio_id)) is not None
    )


def _make_folio(session: Session, actor: Actor, new: NewFolio) -> Folio:
    folio = Folio(owner_id=actor.id, name=clean_name(new.name, "Untitled"))
    session.add(folio)
    session.flush()
    for demand, name in new.places:
        named = clean_name(name, demand.measure.words())
        session.add(Place(folio_id=folio.id, name=named, demand=demand.model_dump(mode="json")))
        session.flush()
    return folio


def start_document(session: Session, actor: Actor, picture_id: int, document: PictureDocument, summary: str) -> None:
    """The first snapshot of a picture."""
    snapshot = Snapshot(
        picture_id=picture_id, body=document.model_dump(mode="json"), summary=summary, person_id=actor.id
    )
    session.add(snapshot)
    session.flush()
    session.add(Document(picture_id=picture_id, snapshot_id=snapshot.id))


def _name_notes(typed: str, name: str, facts: SourceFacts) -> list[str]:
    notes = []
    if name != typed:
        notes.append(f"It is kept under the name “{_shortened(name)}”.")
    if facts.damage:
        notes.append(f"{facts.damage} It is marked as damaged.")
    notes.extend(facts.notes)
    if facts.frames > 1:
        notes.append(f"It moves: it holds {facts.frames} pictures one after the other; the first one was taken.")
    if facts.pages > 1:
        notes.append(f"It holds {facts.pages} pages; the first one was taken.")
    suffix = Path(name).suffix.lower()
    if suffix and suffix not in facts.suffixes:
        notes.append(f"It is called {suffix[:12]}, but inside is a {facts.format} picture; it was read as that.")
    return notes


def _duplicate_notes(session: Session, folio_id: int, sha256: str) -> list[str]:
    same = session.scalar(
        select(Picture)
        .join(Source)
        .where(Picture.folio_id == folio_id, Source.original_sha256 == sha256, Picture.removed_at.is_(None))
    )
    return [f"The same file is already in this folio as “{_shortened(same.file_name)}”."] if same else []


def _shortened(name: str) -> str:
    return name if len(name) <= 60 else name[:40] + "…" + name[-15:]


def put_back_picture(workshop: Workshop, actor: Actor, picture_id: int) -> int:
    """Put a removed picture back into its folio; the folio's id."""
    with workshop.database.begin() as session:
        picture = removed_picture_of(session, actor, picture_id)
        picture.removed_at = None
        return picture.folio_id


def copy_picture(
    workshop: Workshop, actor: Actor, picture_id: int, document: PictureDocument, name: str, summary: str
) -> int:
    """A picture of its own over the same original, with a document of its own; its id."""
    with workshop.database.begin() as session:
        picture = picture_of(session, actor, picture_id, to_change=True)
        folio = folio_of(session, actor, picture.folio_id, to_change=True)
        apart = named_apart(picture.file_name, name)
        copy = Picture(
            folio_id=picture.folio_id,
            source_key=picture.source_key,
            file_name=apart,
            group_name=picture.group_name,
        )
        if document.file_name is not None:
            document = document.model_copy(update={"file_name": apart})
        session.add(copy)
        session.flush()
        start_document(session, actor, copy.id, document, summary)
        folio.changed_at = now()
        return copy.id


def named_apart(file_name: str, what: str) -> str:
    """A file name that says what sets a copy apart.

    >>> named_apart("dome.jpg", "part")
    'dome, part.jpg'
    """
    stem, dot, suffix = file_name.rpartition(".")
    return clean_file_name(f"{stem}, {what}.{suffix}" if dot else f"{file_name}, {what}")


def take_page(workshop: Workshop, actor: Actor, picture_id: int, page: int, density: int | None = None) -> int:
    """Another part of a picture's file as a picture of its own, beside it; its id.

    UnreadableFileError in words where the file has no such page, or it cannot be decoded or drawn so densely.
    """
    with workshop.database.begin() as session:
        picture = picture_of(session, actor, picture_id, to_change=True)
        key, name = SourceKey.of_file(SourceKey(picture.source_key).original, Part(page, density)), picture.file_name
    facts = known_facts(workshop, key) or decode_stored(workshop, key)
    with workshop.database.begin() as session:
        picture = picture_of(session, actor, picture_id, to_change=True)
        folio = folio_of(session, actor, picture.folio_id, to_change=True)
        record_facts(session, key, facts)
        what = f"page {page}" if facts.pages > 1 else "drawn anew"
        if density is not None:
            what += f" at {density}"
        other = Picture(folio_id=folio.id, source_key=key, file_name=named_apart(name, what))
        other.group_name = picture.group_name
        session.add(other)
        session.flush()
        start_document(
            session, actor, other.id, PictureDocument(frames_itself=True), f"{what.capitalize()} brought in"
        )
        folio.changed_at = now()
        return other.id
