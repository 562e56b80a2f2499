"""What originals show: looked for as they come in, and later where nobody has looked yet."""

from sqlalchemy import func, update

from lucidex.core.framing.looking import subject_in
from lucidex.core.framing.subject import SUBJECT_REVISION, Subject
from lucidex.core.source.facts import SourceFacts
from lucidex.core.source.key import SourceKey
from lucidex.records.models import Source
from lucidex.services.house.caches import OwnCache
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.sources import open_source

_found: OwnCache[SourceKey, Subject] = OwnCache(4_096)


def subject_of(workshop: Workshop, key: SourceKey, facts: SourceFacts) -> Subject:
    """What a source shows, looked for now if nobody has; it is kept with the source.

    Who looks at the same time finds the same, so nobody waits for anybody.
    """
    if facts.subject is not None and facts.subject.revision == SUBJECT_REVISION:
        return facts.subject
    found = _found.of(workshop).get(key)
    if found is None:
        found = subject_in(open_source(workshop, key, facts))
        _found.of(workshop).put_if_absent(key, found)
        as_json = func.json_extract(found.model_dump_json(), "$")
        with workshop.database.begin() as session:
            changed = {"facts": func.json_set(Source.facts, "$.subject", as_json)}
            session.execute(update(Source).where(Source.key == key).values(changed))
        OwnCache.forget_facts(workshop)
    return found
