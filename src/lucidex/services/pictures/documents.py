"""One picture's document: read it, change it, take changes back and make them again."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from functools import cached_property

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session, joinedload

from lucidex.core.document import PictureDocument
from lucidex.core.errors import ChangedMeanwhileError, NotAllowedError, NotFoundError, OutOfRangeError
from lucidex.core.geometry.fit import Placement
from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.places.demand import PlaceDemand
from lucidex.core.source.facts import SourceFacts
from lucidex.core.source.key import SourceKey
from lucidex.core.steps import StepEntry
from lucidex.records.models import Document, Folio, Person, Picture, Snapshot, Source, now
from lucidex.services.assets.assets import check_assets
from lucidex.services.folios.folios import (
    ASKED_AT_ONCE,
    NO_PICTURE,
    Seen,
    allowed_pictures,
    picture_of,
    version_of,
    versions_of,
)
from lucidex.services.house.caches import OwnCache
from lucidex.services.house.workshop import Workshop
from lucidex.services.people.people import Actor

MAX_SUMMARY = 400


@dataclass(frozen=True)
class PictureState:
    """A picture as it stands: its document, and what undo and redo would do."""

    picture_id: int
    folio_id: int
    file_name: str
    source_key: SourceKey
    byte_count: int
    facts: SourceFacts
    document: PictureDocument
    version: int
    snapshot_id: int
    undo: str | None
    redo: str | None
    since: datetime  # when the state came about that stands
    redo_id: int | None = None
    redo_since: datetime | None = None
    shows_only: tuple[StepEntry, ...] | None = None  # to whoever asks: the picture with these steps and no others

    @cached_property
    def geometry(self) -> PictureGeometry:
        """What the active steps make of the upright original."""
        return self.document.geometry(self.facts.upright)

    def placement(self, place_key: str, demand: PlaceDemand) -> Placement:
        """Where the picture goes in a place, as `PictureDocument.placement`."""
        return self.document.placement(self.geometry, place_key, demand, self.facts.subject)


def check_shown(state: PictureState, document: PictureDocument) -> None:
    """NotAllowedError where somebody who may only look asks for the picture otherwise than as it stands."""
    if state.shows_only is not None and document.steps != state.shows_only:
        raise NotAllowedError(
            "This folio is shared with you to look at: its pictures as they stand, and not what lies below."
        )


def _seen_by(state: PictureState, seen: Seen) -> PictureState:
    """The state for whoever asks. What is hidden is hidden from lookers, whether they see originals or not."""
    if not seen.only_looks or (seen.originals and not state.document.hides):
        return state
    return replace(state, shows_only=state.document.steps)


def with_document(state: PictureState, document: PictureDocument) -> PictureState:
    """The state with another document, for a rendering that leaves nothing behind."""
    return replace(state, document=document)


_kept: OwnCache[tuple[int, int], PictureState] = OwnCache(4_096, of_facts=True)  # by picture and version

Alter = Callable[[PictureDocument, SourceFacts], PictureDocument]


def read_picture(workshop: Workshop, actor: Actor, picture_id: int) -> PictureState:
    """The picture as it stands."""
    with workshop.database.begin() as session:
        # a version never means anything else later, so what was read of it once is good for ever
        seen = version_of(session, actor, picture_id)
        known = _kept.of(workshop).get((picture_id, seen.version))
        state = known or _state(session, picture_of(session, actor, picture_id))
    # kept only here: within a change, a version may still be rolled back and come to mean another state
    _kept.of(workshop).put_if_absent((picture_id, state.version), state)
    return _seen_by(state, seen)


def read_pictures(workshop: Workshop, actor: Actor, picture_ids: Sequence[int]) -> list[PictureState]:
    """Several pictures as they stand, in the order in which they are asked for; each as `read_picture`."""
    states = read_standing(workshop, actor, picture_ids)
    if len(states) < len(picture_ids):
        raise NotFoundError(NO_PICTURE)
    return states


def read_standing(workshop: Workshop, actor: Actor, picture_ids: Sequence[int]) -> list[PictureState]:
    """The same of those that still stand in a folio which the person sees: somebody may just have taken some out."""
    with workshop.database.begin() as session:
        versions = versions_of(session, actor, picture_ids)
        known = {
            picture_id: _kept.of(workshop).get((picture_id, versions[picture_id].version))
            if picture_id in versions
            else None
            for picture_id in picture_ids
        }
        unknown = [picture_id for picture_id, state in known.items() if state is None]
        parts = (unknown[start : start + ASKED_AT_ONCE] for start in range(0, len(unknown), ASKED_AT_ONCE))
        read = [state for part in parts for state in _states(session, actor, part)]
    for state in read:
        _kept.of(workshop).put_if_absent((state.picture_id, state.version), state)
        known[state.picture_id] = state
    standing = [(known[one], versions[one]) for one in picture_ids if one in versions]
    return [_seen_by(state, seen) for state, seen in standing if state is not None]


def _states(session: Session, actor: Actor, picture_ids: Sequence[int]) -> list[PictureState]:
    """The same as `_state` for many pictures, with three questions instead of three for each."""
    asked = select(Picture, Document).join(Document, Document.picture_id == Picture.id)
    asked = asked.options(joinedload(Picture.source).joinedload(Source.original), joinedload(Document.snapshot))
    rows = list(session.execute(asked.where(Picture.id.in_(picture_ids), allowed_pictures(actor))))
    after = grown_from(session, [held.snapshot_id for _, held in rows])
    return [as_state(picture, held.version, held.snapshot, after.get(held.snapshot_id)) for picture, held in rows]


def grown_from(session: Session, snapshot_ids: Sequence[int]) -> dict[int | None, Snapshot]:
    """The newest state that grew from each of some, by what it grew from."""
    newest = select(func.max(Snapshot.id)).where(Snapshot.parent_id.in_(snapshot_ids)).group_by(Snapshot.parent_id)
    found = session.scalars(select(Snapshot).where(Snapshot.id.in_(newest)))
    return {snapshot.parent_id: snapshot for snapshot in found}


def _state(session: Session, picture: Picture) -> PictureState:
    held = session.get_one(Document, picture.id, options=[joinedload(Document.snapshot)])
    return as_state(picture, held.version, held.snapshot, _redo_target(session, held.snapshot))


def as_state(picture: Picture, version: int, snapshot: Snapshot, after: Snapshot | None) -> PictureState:
    """A picture as it stands with a version that is this snapshot; `after` is the state that redo would go to."""
    return PictureState(
        picture_id=picture.id,
        folio_id=picture.folio_id,
        file_name=picture.file_name,
        source_key=SourceKey(picture.source_key),
        byte_count=picture.source.original.byte_count,
        facts=SourceFacts.model_validate(picture.source.facts),
        document=PictureDocument.read(snapshot.body),
        version=version,
        snapshot_id=snapshot.id,
        undo=snapshot.summary if snapshot.parent_id is not None else None,
        redo=after.summary if after else None,
        since=snapshot.created_at,
        redo_id=after.id if after else None,
        redo_since=after.created_at if after else None,
    )


def _redo_target(session: Session, snapshot: Snapshot) -> Snapshot | None:
    """The newest state that grew from this one; older branches stay but are not offered."""
    return session.scalar(
        select(Snapshot).where(Snapshot.parent_id == snapshot.id).order_by(Snapshot.id.desc()).limit(1)
    )


def change(
    workshop: Workshop, actor: Actor, picture_id: int, version: int, summary: str, alter: Alter
) -> PictureState:
    """Make one change as one transaction and return the new state.

    Raises ChangedMeanwhileError where `version` is no longer the current one; nothing is changed then.
    A change that changes nothing makes no version.
    """
    with workshop.database.begin() as session:
        return change_in(session, actor, picture_id, version, summary, alter)


def change_in(
    session: Session, actor: Actor, picture_id: int, version: int | None, summary: str, alter: Alter
) -> PictureState:
    """The same within a transaction that does more; without a `version`, on top of whatever stands there."""
    picture = picture_of(session, actor, picture_id, to_change=True)
    held = session.get_one(Document, picture.id)
    before = PictureDocument.read(held.snapshot.body)
    if version is not None:
        expect_version(held, version)
    after = PictureDocument.model_validate(
        alter(before, SourceFacts.model_validate(picture.source.facts)).model_dump()
    )
    if after == before:
        return _state(session, picture)
    check_assets(session, actor, after.assets - before.assets)
    touch(session, picture.folio_id)  # before the new row takes hold of its picture
    snapshot = Snapshot(
        picture_id=picture.id,
        parent_id=held.snapshot_id,
        body=after.model_dump(mode="json"),
        summary=summary[:MAX_SUMMARY],
        person_id=actor.id,
    )
    session.add(snapshot)
    session.flush()
    point(session, picture, held.version, snapshot.id)
    return _state(session, picture)


def undo(workshop: Workshop, actor: Actor, picture_id: int, version: int) -> PictureState:
    """Go back to the state before the last change. OutOfRangeError where there is none."""
    return _step_through(
        workshop,
        actor,
        picture_id,
        version,
        lambda s, now_at: now_at.parent_id,
        "There is nothing to take back.",
    )


def redo(workshop: Workshop, actor: Actor, picture_id: int, version: int) -> PictureState:
    """Make the change again that was taken back. OutOfRangeError where there is none."""
    return _step_through(workshop, actor, picture_id, version, _redo_id, "There is nothing to make again.")


def _redo_id(session: Session, at: Snapshot) -> int | None:
    after = _redo_target(session, at)
    return after.id if after else None


def _step_through(
    workshop: Workshop,
    actor: Actor,
    picture_id: int,
    version: int,
    target: Callable[[Session, Snapshot], int | None],
    nothing: str,
) -> PictureState:
    with workshop.database.begin() as session:
        picture = picture_of(session, actor, picture_id, to_change=True)
        held = session.get_one(Document, picture.id)
        expect_version(held, version)
        snapshot_id = target(session, held.snapshot)
        if snapshot_id is None:
            raise OutOfRangeError(nothing)
        point(session, picture, version, snapshot_id)
        return _state(session, picture)


@dataclass(frozen=True)
class HistoryEntry:
    """One state that a picture was in: what was done to get there, by whom and when."""

    snapshot_id: int
    summary: str
    person: str
    created_at: datetime
    is_current: bool
    counts: bool


def read_history(workshop: Workshop, actor: Actor, picture_id: int) -> list[HistoryEntry]:
    """Every state of a picture, the newest first; `counts` says which led to the current one."""
    with workshop.database.begin() as session:
        picture = picture_of(session, actor, picture_id)
        current = session.get_one(Document, picture.id).snapshot_id
        # without the bodies, which are all that is large
        found = select(Snapshot.id, Snapshot.parent_id, Snapshot.summary, Snapshot.created_at, Person.name)
        found = found.join(Person, Person.id == Snapshot.person_id).where(Snapshot.picture_id == picture.id)
        rows = list(session.execute(found.order_by(Snapshot.id.desc())))
    counting = _ancestors({row.id: row.parent_id for row in rows}, current)
    return [
        HistoryEntry(row.id, row.summary, row.name, row.created_at, row.id == current, row.id in counting)
        for row in rows
    ]


def _ancestors(parents: dict[int, int | None], start: int) -> set[int]:
    line: set[int] = set()
    at: int | None = start
    while at is not None:
        line.add(at)
        at = parents[at]
    return line


def go_to(workshop: Workshop, actor: Actor, picture_id: int, version: int, snapshot_id: int) -> PictureState:
    """Let any earlier or later state count again. NotFoundError where it is not this picture's."""
    with workshop.database.begin() as session:
        picture = picture_of(session, actor, picture_id, to_change=True)
        held = session.get_one(Document, picture.id)
        expect_version(held, version)
        snapshot = session.get(Snapshot, snapshot_id)
        if snapshot is None or snapshot.picture_id != picture.id:
            raise NotFoundError("This state is not in the picture's history.")
        if snapshot.id != held.snapshot_id:
            point(session, picture, version, snapshot.id)
        return _state(session, picture)


