"""Files of the site, under names that carry the key of their content: what an address shows never changes."""

import hashlib
import re
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

import pyvips

TYPES = {
    b"\xff\xd8\xff": ("image/jpeg", ".jpg"),
    b"\x89PNG": ("image/png", ".png"),
    b"GIF8": ("image/gif", ".gif"),
}
MAX_BYTES = 60_000_000
NAME = re.compile(r"[0-9a-f]{16}-[a-z0-9-]{1,60}\.[a-z]{3,4}")


class UnknownKindError(ValueError):
    """The bytes are no picture that the site shows."""


@dataclass(frozen=True)
class Held:
    """A file that is there."""

    name: str
    media_type: str
    byte_count: int
    published: str


class Media:
    """All files of a site, in a folder."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        folder.mkdir(parents=True, exist_ok=True)

    def put(self, content: bytes, called: str) -> str:
        """Keep a file; its name. UnknownKindError for what is no picture."""
        _, suffix = kind_of(content)
        stem = re.sub(r"[^a-z0-9]+", "-", Path(called).stem.lower()).strip("-")[:60].strip("-") or "picture"
        name = f"{hashlib.sha256(content).hexdigest()[:16]}-{stem}{suffix}"
        path = self._folder / name
        if not path.exists():
            fresh = path.with_suffix(".new")
            fresh.write_bytes(content)
            fresh.replace(path)
        return name

    def find(self, name: str) -> Path | None:
        """Where a file lies."""
        path = self._folder / name
        return path if NAME.fullmatch(name) and path.exists() else None

    def size_at(self, address: str) -> tuple[int, int] | None:
        """Width and height of the picture at an address of the site; None where it is none of the site's."""
        path = self.find(address.rpartition("/media/")[2])
        if path is None:
            return None
        try:
            header = pyvips.Image.new_from_file(str(path))
        except pyvips.Error:
            return None
        return header.width, header.height

    def listed(self) -> list[Held]:
        """All files, the newest first."""
        return sorted(self._all(), key=lambda one: one.published, reverse=True)

    def _all(self) -> Iterator[Held]:
        for path in self._folder.iterdir():
            if not NAME.fullmatch(path.name):
                continue
            found = path.stat()
            with path.open("rb") as file:
                media_type, _ = kind_of(file.read(16))
            at = datetime.fromtimestamp(found.st_mtime, UTC).isoformat(timespec="seconds")
            yield Held(path.name, media_type, found.st_size, at)


def kind_of(content: bytes) -> tuple[str, str]:
    """Media type and suffix by the first bytes."""
    for magic, kind in TYPES.items():
        if content.startswith(magic):
            return kind
    if content[:4] == b"RIFF" and content[8:12] == b"WEBP":
        return "image/webp", ".webp"
    if content[4:12] == b"ftypavif":
        return "image/avif", ".avif"
    raise UnknownKindError("This is no picture that the site shows.")
