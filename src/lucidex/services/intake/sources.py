"""Sources: what pictures are made from. One function opens any, and decodes it again where its pixels were let go."""

from pathlib import Path

import numpy as np
import pyvips
from sqlalchemy import update
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from lucidex.core.errors import (
    DamagedStoreError,
    TooLargeError,
    UnavailableError,
    UnforeseenError,
    UnreadableFileError,
)
from lucidex.core.framing.looking import subject_in
from lucidex.core.framing.subject import Subject
from lucidex.core.render import draw_whole
from lucidex.core.source.decoder import WHOLE
from lucidex.core.source.derivation import Restoration
from lucidex.core.source.facts import SourceFacts
from lucidex.core.source.formats import Part
from lucidex.core.source.key import SourceKey
from lucidex.core.source.likeness import fingerprint
from lucidex.core.source.limits import OF_WHAT_IS_THERE, IntakeLimits
from lucidex.core.source.pyramid import AnyPixels, Source, levels_of
from lucidex.records.decoded import complete, map_level
from lucidex.records.models import Original, now
from lucidex.records.models import Source as SourceRow
from lucidex.records.store import Received
from lucidex.services.folios.folios import picture_of
from lucidex.services.folios.looking import check_original
from lucidex.services.house.caches import OwnCache
from lucidex.services.house.workshop import Workshop
from lucidex.services.people.events import EventKind, note
from lucidex.services.people.people import Actor
from lucidex.work.decode_task import decode_into

_facts: OwnCache[SourceKey, SourceFacts] = OwnCache(64, of_facts=True)


def known_facts(workshop: Workshop, key: SourceKey) -> SourceFacts | None:
    """What is known of a source, or None where nothing was recorded."""
    facts = _facts.of(workshop)
    known = facts.get(key)
    if known is None:
        with workshop.database.begin() as session:
            row = session.get(SourceRow, key)
            if row is None:
                return None
            known = SourceFacts.model_validate(row.facts)
        facts.put_if_absent(key, known)
    return known


def record_source(session: Session, received: Received, facts: SourceFacts, part: Part = WHOLE) -> SourceKey:
    """Write a file down that came in, whoever else brings the same in at the same time; the key of its source."""
    written = insert(Original).values(sha256=received.sha256, byte_count=received.byte_count, created_at=now())
    session.execute(written.on_duplicate_key_update(byte_count=written.inserted.byte_count))
    key = SourceKey.of_file(received.sha256, part)
    record_facts(session, key, facts)
    return key


def record_facts(session: Session, key: SourceKey, facts: SourceFacts) -> None:
    """Write a source of a stored file down; its facts are the newest ones."""
    body = facts.model_dump(mode="json")
    written = insert(SourceRow).values(source_key=key, original_sha256=key.original, facts=body, created_at=now())
    session.execute(written.on_duplicate_key_update(facts=written.inserted.facts))


def open_source(
    workshop: Workshop, key: SourceKey, facts: SourceFacts, restorations: tuple[Restoration, ...] = ()
) -> Source:
    """A decoded source, or what restorations make of it; decoded again where the cache has let it go.

    Nothing is opened before a level is asked for, and nothing is held open here.
    """

    def open_level(number: int) -> AnyPixels:
        try:
            return _level(workshop, key, facts, restorations, number)
        except FileNotFoundError:
            found = _decode_again(workshop, key)
            if (found.layout, found.stored) != (facts.layout, facts.stored):
                # an earlier version read it otherwise; `services.intake.source_upgrades` has not come to it yet
                know_anew(workshop, key, found)
                raise UnavailableError("This picture was read anew by this version. Load the page again.") from None
            return _level(workshop, key, facts, restorations, number)

    layout = facts.after(restorations).layout
    return Source(facts.stored, facts.orientation, layout, facts.profile, open_level)


def _level(
    workshop: Workshop, key: SourceKey, facts: SourceFacts, restorations: tuple[Restoration, ...], number: int
) -> AnyPixels:
    if not restorations:
        return workshop.decoded.level(key, facts, number)
    return workshop.derived.level(key, facts, restorations, number)


