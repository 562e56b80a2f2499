"""Assets of steps: who may name which, and the one way to open them. A step names a file by its hash."""

from collections.abc import Iterable, Sequence

from sqlalchemy import select
from sqlalchemy.orm import Session

from lucidex.core.errors import NotFoundError, UnavailableError
from lucidex.core.finish.assets import AssetFile, AssetKind
from lucidex.core.render import SourceAssets
from lucidex.core.source.key import SourceKey
from lucidex.core.source.pyramid import Source
from lucidex.core.steps import StepEntry, assets_of
from lucidex.records.models import Font, Logo, Picture
from lucidex.services.assets.fonts import face_of
from lucidex.services.folios.folios import changeable_pictures
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.sources import known_facts, open_source
from lucidex.services.people.people import Actor


def check_assets(session: Session, actor: Actor, named: Iterable[AssetFile]) -> None:
    """NotFoundError for a file that is neither somebody's own nor a picture of a folio that they may change."""
    named = frozenset(named)
    for file in named:
        own = select(Font.id).where(Font.person_id == actor.id, Font.original_sha256 == file.sha256)
        if file.kind is AssetKind.FONT and session.scalar(own.limit(1)) is None:
            raise NotFoundError(f"The face “{file.name}” is not among yours. Bring its file in first.")
    for sha256 in {file.sha256 for file in named if file.kind is AssetKind.PICTURE}:
        mine = select(Logo.id).where(Logo.person_id == actor.id, Logo.source_key == sha256)
        seen = select(Picture.id).where(Picture.source_key == sha256, changeable_pictures(actor))
        if session.scalar(mine.limit(1)) is None and session.scalar(seen.limit(1)) is None:
            raise NotFoundError("This logo is not among yours. Bring its file in first.")


def check_steps(workshop: Workshop, actor: Actor, entries: Sequence[StepEntry]) -> None:
    """The same for steps that come from outside."""
    with workshop.database.begin() as session:
        check_assets(session, actor, assets_of(entry.step for entry in entries))


def asset_source(workshop: Workshop, sha256: str) -> Source:
    """The pixels of an asset. Whether it may be used was decided when a step began to name it."""
    key = SourceKey.of_file(sha256)
    facts = known_facts(workshop, key)
    if facts is None:
        raise UnavailableError("The file of a logo is missing. Choose the logo again.")
    return open_source(workshop, key, facts)


def open_assets(workshop: Workshop, files: Iterable[AssetFile]) -> SourceAssets:
    """All that steps need, ready to be drawn."""
    files = frozenset(files)
    pictures = {file.sha256 for file in files if file.kind is AssetKind.PICTURE}
    faces = {file.sha256 for file in files if file.kind is AssetKind.FONT}
    return SourceAssets(
        {sha256: asset_source(workshop, sha256) for sha256 in pictures},
        {sha256: face_of(workshop, sha256) for sha256 in faces},
    )
