"""Decoding in a process of its own: what it may not take, and what happens when it dies."""

import ctypes
import errno
import json
import os
import platform
import resource
import signal
import socket
import subprocess
import threading
from collections.abc import Callable
from io import BufferedReader
from multiprocessing import forkserver
from pathlib import Path

import numpy as np
import pytest
import pyvips
import tifffile

from lucidex.core.cancellation import until
from lucidex.core.errors import (
    NoLongerWantedError,
    StorageFullError,
    TooLargeError,
    UnforeseenError,
    UnreadableFileError,
)
from lucidex.core.source.fonts import FONTS
from lucidex.work import decode_task
from lucidex.work.decode_task import decode_into
from lucidex.work.isolation import IsolatedRunner, Limits
from tests.conftest import encoded, smooth_picture
from tests.core.test_formats_in import svg

MQ_OPEN, ADD_KEY = {"x86_64": 240, "aarch64": 180}, {"x86_64": 248, "aarch64": 217}


def wait_for_ever() -> str:
    while True:
        pass


def die() -> str:
    os.abort()


def take_memory() -> str:
    return str(len(bytearray(3_000_000_000)))


def test_a_task_that_takes_too_long_is_stopped() -> None:
    with pytest.raises(UnreadableFileError, match="longer than 1 seconds"):
        IsolatedRunner(limits=Limits(seconds=1)).run(wait_for_ever)


def test_a_task_that_takes_too_much_memory_is_stopped() -> None:
    with pytest.raises(TooLargeError, match="more memory"):
        IsolatedRunner(limits=Limits(memory_bytes=2_000_000_000)).run(take_memory)


def reach_out(own: BufferedReader, target: str) -> str:
    """All that a decoder whose code was taken over might try; what it managed."""
    managed = [f"read {len(own.read())} bytes of its own file"]
    tries: dict[str, Callable[[], object]] = {
        "read a file": Path(target).read_bytes,
        "read who it is": Path("/proc/self/environ").read_bytes,
        "list a folder": lambda: os.listdir("/"),
        "write a file": lambda: Path(target + ".new").write_bytes(b"x"),
        "remove a file": lambda: os.unlink(target),
        "run a program": lambda: subprocess.run(["/bin/true"], check=True),
        "signal its parent": lambda: os.kill(os.getppid(), 0),
        "reach the network": lambda: socket.socket().connect(("127.0.0.1", int(Path(target).name.split("-")[1]))),
        "write a huge file": lambda: own.fileno() and os.posix_fallocate(own.fileno(), 0, 10**11),
    }
    for name, attempt in tries.items():
        try:
            attempt()
        except (OSError, subprocess.SubprocessError):
            continue
        managed.append(name)
    return json.dumps(managed)


def test_a_decoder_reaches_nothing_but_its_own_files(tmp_path: Path) -> None:
    """Not the session's secret or the database's password, no other file, no program, no network, nobody else."""
    with socket.create_server(("127.0.0.1", 0)) as listening:
        secret = tmp_path / f"secret-{listening.getsockname()[1]}"
        secret.write_text("a session's secret")
        (tmp_path / "own").write_bytes(b"12345")
        answer = IsolatedRunner().run(reach_out, str(secret), opened=[(tmp_path / "own", "rb")])
    assert json.loads(answer) == ["read 5 bytes of its own file"]
    assert secret.exists()


def leave_behind() -> str:
    """All that would outlive a decoder that is killed, or begin something beside it; what it managed."""
    libc = ctypes.CDLL(None, use_errno=True)
    calls = {
        "a memory file": lambda: libc.memfd_create(b"x", 0),
        "shared memory": lambda: libc.shmget(0, 4_096, 0o1600),
        "a message queue": lambda: libc.msgget(0, 0o1600),
        "semaphores": lambda: libc.semget(0, 1, 0o1600),
        "a queue by name": lambda: libc.syscall(MQ_OPEN[platform.machine()], b"x", os.O_CREAT | os.O_RDWR, 0o600, 0),
        "a key": lambda: libc.syscall(ADD_KEY[platform.machine()], b"user", b"x", b"y", 1, -2),
        "an abstract socket": lambda: libc.socket(socket.AF_UNIX, socket.SOCK_STREAM, 0),
        "two sockets": lambda: libc.socketpair(socket.AF_UNIX, socket.SOCK_STREAM, 0, (ctypes.c_int * 2)()),
        "a user namespace": lambda: libc.unshare(0x10000000),
        "another process": libc.fork,
        "a debugged process": lambda: libc.ptrace(0, 0, 0, 0),
        "an io_uring": lambda: libc.syscall(425, 4, ctypes.create_string_buffer(200)),
    }
    managed = []
    for name, call in calls.items():
        ctypes.set_errno(0)
        answer = call()
        if answer == 0 and name == "another process":
            os._exit(0)
        if answer >= 0 or ctypes.get_errno() not in {errno.EPERM, errno.ENOSYS}:
            managed.append(name)
    begun = threading.Thread(target=lambda: managed.append("a thread"))
    begun.start()
    begun.join()
    return json.dumps(managed)


def test_a_decoder_leaves_nothing_behind() -> None:
    assert json.loads(IsolatedRunner().run(leave_behind)) == ["a thread"]


def end_by(signal_name: str) -> str:
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    os.kill(os.getpid(), getattr(signal, signal_name))
    return ""


def go_wrong() -> str:
    raise KeyError("damaged, truncated, memory, disk")


