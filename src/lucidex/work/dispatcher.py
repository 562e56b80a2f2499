"""Who works on runs: dispatching is an interface, so that other machines can take part later.

Whoever dispatches only sees to it that workers are there while there is something to do; which cell a worker takes,
and that nobody else takes it, is decided in the database.
"""

import logging
import os
import threading
from collections.abc import Callable
from multiprocessing.context import ForkServerProcess
from typing import Protocol

from lucidex.work.forkserver import context, get_ready

LOOK_AGAIN_S = 2.0
_log = logging.getLogger(__name__)


class Dispatcher(Protocol):
    """Keeps workers at work."""

    def wake(self) -> None:
        """Something new is to be done."""

    def is_watching(self) -> bool:
        """Whether it still sees to it that workers are there."""

    def close(self) -> None:
        """Let the workers go; what they hold is taken up again later."""


class LocalProcesses:
    """Processes on this machine, one a core: started while there is work, started again where one died.

    Each has a name of its own, its last argument. What one held that died is given back at once (`give_back`),
    instead of when its leases run out.
    """

    def __init__(
        self,
        has_work: Callable[[], bool],
        worker: Callable[..., None],
        arguments: tuple[str, ...],
        new_name: Callable[[], str],
        give_back: Callable[[str], None],
        count: int = 0,
    ) -> None:
        self._has_work, self._worker, self._arguments = has_work, worker, arguments
        self._new_name, self._give_back = new_name, give_back
        self._names: dict[int, str] = {}
        self._processes: list[ForkServerProcess | None] = [None] * (count or os.cpu_count() or 1)
        self._awake, self._closing = threading.Event(), threading.Event()
        get_ready()
        self._thread = threading.Thread(target=self._watch, name="dispatching", daemon=True)
        self._thread.start()

    def wake(self) -> None:
        """Look for work at once."""
        self._awake.set()

    def is_watching(self) -> bool:
        """Whether its thread lives."""
        return self._thread.is_alive()

    def close(self) -> None:
        """Stop the workers at once; leases run out by themselves."""
        self._closing.set()
        self._awake.set()
        self._thread.join(10)
        for process in self._processes:
            if process is not None and process.is_alive():
                process.kill()
                process.join(5)

    def _watch(self) -> None:
        while not self._closing.is_set():
            try:
                self._give_back_of_the_dead()
                if self._has_work():
                    self._keep_at_work()
            except Exception:  # noqa: BLE001 - the next look may go better, and nobody else starts workers
                _log.exception("workers could not be started")
            self._awake.wait(LOOK_AGAIN_S)
            self._awake.clear()

    def _give_back_of_the_dead(self) -> None:
        for seat, process in enumerate(self._processes):
            if process is not None and not process.is_alive() and seat in self._names:
                if process.exitcode:
                    self._give_back(self._names[seat])
                del self._names[seat]

    def _keep_at_work(self) -> None:
        for seat, process in enumerate(self._processes):
            if process is None or not process.is_alive():
                # a daemon: it ends with this process in good order, and notices by itself where that was killed
                name = self._new_name()
                started = context.Process(target=self._worker, args=(*self._arguments, name), daemon=True)
                started.start()
                self._processes[seat], self._names[seat] = started, name
