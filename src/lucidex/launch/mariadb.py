"""A MariaDB server of the project's own: own data folder, own loopback port, own accounts.

It never touches a server that already runs, and it dies with the process that started it.
"""

import ctypes
import os
import secrets
import shutil
import signal
import socket
import subprocess
import threading
import time
from collections.abc import Callable
from pathlib import Path

import pymysql

HOST = "127.0.0.1"
SCHEMA = "lucidex"
START_SECONDS = 60
STOP_SECONDS = 30
LOOK_EVERY_S = 0.2
AGAIN_AFTER_S, MAX_PAUSE_S, SOON_S = 0.5, 30.0, 20.0
_PR_SET_PDEATHSIG = 1


class DatabaseServerError(Exception):
    """The server could not be started; the message is for the person at the terminal."""


def free_port() -> int:
    """A loopback port that nobody listens on at the moment."""
    with socket.socket() as probe:
        probe.bind((HOST, 0))
        return int(probe.getsockname()[1])


def _die_with_parent(signal_number: int) -> Callable[[], None]:
    libc = ctypes.CDLL(None, use_errno=True)

    def arrange() -> None:
        os.setpgid(0, 0)  # Ctrl-C reaches the launcher only, which stops the server in good order
        libc.prctl(_PR_SET_PDEATHSIG, signal_number)

    return arrange


