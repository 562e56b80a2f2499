"""Pictures out of a ZIP or TAR archive, one by one: nothing is unpacked by the names in it, and nothing at once.

Source: APPNOTE of the ZIP format, 4.3 and 4.4. The directory is measured before it is read; entries are streams with
the limits of any file.
"""

import io
import stat
import struct
import zipfile
import zlib
from bisect import bisect_left
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

from lucidex.core.errors import OutOfRangeError, TooLargeError, UnreadableFileError, UserError
from lucidex.core.source.limits import USUAL_LIMITS, IntakeLimits
from lucidex.services.intake.archive_names import encoding_of
from lucidex.services.intake.tar_files import BLOCK, TarFile, is_tar, tar_files

MAX_ENTRIES = 5_000
MAX_DIRECTORY_BYTES = 4_000_000
MAX_UNPACKED_BYTES = 20_000_000_000
PIECE_BYTES = 1 << 20
_END, _END_SIZE, _LONGEST_COMMENT = b"PK\5\6", 22, 65_535
_END_64, _LOCATOR_64, _END_64_SIZE, _LOCATOR_SIZE = b"PK\6\6", b"PK\6\7", 56, 20
_METHODS = (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED)
_OF_SYSTEMS = ("__MACOSX", ".DS_Store", "Thumbs.db", "desktop.ini")
_ENCRYPTED, _UTF8, _ENTRY_SIZE = 0x1, 0x800, 46


@dataclass(frozen=True)
class Entry:
    """A file in an archive: its number there, its name without folders, these as a group, and what is to be said."""

    number: int
    name: str
    group: str
    byte_count: int
    notes: tuple[str, ...] = ()


@dataclass
class Contents:
    """What an archive holds: files that can be taken, those that cannot with the reason, and what was passed over."""

    entries: list[Entry] = field(default_factory=list)
    refused: list[tuple[str, str]] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)


def is_archive(path: Path) -> bool:
    """Whether a file begins like a ZIP or TAR archive, whatever it is called."""
    with path.open("rb") as file:
        head = file.read(BLOCK)
        return head[:4] in (b"PK\3\4", _END) or is_tar(head)


@dataclass(frozen=True)
class _Held:
    """A file in an archive, whichever kind that is: its name, what is to be said, its size, why it is not taken."""

    name: str
    said: list[str]
    byte_count: int
    refusal: str | None


def _held_in(path: Path, limits: IntakeLimits) -> list[_Held | None]:
    """All files of an archive, None for folders."""
    with path.open("rb") as file:
        if is_tar(file.read(BLOCK)):
            return [_of_tar(one, limits) for one in _tar_files(path)]
    with _opened(path) as archive:
        infos = archive.infolist()
        named = _names_of(archive) if len(infos) <= MAX_ENTRIES else [("", [])] * len(infos)
        return [
            None if info.is_dir() else _Held(*named[number], info.file_size, _refusal(info, limits))
            for number, info in enumerate(infos)
        ]


def _tar_files(path: Path) -> list[TarFile]:
    try:
        with path.open("rb") as file:
            return list(tar_files(file, path.stat().st_size))
    except ValueError as error:
        raise UnreadableFileError("It is a damaged archive: it breaks off, or a header of it is none.") from error


def _of_tar(one: TarFile, limits: IntakeLimits) -> _Held:
    codec, words = encoding_of([one.name]) if not one.name.isascii() else ("utf-8", "")
    refusal = None if one.is_plain else "It is a link, or a device, and no file; links are not followed."
    if one.byte_count > limits.file_bytes:
        refusal = f"It weighs {one.byte_count / 1e6:.0f} MB; {limits.file_words} are taken."
    return _Held(*_read_name(one.name, False, codec, words), one.byte_count, refusal)


