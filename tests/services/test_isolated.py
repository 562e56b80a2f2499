"""Decoding in a process of its own: what it may not take, and what happens when it dies."""

import os
from pathlib import Path

import pytest

from lucidex.core.errors import TooLargeError, UnreadableFileError
from lucidex.work.decoding import decode
from lucidex.work.isolated import IsolatedRunner, Limits
from tests.conftest import encoded, smooth_picture


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


def test_a_process_that_dies_harms_nobody(tmp_path: Path) -> None:
    runner = IsolatedRunner(slots=1)
    with pytest.raises(UnreadableFileError, match="damaged"):
        runner.run(die)
    (tmp_path / "a.png").write_bytes(encoded(smooth_picture(20, 20)))
    assert '"stored_width":20' in runner.run(decode, str(tmp_path / "a.png"), str(tmp_path))


def test_a_picture_too_large_for_the_memory_is_refused_in_words(tmp_path: Path) -> None:
    (tmp_path / "a.jpg").write_bytes(encoded(smooth_picture(9_000, 9_000), ".jpg", Q=50))
    with pytest.raises((UnreadableFileError, TooLargeError), match="memory"):
        IsolatedRunner(limits=Limits(memory_bytes=700_000_000)).run(decode, str(tmp_path / "a.jpg"), str(tmp_path))
