"""Runs one task in a process of its own with limits on time and memory.

The process is a clean one (`work.forking`). It answers in JSON only, so that nothing it sends can be more than text.
"""

import contextlib
import json
import resource
import threading
from collections.abc import Callable
from dataclasses import dataclass
from multiprocessing.connection import Connection
from typing import Any

from lucidex.core import errors
from lucidex.work.forking import context


@dataclass(frozen=True)
class Limits:
    """Most wall-clock seconds, processor seconds and bytes of address space of one task."""

    seconds: float = 60.0
    processor_seconds: int = 90
    memory_bytes: int = 4_500_000_000


class IsolatedRunner:
    """At most `slots` tasks at a time; the others wait their turn."""

    def __init__(self, slots: int = 2, limits: Limits | None = None) -> None:
        self._slots = threading.BoundedSemaphore(slots)
        self._limits = limits or Limits()

    def run(self, task: Callable[..., str], *arguments: str) -> str:
        """The task's answer (a JSON text).

        Raises the task's own error of the `SaidError` family, or UnreadableFileError where the process
        died or ran out of time.
        """
        with self._slots:
            receiving, sending = context.Pipe(duplex=False)
            process = context.Process(target=_serve, args=(sending, self._limits, task, arguments), daemon=True)
            process.start()
            sending.close()
            try:
                return _answer(receiving, self._limits.seconds)
            finally:
                process.kill()
                process.join()
                receiving.close()


def _serve(sending: Connection, limits: Limits, task: Callable[..., str], arguments: tuple[str, ...]) -> None:
    resource.setrlimit(resource.RLIMIT_AS, (limits.memory_bytes, limits.memory_bytes))
    resource.setrlimit(resource.RLIMIT_CPU, (limits.processor_seconds, limits.processor_seconds))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    try:
        answer: dict[str, Any] = {"done": task(*arguments)}
    except errors.SaidError as error:
        answer = {"kind": type(error).__name__, "sentence": error.sentence}
    except MemoryError:
        answer = {
            "kind": "TooLargeError",
            "sentence": "Decoding it takes more memory than is allowed for one picture.",
        }
    with contextlib.suppress(BrokenPipeError):
        sending.send_bytes(json.dumps(answer).encode())


def _answer(receiving: Connection, seconds: float) -> str:
    try:
        if not receiving.poll(seconds):
            raise errors.UnreadableFileError(f"Decoding it took longer than {seconds:.0f} seconds and was stopped.")
        answer = json.loads(receiving.recv_bytes(maxlength=10_000_000))
    except EOFError as error:
        raise errors.UnreadableFileError(
            "Decoding it failed: the file is damaged, or needs more memory than is allowed."
        ) from error
    if "done" in answer:
        return str(answer["done"])
    kind = getattr(errors, str(answer["kind"]), errors.UnreadableFileError)
    raise kind(str(answer["sentence"]))
