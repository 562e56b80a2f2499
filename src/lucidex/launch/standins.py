"""The stand-ins that ship with the product: started with it on loopback, and gone with it, however it ends."""

import hashlib
import json
import secrets
import socket
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path

from lucidex.launch.sockets import HOST, listen
from lucidex.services.house.workshop import Workshop
from lucidex.services.outside.adapters import PICTURES, SCANNER, SITE
from lucidex.services.outside.settings import keep_shipped

STOPPED_WITHIN_S = 5.0


@dataclass(frozen=True)
class StandIn:
    """One of them: its package, the port that it would like, and where its standard begins."""

    kind: str
    package: str
    name: str
    port: int
    path: str
    has_token: bool = False


STAND_INS = (
    StandIn(SCANNER, "standins.scanner", "Simulated scanner", 8_461, "/eSCL/"),
    StandIn(PICTURES, "standins.source", "Marrow Lane and friends", 8_462, "/collection"),
    StandIn(SITE, "standins.site", "Marrow Lane Glasshouse, the site", 8_463, "/micropub", has_token=True),
)


@contextmanager
def standing_in(workshop: Workshop, data: Path, pictures: Path) -> Iterator[None]:
    """Start all of them; what they remember lies in the data folder, what they show comes from `pictures`."""
    running: list[subprocess.Popen[bytes]] = []
    try:
        for one in STAND_INS:
            with _listening(one.port) as listening:
                address = f"http://{HOST}:{listening.getsockname()[1]}{one.path}"
                arguments = [str(listening.fileno()), str(data / one.kind), str(pictures)]
                running.append(
                    subprocess.Popen(
                        [sys.executable, "-m", one.package, *arguments],
                        pass_fds=[listening.fileno()],
                        stdin=subprocess.PIPE,
                        stdout=subprocess.DEVNULL,
                    )
                )
            token = _token(data / one.kind) if one.has_token else ""
            keep_shipped(workshop, one.kind, one.name, address, token)
        yield
    finally:
        for process in running:
            if process.stdin is not None:
                process.stdin.close()  # which ends it
        for process in running:
            with suppress(subprocess.TimeoutExpired):
                process.wait(STOPPED_WITHIN_S)
            process.kill()


def _token(folder: Path) -> str:
    """The secret with which the product writes to a stand-in: made once, and told to it by its digest."""
    path = folder / "product-token"
    if not path.exists():
        folder.mkdir(parents=True, exist_ok=True)
        fresh = path.with_suffix(".new")
        fresh.unlink(missing_ok=True)
        fresh.touch(mode=0o600)
        fresh.write_text(secrets.token_urlsafe(32))
        fresh.replace(path)
    secret = path.read_text()
    known = folder / "tokens.json"
    scopes = {hashlib.sha256(secret.encode()).hexdigest(): ["create", "update", "delete", "undelete", "media"]}
    held = json.loads(known.read_text()) if known.exists() else {}
    if not scopes.keys() <= held.keys():
        fresh = known.with_suffix(".new")
        fresh.write_text(json.dumps({**held, **scopes}))
        fresh.replace(known)
    return secret


@contextmanager
def _listening(port: int) -> Iterator[socket.socket]:
    try:
        listening = listen(port)
    except OSError:
        listening = listen()
    with listening:
        yield listening