def decode_received(workshop: Workshop, received: Received, part: Part = WHOLE) -> SourceFacts:
    """Decode a file that is not stored yet; its levels go to the decoded store."""
    return _decode(workshop, received.path, SourceKey.of_file(received.sha256, part), workshop.limits)


def decode_once(workshop: Workshop, path: Path) -> pyvips.Image:
    """What a file shows, upright and in 8 bits of sRGB, without keeping anything of it."""
    with workshop.originals.scratch_folder() as scratch:
        facts = decode_into(workshop.isolated, path, scratch, WHOLE, workshop.limits)
        levels = {number: np.array(map_level(scratch, facts, number)) for number in levels_of(facts.stored)}
    source = Source(facts.stored, facts.orientation, facts.layout, facts.profile, levels.__getitem__)
    return draw_whole(source, facts.upright).copy_memory()


def _decode(workshop: Workshop, path: Path, key: SourceKey, limits: IntakeLimits) -> SourceFacts:
    with workshop.originals.scratch_folder() as scratch:
        levels = scratch / "levels"
        levels.mkdir()
        facts = decode_into(workshop.isolated, path, levels, key.part, limits)
        if not complete(levels, facts):
            raise UnforeseenError("Decoding it did not finish.")
        seen = {"fingerprint": _fingerprint(levels, facts), "subject": _subject(levels, facts)}
        facts = facts.model_copy(update=seen)
        workshop.decoded.keep(key, levels)
    return facts


def _fingerprint(levels: Path, facts: SourceFacts) -> str:
    smallest = np.array(map_level(levels, facts, max(levels_of(facts.stored))))  # a copy: nothing stays mapped
    return fingerprint(smallest, facts.orientation)


def _subject(levels: Path, facts: SourceFacts) -> Subject:
    def held(number: int) -> AnyPixels:
        return map_level(levels, facts, number)

    return subject_in(Source(facts.stored, facts.orientation, facts.layout, facts.profile, held))


def decode_stored(workshop: Workshop, key: SourceKey) -> SourceFacts:
    """Decode a source from its stored file. DamagedStoreError where that is not what it was."""
    _check_original(workshop, key)
    with workshop.originals.as_file(key.original) as path:
        return _decode(workshop, path, key, OF_WHAT_IS_THERE)


def know_anew(workshop: Workshop, key: SourceKey, facts: SourceFacts) -> None:
    """Other facts of a source are true by now; what was worked out from the former ones is forgotten."""
    with workshop.database.begin() as session:
        body = facts.model_dump(mode="json")
        session.execute(update(SourceRow).where(SourceRow.key == key).values(facts=body))
    OwnCache.forget_facts(workshop)


def _decode_again(workshop: Workshop, key: SourceKey) -> SourceFacts:
    """Decode a source whose pixels the cache let go. DamagedStoreError where that is not possible."""
    try:
        return decode_stored(workshop, key)
    except (UnreadableFileError, TooLargeError) as error:
        raise DamagedStoreError(f"This picture's original cannot be decoded any more. {error.sentence}") from error


def _check_original(workshop: Workshop, key: SourceKey) -> None:
    """Compare the file of a source with its name. DamagedStoreError where they differ."""
    if not workshop.originals.is_whole(key.original):
        raise DamagedStoreError(
            "The stored original of this picture is missing or damaged: its contents are no longer what came in. "
            "Bring the file in once more; everything that was done to the picture stays."
        )


def original_file(workshop: Workshop, actor: Actor, picture_id: int) -> tuple[str, str, SourceFacts]:
    """Hash, file name and facts of an original, byte for byte as it came in.

    DamagedStoreError where the stored file is not what came in any more.
    """
    with workshop.database.begin() as session:
        picture = picture_of(session, actor, picture_id)
        check_original(session, actor, picture)
        facts, key = SourceFacts.model_validate(picture.source.facts), SourceKey(picture.source_key)
        name = picture.file_name
        note(session, actor.id, EventKind.DOWNLOAD, f"Fetched the original “{name}”.")
    _check_original(workshop, key)
    return key.original, name, facts
