"""Files in a TAR archive, found by its headers; nothing is unpacked by the names in it.

Source: POSIX.1-1988 `ustar`, POSIX.1-2001 `pax` paths, and the long names of GNU tar. Every length is bounded before
anything is read; `tarfile` reads extended headers of any size into memory.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from io import BufferedReader

BLOCK, MAX_LONG_NAME, MAX_HEADERS = 512, 16_384, 20_000
MAGIC = b"ustar"
_PLAIN, _FOLDER, _LONG_NAME, _PAX = b"0\0", b"5", b"L", b"x"


@dataclass(frozen=True)
class TarFile:
    """A file in it: its name as it is written, where it begins, how many bytes it has, whether it is a plain file."""

    name: bytes
    offset: int
    byte_count: int
    is_plain: bool


def is_tar(head: bytes) -> bool:
    """Whether a file begins like a TAR archive."""
    return head[257:262] == MAGIC


def tar_files(file: BufferedReader, size: int) -> Iterator[TarFile]:
    """Its files in order, without folders. ValueError where a header is none, or they have no end."""
    at, long_name = 0, b""
    for _ in range(MAX_HEADERS):
        file.seek(at)
        header = file.read(BLOCK)
        if at > size or 0 < len(header) < BLOCK:
            raise ValueError("it ends too early")
        if not header.strip(b"\0"):
            return
        if header[257:262] != MAGIC or _number(header[148:156]) != _checksum(header):
            raise ValueError("no header")
        byte_count, kind = _number(header[124:136]), header[156:157]
        offset = at + BLOCK
        at = offset + -(-byte_count // BLOCK) * BLOCK
        if byte_count < 0 or offset + byte_count > size:
            raise ValueError("it ends too early")
        if kind in {_LONG_NAME, _PAX}:
            content = file.read(min(byte_count, MAX_LONG_NAME))
            long_name = content.rstrip(b"\0") if kind == _LONG_NAME else _pax_path(content) or long_name
            continue
        prefix, name = header[345:500].rstrip(b"\0"), header[:100].split(b"\0")[0]
        whole = long_name or (prefix.split(b"\0")[0] + b"/" + name if prefix else name)
        long_name = b""
        if kind != _FOLDER:
            yield TarFile(whole, offset, byte_count, kind in {_PLAIN[:1], _PLAIN[1:]})
    raise ValueError("too many headers")


def _number(field: bytes) -> int:
    if field[:1] == b"\x80":  # GNU tar writes large ones in binary
        return int.from_bytes(field[1:], "big")
    text = field.strip(b"\0 ")
    return int(text, 8) if text else 0


def _checksum(header: bytes) -> int:
    return sum(header[:148]) + 8 * ord(" ") + sum(header[156:])


def _pax_path(content: bytes) -> bytes:
    """The path among the records `length key=value` of an extended header."""
    while content:
        length = content.partition(b" ")[0]
        if not length.isdigit() or len(length) > 6 or not 0 < int(length) <= len(content):
            return b""
        record = content[len(length) + 1 : int(length)]
        key, _, value = record.partition(b"=")
        if key == b"path":
            return value.rstrip(b"\n")
        content = content[int(length) :]
    return b""