def read_snapshot(workshop: Workshop, actor: Actor, picture_id: int, snapshot_id: int) -> PictureDocument:
    """The document as it stood at a state. NotFoundError where the state is not this picture's."""
    with workshop.database.begin() as session:
        picture = picture_of(session, actor, picture_id)
        snapshot = session.get(Snapshot, snapshot_id)
        if snapshot is None or snapshot.picture_id != picture.id:
            raise NotFoundError("This state is not in the picture's history.")
        return PictureDocument.read(snapshot.body)


def expect_version(held: Document | PictureState, version: int) -> None:
    """ChangedMeanwhileError where another version stands by now."""
    if held.version != version:
        raise changed_elsewhere()


def changed_elsewhere() -> ChangedMeanwhileError:
    """What is said where somebody else was first."""
    return ChangedMeanwhileError(
        "This picture was changed elsewhere since you opened it here. Nothing was lost: "
        "look at the other change, then make yours on top of it."
    )


def touch(session: Session, folio_id: int) -> None:
    """The folio first, before anything of it is written: whoever changes several of its pictures and whoever changes
    one of them meet here, and cannot come to wait for each other."""
    session.execute(update(Folio).where(Folio.id == folio_id).values(changed_at=now()))


def point(session: Session, picture: Picture, version: int, snapshot_id: int) -> None:
    """Let a state of a picture count, after `version`. ChangedMeanwhileError where another one stands by now."""
    held = session.get_one(Document, picture.id)
    touch(session, picture.folio_id)
    moved = session.execute(
        update(Document)
        .where(Document.picture_id == picture.id, Document.version == version)
        .values(version=version + 1, snapshot_id=snapshot_id)
    )
    if moved.rowcount != 1:  # type: ignore[attr-defined]
        expect_version(held, -1)
    session.refresh(held)
    named = session.get_one(Snapshot, snapshot_id).body.get("file_name")
    picture.file_name = named or picture.came_named
