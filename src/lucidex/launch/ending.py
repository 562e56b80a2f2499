"""Ctrl-C ends everything in good order, and within seconds whatever hangs."""

import contextlib
import multiprocessing
import os
import threading
from collections.abc import Callable
from types import FrameType

import uvicorn

ENDS_WITHIN_S = 8.0


class Ending:
    """Once it has begun, everything has so many seconds; then what is left is ended by force.

    A thread that waits for somebody who never answers cannot be ended otherwise. What is stored stays whole: files
    are renamed into place, the database recovers by its log. `kill` ends what would outlive this process.
    """

    def __init__(self, kill: Callable[[], None], seconds: float = ENDS_WITHIN_S) -> None:
        self._kill, self._seconds = kill, seconds
        self._begun, self._over = threading.Event(), threading.Event()

    def begin(self) -> None:
        """From now on the seconds count."""
        if not self._begun.is_set():
            self._begun.set()
            threading.Thread(target=self._watch, name="ending", daemon=True).start()

    def over(self) -> None:
        """All has ended by itself."""
        self._over.set()

    def _watch(self) -> None:
        if self._over.wait(self._seconds):
            return
        print("\nStopped. Something did not end by itself, and was ended.", flush=True)
        for process in multiprocessing.active_children():
            process.kill()
        with contextlib.suppress(Exception):
            self._kill()
        os._exit(0)


class EndingServer(uvicorn.Server):
    """A server whose first signal begins the ending."""

    def __init__(self, config: uvicorn.Config, ending: Ending) -> None:
        super().__init__(config)
        self._ending = ending

    def handle_exit(self, sig: int, frame: FrameType | None) -> None:
        """A signal to stop."""
        self._ending.begin()
        super().handle_exit(sig, frame)
