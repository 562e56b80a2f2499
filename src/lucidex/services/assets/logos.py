"""Logos of a person: files kept for putting on pictures."""

from collections.abc import Iterable
from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session

from lucidex.core.encode import PNG, Effort, Encoding, encode
from lucidex.core.errors import NotFoundError, OutOfRangeError, UserError
from lucidex.core.finish.assets import AssetFile, AssetKind
from lucidex.core.geometry.fit import Rule, fit
from lucidex.core.geometry.sizes import Size
from lucidex.core.proof.names import clean_file_name
from lucidex.core.render import draw_whole
from lucidex.core.source.facts import SourceFacts
from lucidex.core.source.key import SourceKey
from lucidex.core.steps import assets_of
from lucidex.core.steps.bands import AssetStep
from lucidex.core.steps.base import Step
from lucidex.records.models import Logo, Person
from lucidex.records.store import Received
from lucidex.services.assets.assets import asset_source
from lucidex.services.assets.fonts import adopt_font
from lucidex.services.folios.folios import picture_of
from lucidex.services.folios.looking import check_original
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.intake import not_taken
from lucidex.services.intake.sources import decode_received, record_source
from lucidex.services.people.people import Actor

MAX_LOGOS = 100


@dataclass(frozen=True)
class KeptLogo:
    """A logo of somebody."""

    id: int
    name: str
    sha256: str
    size: Size
    has_clear_areas: bool

    @property
    def file(self) -> AssetFile:
        """As a step names it."""
        return AssetFile(sha256=self.sha256, name=self.name)


def _kept(row: Logo) -> KeptLogo:
    facts = SourceFacts.model_validate(row.source.facts)
    return KeptLogo(row.id, row.name, SourceKey(row.source_key).original, facts.upright, facts.has_clear_areas)


def read_logos(workshop: Workshop, actor: Actor) -> list[KeptLogo]:
    """All logos of a person, the newest first."""
    with workshop.database.begin() as session:
        rows = session.scalars(select(Logo).where(Logo.person_id == actor.id).order_by(Logo.id.desc()))
        return [_kept(row) for row in rows]


def read_logo(workshop: Workshop, actor: Actor, logo_id: int) -> KeptLogo:
    """One logo of the person."""
    with workshop.database.begin() as session:
        return _kept(_row(session, actor, logo_id))


def _row(session: Session, actor: Actor, logo_id: int) -> Logo:
    row = session.get(Logo, logo_id)
    if row is None or row.person_id != actor.id:
        raise NotFoundError("There is no such logo among yours.")
    return row


def keep_logo(workshop: Workshop, actor: Actor, file_name: str, chunks: Iterable[bytes]) -> KeptLogo:
    """Take a file as a logo. Raises the `UserError` family with the file and the reason; then nothing is kept."""
    try:
        with workshop.originals.receive(chunks, workshop.limits.file_bytes) as received:
            return keep_received_logo(workshop, actor, file_name, received)
    except UserError as error:
        raise not_taken(file_name, error) from error


def keep_received_logo(workshop: Workshop, actor: Actor, file_name: str, received: Received) -> KeptLogo:
    """The same for a file that has arrived already. Sentences of errors begin with “It …”."""
    facts = decode_received(workshop, received)
    with workshop.database.begin() as session:
        record_source(session, received, facts)
        kept = _kept(_keep(session, actor, received.sha256, clean_file_name(file_name)))
        workshop.originals.keep(received)
        return kept


def keep_picture_as_logo(workshop: Workshop, actor: Actor, picture_id: int) -> KeptLogo:
    """Take a picture's original as a logo."""
    with workshop.database.begin() as session:
        picture = picture_of(session, actor, picture_id)
        check_original(session, actor, picture)
        return _kept(_keep(session, actor, SourceKey(picture.source_key).original, picture.file_name))


def _keep(session: Session, actor: Actor, sha256: str, name: str) -> Logo:
    # others of the same person wait here, so that counting and keeping are one
    session.get_one(Person, actor.id, with_for_update=True)
    mine = select(Logo).where(Logo.person_id == actor.id)
    row = session.scalar(mine.where(Logo.source_key == SourceKey.of_file(sha256)))
    if row is not None:
        return row
    if len(list(session.scalars(mine))) >= MAX_LOGOS:
        raise OutOfRangeError(f"At most {MAX_LOGOS} logos are kept. Forget one first.")
    row = Logo(person_id=actor.id, source_key=SourceKey.of_file(sha256), name=name)
    session.add(row)
    session.flush()
    return row


def forget_logo(workshop: Workshop, actor: Actor, logo_id: int) -> None:
    """Take a logo out of the person's list; steps that use it keep it."""
    with workshop.database.begin() as session:
        session.delete(_row(session, actor, logo_id))


def adopt_assets(workshop: Workshop, actor: Actor, steps: Iterable[Step]) -> None:
    """Keep the assets of steps that the person was allowed to see, so that they may be put on other pictures."""
    with workshop.database.begin() as session:
        adopt_assets_in(session, actor, steps)


def adopt_assets_in(session: Session, actor: Actor, steps: Iterable[Step]) -> None:
    """The same within a transaction that does more."""
    for file in sorted(assets_of(steps), key=lambda file: file.sha256):
        if file.kind is AssetKind.FONT:
            adopt_font(session, actor, file)
        else:
            _keep(session, actor, file.sha256, file.name)


def reduced(workshop: Workshop, kept: KeptLogo, box: Size) -> bytes:
    """A logo as PNG, no larger than `box`."""
    source = asset_source(workshop, kept.sha256)
    drawn = fit(kept.size, box, Rule.SCALE_DOWN).drawn
    return encode(draw_whole(source, drawn), PNG, Encoding(None, effort=Effort.DRAFT))


def with_newest(workshop: Workshop, actor: Actor, step: Step) -> Step:
    """A step that still lacks its asset, with the person's newest logo where there is one."""
    if not isinstance(step, AssetStep) or not step.lacks_asset:
        return step
    kept = read_logos(workshop, actor)
    return step.with_asset(kept[0].file) if kept else step
