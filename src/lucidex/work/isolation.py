"""Runs one task in a process of its own with limits on time, memory and reach.

The process is a clean one (`work.forkserver`), and confined (`confinement`) once the files that it needs are open. It
answers in JSON only, so that nothing it sends can be more than text.
"""

import contextlib
import errno
import json
import logging
import resource
import signal
import struct
import threading
import time
import traceback
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from multiprocessing.connection import Connection
from multiprocessing.context import ForkServerProcess
from pathlib import Path
from typing import Any

from lucidex.core import errors
from lucidex.core.cancellation import check_wanted
from lucidex.core.source.fonts import FONTS
from lucidex.work.confinement import confine
from lucidex.work.forkserver import context

LOOK_EVERY_S = 0.25
READABLE_FOLDERS = (FONTS,)  # of the product itself
MAX_ANSWER_BYTES = 10_000_000
NEARLY_ALL = 0.75  # of the memory that is allowed: whoever failed after taking so much failed by lack of it
DISK_TROUBLE = errors.DISK_TROUBLE | {errno.EFBIG}
_TAKES_MEMORY = "Decoding it takes more memory than is allowed for one picture."
# what comes of numbers and names in a file that cannot be true
_CONTRADICTIONS = (ValueError, IndexError, OverflowError, EOFError, RecursionError, struct.error)
AGAIN_AFTER_S = 0.3
_LOST = 255  # the exit code of a process whose server process has ended
_STARTED_AGAIN = "What reads files has ended and is started again. Try it again in a moment."
_log = logging.getLogger(__name__)

Opened = Sequence[tuple[Path, str]]


@dataclass(frozen=True)
class Limits:
    """Most wall-clock seconds, processor seconds, bytes of memory and bytes of one written file of one task."""

    seconds: float = 60.0
    processor_seconds: int = 90
    memory_bytes: int = 1_250_000_000
    file_bytes: int = 2_000_000_000


class IsolatedRunner:
    """At most `slots` tasks at a time; the others wait their turn."""

    def __init__(self, slots: int = 2, limits: Limits | None = None) -> None:
        self._slots = threading.BoundedSemaphore(slots)
        self.limits = limits or Limits()

    def run(
        self, task: Callable[..., str], *arguments: str, opened: Opened = (), limits: Limits | None = None
    ) -> str:
        """The task's answer (a JSON text). It is called with `opened`, as binary files, and then the arguments.

        `limits` are others than the runner's own, for this time.

        Raises the task's own error of the `UserError` family; UnreadableFileError where the process crashed on the
        file or ran out of time, TooLargeError where memory ended it, StorageFullError where nothing could be written,
        NoLongerWantedError where nobody waits for it any more, UnforeseenError for everything else.
        """
        with self._slots:
            limits = limits or self.limits
            receiving, sending = context.Pipe(duplex=False)
            files = [(str(path), mode) for path, mode in opened]
            arranged = (sending, limits, task, files, arguments)
            process = _started(arranged)
            sending.close()
            try:
                return _answered(process, receiving, limits)
            finally:
                process.kill()
                process.join()
                receiving.close()


def _started(arranged: tuple[Any, ...]) -> ForkServerProcess:
    """A process for a task. UnavailableError where none can be had: the one that they come from was killed twice."""
    for is_last in (False, True):
        process = context.Process(target=_serve, args=arranged, daemon=True)
        try:
            process.start()
        except (EOFError, OSError) as error:  # the server process has ended; the next try starts another one
            if is_last:
                raise errors.UnavailableError(_STARTED_AGAIN) from error
            time.sleep(AGAIN_AFTER_S)
        else:
            return process
    raise AssertionError


def _answered(process: ForkServerProcess, receiving: Connection, limits: Limits) -> str:
    deadline = time.monotonic() + limits.seconds
    while not receiving.poll(LOOK_EVERY_S):
        check_wanted()
        if time.monotonic() > deadline:
            raise errors.TookTooLongError(
                f"Decoding it took longer than {limits.seconds:.0f} seconds and was stopped."
            )
    try:
        answer = json.loads(receiving.recv_bytes(maxlength=MAX_ANSWER_BYTES))
    except (EOFError, OSError) as error:  # it ended, or answers with more than could be an answer
        process.join(LOOK_EVERY_S * 4)
        raise _ended_as(process.exitcode, limits) from error
    if "done" in answer:
        return str(answer["done"])
    kind = getattr(errors, str(answer["kind"]), errors.UnreadableFileError)
    raise kind(str(answer["sentence"]))


def _ended_as(exit_code: int | None, limits: Limits) -> errors.UserError:
    """What a process that ended without an answer died of, by the signal that ended it."""
    if exit_code == -signal.SIGXCPU:
        return errors.TookTooLongError(
            f"Decoding it took more than {limits.processor_seconds} seconds of computing and was stopped."
        )
    if exit_code == -signal.SIGKILL:
        return errors.TooLargeError(_TAKES_MEMORY)
    if exit_code is not None and exit_code < 0:
        return errors.UnreadableFileError("It is a damaged file: decoding it crashed.")
    if exit_code in {None, _LOST}:
        return errors.UnavailableError(_STARTED_AGAIN)
    return errors.UnforeseenError("Something went wrong on our side while it was decoded. Try it again.")


def _serve(
    sending: Connection,
    limits: Limits,
    task: Callable[..., str],
    opened: list[tuple[str, str]],
    arguments: tuple[str, ...],
) -> None:
    resource.setrlimit(resource.RLIMIT_DATA, (limits.memory_bytes, limits.memory_bytes))
    resource.setrlimit(resource.RLIMIT_CPU, (limits.processor_seconds, limits.processor_seconds + 2))
    files = [Path(path).open(mode) for path, mode in opened]  # noqa: SIM115 - they end with the process
    confine(limits.file_bytes, READABLE_FOLDERS)
    signal.signal(signal.SIGXFSZ, signal.SIG_IGN)  # then it is an error like any other
    try:
        answer: dict[str, Any] = {"done": task(*files, *arguments)}
        for file in files:
            file.close()
    except errors.UnreadableFileError as error:
        answer = _refused(errors.TooLargeError(_TAKES_MEMORY) if _was_short(limits) else error)
    except errors.UserError as error:
        answer = _refused(error)
    except MemoryError:
        answer = _refused(errors.TooLargeError(_TAKES_MEMORY))
    except OSError as error:
        if error.errno not in DISK_TROUBLE:
            raise
        answer = _refused(
            errors.StorageFullError("The disk is full or cannot be written, so it could not be decoded.")
        )
    except _CONTRADICTIONS as error:
        traceback.print_exception(error)
        answer = _refused(errors.UnreadableFileError("It is a damaged file: it contradicts itself."))
    with contextlib.suppress(BrokenPipeError):
        sending.send_bytes(json.dumps(answer).encode())


def _refused(error: errors.UserError) -> dict[str, Any]:
    return {"kind": type(error).__name__, "sentence": error.sentence}


def _was_short(limits: Limits) -> bool:
    taken = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1_024
    return taken > NEARLY_ALL * limits.memory_bytes
