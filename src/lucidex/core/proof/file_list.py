"""The list of finished files before anything is made: names and folders from a pattern, clashes resolved visibly.

A pattern is text with plain fields in braces, such as `{place}/{name}-{width}x{height}`; `/` makes folders. Names
come out in small letters, figures, hyphens and underscores, which every file system and every server takes.
"""

import re
from collections.abc import Collection
from dataclasses import dataclass

from lucidex.core.encode import FormatName
from lucidex.core.errors import NotUnderstoodError
from lucidex.core.geometry.sizes import Size
from lucidex.core.proof.names import HIDDEN, web_stem
from lucidex.core.spelling import near_words

USUAL_PATTERN = "{place}/{name}-{width}x{height}{hidden}"
USUAL_BEFORE = frozenset({"{place}/{name}-{width}x{height}"})  # what it was in earlier versions
FIELDS = {
    "name": "the picture's own name",
    "place": "the place",
    "width": "pixels across",
    "height": "pixels down",
    "number": "1, 2, 3 …, of the picture",
    "date": "the day of the run",
    "group": "the folder it came in, or the folio",
    "format": "jpg, png, webp or avif",
    "hidden": "“-hidden” where parts of the picture are hidden, else nothing",
}
MAX_PATTERN, MAX_PART, MAX_PATH = 200, 100, 380
_FIELD = re.compile(r"\{([^{}]*)\}")
_SUFFIX = re.compile(r"\.(?:jpe?g|png|webp|avif|gif|tiff?|pdf)$", re.IGNORECASE)
_NOT_PLAIN = re.compile(r"[^a-z0-9_-]+")
_RESERVED = re.compile(r"(con|prn|aux|nul|com[0-9]|lpt[0-9])(?=$|\.)")


@dataclass(frozen=True)
class Naming:
    """What a name can be made of."""

    name: str
    place: str
    size: Size
    number: int
    count: int
    date: str
    group: str
    format: FormatName
    hides: bool = False

    def value(self, field: str) -> str:
        """The value of a field, in plain letters."""
        digits = max(2, len(str(self.count)))
        values = {
            "name": web_stem(self.name),
            "place": web_stem(self.place + "."),
            "width": str(self.size.width),
            "height": str(self.size.height),
            "number": str(self.number).zfill(digits),
            "date": self.date,
            "group": web_stem(self.group + "."),
            "format": self.format.output.suffix.removeprefix("."),
            "hidden": HIDDEN if self.hides else "",
        }
        return values[field]


@dataclass(frozen=True)
class ListedFile:
    """One finished name with its folders; `said` is a sentence where it had to differ from the pattern."""

    path: str
    message: str = ""


def check_pattern(pattern: str) -> str:
    """The pattern, or NotUnderstoodError in words where something in it is no field or no name follows."""
    pattern = pattern.strip()
    if not pattern or len(pattern) > MAX_PATTERN:
        raise NotUnderstoodError(f"Write a pattern such as {USUAL_PATTERN}, at most {MAX_PATTERN} letters.")
    for field in _FIELD.findall(pattern):
        if field not in FIELDS:
            near = near_words(field, list(FIELDS), 1)
            meant = f" Is “{{{near[0]}}}” meant?" if near else ""
            raise NotUnderstoodError(f"“{{{field}}}” is no field.{meant} There are: {', '.join(FIELDS)}.")
    rest = _FIELD.sub("x", pattern)
    if "{" in rest or "}" in rest:
        raise NotUnderstoodError("A brace is open or closed without its other half.")
    if not rest.split("/")[-1].strip():
        raise NotUnderstoodError("After the last “/” the file's own name is missing.")
    return _SUFFIX.sub("", pattern) or pattern


def pattern_advice(pattern: str) -> list[str]:
    """What is to be said of a pattern that can be taken and may be meant otherwise.

    >>> pattern_advice("{name}-width.jpg")[0]
    '“width” stands in every name as it is. In braces, {width}, it is the field.'
    """
    advice = []
    if (suffix := _SUFFIX.search(pattern.strip())) is not None:
        advice.append(f"“{suffix[0]}” is left away: every file gets the ending of its own format.")
    literal = re.findall(r"[a-z]+", _SUFFIX.sub("", _FIELD.sub(" ", pattern)).lower())
    bare = dict.fromkeys(word for word in literal if word in FIELDS)
    return [
        *(f"“{word}” stands in every name as it is. In braces, {{{word}}}, it is the field." for word in bare),
        *advice,
    ]


def list_files(pattern: str, namings: list[Naming]) -> list[ListedFile]:
    """A name for each file, in order, no two alike (whatever the case of letters).

    Raises NotUnderstoodError where the pattern is none.

    >>> one = Naming("Dome.jpg", "Site banner", Size(1600, 640), 1, 1, "2026-11-25", "Autumn", FormatName("jpeg"))
    >>> [listed.path for listed in list_files("{place}/{name}", [one, one])]
    ['site-banner/dome.jpg', 'site-banner/dome-2.jpg']
    """
    pattern = check_pattern(pattern)
    paths = [_path(pattern, naming) for naming in namings]
    taken: set[str] = set()
    following: dict[str, int] = {}
    listed = []
    for (path, message), naming in zip(paths, namings, strict=True):
        if len(path) > MAX_PATH:
            raise NotUnderstoodError(
                f"This pattern makes a path of {len(path)} letters; at most {MAX_PATH} are taken."
            )
        free = _free(path, naming.format.output.suffix, taken, following)
        taken.add(free)
        clash = "Another file would have the same name, so this one is numbered." if free != path else ""
        listed.append(ListedFile(free, clash or message))
    return listed


def _path(pattern: str, naming: Naming) -> tuple[str, str]:
    filled = _FIELD.sub(lambda match: naming.value(match[1]), pattern)
    parts = [_plain(part) for part in filled.split("/")]
    kept = [part for part in parts[:-1] if part] + [parts[-1] or "picture"]
    as_meant = "/".join(part.strip() for part in filled.split("/"))
    path = "/".join(kept)
    message = "" if path == as_meant.lower() else "Letters that file systems or the web dislike were replaced."
    return path + naming.format.output.suffix, message


def _plain(part: str) -> str:
    plain = _NOT_PLAIN.sub("-", web_stem(part + ".") if not part.isascii() else part.lower()).strip("-_")
    return _RESERVED.sub(r"\1-", plain[:MAX_PART])


def free_path(path: str, taken: Collection[str]) -> str:
    """The path, or with the first number that is free among others.

    >>> free_path("site/dome.jpg", {"site/dome.jpg", "site/dome-2.jpg"})
    'site/dome-3.jpg'
    """
    _, dot, suffix = path.rpartition(".")
    return _free(path, dot + suffix, set(taken), {})


def _free(path: str, suffix: str, taken: set[str], following: dict[str, int]) -> str:
    """The path, or with the next number that is free; `following` remembers how far each path has come."""
    stem, number, free = path.removesuffix(suffix), following.get(path, 2), path
    while free in taken:
        free, number = f"{stem}-{number}{suffix}", number + 1
    following[path] = number
    return free