def read_contents(path: Path, limits: IntakeLimits = USUAL_LIMITS) -> Contents:
    """What an archive holds. UnreadableFileError or TooLargeError for the archive as a whole."""
    contents, passed_over, names = Contents(), 0, Counter[str]()
    held = _held_in(path, limits)
    if len(held) > MAX_ENTRIES:
        raise TooLargeError(f"It holds {len(held)} files; archives of up to {MAX_ENTRIES} are taken.")
    if (whole := sum(one.byte_count for one in held if one)) > MAX_UNPACKED_BYTES:
        most = MAX_UNPACKED_BYTES // 1_000_000_000
        raise TooLargeError(f"It unpacks to {whole / 1e9:.0f} GB; archives of up to {most} GB are taken.")
    for number, one in enumerate(held):
        if one is None:
            continue
        name = one.name
        *folders, last = [part for part in name.replace("\\", "/").split("/") if part] or [""]
        if any(part in _OF_SYSTEMS or part.startswith("._") for part in (*folders, last)):
            passed_over += 1
            continue
        if one.refusal is not None:
            contents.refused.append((last or "without a name", one.refusal))
            continue
        names[name] += 1
        notes = [*one.said]
        if ".." in folders or name.startswith(("/", "\\")) or (folders and folders[0].endswith(":")):
            notes.append("Its name in the archive led out of it; only the last part was kept.")
            folders = []
        if names[name] > 1:
            notes.append(f"The archive holds this name {names[name]} times; each came in.")
        contents.entries.append(Entry(number, last, "/".join(folders), one.byte_count, tuple(notes)))
    if passed_over:
        contents.notes.append(f"{passed_over} files that an operating system had put there were passed over.")
    return contents


def _refusal(info: zipfile.ZipInfo, limits: IntakeLimits) -> str | None:
    if stat.S_ISLNK(info.external_attr >> 16):
        return "It is a link to another file; links are not followed."
    if info.flag_bits & _ENCRYPTED:
        return "It is protected by a password. Unpack the archive first, then bring in the pictures."
    if info.compress_type not in _METHODS:
        return "It is packed in a way that is not read. Unpack the archive first, or pack it plainly."
    if info.file_size > limits.file_bytes:
        return f"It weighs {info.file_size / 1e6:.0f} MB; {limits.file_words} are taken."
    return None


def _names_of(archive: "_Archive") -> list[tuple[str, list[str]]]:
    """All names, and what is to be said of each. How those are written that do not say it is found from all of
    them together."""
    written = [archive.written_name(info) for info in archive.infolist()]
    unmarked = [name for name, is_utf8 in written if not is_utf8 and not name.isascii()]
    codec, words = encoding_of(unmarked) if unmarked else ("cp437", "")
    return [_read_name(name, is_utf8, codec, words) for name, is_utf8 in written]


def _read_name(name: bytes, is_utf8: bool, codec: str, words: str) -> tuple[str, list[str]]:
    if name.isascii():
        return name.decode("ascii"), []
    try:
        if is_utf8:
            return name.decode("utf-8"), []
        said = [] if codec == "utf-8" else [f"Its name is written in an old encoding; it was read as {words}."]
        return name.decode(codec), said
    except UnicodeDecodeError:
        return name.decode("utf-8", "replace"), [
            "Its name in the archive is damaged, and was read as far as it goes."
        ]


def read_entry(path: Path, number: int, limits: IntakeLimits = USUAL_LIMITS) -> Iterator[bytes]:
    """The bytes of a file in an archive, piece by piece. UnreadableFileError where they are damaged."""
    with path.open("rb") as file:
        if is_tar(file.read(BLOCK)):
            yield from _of_tar_entry(path, number, limits)
            return
    with _opened(path) as archive:
        infos = archive.infolist()
        if number >= len(infos) or _refusal(infos[number], limits) is not None:
            raise OutOfRangeError("The archive holds no such file.")
        try:
            with archive.open(infos[number]) as file:
                while piece := file.read(PIECE_BYTES):
                    yield piece
        except (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, RuntimeError, OSError) as error:
            raise UnreadableFileError("It is damaged within the archive: it cannot be unpacked.") from error


def _of_tar_entry(path: Path, number: int, limits: IntakeLimits) -> Iterator[bytes]:
    held = _tar_files(path)
    if number >= len(held) or _of_tar(held[number], limits).refusal is not None:
        raise OutOfRangeError("The archive holds no such file.")
    left = held[number].byte_count
    with path.open("rb") as file:
        file.seek(held[number].offset)
        while left and (piece := file.read(min(left, PIECE_BYTES))):
            left -= len(piece)
            yield piece


class _Archive(zipfile.ZipFile):
    """An archive whose names are left as they are written: one bad name would refuse all of it.

    `zipfile` decodes names while it reads the directory. Here every name comes as Latin-1, which holds any bytes.
    """

    def __init__(self, path: Path) -> None:
        self._unmarked = _Unmarked(path)
        super().__init__(self._unmarked, metadata_encoding="latin-1")

    def written_name(self, info: zipfile.ZipInfo) -> tuple[bytes, bool]:
        """The bytes of a name, and whether it says that it is UTF-8."""
        return info.orig_filename.encode("latin-1"), info.header_offset in self._unmarked.utf8_at

    def close(self) -> None:
        """Let go of the file."""
        super().close()
        self._unmarked.close()


