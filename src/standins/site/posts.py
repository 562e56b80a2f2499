"""Pages of the site, each with all its earlier versions; one file a page, fully there or not at all."""

import json
import re
import threading
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path

Properties = dict[str, list[object]]
MAX_VERSIONS, MAX_POSTS = 200, 2_000
SLUG = re.compile(r"[a-z0-9][a-z0-9-]{0,79}")


def now() -> str:
    """This moment in UTC."""
    return datetime.now(UTC).isoformat(timespec="microseconds")


@dataclass(frozen=True)
class Version:
    """How a page stood from a moment on."""

    number: int
    at: str
    properties: Properties


@dataclass(frozen=True)
class Post:
    """A page: microformats2 properties, when they changed, and whether it was taken away."""

    slug: str
    versions: tuple[Version, ...]
    is_deleted: bool = False
    types: tuple[str, ...] = field(default=("h-entry",))

    @property
    def latest(self) -> Version:
        """As it stands now."""
        return self.versions[-1]

    @property
    def properties(self) -> Properties:
        """As it stands now."""
        return self.latest.properties

    def text(self, name: str) -> str:
        """The first value of a property, as text."""
        first = next(iter(self.properties.get(name, [])), "")
        if isinstance(first, dict):
            return str(first.get("value") or first.get("html") or "")
        return str(first)


class TooManyError(Exception):
    """The site holds no more."""


class Posts:
    """All pages of a site, in a folder."""

    def __init__(self, folder: Path) -> None:
        self._folder, self._lock = folder, threading.Lock()
        folder.mkdir(parents=True, exist_ok=True)

    def find(self, slug: str) -> Post | None:
        """A page, also one that was taken away."""
        path = self._folder / f"{slug}.json"
        return self._read(path) if SLUG.fullmatch(slug) and path.exists() else None

    def listed(self) -> list[Post]:
        """All that are there, the newest first."""
        posts = [self._read(path) for path in self._folder.glob("*.json")]
        there = [post for post in posts if not post.is_deleted]
        return sorted(there, key=lambda post: (post.text("published"), post.slug), reverse=True)

    def create(self, properties: Properties, wanted: str) -> Post:
        """A new page, under a name of its own."""
        with self._lock:
            if len(list(self._folder.glob("*.json"))) >= MAX_POSTS:
                raise TooManyError
            stem = re.sub(r"[^a-z0-9]+", "-", wanted.lower()).strip("-")[:60].strip("-") or "page"
            slug, number = stem, 2
            while (self._folder / f"{slug}.json").exists():
                slug, number = f"{stem}-{number}", number + 1
            held: Properties = {"published": [now()], **properties}
            post = Post(slug, (Version(1, now(), held),))
            self._write(post)
            return post

    def change(self, slug: str, alter: Callable[[Properties], Properties]) -> Post:
        """Another version of a page. KeyError where there is none."""
        with self._lock:
            post = self.find(slug)
            if post is None:
                raise KeyError(slug)
            after = alter(json.loads(json.dumps(post.properties)))
            if after == post.properties:
                return post
            version = Version(post.latest.number + 1, now(), after)
            changed = Post(slug, (*post.versions, version)[-MAX_VERSIONS:], post.is_deleted, post.types)
            self._write(changed)
            return changed

    def mark(self, slug: str, is_deleted: bool) -> Post:
        """Take a page away, or bring it back. KeyError where there is none."""
        with self._lock:
            post = self.find(slug)
            if post is None:
                raise KeyError(slug)
            marked = Post(slug, post.versions, is_deleted, post.types)
            self._write(marked)
            return marked

    def _read(self, path: Path) -> Post:
        held = json.loads(path.read_text())
        versions = tuple(Version(one["number"], one["at"], one["properties"]) for one in held["versions"])
        return Post(path.stem, versions, held["is_deleted"], tuple(held["types"]))

    def _write(self, post: Post) -> None:
        path = self._folder / f"{post.slug}.json"
        held = {
            "types": post.types,
            "is_deleted": post.is_deleted,
            "versions": [{"number": one.number, "at": one.at, "properties": one.properties} for one in post.versions],
        }
        fresh = path.with_suffix(".new")
        fresh.write_text(json.dumps(held, ensure_ascii=False))
        fresh.replace(path)
