"""The pictures that the source holds: files in a folder, and a catalogue beside them."""

import json
from dataclasses import dataclass
from pathlib import Path


@dataclass(frozen=True)
class Entry:
    """One picture: what it is called and about, who made it, under which licence (its address)."""

    id: str
    title: str
    words: tuple[str, ...]
    maker: str
    licence: str
    width: int
    height: int
    file: Path


def read_catalogue(folder: Path) -> dict[str, Entry]:
    """All whose file is there, by their ids."""
    path = folder / "catalogue.json"
    listed = json.loads(path.read_text()) if path.exists() else []
    found = {}
    for one in listed:
        file = folder / f"{one['id']}.jpg"
        if file.exists():
            words = tuple(one["words"])
            size = one["width"], one["height"]
            found[one["id"]] = Entry(one["id"], one["title"], words, one["maker"], one["licence"], *size, file)
    return found