class _Unmarked(io.FileIO):
    """A ZIP file in whose directory no name is marked as UTF-8; where those were is remembered."""

    def __init__(self, path: Path) -> None:
        super().__init__(path)
        self._flags: dict[int, int] = {}  # where in the file: the byte that stands there instead
        self.utf8_at: set[int] = set()  # the offsets of local headers whose names are UTF-8
        start, size, before = _directory_of(path)
        with path.open("rb") as file:
            file.seek(start)
            directory = file.read(min(size, MAX_DIRECTORY_BYTES))
            at = 0
            while directory[at : at + 4] == b"PK\1\2" and len(directory) >= at + _ENTRY_SIZE:
                (flags,) = struct.unpack_from("<H", directory, at + 8)
                lengths = struct.unpack_from("<HHH", directory, at + 28)
                if flags & _UTF8:
                    local = struct.unpack_from("<I", directory, at + 42)[0] + before
                    self.utf8_at.add(local)
                    file.seek(local + 6)
                    for where, marked in ((start + at + 8, directory[at + 8 : at + 10]), (local + 6, file.read(2))):
                        if len(marked) == 2:
                            self._flags[where + 1] = marked[1] & ~(_UTF8 >> 8)
                at += _ENTRY_SIZE + sum(lengths)
        self._at = sorted(self._flags)

    def read(self, size: int | None = -1) -> bytes:
        """Bytes from here on, without those marks."""
        begin = self.tell()
        content = super().read(-1 if size is None else size) or b""
        first, last = bisect_left(self._at, begin), bisect_left(self._at, begin + len(content))
        if first == last:
            return content
        patched = bytearray(content)
        for at in self._at[first:last]:
            patched[at - begin] = self._flags[at]
        return bytes(patched)


def _opened(path: Path) -> _Archive:
    _check_directory(path)
    try:
        return _Archive(path)
    except UserError:
        raise
    except (zipfile.BadZipFile, struct.error, ValueError, OSError, NotImplementedError, EOFError) as error:
        raise UnreadableFileError("It is a damaged archive: its directory cannot be read.") from error


def _directory_of(path: Path) -> tuple[int, int, int]:
    """Where the directory begins, how large it says it is, and how many bytes lie before the archive in its file."""
    size = path.stat().st_size
    with path.open("rb") as file:
        file.seek(max(0, size - _END_SIZE - _LONGEST_COMMENT))
        tail = file.read()
    at = tail.rfind(_END)
    directory, said = struct.unpack_from("<II", tail, at + 12)
    end = size - len(tail) + at  # of the directory, but for what a large archive has behind it
    with path.open("rb") as file:
        file.seek(max(0, end - _LOCATOR_SIZE - _END_64_SIZE))
        behind = file.read(_LOCATOR_SIZE + _END_64_SIZE)
    if behind[-_LOCATOR_SIZE:][:4] == _LOCATOR_64 and behind[:4] == _END_64:
        directory, said = struct.unpack_from("<QQ", behind, 40)
        end -= _LOCATOR_SIZE + _END_64_SIZE
    start = max(0, end - directory)
    return start, directory, max(0, start - said)


def _check_directory(path: Path) -> None:
    """The directory at the end says how large it is, before anything of it is read into memory."""
    size = path.stat().st_size
    with path.open("rb") as file:
        start = max(0, size - _END_SIZE - _LONGEST_COMMENT - _LOCATOR_SIZE - _END_64_SIZE)
        file.seek(start)
        tail = file.read()
    at = tail.rfind(_END)
    if at < 0 or len(tail) < at + _END_SIZE:
        raise UnreadableFileError(
            "It is an archive that is cut off: its directory is missing. Fetch or copy it again."
        )
    (directory,) = struct.unpack_from("<I", tail, at + 12)
    if at >= _LOCATOR_SIZE and tail[at - _LOCATOR_SIZE : at - _LOCATOR_SIZE + 4] == _LOCATOR_64:
        wide = at - _LOCATOR_SIZE - _END_64_SIZE
        if wide < 0 or tail[wide : wide + 4] != _END_64:
            raise UnreadableFileError("It is a damaged archive: its directory cannot be read.")
        (directory,) = struct.unpack_from("<Q", tail, wide + 40)
    if directory > MAX_DIRECTORY_BYTES:
        raise TooLargeError(f"It holds too many files; archives of up to {MAX_ENTRIES} are taken.")
