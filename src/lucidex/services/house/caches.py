"""Things kept in memory, up to a limit: a service owns its cache, and there is one of it for each workshop."""

import threading
from collections.abc import Callable, Hashable
from typing import Generic, TypeVar
from weakref import WeakKeyDictionary

import pyvips
from cachetools import LRUCache, TTLCache

from lucidex.services.house.workshop import Workshop

Key = TypeVar("Key", bound=Hashable)
Cached = TypeVar("Cached")


class CappedCache(Generic[Key, Cached]):
    """The most recently used things, up to a limit of what they weigh, such as bytes; for several threads."""

    def __init__(self, limit: int, weigh: Callable[[Cached], int] = lambda thing: 1) -> None:
        self._held: LRUCache[Key, Cached] = LRUCache(limit, getsizeof=weigh)
        self._weigh, self._lock = weigh, threading.Lock()

    def get(self, key: Key) -> Cached | None:
        """The thing under a key."""
        with self._lock:
            return self._held.get(key)

    def clear(self) -> None:
        """Forget everything."""
        with self._lock:
            self._held.clear()

    def forget(self, key: Key) -> None:
        """Forget the thing under a key."""
        with self._lock:
            self._held.pop(key, None)

    def replace(self, key: Key, thing: Cached) -> None:
        """Keep a thing instead of what is kept under its key."""
        with self._lock:
            self._held.pop(key, None)
        self.put_if_absent(key, thing)

    def put_if_absent(self, key: Key, thing: Cached) -> None:
        """Keep a thing where nothing is kept under its key; the least recently used make room.

        What is heavier than the limit is not kept.
        """
        with self._lock:
            if key not in self._held and self._weigh(thing) <= self._held.maxsize:
                self._held[key] = thing


class BriefCache(Generic[Key, Cached]):
    """Things that are true for some seconds, at most so many; for several threads."""

    def __init__(self, limit: int, seconds: float) -> None:
        self._held: TTLCache[Key, Cached] = TTLCache(limit, seconds)
        self._lock = threading.Lock()

    def get(self, key: Key) -> Cached | None:
        """The thing under a key, while it holds."""
        with self._lock:
            return self._held.get(key)

    def put(self, key: Key, thing: Cached) -> None:
        """Keep a thing from now on."""
        with self._lock:
            self._held[key] = thing

    def clear(self) -> None:
        """Forget everything."""
        with self._lock:
            self._held.clear()


class OwnCache(Generic[Key, Cached]):
    """A service's cache: one for each workshop. With `of_facts` it holds what was worked out from facts of originals,
    and forgets it where those change."""

    _of_facts: "list[OwnCache[Hashable, object]]" = []  # noqa: RUF012 - all of them

    def __init__(
        self, limit: int, weigh: Callable[[Cached], int] = lambda thing: 1, *, of_facts: bool = False
    ) -> None:
        self._limit, self._weigh = limit, weigh
        self._caches: WeakKeyDictionary[Workshop, CappedCache[Key, Cached]] = WeakKeyDictionary()
        if of_facts:
            OwnCache._of_facts.append(self)  # type: ignore[arg-type]

    def of(self, workshop: Workshop) -> CappedCache[Key, Cached]:
        """The one of a workshop."""
        return self._caches.setdefault(workshop, CappedCache(self._limit, self._weigh))

    @classmethod
    def forget_facts(cls, workshop: Workshop) -> None:
        """What is known of originals has changed: nothing that was worked out from it is remembered."""
        for cache in cls._of_facts:
            cache.of(workshop).clear()


class OwnBriefCache(Generic[Key, Cached]):
    """The same for things that are true for some seconds."""

    def __init__(self, limit: int, seconds: float) -> None:
        self._limit, self._seconds = limit, seconds
        self._caches: WeakKeyDictionary[Workshop, BriefCache[Key, Cached]] = WeakKeyDictionary()

    def of(self, workshop: Workshop) -> BriefCache[Key, Cached]:
        """The one of a workshop."""
        return self._caches.setdefault(workshop, BriefCache(self._limit, self._seconds))


def bytes_of(image: pyvips.Image) -> int:
    """How much memory the pixels of an image take."""
    return int(image.width * image.height * image.bands * {"uchar": 1, "ushort": 2}.get(image.format, 4))
