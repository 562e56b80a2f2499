"""Stand-ins that run while a test lasts: in this process, or in one of their own that can be killed."""

import subprocess
import sys
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import uvicorn
from starlette.types import ASGIApp

from lucidex.launch.sockets import listen

DEMO = Path(__file__).parents[2] / "demo"


@contextmanager
def serving(app: ASGIApp, **settings: Any) -> Iterator[str]:
    """The address of an application on loopback."""
    with listen() as listening:
        server = uvicorn.Server(uvicorn.Config(app, log_level="critical", lifespan="off", **settings))
        thread = threading.Thread(target=server.run, kwargs={"sockets": [listening]}, daemon=True)
        thread.start()
        yield f"http://127.0.0.1:{listening.getsockname()[1]}"
        server.should_exit = server.force_exit = True
        thread.join(10)


@contextmanager
def own_process(package: str, folder: Path, *more: str) -> Iterator[tuple[str, "subprocess.Popen[bytes]"]]:
    """The address of a stand-in as the product starts it, and its process."""
    with listen() as listening:
        handle = listening.fileno()
        process = subprocess.Popen(
            [sys.executable, "-m", package, str(handle), str(folder), str(DEMO), *more],
            pass_fds=[handle],
            stdin=subprocess.PIPE,
        )
        address = f"http://127.0.0.1:{listening.getsockname()[1]}"
    try:
        yield address, process
    finally:
        process.kill()
        process.wait()
