"""Things kept in memory, up to so many bytes."""

import threading
from collections import OrderedDict
from collections.abc import Callable
from typing import Generic, TypeVar

import pyvips

Cached = TypeVar("Cached")


class ByteCappedCache(Generic[Cached]):
    """The most recently used things, up to so many bytes."""

    def __init__(self, max_bytes: int, weigh: Callable[[Cached], int]) -> None:
        self._max_bytes, self._weigh = max_bytes, weigh
        self._held: OrderedDict[str, Cached] = OrderedDict()
        self._bytes = 0
        self._lock = threading.Lock()

    def get(self, key: str) -> Cached | None:
        """The thing under a key."""
        with self._lock:
            found = self._held.get(key)
            if found is not None:
                self._held.move_to_end(key)
            return found

    def put(self, key: str, thing: Cached) -> None:
        """Keep a thing; the least recently used make room."""
        with self._lock:
            if key in self._held:
                return
            self._held[key] = thing
            self._bytes += self._weigh(thing)
            while self._bytes > self._max_bytes and len(self._held) > 1:
                self._bytes -= self._weigh(self._held.popitem(last=False)[1])


def bytes_of(image: pyvips.Image) -> int:
    """How much memory the pixels of an image take."""
    return int(image.width * image.height * image.bands * {"uchar": 1, "ushort": 2}.get(image.format, 4))
