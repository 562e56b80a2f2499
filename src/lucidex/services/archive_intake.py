"""Pictures out of a ZIP archive, one by one: nothing is unpacked by the names in it, and nothing at once.

Source: APPNOTE of the ZIP format, 4.3 and 4.4. The directory is measured before it is read; entries are streams with
the limits of any file.
"""

import stat
import struct
import zipfile
import zlib
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

from lucidex.core.errors import OutOfRangeError, TooLargeError, UnreadableFileError, UserError
from lucidex.core.source.limits import USUAL_LIMITS, IntakeLimits

MAX_ENTRIES = 5_000
MAX_DIRECTORY_BYTES = 4_000_000
MAX_UNPACKED_BYTES = 20_000_000_000
PIECE_BYTES = 1 << 20
_END, _END_SIZE, _LONGEST_COMMENT = b"PK\5\6", 22, 65_535
_END_64, _LOCATOR_64, _END_64_SIZE, _LOCATOR_SIZE = b"PK\6\6", b"PK\6\7", 56, 20
_METHODS = (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED)
_OF_SYSTEMS = ("__MACOSX", ".DS_Store", "Thumbs.db", "desktop.ini")
_ENCRYPTED, _UTF8 = 0x1, 0x800


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
    """Whether a file begins like a ZIP archive, whatever it is called."""
    with path.open("rb") as file:
        return file.read(4) in (b"PK\3\4", _END)


def read_contents(path: Path, limits: IntakeLimits = USUAL_LIMITS) -> Contents:
    """What an archive holds. UnreadableFileError or TooLargeError for the archive as a whole."""
    contents, passed_over, names = Contents(), 0, Counter[str]()
    with _opened(path) as archive:
        infos = archive.infolist()
        if len(infos) > MAX_ENTRIES:
            raise TooLargeError(f"It holds {len(infos)} files; archives of up to {MAX_ENTRIES} are taken.")
        if (whole := sum(info.file_size for info in infos)) > MAX_UNPACKED_BYTES:
            raise TooLargeError(
                f"It unpacks to {whole / 1e9:.0f} GB; archives of up to {MAX_UNPACKED_BYTES // 1_000_000_000} GB "
                "are taken."
            )
        for number, info in enumerate(infos):
            name, said = _name_of(info)
            *folders, last = [part for part in name.replace("\\", "/").split("/") if part] or [""]
            if info.is_dir():
                continue
            if any(part in _OF_SYSTEMS or part.startswith("._") for part in (*folders, last)):
                passed_over += 1
                continue
            if (sentence := _refusal(info, limits)) is not None:
                contents.refused.append((last or "without a name", sentence))
                continue
            names[name] += 1
            notes = [*said]
            if ".." in folders or name.startswith(("/", "\\")) or (folders and folders[0].endswith(":")):
                notes.append("Its name in the archive led out of it; only the last part was kept.")
                folders = []
            if names[name] > 1:
                notes.append(f"The archive holds this name {names[name]} times; each came in.")
            contents.entries.append(Entry(number, last, "/".join(folders), info.file_size, tuple(notes)))
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


def _name_of(info: zipfile.ZipInfo) -> tuple[str, list[str]]:
    """The name, and what is to be said of it. Names without a mark of their encoding are UTF-8 where they can be."""
    if info.flag_bits & _UTF8 or info.filename.isascii():
        return info.filename, []
    try:
        return info.filename.encode("cp437").decode("utf-8"), []
    except UnicodeError:
        return info.filename, ["Its name is written in an old encoding, and may read otherwise than was meant."]


def read_entry(path: Path, number: int, limits: IntakeLimits = USUAL_LIMITS) -> Iterator[bytes]:
    """The bytes of a file in an archive, piece by piece. UnreadableFileError where they are damaged."""
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


def _opened(path: Path) -> zipfile.ZipFile:
    _check_directory(path)
    try:
        return zipfile.ZipFile(path)
    except UserError:
        raise
    except (zipfile.BadZipFile, struct.error, ValueError, OSError, NotImplementedError, EOFError) as error:
        raise UnreadableFileError("It is a damaged archive: its directory cannot be read.") from error


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
