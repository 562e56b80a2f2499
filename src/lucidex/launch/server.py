"""The start command: one data folder, one database, one application on loopback."""

import argparse
import contextlib
import fcntl
import logging
import os
import secrets
import signal
import socket
import sys
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

import uvicorn

from lucidex.core.compilation import compile_kernels
from lucidex.core.source.limits import IntakeLimits
from lucidex.core.steps.looks import add_looks
from lucidex.launch.connections import guarded
from lucidex.launch.demo import COLLEAGUE, DEMO_LOGIN, DEMO_PASSWORD, load_demo
from lucidex.launch.ending import Ending, EndingServer
from lucidex.launch.housekeeping import Restoration
from lucidex.launch.mariadb import HOST, DatabaseServerError, MariaDbServer
from lucidex.launch.sockets import listen
from lucidex.launch.standins import standing_in
from lucidex.records.migration import migrate
from lucidex.services.house.workshop import Workshop
from lucidex.services.people.people import add_person, find_login
from lucidex.services.rendering.renderer import Renderer
from lucidex.services.rendering.results import release_leases
from lucidex.services.runs.worker import free_cells, give_back, has_work, work
from lucidex.web.app import create_app
from lucidex.web.request.context import AppContext
from lucidex.work.dispatcher import LocalProcesses

DEFAULT_PORT = 8431
PORTS_TRIED = 20
CONNECTIONS = 400  # at once; whoever comes beyond is told to come again
FIRST_LOGIN = "editor"
LEFT_S = 0.5  # for threads to end by themselves, when all else has ended

_DEMO_SAID = f"Sign in as {DEMO_LOGIN} with the password {DEMO_PASSWORD}; {COLLEAGUE} has the same one."


class StartError(Exception):
    """Why the start is not possible, in one sentence for the terminal."""


def main(arguments: list[str] | None = None) -> int:
    """Start, serve until Ctrl-C, stop; the exit status."""
    wanted = _parse(arguments)
    logging.basicConfig(level=logging.WARNING, format="%(levelname)s %(name)s: %(message)s")
    os.umask(0o077)  # what is kept here is nobody else's to read
    try:
        with _locked(wanted.data), _listening(wanted.port) as listening, _database(wanted.data) as server:
            ending = Ending(server.kill)
            status = _serve(wanted, listening, server, ending)
        ending.over()
        last = threading.Timer(LEFT_S, os._exit, [status])
        last.daemon = True  # nobody waits for it; it ends what would be waited for, a thread that never comes back
        last.start()
        return status
    except (StartError, DatabaseServerError) as error:
        print(f"lucidex: {error}", file=sys.stderr)
        return 1


def _most(ceiling: int) -> Callable[[str], int]:
    def read(text: str) -> int:
        if not text.isdecimal() or not 1 <= int(text) <= ceiling:
            raise argparse.ArgumentTypeError(f"a whole number from 1 to {ceiling}")
        return int(text)

    return read


def _parse(arguments: list[str] | None) -> argparse.Namespace:
    parser = argparse.ArgumentParser(prog="./start", description="Start Lucidex on this machine.")
    parser.add_argument("--port", type=int, default=None, help=f"port of the application (default {DEFAULT_PORT})")
    parser.add_argument("--data", type=Path, default=Path("var"), help="data folder (default ./var)")
    parser.add_argument("--no-demo", action="store_true", help="do not load the demo pictures")
    parser.add_argument("--no-stand-ins", action="store_true", help="start no simulated scanner, source or site")
    parser.add_argument(
        "--trust-forwarded-from",
        default=None,
        metavar="ADDRESS",
        help="address of a proxy whose X-Forwarded-For counts (default: nobody's)",
    )
    parser.add_argument("--max-file-mb", type=_most(2_000), default=200, help="the most of one file (default 200)")
    parser.add_argument("--max-archive-mb", type=_most(100_000), default=4_000, help="of one archive (default 4000)")
    parser.add_argument("--max-megapixels", type=_most(1_000), default=200, help="of one picture (default 200)")
    parser.add_argument("--demo-pictures", type=Path, default=Path("demo/pictures"), help=argparse.SUPPRESS)
    wanted = parser.parse_args(arguments)
    if wanted.port is not None and not 1 <= wanted.port <= 65_535:
        parser.error("the port must be between 1 and 65535")
    return wanted


@contextmanager
def _locked(data: Path) -> Iterator[None]:
    """One start a data folder; the lock is gone with the process, however it ends."""
    try:
        data.mkdir(parents=True, exist_ok=True)
        lock = (data / "lock").open("a+")
    except OSError as error:
        raise StartError(f"The data folder {data} cannot be written: {error.strerror}.") from error
    with lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError as error:
            raise StartError(
                f"Lucidex already runs over {data}. Stop it first, or choose another folder with --data."
            ) from error
        yield


