"""Sources that an earlier version of the intake read are read again: what is known of them may have been wrong."""

from collections.abc import Iterator

from sqlalchemy import select

from lucidex.core.errors import UserError
from lucidex.core.source.facts import INTAKE_REVISION, SourceFacts
from lucidex.core.source.key import SourceKey
from lucidex.records.models import Source
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.sources import decode_stored, know_anew


def _stale(workshop: Workshop) -> list[SourceKey]:
    revision = Source.facts["intake_revision"].as_integer()
    with workshop.database.begin() as session:
        keys = session.scalars(select(Source.key).where(revision.is_(None) | (revision < INTAKE_REVISION)))
        return [SourceKey(key) for key in keys]


def stale_sources(workshop: Workshop) -> int:
    """How many there are."""
    return len(_stale(workshop))


def read_again(workshop: Workshop) -> Iterator[str]:
    """Read them; a sentence for each that cannot be read rightly. It keeps what is known, marked as damaged."""
    for key in _stale(workshop):
        try:
            facts = decode_stored(workshop, key)
        except UserError as error:
            with workshop.database.begin() as session:
                before = SourceFacts.model_validate(session.get_one(Source, key).facts)
            facts = before.model_copy(update={"damage": error.sentence, "intake_revision": INTAKE_REVISION})
            yield f"{key[:12]}: {error.sentence}"
        know_anew(workshop, key, facts)
