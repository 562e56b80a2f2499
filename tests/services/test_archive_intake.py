"""Archives: each file gets its sentence, and the others come in."""

import io
import random
import stat
import struct
import tarfile
import zipfile
from pathlib import Path

import pytest

from lucidex.core.errors import OutOfRangeError, TooLargeError, UnreadableFileError
from lucidex.core.source.limits import IntakeLimits
from lucidex.services.intake import archive_intake
from lucidex.services.intake.archive_intake import is_archive, read_contents, read_entry


def archive(
    tmp_path: Path, *entries: tuple[str | zipfile.ZipInfo, bytes], method: int = zipfile.ZIP_DEFLATED
) -> Path:
    path = tmp_path / "a.zip"
    with zipfile.ZipFile(path, "w", method) as out:
        for name, content in entries:
            out.writestr(name, content)
    return path


def test_folders_become_groups(tmp_path: Path) -> None:
    path = archive(tmp_path, ("phone/August/dome.jpg", b"12345"), ("fern.png", b"6"), ("phone/", b""))
    assert is_archive(path)
    found = read_contents(path)
    assert [(one.name, one.group, one.byte_count) for one in found.entries] == [
        ("dome.jpg", "phone/August", 5),
        ("fern.png", "", 1),
    ]
    assert b"".join(read_entry(path, found.entries[0].number)) == b"12345"


@pytest.mark.parametrize("name", ["../../etc/dome.jpg", "/etc/dome.jpg", "C:\\x\\dome.jpg", "..\\dome.jpg"])
def test_names_that_lead_out_are_only_labels(tmp_path: Path, name: str) -> None:
    (entry,) = read_contents(archive(tmp_path, (name, b"1"))).entries
    assert (entry.name, entry.group) == ("dome.jpg", "")
    assert "led out of it" in entry.notes[0]


def test_links_are_not_followed(tmp_path: Path) -> None:
    link = zipfile.ZipInfo("dome.jpg")
    link.external_attr = (stat.S_IFLNK | 0o777) << 16
    found = read_contents(archive(tmp_path, (link, b"/etc/passwd"), ("fern.jpg", b"1")))
    assert [one.name for one in found.entries] == ["fern.jpg"]
    assert found.refused[0][0] == "dome.jpg"
    assert "link" in found.refused[0][1]
    with pytest.raises(OutOfRangeError):
        list(read_entry(tmp_path / "a.zip", 0))


def test_a_name_twice_comes_in_twice_and_is_said(tmp_path: Path) -> None:
    with pytest.warns(UserWarning, match="Duplicate"):
        path = archive(tmp_path, ("a.jpg", b"1"), ("a.jpg", b"22"))
    found = read_contents(path)
    assert [one.byte_count for one in found.entries] == [1, 2]
    assert "2 times" in found.entries[1].notes[0]


def test_passwords_and_unknown_packing_are_said(tmp_path: Path) -> None:
    path = archive(tmp_path, ("a.jpg", b"1"))
    content = bytearray(path.read_bytes())
    at = content.index(b"PK\1\2")
    content[at + 8] |= 1
    path.write_bytes(content)
    assert "password" in read_contents(path).refused[0][1]
    packed = archive(tmp_path, ("a.jpg", b"1" * 100), method=zipfile.ZIP_LZMA)
    assert "not read" in read_contents(packed).refused[0][1]


def test_names_in_utf8_without_their_mark_are_read(tmp_path: Path) -> None:
    path = archive(tmp_path, ("x" * 8 + ".jpg", b"1"))
    path.write_bytes(path.read_bytes().replace(b"x" * 8, "Käféé".encode()))
    assert read_contents(path).entries[0].name == "Käféé.jpg"
    path = archive(tmp_path, ("x" * 4 + ".jpg", b"1"))
    path.write_bytes(path.read_bytes().replace(b"x" * 4, b"K\x84s\xff"))
    assert "old encoding" in read_contents(path).entries[0].notes[0]


def test_what_systems_put_there_is_passed_over_and_counted(tmp_path: Path) -> None:
    found = read_contents(archive(tmp_path, ("__MACOSX/._a.jpg", b"1"), (".DS_Store", b"1"), ("a.jpg", b"1")))
    assert [one.name for one in found.entries] == ["a.jpg"]
    assert found.notes == ["2 files that an operating system had put there were passed over."]