def fill_the_disk() -> str:
    raise OSError(errno.ENOSPC, "memory")


@pytest.mark.parametrize(
    ("task", "arguments", "kind", "why"),
    [
        (end_by, ("SIGSEGV",), UnreadableFileError, "damaged"),
        (end_by, ("SIGABRT",), UnreadableFileError, "damaged"),
        (end_by, ("SIGKILL",), TooLargeError, "memory"),
        (end_by, ("SIGXCPU",), UnreadableFileError, "seconds of computing"),
        (go_wrong, (), UnforeseenError, "our side"),
        (fill_the_disk, (), StorageFullError, "disk is full"),
    ],
)
def test_the_reason_is_told_by_how_it_ended_and_not_by_words(
    task: Callable[..., str], arguments: tuple[str, ...], kind: type[Exception], why: str
) -> None:
    with pytest.raises(kind, match=why):
        IsolatedRunner().run(task, *arguments)


def test_a_process_that_dies_harms_nobody(tmp_path: Path) -> None:
    runner = IsolatedRunner(slots=1)
    with pytest.raises(UnreadableFileError, match="damaged"):
        runner.run(die)
    (tmp_path / "a.png").write_bytes(encoded(smooth_picture(20, 20)))
    assert decode_into(runner, tmp_path / "a.png", tmp_path).stored_width == 20


def test_a_picture_too_large_for_the_memory_is_refused_in_words(tmp_path: Path) -> None:
    plain = pyvips.Image.black(8_500, 8_500, bands=3).copy(interpretation="srgb")
    plain.write_to_file(str(tmp_path / "a.jpg"), interlace=True)
    with pytest.raises(TooLargeError, match="memory"):
        decode_into(IsolatedRunner(limits=Limits(memory_bytes=500_000_000)), tmp_path / "a.jpg", tmp_path)


def test_what_nobody_waits_for_any_more_is_stopped() -> None:
    gone = threading.Event()
    gone.set()
    with until(gone), pytest.raises(NoLongerWantedError):
        IsolatedRunner().run(wait_for_ever)


def test_letters_in_drawings_are_drawn_in_a_face_of_the_products_own(tmp_path: Path) -> None:
    """Also by a process that can reach no other file; what it cannot reach is said, and left out instead of boxes."""
    (tmp_path / "a.svg").write_bytes(svg('<text y="40" font-size="40">II</text>'))
    facts = decode_into(IsolatedRunner(), tmp_path / "a.svg", tmp_path)
    alpha = np.fromfile(tmp_path / "level-1.raw", np.uint8).reshape(facts.stored_height, facts.stored_width, 4)[
        ..., 3
    ]
    said = " ".join(facts.notes)
    if all(
        os.access(FONTS, os.X_OK) and (folder.stat().st_mode & 0o005) == 0o005 for folder in (FONTS, *FONTS.parents)
    ):
        assert "face of our own" in said
        drawn = alpha[:, (alpha > 128).any(axis=0)]
        assert (drawn[400:800] > 128).mean() > 0.5  # two upright strokes, which an empty box is not
    else:
        assert "left out" in said
        assert alpha.max() == 0


def contradict_itself() -> str:
    return str(range(3)[10**30])


def test_whatever_a_file_brings_about_is_said_of_the_file() -> None:
    """An impossible seek was an unforeseen error of ours."""
    with pytest.raises(UnreadableFileError, match="contradicts itself"):
        IsolatedRunner().run(contradict_itself)


def test_where_what_starts_decoders_is_killed_the_next_one_starts_it_again() -> None:
    runner = IsolatedRunner()
    assert runner.run(fine) == "1"
    killed = forkserver._forkserver._forkserver_pid
    os.kill(killed, signal.SIGKILL)
    assert runner.run(fine) == "1"
    assert forkserver._forkserver._forkserver_pid != killed


def fine() -> str:
    return "1"


def test_effects_that_take_too_long_are_left_out_and_it_is_said(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A few lines of filters took a minute of decoding."""
    blurs = '<feMorphology operator="dilate" radius="40"/>' * 40
    defs = f'<filter id="f" x="0" y="0" width="1" height="1">{blurs}</filter>'
    path, folder = tmp_path / "heavy.svg", tmp_path / "levels"
    path.write_bytes(svg(f'<defs>{defs}</defs><rect width="100" height="50" fill="#ff0000" filter="url(#f)"/>'))
    folder.mkdir()
    monkeypatch.setattr(decode_task, "BRIEFLY_S", 2)
    facts = decode_into(IsolatedRunner(), path, folder)
    assert any("Its effects" in note for note in facts.notes)
    assert (facts.stored_width, facts.has_clear_areas) == (2_048, False)


@pytest.mark.parametrize("how", ["lzma", "zstd", "lerc", "jpeg2000", "jpegxl", "jpegxr", "png", "webp", "lzw"])
def test_readers_are_loaded_before_nothing_can_be_loaded_any_more(tmp_path: Path, how: str) -> None:
    """A confined process cannot open a library's parts when it first needs them."""
    pixels = smooth_picture(80, 60)
    planes = np.moveaxis(pixels, -1, 0).copy()
    tiles = {"planarconfig": "separate", "tile": (32, 32)} if how == "lzw" else {}
    tifffile.imwrite(tmp_path / "a.tif", planes if tiles else pixels, photometric="rgb", compression=how, **tiles)
    assert decode_into(IsolatedRunner(), tmp_path / "a.tif", tmp_path).damage is None
