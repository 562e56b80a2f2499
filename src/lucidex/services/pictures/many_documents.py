"""Changes of many pictures' documents within one transaction, each statement for many rows."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from sqlalchemy import case, select, update
from sqlalchemy.orm import Session, joinedload

from lucidex.core.document import PictureDocument
from lucidex.core.errors import NotFoundError, UserError
from lucidex.core.source.facts import SourceFacts
from lucidex.records.models import Document, Picture, Snapshot, Source
from lucidex.services.assets.assets import check_assets
from lucidex.services.folios.folios import ASKED_AT_ONCE, NO_PICTURE, allowed_pictures, check_may_change
from lucidex.services.people.people import Actor
from lucidex.services.pictures.documents import (
    MAX_SUMMARY,
    Alter,
    PictureState,
    as_state,
    changed_elsewhere,
    expect_version,
    grown_from,
    touch,
)


@dataclass(frozen=True)
class Wanted:
    """What shall become of a picture, on top of a version, or of whatever stands there."""

    alter: Alter
    version: int | None = None


@dataclass(frozen=True)
class _Read:
    """A picture as it is found, and the state that it would go to by redo."""

    picture: Picture
    held: Document
    facts: SourceFacts
    before: PictureDocument
    after: Snapshot | None


def change_all_in(
    session: Session, actor: Actor, wanted: Mapping[int, Wanted], summary: str
) -> dict[int, PictureState | UserError]:
    """Change pictures, each as `documents.change_in` does: the new states, or why one of them stays as it is.

    Raises NotAllowedError where a folio may only be looked at, and ChangedMeanwhileError where a picture is changed
    by somebody else at this very moment: nothing is changed then.
    """
    found = _read_all(session, actor, list(wanted))
    for folio_id in {one.picture.folio_id for one in found.values()}:
        check_may_change(session, actor, folio_id)
    outcome: dict[int, PictureState | UserError] = {}
    changed: dict[int, PictureDocument] = {}
    allowed = _Assets(session, actor)
    for picture_id, wish in wanted.items():
        one = found.get(picture_id)
        try:
            if one is None:
                raise NotFoundError(NO_PICTURE)
            if wish.version is not None:
                expect_version(one.held, wish.version)
            after = PictureDocument.model_validate(wish.alter(one.before, one.facts).model_dump())
            allowed.check(one.before, after)
        except UserError as error:
            outcome[picture_id] = error
            continue
        if after == one.before:
            outcome[picture_id] = as_state(one.picture, one.held.version, one.held.snapshot, one.after)
        else:
            changed[picture_id] = after
    outcome |= _written(session, actor, {one: found[one] for one in changed}, changed, summary)
    return {picture_id: outcome[picture_id] for picture_id in wanted}


def all_or_none(outcome: Mapping[int, PictureState | UserError]) -> list[PictureState]:
    """The new states; where one picture stays as it is, the reason is raised, and the transaction given up."""
    states = []
    for one in outcome.values():
        if isinstance(one, UserError):
            raise one
        states.append(one)
    return states


class _Assets:
    """Which files may be named, each set of them asked about once."""

    def __init__(self, session: Session, actor: Actor) -> None:
        self._session, self._actor = session, actor
        self._known: dict[frozenset[object], UserError | None] = {}

    def check(self, before: PictureDocument, after: PictureDocument) -> None:
        added = after.assets - before.assets
        if added not in self._known:
            try:
                check_assets(self._session, self._actor, added)
                self._known[added] = None
            except UserError as error:
                self._known[added] = error
        refused = self._known[added]
        if refused is not None:
            raise refused


def _read_all(session: Session, actor: Actor, picture_ids: Sequence[int]) -> dict[int, _Read]:
    found: dict[int, _Read] = {}
    asked = select(Picture, Document).join(Document, Document.picture_id == Picture.id)
    asked = asked.options(joinedload(Picture.source).joinedload(Source.original), joinedload(Document.snapshot))
    asked = asked.execution_options(populate_existing=True)
    for start in range(0, len(picture_ids), ASKED_AT_ONCE):
        some = picture_ids[start : start + ASKED_AT_ONCE]
        rows = list(session.execute(asked.where(Picture.id.in_(some), allowed_pictures(actor))))
        after = grown_from(session, [held.snapshot_id for _, held in rows])
        for picture, held in rows:
            facts = SourceFacts.model_validate(picture.source.facts)
            before = PictureDocument.read(held.snapshot.body)
            found[picture.id] = _Read(picture, held, facts, before, after.get(held.snapshot_id))
    return found


def _written(
    session: Session, actor: Actor, found: Mapping[int, _Read], documents: Mapping[int, PictureDocument], summary: str
) -> dict[int, PictureState]:
    """New states that count from here on."""
    snapshots = {
        picture_id: Snapshot(
            picture_id=picture_id,
            parent_id=found[picture_id].held.snapshot_id,
            body=document.model_dump(mode="json"),
            summary=summary[:MAX_SUMMARY],
            person_id=actor.id,
        )
        for picture_id, document in documents.items()
    }
    for folio_id in sorted({one.picture.folio_id for one in found.values()}):
        touch(session, folio_id)
    session.add_all(snapshots.values())
    session.flush()
    pointed = {
        one: Pointed(found[one].picture, found[one].held.version, found[one].held.snapshot_id, made.id)
        for one, made in snapshots.items()
    }
    point_all(session, pointed)
    return {one: as_state(found[one].picture, found[one].held.version, made, None) for one, made in snapshots.items()}


@dataclass(frozen=True)
class Pointed:
    """A picture with its version and its state before, and the state that shall count from here on."""

    picture: Picture
    version: int
    before_id: int
    goal_id: int


def point_all(session: Session, pointed: Mapping[int, Pointed]) -> None:
    """Let states of pictures count. ChangedMeanwhileError where another one counts by now."""
    for folio_id in sorted({one.picture.folio_id for one in pointed.values()}):
        touch(session, folio_id)
    ids = list(pointed)
    for start in range(0, len(ids), ASKED_AT_ONCE):
        some = {one: pointed[one] for one in ids[start : start + ASKED_AT_ONCE]}
        _point(session, some)


def _point(session: Session, pointed: Mapping[int, Pointed]) -> None:
    goals = case({one: pointed[one].goal_id for one in pointed}, value=Document.picture_id)
    versions = case({one: pointed[one].version for one in pointed}, value=Document.picture_id)
    expected = [one.before_id for one in pointed.values()]
    moved = session.execute(
        update(Document)
        .where(Document.picture_id.in_(pointed), Document.snapshot_id.in_(expected), Document.version == versions)
        .values(version=Document.version + 1, snapshot_id=goals)
        .execution_options(synchronize_session=False)
    )
    if moved.rowcount != len(pointed):  # type: ignore[attr-defined]
        raise changed_elsewhere()
    held = session.scalars(
        select(Document)
        .options(joinedload(Document.snapshot))
        .where(Document.picture_id.in_(pointed))
        .execution_options(populate_existing=True)
    )
    for one in held:
        picture = pointed[one.picture_id].picture
        picture.file_name = one.snapshot.body.get("file_name") or picture.came_named
