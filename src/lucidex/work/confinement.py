"""Takes from a process what decoding a picture does not need: files, the network, other programs, other processes.

What holds depends on the system (README, “What a file from outside can reach”). Sources: the Linux manual pages
landlock(7), unshare(2), prctl(2), setrlimit(2). Whoever is confined keeps the files that are open already.
"""

import ctypes
import os
import resource
import signal
import struct
from enum import StrEnum
from pathlib import Path

from lucidex.work.syscall_filter import refuse_what_outlives

OWN_USER = 61_427  # a number that nobody has, for decoders of an application that was started as root
MAX_OPEN_FILES = 64
MAX_THREADS = 64
_PR_SET_PDEATHSIG, _PR_SET_NO_NEW_PRIVS = 1, 38
_CLONE_NEWNET, _CLONE_NEWUSER = 0x40000000, 0x10000000
_CREATE_RULESET, _ADD_RULE, _RESTRICT_SELF = 444, 445, 446
_PATH_BENEATH = 1
_READ_FILE, _READ_FOLDER = 1 << 2, 1 << 3
_ASK_VERSION = 1
_FILE_ACCESS = {1: 13, 2: 14, 3: 15, 4: 15, 5: 16}  # how many kinds of access a version of Landlock knows
_TCP_ACCESS = 0b11  # bind and connect, from version 4 on
_SCOPES = 0b11  # abstract sockets and signals to others, from version 6 on

_libc = ctypes.CDLL(None, use_errno=True)


class Held(StrEnum):
    """What could be taken away on this system."""

    FILES = "files"
    NETWORK = "network"
    USER = "user"
    CALLS = "calls"


def confine(most_file_bytes: int, readable: tuple[Path, ...] = ()) -> frozenset[Held]:
    """Confine this process for good; what held. It must have one thread only.

    `readable` are folders of the product's own from which it may go on reading.
    """
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    resource.setrlimit(resource.RLIMIT_FSIZE, (most_file_bytes, most_file_bytes))
    resource.setrlimit(resource.RLIMIT_NOFILE, (MAX_OPEN_FILES, MAX_OPEN_FILES))
    held = set()
    if _without_network():
        held.add(Held.NETWORK)
    # opened by whoever installed the product: nobody may not even come as far as these folders
    folders = [handle for folder in readable if (handle := _opened(folder)) is not None]
    if os.geteuid() == 0:
        _become_nobody()
        held.add(Held.USER)
    _libc.prctl(_PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0)
    if _without_files(folders):
        held.add(Held.FILES)
    _libc.prctl(_PR_SET_PDEATHSIG, signal.SIGKILL, 0, 0, 0)  # changing the user forgets it, so it comes behind that
    if refuse_what_outlives():
        held.add(Held.CALLS)
    return frozenset(held)


def _without_network() -> bool:
    flags = _CLONE_NEWNET if os.geteuid() == 0 else _CLONE_NEWNET | _CLONE_NEWUSER
    return bool(_libc.unshare(flags) == 0)


def _become_nobody() -> None:
    os.setgroups([])
    os.setresgid(OWN_USER, OWN_USER, OWN_USER)
    os.setresuid(OWN_USER, OWN_USER, OWN_USER)
    resource.setrlimit(resource.RLIMIT_NPROC, (MAX_THREADS, MAX_THREADS))


def _without_files(readable: list[int]) -> bool:
    """Landlock: nothing can be opened, made, removed or run any more, but for reading these open folders."""
    version = _libc.syscall(_CREATE_RULESET, None, 0, _ASK_VERSION)
    if version < 1:
        return False
    files = (1 << _FILE_ACCESS[min(version, 5)]) - 1
    rules = struct.pack("=QQQ", files, _TCP_ACCESS if version >= 4 else 0, _SCOPES if version >= 6 else 0)
    size = 24 if version >= 6 else 16 if version >= 4 else 8
    ruleset = _libc.syscall(_CREATE_RULESET, ctypes.c_char_p(rules), size, 0)
    if ruleset < 0:
        return False
    try:
        for folder in readable:
            rule = struct.pack("=Qi", _READ_FILE | _READ_FOLDER, folder)
            _libc.syscall(_ADD_RULE, ruleset, _PATH_BENEATH, ctypes.c_char_p(rule), 0)
        return bool(_libc.syscall(_RESTRICT_SELF, ruleset, 0) == 0)
    finally:
        os.close(ruleset)


def _opened(folder: Path) -> int | None:
    try:
        return os.open(folder, os.O_PATH)
    except OSError:
        return None
