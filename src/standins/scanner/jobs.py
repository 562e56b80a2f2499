"""One scan at a time, from being asked for to its last byte."""

import threading
import time
import uuid
from collections.abc import Iterator
from dataclasses import dataclass, field
from enum import StrEnum

from standins.scanner.escl import JobWords, Settings
from standins.scanner.glass import Glass
from standins.scanner.stream import Stopped, file_of

KEPT = 8  # ended scans that the status still speaks of
FETCHED_WITHIN_S = 60.0  # a scan that nobody fetches is given up


class State(StrEnum):
    """How far a scan is, in the standard's words."""

    PENDING = "Pending"
    PROCESSING = "Processing"
    COMPLETED = "Completed"
    CANCELED = "Canceled"


REASONS = {
    State.PENDING: "JobScanning",
    State.PROCESSING: "JobScanning",
    State.COMPLETED: "JobCompletedSuccessfully",
    State.CANCELED: "JobCanceledByUser",
}


@dataclass
class Job:
    """A scan that was asked for."""

    settings: Settings
    uuid: str = field(default_factory=lambda: str(uuid.uuid4()))
    state: State = State.PENDING
    begun: float = field(default_factory=time.monotonic)

    @property
    def uri(self) -> str:
        """Where it is found."""
        return f"/eSCL/ScanJobs/{self.uuid}"

    @property
    def is_over(self) -> bool:
        """Whether nothing more will come of it."""
        return self.state in {State.COMPLETED, State.CANCELED}


class BusyError(Exception):
    """The scanner is at another scan."""


class Jobs:
    """The scans of one scanner."""

    def __init__(self, glass: Glass, pace: float) -> None:
        self._glass, self._pace = glass, pace
        self._lock = threading.Lock()
        self._jobs: dict[str, Job] = {}

    def begin(self, settings: Settings) -> Job:
        """Ask for a scan. BusyError while another one is at work."""
        with self._lock:
            self._give_up()
            if any(not job.is_over for job in self._jobs.values()):
                raise BusyError
            job = Job(settings)
            self._jobs[job.uuid] = job
            for old in list(self._jobs)[:-KEPT]:
                del self._jobs[old]
            return job

    def find(self, job_id: str) -> Job | None:
        """A scan by its UUID."""
        with self._lock:
            self._give_up()
            return self._jobs.get(job_id)

    def cancel(self, job: Job) -> None:
        """Stop a scan, wherever it is; nothing where it is over."""
        with self._lock:
            if not job.is_over:
                job.state = State.CANCELED

    def take(self, job: Job) -> bool:
        """Whether the caller is the one who fetches its only page."""
        with self._lock:
            if job.state is not State.PENDING:
                return False
            job.state = State.PROCESSING
            return True

    def file(self, job: Job) -> Iterator[bytes]:
        """The pieces of a taken scan's file. Whoever stops reading has stopped the scan."""
        settings = job.settings
        try:
            yield from file_of(self._glass, settings.shot, settings.media_type, lambda: job.is_over, self._pace)
        except Stopped:
            pass
        else:
            with self._lock:
                if not job.is_over:
                    job.state = State.COMPLETED
        finally:
            self.cancel(job)

    def words(self) -> list[JobWords]:
        """All of them as the status says them, the newest first."""
        with self._lock:
            self._give_up()
            return [
                JobWords(
                    job.uri,
                    job.uuid,
                    int(time.monotonic() - job.begun),
                    job.state,
                    REASONS[job.state],
                    int(job.state is State.COMPLETED),
                    int(job.state is State.PENDING),
                )
                for job in reversed(self._jobs.values())
            ]

    def _give_up(self) -> None:
        for job in self._jobs.values():
            if job.state is State.PENDING and time.monotonic() - job.begun > FETCHED_WITHIN_S:
                job.state = State.CANCELED
