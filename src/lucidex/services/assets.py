"""Assets of steps: who may name which, and the one way to open them. A step names a file by its hash."""

from collections.abc import Iterable, Sequence

from sqlalchemy import select
from sqlalchemy.orm import Session

from lucidex.core.errors import NotFoundError, UnavailableError
from lucidex.core.finish.assets import AssetFile
from lucidex.core.render import SourceAssets
from lucidex.core.source.facts import SourceFacts
from lucidex.core.source.pyramid import Source
from lucidex.core.steps import StepEntry, assets_of
from lucidex.records.models import Logo, Original, Picture
from lucidex.services.caches import OwnCache
from lucidex.services.folios import allowed_pictures
from lucidex.services.intake import open_source
from lucidex.services.people import Actor
from lucidex.services.workshop import Workshop

_facts: OwnCache[str, SourceFacts] = OwnCache(64, of_facts=True)


def check_assets(session: Session, actor: Actor, named: Iterable[AssetFile]) -> None:
    """NotFoundError where somebody names a file that is neither theirs nor a picture that they may see."""
    for sha256 in {file.sha256 for file in named}:
        mine = select(Logo.id).where(Logo.person_id == actor.id, Logo.original_sha256 == sha256)
        seen = select(Picture.id).where(Picture.original_sha256 == sha256, allowed_pictures(actor))
        if session.scalar(mine.limit(1)) is None and session.scalar(seen.limit(1)) is None:
            raise NotFoundError("This logo is not among yours. Bring its file in first.")


def check_steps(workshop: Workshop, actor: Actor, entries: Sequence[StepEntry]) -> None:
    """The same for steps that come from outside."""
    with workshop.database.begin() as session:
        check_assets(session, actor, assets_of(entry.step for entry in entries))


def asset_source(workshop: Workshop, sha256: str) -> Source:
    """The pixels of an asset. Whether it may be used was decided when a step began to name it."""
    facts = _facts.of(workshop)
    known = facts.get(sha256)
    if known is None:
        with workshop.database.begin() as session:
            row = session.get(Original, sha256)
            if row is None:
                raise UnavailableError("The file of a logo is missing. Choose the logo again.")
            known = SourceFacts.model_validate(row.facts)
        facts.put(sha256, known)
    return open_source(workshop, sha256, known)


def open_assets(workshop: Workshop, files: Iterable[AssetFile]) -> SourceAssets:
    """All that steps need, ready to be drawn."""
    return SourceAssets({file.sha256: asset_source(workshop, file.sha256) for file in files})
