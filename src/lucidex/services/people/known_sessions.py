"""Sessions that were found a moment ago: a page asks for many things at once, and each of them knows the person.

What ends a session here ends it at once; where another process does, such as `python -m lucidex.people`, it holds for
`KNOWN_SECONDS` more.
"""

from weakref import WeakKeyDictionary

from lucidex.services.house.caches import BriefCache
from lucidex.services.house.workshop import Workshop

KNOWN_SECONDS = 2.0

_known: WeakKeyDictionary[Workshop, BriefCache[str, object]] = WeakKeyDictionary()


def known_sessions(workshop: Workshop) -> BriefCache[str, object]:
    """Those of a workshop, by the digest of what the browser holds."""
    return _known.setdefault(workshop, BriefCache(4_096, KNOWN_SECONDS))
