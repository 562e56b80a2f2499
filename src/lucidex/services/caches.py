"""Things kept in memory, up to a limit."""

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Generic, TypeVar

import pyvips

Cached = TypeVar("Cached")


class CappedCache(Generic[Cached]):
    """The most recently used things, up to a limit of what they weigh, such as bytes."""

    def __init__(self, limit: int, weigh: Callable[[Cached], int]) -> None:
        self._limit, self._weigh = limit, weigh
        self._held: OrderedDict[Hashable, Cached] = OrderedDict()
        self._weight = 0
        self._lock = threading.Lock()

    def get(self, key: Hashable) -> Cached | None:
        """The thing under a key."""
        with self._lock:
            found = self._held.get(key)
            if found is not None:
                self._held.move_to_end(key)
            return found

    def clear(self) -> None:
        """Forget everything."""
        with self._lock:
            self._held.clear()
            self._weight = 0

    def put(self, key: Hashable, thing: Cached) -> None:
        """Keep a thing; the least recently used make room."""
        weight = self._weigh(thing)
        if weight > self._limit:
            return  # it would drive out everything else, and then stay for ever
        with self._lock:
            if key in self._held:
                return
            self._held[key] = thing
            self._weight += weight
            while self._weight > self._limit:
                self._weight -= self._weigh(self._held.popitem(last=False)[1])


def bytes_of(image: pyvips.Image) -> int:
    """How much memory the pixels of an image take."""
    return int(image.width * image.height * image.bands * {"uchar": 1, "ushort": 2}.get(image.format, 4))
