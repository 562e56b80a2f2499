"""File names: of pictures, and of results, safe on every file system and on the web."""

import re
import unicodedata

from lucidex.core.encode import FormatName
from lucidex.core.geometry.sizes import Size

MAX_FILE_NAME = 255
MAX_SUFFIX = 8
MAX_STEM = 80
HIDDEN = "-hidden"  # what names of pictures with hidden parts end with


def clean_file_name(name: str) -> str:
    """The last part of a file name, without control characters, at most 255 characters; the suffix is kept.

    >>> clean_file_name("../../a/b.jpg"), clean_file_name("C:\\\\x\\\\dome.png")
    ('b.jpg', 'dome.png')
    """
    last = re.split(r"[/\\\\]", name)[-1]
    restored = " ".join("".join(c if c.isprintable() else " " for c in last).split()).lstrip(".")
    if not restored:
        return "picture"
    stem, dot, suffix = restored.rpartition(".")
    if dot and len(suffix) <= MAX_SUFFIX:
        return stem[: MAX_FILE_NAME - len(suffix) - 1] + "." + suffix
    return restored[:MAX_FILE_NAME]


def renamed(file_name: str, typed: str) -> str:
    """The name that somebody typed for a file, with the suffix that it had.

    >>> renamed("KX4471.JPG", "the yard"), renamed("KX4471.JPG", "the yard.jpg"), renamed("KX4471", "v1.2")
    ('the yard.JPG', 'the yard.jpg', 'v1.2')
    """
    name, (_, dot, suffix) = clean_file_name(typed), file_name.rpartition(".")
    has_suffix = not dot or len(suffix) > MAX_SUFFIX or name.casefold().endswith(f".{suffix.casefold()}")
    return name if has_suffix else clean_file_name(f"{name}.{suffix}")


def web_stem(file_name: str) -> str:
    """A stem of small letters, figures and hyphens from a file name.

    >>> web_stem("Größe & Dome.JPG"), web_stem("…")
    ('grosse-dome', 'picture')
    """
    stem = file_name.rpartition(".")[0] or file_name
    plain = unicodedata.normalize("NFKD", stem.casefold()).encode("ascii", "ignore").decode()
    return re.sub(r"[^a-z0-9]+", "-", plain).strip("-")[:MAX_STEM].strip("-") or "picture"


def result_name(file_name: str, size: Size, name: FormatName, hides: bool = False) -> str:
    """The name of a finished file, for example dome-at-dusk-1600x640.jpg; it says where parts are hidden."""
    return f"{web_stem(file_name)}-{size.width}x{size.height}{HIDDEN if hides else ''}{name.output.suffix}"
