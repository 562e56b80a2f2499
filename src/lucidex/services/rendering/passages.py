"""Whether an original can come out as it came in; it is looked into once."""

from lucidex.core.encode.passing import Passage, passage_of
from lucidex.core.geometry.transform import Transform
from lucidex.services.house.caches import OwnCache
from lucidex.services.house.workshop import Workshop
from lucidex.services.pictures.documents import PictureState

_passages: OwnCache[tuple[str, Transform], tuple[Passage | None]] = OwnCache(4_096, of_facts=True)


def find_passage(workshop: Workshop, state: PictureState, total: Transform) -> Passage | None:
    """How the original passes when its stored pixels only change places, by `total`; None where it cannot."""
    cache, key = _passages.of(workshop), (state.source_key.original, total)
    known = cache.get(key)
    if known is None:
        with workshop.originals.open(state.source_key.original) as file:
            known = (passage_of(file, state.facts.format, total),)
        cache.put_if_absent(key, known)
    return known[0]
