"""What is done in the background while the application runs: reading originals anew after an update, cleaning up."""

import logging
import threading
from collections.abc import Callable

from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.source_upgrades import read_again, stale_sources
from lucidex.services.keeping.retention import clean_up

FIRST_AFTER_S, EVERY_S = 120.0, 3_600.0
_log = logging.getLogger(__name__)


class Restoration:
    """A thread that takes away what is kept no longer (`services.keeping.retention`)."""

    def __init__(self, workshop: Workshop, say: Callable[[str], None]) -> None:
        self._workshop, self._say, self._stopping = workshop, say, threading.Event()
        self._thread = threading.Thread(target=self._clean, name="cleaning", daemon=True)
        self._thread.start()

    def stop(self) -> None:
        """Begin no other cleaning."""
        self._stopping.set()

    def _clean(self) -> None:
        try:
            self._read_again()
        except Exception:  # noqa: BLE001 - whatever is not read again now is so when it is wanted, or at the next start
            _log.exception("originals could not all be read again")
        pause = FIRST_AFTER_S
        while not self._stopping.wait(pause):
            pause = EVERY_S
            try:
                clean_up(self._workshop)
            except Exception:  # noqa: BLE001 - the next time may go better
                _log.exception("cleaning up did not come to its end")

    def _read_again(self) -> None:
        """Originals that an earlier version read are read once more, so that what is known of them is true."""
        count = stale_sources(self._workshop)
        if not count:
            return
        self._say(f"{count} originals are read again in the background, because this version reads more truly.")
        for trouble in read_again(self._workshop):
            self._say(trouble)
            if self._stopping.is_set():
                return
        self._say("All originals were read again.")
