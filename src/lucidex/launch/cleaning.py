"""Cleans up from time to time, while the application runs."""

import logging
import threading

from lucidex.services.keeping import clean_up
from lucidex.services.workshop import Workshop

FIRST_AFTER_S, EVERY_S = 120.0, 3_600.0
_log = logging.getLogger(__name__)


class Cleaning:
    """A thread that takes away what is kept no longer (`services.keeping`)."""

    def __init__(self, workshop: Workshop) -> None:
        self._workshop, self._stopping = workshop, threading.Event()
        self._thread = threading.Thread(target=self._clean, name="cleaning", daemon=True)
        self._thread.start()

    def stop(self) -> None:
        """Begin no other cleaning."""
        self._stopping.set()

    def _clean(self) -> None:
        pause = FIRST_AFTER_S
        while not self._stopping.wait(pause):
            pause = EVERY_S
            try:
                clean_up(self._workshop)
            except Exception:  # noqa: BLE001 - the next time may go better
                _log.exception("cleaning up did not come to its end")