@contextmanager
def _listening(port: int | None) -> Iterator[socket.socket]:
    """A listening socket on the wanted port, or on the next free one where none was asked for."""
    candidates = [port] if port is not None else list(range(DEFAULT_PORT, DEFAULT_PORT + PORTS_TRIED))
    for candidate in candidates:
        try:
            listening = listen(candidate)
        except PermissionError as error:
            raise StartError(
                f"Port {candidate} needs more rights than you have. Choose one above 1023 with --port."
            ) from error
        except OSError:
            continue
        if candidate != candidates[0]:
            print(f"Port {candidates[0]} is taken by another program; using {candidate}.")
        with listening:
            yield listening
        return
    taken = f"Port {port} is taken" if port is not None else f"Ports {candidates[0]} to {candidates[-1]} are taken"
    raise StartError(f"{taken} by another program. Choose another one with --port.")


@contextmanager
def _database(data: Path) -> Iterator[MariaDbServer]:
    server = MariaDbServer(data / "mariadb")
    server.start()
    server.supervise(lambda message: print(message, flush=True))
    try:
        yield server
    finally:
        server.stop()


def _serve(wanted: argparse.Namespace, listening: socket.socket, server: MariaDbServer, ending: Ending) -> int:
    limits = IntakeLimits(
        wanted.max_file_mb * 1_000_000, wanted.max_archive_mb * 1_000_000, wanted.max_megapixels * 1_000_000
    )
    workshop = Workshop(wanted.data / "files", server.url, limits)
    migrate(workshop.database.engine)
    workshop.sweep()
    release_leases(workshop)
    free_cells(workshop)
    compile_kernels()  # read from their cache but for the first time, so that no visitor waits for it
    for trouble in add_looks(wanted.data / "looks"):
        print(f"A look was left out. {trouble}")
    sign_in = _first_people(workshop, wanted)
    demo = (DEMO_LOGIN, DEMO_PASSWORD, COLLEAGUE) if find_login(workshop, DEMO_LOGIN) else None
    arguments = (str(wanted.data / "files"), server.url)
    dispatcher = LocalProcesses(
        lambda: has_work(workshop), work, arguments, workshop.new_holder, lambda name: give_back(workshop, name)
    )
    app = create_app(AppContext(workshop, Renderer(workshop), dispatcher, demo), _secret(wanted.data))
    restoration = Restoration(workshop, lambda message: print(message, flush=True))
    trusted = wanted.trust_forwarded_from
    config = uvicorn.Config(
        app,
        log_level="warning",
        timeout_graceful_shutdown=3,
        server_header=False,
        proxy_headers=trusted is not None,
        forwarded_allow_ips=trusted,
        limit_concurrency=CONNECTIONS,
        timeout_keep_alive=20,
        http=guarded(trusted),
    )
    app.openapi()  # which takes seconds, and is kept: nobody's request makes it
    print(
        f"\nLucidex is ready: http://{HOST}:{listening.getsockname()[1]}\n{sign_in}\nCtrl-C stops it.",
        flush=True,
    )
    # uvicorn stops in good order, then raises the signal again; what stops the database comes after that
    signal.signal(signal.SIGTERM, signal.default_int_handler)
    with contextlib.ExitStack() as beside, contextlib.suppress(KeyboardInterrupt):
        if not wanted.no_stand_ins:
            beside.enter_context(standing_in(workshop, wanted.data / "stand-ins", wanted.demo_pictures.parent))
        EndingServer(config, ending).run(sockets=[listening])
    restoration.stop()
    print("\nStopped.")
    return 0


def _first_people(workshop: Workshop, wanted: argparse.Namespace) -> str:
    """Load the demo data, or make the first account; how to sign in."""
    if not wanted.no_demo and wanted.demo_pictures.is_dir():
        load_demo(workshop, wanted.demo_pictures, print)
        return _DEMO_SAID
    if find_login(workshop, DEMO_LOGIN):
        return _DEMO_SAID
    path = wanted.data / "first-password"
    if find_login(workshop, FIRST_LOGIN) is None:
        _write_private(path, secrets.token_urlsafe(12))
        add_person(workshop, FIRST_LOGIN, "Editor", path.read_text())
    return f"Sign in as {FIRST_LOGIN}; the password is in {path}."


def _write_private(path: Path, text: str) -> None:
    path.unlink(missing_ok=True)
    handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    with os.fdopen(handle, "w") as file:
        file.write(text)


def _secret(data: Path) -> str:
    """The key that signs session cookies; made once."""
    path = data / "session-secret"
    if not path.exists():
        _write_private(path, secrets.token_hex(32))
    return path.read_text()
