"""Everything the services share: the database, the stores, the isolated runner."""

import contextlib
import fcntl
import hashlib
import secrets
import shutil
import socket
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pyvips

from lucidex.core.cancellation import check_wanted
from lucidex.core.source.limits import USUAL_LIMITS, IntakeLimits
from lucidex.records.database import Database
from lucidex.records.decoded import DecodedStore
from lucidex.records.derived import DerivedStore
from lucidex.records.store import FileStore, FolderStore
from lucidex.work.isolation import IsolatedRunner, Limits

RENDER_THREADS = 2  # of one libvips pipeline; pixels do not depend on it, encoders are fixed apart from it

INSTALLATION_LENGTH, HOLDER_LENGTH = 12, 32
MACHINE_ID = Path("/etc/machine-id")  # see machine-id(5); not every machine has one
READING = Limits(seconds=8.0, processor_seconds=5, memory_bytes=600_000_000, file_bytes=1_000)
HEAVY_FROM_PIXELS, HEAVY_LOOK_S = 40_000_000, 0.05


def machine_name(data_folder: Path) -> str:
    """A name of this machine over this data folder: the same for all its processes and after every start.

    Machines that share a folder have different names, so that one that starts frees nothing of another's. The name of
    the host takes part, because an image of a machine may have been copied with its identity.
    """
    path = data_folder / "installation"
    fresh = secrets.token_hex(INSTALLATION_LENGTH // 2)
    with contextlib.suppress(FileExistsError), path.open("x") as file:
        file.write(fresh)
    of_folder = path.read_text()[:INSTALLATION_LENGTH] or fresh
    with contextlib.suppress(OSError):
        of_folder += MACHINE_ID.read_text().strip()
    return hashlib.sha256(f"{of_folder} {socket.gethostname()}".encode()).hexdigest()[:INSTALLATION_LENGTH]


class Workshop:
    """One running product over one data folder and one database."""

    def __init__(self, data_folder: Path, database_url: str, limits: IntakeLimits = USUAL_LIMITS) -> None:
        self.limits = limits
        self.data_folder = data_folder
        data_folder.mkdir(parents=True, exist_ok=True)
        self.machine = machine_name(data_folder)
        self.database = Database(database_url)
        self.originals: FileStore = FolderStore(data_folder / "originals")
        self.results: FileStore = FolderStore(data_folder / "results")
        self.decoded = DecodedStore(data_folder / "decoded")
        self.derived = DerivedStore(self.decoded)
        self.isolated = IsolatedRunner()
        self.reading = IsolatedRunner(1, READING)  # of texts from outside
        pyvips.concurrency_set(RENDER_THREADS)
        pyvips.cache_set_max(0)
        pyvips.block_untrusted_set(True)

    def can_write(self) -> bool:
        """Whether something can be written where pictures are kept."""
        probe = self.data_folder / f"probe-{secrets.token_hex(4)}"
        try:
            probe.write_bytes(b"1")
        except OSError:
            return False
        finally:
            with contextlib.suppress(OSError):
                probe.unlink(missing_ok=True)
        return True

    def disk_free(self) -> int:
        """Bytes that are left where pictures are kept."""
        return shutil.disk_usage(self.data_folder).free

    def new_holder(self) -> str:
        """A name for somebody on this machine who computes something: nobody else's."""
        return self.machine + secrets.token_hex((HOLDER_LENGTH - len(self.machine)) // 2)

    @contextmanager
    def heavy(self, pixels: int) -> Iterator[None]:
        """One at a time on this machine, across all processes, where a result has very many pixels."""
        if pixels < HEAVY_FROM_PIXELS:
            yield
            return
        with (self.data_folder / "heavy.lock").open("a+") as lock:
            while True:
                try:
                    fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
                    break
                except BlockingIOError:
                    check_wanted()
                    time.sleep(HEAVY_LOOK_S)
            yield

    def sweep(self) -> None:
        """Clear away what a killed process left behind."""
        self.originals.sweep()
        self.results.sweep()
        self.decoded.sweep()

    def close(self) -> None:
        """Let go of the database."""
        self.database.close()
