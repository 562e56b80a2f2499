"""A filter on system calls: what decoding never needs, and what would outlive the process that did it.

Memory files, shared memory, message queues, keys and sockets can be left behind by a process that is killed; other
namespaces and other processes can be begun by it. Sources: the Linux manual pages seccomp(2), bpf(4) and syscalls(2),
and `linux/audit.h`; the numbers are those of the kernel's tables for each machine.
"""

import ctypes
import errno
import platform
import struct
from dataclasses import dataclass

_PR_SET_SECCOMP, _MODE_FILTER = 22, 2
_LOAD, _EQUAL, _AT_LEAST, _ANY_BIT, _RETURN = 0x20, 0x15, 0x35, 0x45, 0x06  # of classic BPF
_NUMBER_AT, _MACHINE_AT, _FIRST_ARGUMENT_AT = 0, 4, 16  # in struct seccomp_data, little-endian
_ALLOW, _FAIL = 0x7FFF0000, 0x00050000
_OTHER_TABLE = 0x40000000  # from here on numbers of x86-64 mean another table (x32)
_NEW_NAMESPACES = 0x7E020000  # all CLONE_NEW… flags that clone(2) takes
_THREAD = 0x00010000  # CLONE_THREAD: what is begun is a part of this process


@dataclass(frozen=True)
class _Machine:
    """A machine's number in audits, its calls that are refused, and the two that begin threads."""

    audited: int
    refused: tuple[int, ...]
    clone: int
    clone3: int


# by name, the numbers on x86-64 and on aarch64, which has not all of them
_REFUSED: dict[str, tuple[int, int | None]] = {
    "memfd_create": (319, 279),
    "memfd_secret": (447, 447),
    "unshare": (272, 97),
    "setns": (308, 268),
    "socket": (41, 198),
    "socketpair": (53, 199),
    "shmget": (29, 194),
    "shmat": (30, 196),
    "msgget": (68, 186),
    "semget": (64, 190),
    "mq_open": (240, 180),
    "ptrace": (101, 117),
    "process_vm_readv": (310, 270),
    "process_vm_writev": (311, 271),
    "add_key": (248, 217),
    "request_key": (249, 218),
    "keyctl": (250, 219),
    "bpf": (321, 280),
    "userfaultfd": (323, 282),
    "perf_event_open": (298, 241),
    "io_uring_setup": (425, 425),
    "mount": (165, 40),
    "umount2": (166, 39),
    "pivot_root": (155, 41),
    "chroot": (161, 51),
    "open_by_handle_at": (304, 265),
    "mknodat": (259, 33),
    "mknod": (133, None),
    "execve": (59, 221),
    "execveat": (322, 281),
    "fork": (57, None),
    "vfork": (58, None),
    "pidfd_open": (434, 434),
    "pidfd_getfd": (438, 438),
    "personality": (135, 92),
    "open_tree": (428, 428),
    "move_mount": (429, 429),
    "fsopen": (430, 430),
    "fsmount": (432, 432),
    "fspick": (433, 433),
}
_MACHINES = {
    "x86_64": _Machine(0xC000003E, tuple(one for one, _ in _REFUSED.values()), clone=56, clone3=435),
    "aarch64": _Machine(0xC00000B7, tuple(two for _, two in _REFUSED.values() if two), clone=220, clone3=435),
}


def refuse_what_outlives() -> bool:
    """Put the filter on this process and all threads that it begins; whether it holds. It cannot be taken off.

    The process must have given up gaining privileges (`PR_SET_NO_NEW_PRIVS`).
    """
    machine = _MACHINES.get(platform.machine())
    if machine is None:
        return False
    program = _program(machine)
    code = ctypes.create_string_buffer(b"".join(program), len(program) * 8)
    described = struct.pack("@HP", len(program), ctypes.addressof(code))
    libc = ctypes.CDLL(None, use_errno=True)
    return bool(libc.prctl(_PR_SET_SECCOMP, _MODE_FILTER, ctypes.c_char_p(described), 0, 0) == 0)


def _program(machine: _Machine) -> list[bytes]:
    """Instructions of classic BPF: code, how far to jump where it is so and where not, and a number."""
    refusal = len(machine.refused) + 12  # where the last instruction stands, to which all refused calls jump
    return [
        _instruction(_LOAD, _MACHINE_AT),
        _instruction(_EQUAL, machine.audited, otherwise=refusal - 2),
        _instruction(_LOAD, _NUMBER_AT),
        _instruction(_AT_LEAST, _OTHER_TABLE, then=refusal - 4),
        *(_instruction(_EQUAL, number, then=refusal - 5 - place) for place, number in enumerate(machine.refused)),
        _instruction(_EQUAL, machine.clone3, otherwise=1),
        _instruction(_RETURN, _FAIL | errno.ENOSYS),  # its flags lie in memory, where no filter looks: clone follows
        _instruction(_EQUAL, machine.clone, then=1),
        _instruction(_RETURN, _ALLOW),
        _instruction(_LOAD, _FIRST_ARGUMENT_AT),
        _instruction(_ANY_BIT, _NEW_NAMESPACES, then=2),
        _instruction(_ANY_BIT, _THREAD, otherwise=1),
        _instruction(_RETURN, _ALLOW),
        _instruction(_RETURN, _FAIL | errno.EPERM),
    ]


def _instruction(code: int, number: int, then: int = 0, otherwise: int = 0) -> bytes:
    return struct.pack("=HBBI", code, then, otherwise, number)
