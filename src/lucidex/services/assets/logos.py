"""Logos of a person: files kept for putting on pictures."""

from collections.abc import Iterable
from dataclasses import dataclass

from sqlalchemy.orm import Session

from lucidex.core.encode import PNG, Effort, Encoding, encode
from lucidex.core.finish.assets import AssetFile, AssetKind
from lucidex.core.geometry.fit import Rule, fit
from lucidex.core.geometry.sizes import Size
from lucidex.core.proof.names import clean_file_name
from lucidex.core.render import draw_whole
from lucidex.core.source.facts import SourceFacts
from lucidex.core.source.key import SourceKey
from lucidex.core.steps import assets_of
from lucidex.core.steps.bands import completed, lacks_asset
from lucidex.core.steps.base import Step
from lucidex.records.models import Logo
from lucidex.records.store import Received
from lucidex.services.assets.assets import asset_source
from lucidex.services.assets.fonts import adopt_font
from lucidex.services.assets.own_list import OwnList, taken
from lucidex.services.folios.folios import picture_of
from lucidex.services.folios.looking import check_original
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.sources import decode_received, record_source
from lucidex.services.people.people import Actor

MAX_LOGOS = 100
_LOGOS = OwnList(Logo, "logo", MAX_LOGOS)


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
        return [_kept(row) for row in _LOGOS.read(session, actor)]


def read_logo(workshop: Workshop, actor: Actor, logo_id: int) -> KeptLogo:
    """One logo of the person."""
    with workshop.database.begin() as session:
        return _kept(_LOGOS.one(session, actor, logo_id))


def keep_logo(workshop: Workshop, actor: Actor, file_name: str, chunks: Iterable[bytes]) -> KeptLogo:
    """Take a file as a logo. Raises the `UserError` family with the file and the reason; then nothing is kept."""
    most = workshop.limits.file_bytes
    return taken(workshop, file_name, chunks, most, lambda file: keep_received_logo(workshop, actor, file_name, file))


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
    key = SourceKey.of_file(sha256)
    return _LOGOS.keep(
        session, actor, Logo.source_key == key, lambda: Logo(person_id=actor.id, source_key=key, name=name)
    )


def forget_logo(workshop: Workshop, actor: Actor, logo_id: int) -> None:
    """Take a logo out of the person's list; steps that use it keep it."""
    with workshop.database.begin() as session:
        _LOGOS.forget(session, actor, logo_id)


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
    kept = read_logos(workshop, actor) if lacks_asset(step) else []
    return completed(step, kept[0].file) if kept else step