def test_bombs_are_refused_before_anything_is_unpacked(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = archive(tmp_path, ("a.jpg", bytes(2_000_000)), ("b.jpg", b"1"))
    monkeypatch.setattr(archive_intake, "MAX_UNPACKED_BYTES", 1_000_000)
    with pytest.raises(TooLargeError, match="unpacks to"):
        read_contents(path)
    monkeypatch.setattr(archive_intake, "MAX_UNPACKED_BYTES", 10**12)
    assert [name for name, _ in read_contents(path, IntakeLimits(file_bytes=1_000_000)).refused] == ["a.jpg"]
    monkeypatch.setattr(archive_intake, "MAX_ENTRIES", 1)
    with pytest.raises(TooLargeError, match="2 files"):
        read_contents(path)


def test_a_directory_that_says_it_is_huge_is_not_read(tmp_path: Path) -> None:
    path = archive(tmp_path, ("a.jpg", b"1"))
    content = bytearray(path.read_bytes())
    at = content.rindex(b"PK\5\6")
    struct.pack_into("<I", content, at + 12, 2**31)
    path.write_bytes(content)
    with pytest.raises(TooLargeError):
        read_contents(path)
    wide = struct.pack("<4sQHHIIQQQQ", b"PK\6\6", 44, 45, 45, 0, 0, 1, 1, 2**40, 0)
    path.write_bytes(bytes(content[:at]) + wide + struct.pack("<4sIQI", b"PK\6\7", 0, at, 1) + bytes(content[at:]))
    with pytest.raises(TooLargeError):
        read_contents(path)


def test_broken_archives_say_so(tmp_path: Path) -> None:
    path = archive(tmp_path, ("a.jpg", bytes(range(256)) * 40))
    whole = path.read_bytes()
    path.write_bytes(whole[:-30])
    with pytest.raises(UnreadableFileError, match="cut off"):
        read_contents(path)
    broken = bytearray(whole)
    broken[60:70] = b"\xff" * 10
    path.write_bytes(broken)
    with pytest.raises(UnreadableFileError, match="damaged within"):
        list(read_entry(path, 0))


def test_an_archive_in_an_archive_stays_packed(tmp_path: Path) -> None:
    inner = io.BytesIO()
    with zipfile.ZipFile(inner, "w") as out:
        out.writestr("a.jpg", b"1")
    (entry,) = read_contents(archive(tmp_path, ("inner.zip", inner.getvalue()))).entries
    assert entry.name == "inner.zip"  # and what reads it says that it is no picture


@pytest.mark.parametrize(
    ("codec", "name", "words"),
    [
        ("cp437", "Gewächshaus.png", "cp437"),
        ("cp1252", "Gewächshaus.png", "Latin-1"),
        ("cp1252", "serre d’été.png", "Latin-1"),
        ("cp866", "оранжерея.png", "cp866"),
        ("cp1251", "оранжерея.png", "cp1251"),
        ("shift_jis", "温室の花.png", "Shift-JIS"),
    ],
)
def test_names_in_old_encodings_are_read_and_it_is_said(tmp_path: Path, codec: str, name: str, words: str) -> None:
    """They were garbled, and nothing was said."""
    written = name.encode(codec)
    path = tmp_path / "a.zip"
    with zipfile.ZipFile(path, "w") as archive:
        archive.writestr("x" * len(written), b"1")
    path.write_bytes(path.read_bytes().replace(b"x" * len(written), written))
    (entry,) = read_contents(path).entries
    assert entry.name == name
    assert words in entry.notes[0]
    assert b"".join(read_entry(path, 0)) == b"1"


def test_one_bad_name_refuses_nothing_else(tmp_path: Path) -> None:
    path = tmp_path / "a.zip"
    with zipfile.ZipFile(path, "w") as archive:
        for name in ("äußeres.png", "gut-ü.png", "plain.png"):
            archive.writestr(name, b"1")
    path.write_bytes(path.read_bytes().replace("äuß".encode(), b"\xff\xfe\xfd\xfc\xfb"))
    contents = read_contents(path)
    assert [entry.name for entry in contents.entries] == ["\ufffd" * 5 + "eres.png", "gut-ü.png", "plain.png"]
    assert "damaged" in contents.entries[0].notes[0]
    assert [b"".join(read_entry(path, number)) for number in range(3)] == [b"1"] * 3


@pytest.mark.parametrize("kind", [tarfile.USTAR_FORMAT, tarfile.GNU_FORMAT, tarfile.PAX_FORMAT])
def test_tar_is_taken_file_by_file(tmp_path: Path, kind: int) -> None:
    path, long = tmp_path / "a.tar", "folder/" + "n" * 70 + "/äpfel.png"
    with tarfile.open(path, "w", format=kind) as archive:
        for name in ("one.png", long, "../out.png"):
            info = tarfile.TarInfo(name)
            info.size = len(name)
            archive.addfile(info, io.BytesIO(b"x" * len(name)))
        link = tarfile.TarInfo("link.png")
        link.type, link.linkname = tarfile.SYMTYPE, "/etc/passwd"
        archive.addfile(link)
    assert is_archive(path)
    contents = read_contents(path)
    assert [(entry.group, entry.name) for entry in contents.entries] == [
        ("", "one.png"),
        ("folder/" + "n" * 70, "äpfel.png"),
        ("", "out.png"),
    ]
    assert [len(b"".join(read_entry(path, entry.number))) for entry in contents.entries] == [7, len(long), 10]
    assert [name for name, _ in contents.refused] == ["link.png"]
    path.write_bytes(path.read_bytes()[:700])
    with pytest.raises(UnreadableFileError, match="breaks off"):
        read_contents(path)
    path.write_bytes(random.Random(3).randbytes(257) + b"ustar" + random.Random(4).randbytes(5_000))
    with pytest.raises(UnreadableFileError):
        read_contents(path)
