"""Originals that an earlier version of the intake read are read again: what is known of them may have been wrong."""

from collections.abc import Iterator

from sqlalchemy import select, update

from lucidex.core.errors import UserError
from lucidex.core.source.facts import INTAKE_REVISION, SourceFacts
from lucidex.records.models import Original
from lucidex.services.caches import OwnCache
from lucidex.services.intake import decode_stored
from lucidex.services.workshop import Workshop


def _stale(workshop: Workshop) -> list[str]:
    revision = Original.facts["intake_revision"].as_integer()
    with workshop.database.begin() as session:
        return list(session.scalars(select(Original.sha256).where(revision.is_(None) | (revision < INTAKE_REVISION))))


def stale_originals(workshop: Workshop) -> int:
    """How many there are."""
    return len(_stale(workshop))


def read_again(workshop: Workshop) -> Iterator[str]:
    """Read them; a sentence for each that cannot be read rightly. It keeps what is known, marked as damaged."""
    for sha256 in _stale(workshop):
        try:
            facts = decode_stored(workshop, sha256)
        except UserError as error:
            with workshop.database.begin() as session:
                before = SourceFacts.model_validate(session.get_one(Original, sha256).facts)
            facts = before.model_copy(update={"damage": error.sentence, "intake_revision": INTAKE_REVISION})
            yield f"{sha256[:12]}: {error.sentence}"
        with workshop.database.begin() as session:
            body = facts.model_dump(mode="json")
            session.execute(update(Original).where(Original.sha256 == sha256).values(facts=body))
        OwnCache.forget_facts(workshop)
