"""Logos of a person: files kept for putting on pictures. A step names one by its hash; this is who may name which."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

import pyvips
from sqlalchemy import select
from sqlalchemy.orm import Session

from lucidex.core.encode import Encoding, FormatName, encode
from lucidex.core.errors import NotFoundError, OutOfRangeError, UnavailableError, UserError
from lucidex.core.finish.compositing import stamped
from lucidex.core.geometry.fit import Rule, fit
from lucidex.core.geometry.sizes import Box, Size
from lucidex.core.render import draw_whole
from lucidex.core.source.facts import MAX_FILE_BYTES, SourceFacts
from lucidex.core.source.pyramid import Source
from lucidex.core.steps import StepEntry
from lucidex.core.steps.base import FinishStep, Step
from lucidex.core.steps.logo import Logo as LogoStep
from lucidex.core.steps.logo import LogoFile
from lucidex.records.models import Logo, Original, Person, Picture
from lucidex.records.store import Received
from lucidex.services.folios import allowed_pictures, picture_of
from lucidex.services.intake import clean_file_name, decode_received, not_taken, open_source, record_original
from lucidex.services.people import Actor
from lucidex.services.workshop import Workshop

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
    def file(self) -> LogoFile:
        """As a step names it."""
        return LogoFile(sha256=self.sha256, name=self.name)


def _kept(row: Logo) -> KeptLogo:
    facts = SourceFacts.model_validate(row.original.facts)
    return KeptLogo(row.id, row.name, row.original_sha256, facts.upright, facts.has_clear_areas)


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
        with workshop.originals.receive(chunks, MAX_FILE_BYTES) as received:
            return keep_received_logo(workshop, actor, file_name, received)
    except UserError as error:
        raise not_taken(file_name, error) from error


def keep_received_logo(workshop: Workshop, actor: Actor, file_name: str, received: Received) -> KeptLogo:
    """The same for a file that has arrived already. Sentences of errors begin with “It …”."""
    facts = decode_received(workshop, received)
    with workshop.database.begin() as session:
        record_original(session, received, facts)
        kept = _kept(_keep(session, actor, received.sha256, clean_file_name(file_name)))
        workshop.originals.keep(received)
        return kept


def keep_picture_as_logo(workshop: Workshop, actor: Actor, picture_id: int) -> KeptLogo:
    """Take a picture's original as a logo."""
    with workshop.database.begin() as session:
        picture = picture_of(session, actor, picture_id)
        return _kept(_keep(session, actor, picture.original_sha256, picture.file_name))


def _keep(session: Session, actor: Actor, sha256: str, name: str) -> Logo:
    # others of the same person wait here, so that counting and keeping are one
    session.get_one(Person, actor.id, with_for_update=True)
    mine = select(Logo).where(Logo.person_id == actor.id)
    row = session.scalar(mine.where(Logo.original_sha256 == sha256))
    if row is not None:
        return row
    if len(list(session.scalars(mine))) >= MAX_LOGOS:
        raise OutOfRangeError(f"At most {MAX_LOGOS} logos are kept. Forget one first.")
    row = Logo(person_id=actor.id, original_sha256=sha256, name=name)
    session.add(row)
    session.flush()
    return row


def forget_logo(workshop: Workshop, actor: Actor, logo_id: int) -> None:
    """Take a logo out of the person's list; steps that use it keep it."""
    with workshop.database.begin() as session:
        session.delete(_row(session, actor, logo_id))


def adopt_logos(workshop: Workshop, actor: Actor, steps: Sequence[Step]) -> None:
    """Keep the logos of steps that the person was allowed to see, so that they may be put on other pictures."""
    with workshop.database.begin() as session:
        for file in _files(steps):
            _keep(session, actor, file.sha256, file.name)


def _files(steps: Sequence[Step]) -> list[LogoFile]:
    return [file for step in steps if isinstance(file := getattr(step, "logo", None), LogoFile)]


def check_logos(session: Session, actor: Actor, wanted: frozenset[str]) -> None:
    """NotFoundError where somebody names a logo that is neither theirs nor a picture that they may see."""
    for sha256 in wanted:
        mine = select(Logo.id).where(Logo.person_id == actor.id, Logo.original_sha256 == sha256)
        seen = select(Picture.id).where(Picture.original_sha256 == sha256, allowed_pictures(actor))
        if session.scalar(mine.limit(1)) is None and session.scalar(seen.limit(1)) is None:
            raise NotFoundError("This logo is not among yours. Bring its file in first.")


def check_steps(workshop: Workshop, actor: Actor, entries: Sequence[StepEntry]) -> None:
    """The same for steps that come from outside."""
    named = (entry.step.logo_sha256 for entry in entries if isinstance(entry.step, FinishStep))
    with workshop.database.begin() as session:
        check_logos(session, actor, frozenset(sha256 for sha256 in named if sha256 is not None))


def logo_source(workshop: Workshop, sha256: str) -> Source:
    """The pixels of a logo. Whether it may be used was decided when a step began to name it."""
    known = workshop.logo_facts.get(sha256)
    if known is None:
        with workshop.database.begin() as session:
            row = session.get(Original, sha256)
            if row is None:
                raise UnavailableError("The file of a logo is missing. Choose the logo again.")
            known = SourceFacts.model_validate(row.facts)
        workshop.logo_facts.put(sha256, known)
    return open_source(workshop, sha256, known)


def reduced(workshop: Workshop, kept: KeptLogo, box: Size) -> bytes:
    """A logo as PNG, no larger than `box`."""
    source = logo_source(workshop, kept.sha256)
    drawn = fit(kept.size, box, Rule.SCALE_DOWN).drawn
    return encode(draw_whole(source, drawn), FormatName.PNG, Encoding(None, hurried=True))


def alone(workshop: Workshop, step: LogoStep, canvas: Size) -> bytes:
    """A step's logo as it lies on a canvas of this size, alone on a clear ground, as PNG."""
    if step.logo is None:
        raise NotFoundError("This step has no logo yet.")
    source = logo_source(workshop, step.logo.sha256)
    stamp = step.on(canvas, step.logo, source.upright)
    size = stamp.box.size
    clear = pyvips.Image.black(size.width, size.height, bands=4).copy(interpretation="srgb")
    laid = stamped(clear, draw_whole(source, size), replace(stamp, box=Box(0, 0, size)))
    return encode(laid, FormatName.PNG, Encoding(None, hurried=True))


def with_newest(workshop: Workshop, actor: Actor, step: Step) -> Step:
    """A logo step that names no file yet, with the person's newest logo where there is one."""
    if not isinstance(step, LogoStep) or step.logo is not None:
        return step
    kept = read_logos(workshop, actor)
    return step.model_copy(update={"logo": kept[0].file}) if kept else step