class MariaDbServer:
    """One server over one folder."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder.resolve()
        self._data = self._folder / "data"
        self._process: subprocess.Popen[bytes] | None = None
        self._stopping = threading.Event()
        self._watching: threading.Thread | None = None
        self.port = 0

    @property
    def url(self) -> str:
        """The address for SQLAlchemy, with this server's own password."""
        return f"mysql+pymysql://{SCHEMA}:{self._password()}@{HOST}:{self.port}/{SCHEMA}?charset=utf8mb4"

    def start(self) -> None:
        """Create the data folder where it is missing, start, and wait until the server answers."""
        self._folder.mkdir(parents=True, exist_ok=True)
        self._stop_left_over()
        if not (self._data / "mysql").is_dir():
            self._install()
        self.port = free_port()
        self._launch()
        self._wait()

    def find_running(self) -> bool:
        """Whether a server runs over this folder already, and its port is known then."""
        pid = _read_pid(self._folder / "server.pid")
        if pid is None or not _runs_over(pid, self._data):
            return False
        words = Path(f"/proc/{pid}/cmdline").read_bytes().split(b"\0")
        ports = [int(word.split(b"=")[1]) for word in words if word.startswith(b"--port=")]
        self.port = ports[0] if ports else 0
        return bool(ports)

    def supervise(self, say: Callable[[str], None]) -> None:
        """Start it again, on the same port, whenever it ends by itself; until `stop`."""
        self._watching = threading.Thread(target=self._supervise, args=(say,), name="database", daemon=True)
        self._watching.start()

    def _supervise(self, say: Callable[[str], None]) -> None:
        pause = AGAIN_AFTER_S
        while not self._stopping.wait(LOOK_EVERY_S):
            process = self._process
            if process is None or process.poll() is None:  # asking for it also takes an ended one's remains away
                continue
            say(f"The database ended by itself ({process.returncode}); it is started again.")
            began = time.monotonic()
            try:
                self._launch()
                self._wait()
                say("The database answers again.")
                pause = AGAIN_AFTER_S
            except (DatabaseServerError, OSError) as error:
                say(f"The database could not be started again: {error}")
            if time.monotonic() - began < SOON_S:
                # it may end at once, time after time: then it is tried less and less often
                self._stopping.wait(pause)
                pause = min(pause * 2, MAX_PAUSE_S)

    def kill(self) -> None:
        """End it at once; its log makes it whole again at the next start."""
        self._stopping.set()
        if self._process is not None:
            self._process.kill()
            self._process.wait(AGAIN_AFTER_S * 4)

    def stop(self) -> None:
        """Stop in good order."""
        self._stopping.set()
        if self._watching is not None and self._watching is not threading.current_thread():
            self._watching.join(START_SECONDS + STOP_SECONDS)
        self._end()

    def _end(self) -> None:
        if self._process is None:
            return
        self._process.terminate()
        try:
            self._process.wait(STOP_SECONDS)
        except subprocess.TimeoutExpired:
            self._process.kill()
            self._process.wait()
        self._process = None

    def _install(self) -> None:
        tool = shutil.which("mariadb-install-db")
        if tool is None:
            raise DatabaseServerError("mariadb-install-db is missing; install Debian's package mariadb-server-core.")
        fresh = self._folder / "data.new"
        shutil.rmtree(fresh, ignore_errors=True)
        done = subprocess.run(
            [
                tool,
                "--no-defaults",
                f"--datadir={fresh}",
                f"--tmpdir={self._scratch()}",
                "--auth-root-authentication-method=socket",
                "--skip-test-db",
                *_as_me(),
            ],
            capture_output=True,
            check=False,
        )
        if done.returncode != 0:
            raise DatabaseServerError(
                f"The database folder could not be made: {done.stderr.decode(errors='replace')[-400:]}"
            )
        fresh.rename(self._data)

    def _scratch(self) -> Path:
        """A folder of its own for temporary tables: in a shared one, servers take each other's for their own."""
        folder = self._folder / "tmp"
        folder.mkdir(exist_ok=True)
        return folder

    def _password(self) -> str:
        path = self._folder / "password"
        if not path.exists():
            handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
            with os.fdopen(handle, "w") as file:
                file.write(secrets.token_hex(24))
        return path.read_text()

    def _launch(self) -> None:
        # the server dies with the thread that starts it, so that this is one which lives as long as the product:
        # the one that starts everything, or the one that supervises it
        program = shutil.which("mariadbd") or "/usr/sbin/mariadbd"
        first = self._folder / "accounts.sql"
        first.touch(mode=0o600)
        first.write_text(
            f"CREATE DATABASE IF NOT EXISTS {SCHEMA} CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci;\n"
            f"CREATE OR REPLACE USER '{SCHEMA}'@'{HOST}' IDENTIFIED BY '{self._password()}';\n"
            f"GRANT ALL ON {SCHEMA}.* TO '{SCHEMA}'@'{HOST}';\n"
        )
        log = (self._folder / "server.log").open("ab")
        self._process = subprocess.Popen(
            [
                program,
                "--no-defaults",
                f"--datadir={self._data}",
                f"--tmpdir={self._scratch()}",
                f"--socket={self._socket()}",
                f"--pid-file={self._folder / 'server.pid'}",
                f"--init-file={first}",
                f"--bind-address={HOST}",
                f"--port={self.port}",
                "--skip-name-resolve",
                "--skip-log-bin",
                "--innodb-buffer-pool-size=128M",
                "--max-connections=120",
                *_as_me(),
            ],
            stdin=subprocess.DEVNULL,
            stdout=log,
            stderr=log,
            preexec_fn=_die_with_parent(signal.SIGTERM),
        )
        log.close()

    def _socket(self) -> Path:
        """Sockets have short names only, so a deep folder needs a name elsewhere."""
        near = self._folder / "server.sock"
        if len(str(near)) < 100:
            return near
        return Path(
            f"/run/lucidex-{os.getpid()}.sock"
            if os.access("/run", os.W_OK)
            else f"/dev/shm/lucidex-{os.getpid()}.sock"
        )

    def _wait(self) -> None:
        deadline = time.monotonic() + START_SECONDS
        while time.monotonic() < deadline:
            if self._process is not None and self._process.poll() is not None:
                break
            try:
                pymysql.connect(
                    host=HOST, port=self.port, user=SCHEMA, password=self._password(), database=SCHEMA
                ).close()
                return
            except pymysql.Error:
                time.sleep(0.05)
        self._end()
        raise DatabaseServerError(f"The database did not start. Its log is {self._folder / 'server.log'}.")

    def _stop_left_over(self) -> None:
        """A server that outlived a killed launcher still holds the folder: stop it, if it is ours."""
        pid = _read_pid(self._folder / "server.pid")
        if pid is None or not _runs_over(pid, self._data):
            return
        os.kill(pid, signal.SIGTERM)
        deadline = time.monotonic() + STOP_SECONDS
        while _runs_over(pid, self._data):
            if time.monotonic() > deadline:
                os.kill(pid, signal.SIGKILL)
                deadline += STOP_SECONDS
            time.sleep(0.05)


def _as_me() -> list[str]:
    return ["--user=root"] if os.geteuid() == 0 else []


def _read_pid(path: Path) -> int | None:
    try:
        return int(path.read_text())
    except (OSError, ValueError):
        return None


def _runs_over(pid: int, data: Path) -> bool:
    try:
        command = Path(f"/proc/{pid}/cmdline").read_bytes().split(b"\0")
        state = Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[0]
    except (OSError, IndexError):
        return False
    return f"--datadir={data}".encode() in command and state != "Z"
