"""The start command as a process: it comes up, it goes down, and a kill prevents no next start."""

import json
import os
import signal
import socket
import subprocess
import sys
import urllib.request
from collections.abc import Iterator
from pathlib import Path
from typing import ClassVar

import pytest

ROOT = Path(__file__).parents[2]


class Started:
    """A start of its own, over a data folder of its own."""

    running: ClassVar[list[subprocess.Popen[str]]] = []

    def __init__(self, data: Path, *options: str) -> None:
        self.process = subprocess.Popen(
            [sys.executable, "-m", "lucidex.launch", "--data", str(data), "--no-demo", *options],
            cwd=ROOT,
            env={**os.environ, "PYTHONPATH": str(ROOT / "src")},
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            text=True,
        )
        Started.running.append(self.process)
        self.message = ""
        for line in self.process.stdout or ():
            self.message += line
            if "Ctrl-C stops it" in line or "lucidex:" in line:
                break

    @property
    def address(self) -> str:
        return self.message.split("ready: ")[1].split()[0]

    def answers(self) -> bool:
        with urllib.request.urlopen(self.address + "/sign-in") as answer:
            return bool(answer.status == 200)

    def end(self, signal_number: int) -> int:
        self.process.send_signal(signal_number)
        self.message += self.process.communicate(timeout=40)[0]
        return self.process.returncode


@pytest.fixture
def data(tmp_path: Path) -> Iterator[Path]:
    yield tmp_path / "var"
    for process in Started.running:
        process.kill()
    Started.running.clear()
    assert servers_over(tmp_path) == [], "no database server may be left"


def servers_over(folder: Path) -> list[str]:
    found = []
    for command in Path("/proc").glob("[0-9]*/cmdline"):
        try:
            words = command.read_bytes()
        except OSError:
            continue
        if b"mariadbd" in words and str(folder).encode() in words:
            found.append(command.parent.name)
    return found


def test_it_comes_up_once_and_goes_down_in_good_order(data: Path) -> None:
    started = Started(data)
    assert started.answers()
    again = Started(data)
    again.process.wait(20)
    assert "already runs over" in again.message
    # made in a request, on the event loop, this held every page up for seconds
    with urllib.request.urlopen(started.address + "/api/openapi.json") as answer:
        described = json.load(answer)
    assert "/api/pictures/{picture_id}/document" in described["paths"]
    assert "DocumentIn" in described["components"]["schemas"], "bodies that are read apart are described as well"
    assert started.answers()
    assert started.end(signal.SIGINT) == 0
    assert "Stopped." in started.message
    assert "Traceback" not in started.message


def test_after_a_kill_the_next_start_works_and_clears_up(data: Path) -> None:
    first = Started(data)
    left = data / "files" / "originals" / "incoming" / "half"
    left.write_bytes(b"half an upload")
    first.end(signal.SIGKILL)
    second = Started(data)
    assert second.answers()
    assert not left.exists()
    assert second.end(signal.SIGTERM) == 0
    assert "Stopped." in second.message
    assert "Traceback" not in second.message


def test_a_taken_port_is_said(tmp_path: Path) -> None:
    with socket.create_server(("127.0.0.1", 0)) as taken:
        port = str(taken.getsockname()[1])
        refused = Started(tmp_path / "other", "--port", port)
        refused.process.wait(20)
    said = f"lucidex: Port {port} is taken by another program. Choose another one with --port."
    assert refused.message.strip() == said


HANGING = """
import subprocess, sys, threading, uvicorn
from starlette.applications import Starlette
from starlette.routing import Route
from lucidex.launch.ending import Ending, EndingServer
from lucidex.launch.sockets import listen

def hang(request):
    print("it hangs", flush=True)
    threading.Event().wait()

beside = subprocess.Popen(["sleep", "600"])
listening = listen()
print(listening.getsockname()[1], beside.pid, flush=True)
config = uvicorn.Config(Starlette(routes=[Route("/", hang)]), log_level="critical", timeout_graceful_shutdown=1)
EndingServer(config, Ending(beside.kill, 2.0)).run(sockets=[listening])
"""


def test_whatever_hangs_it_ends_within_seconds() -> None:
    """A thread that waits for somebody who never answers is not waited for."""
    environment = {**os.environ, "PYTHONPATH": str(ROOT / "src")}
    hanging = subprocess.Popen([sys.executable, "-c", HANGING], env=environment, stdout=subprocess.PIPE, text=True)
    Started.running.append(hanging)
    assert hanging.stdout is not None
    port, beside = map(int, hanging.stdout.readline().split())
    with socket.create_connection(("127.0.0.1", port), timeout=20) as asking:
        asking.sendall(b"GET / HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n")
        assert hanging.stdout.readline() == "it hangs\n"
        hanging.send_signal(signal.SIGINT)
        assert hanging.wait(20) == 0
    assert not Path(f"/proc/{beside}").exists() or "Z" in Path(f"/proc/{beside}/stat").read_text()
