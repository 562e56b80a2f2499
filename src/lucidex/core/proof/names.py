"""File names of results: safe on every file system and on the web."""

import re
import unicodedata

from lucidex.core.encode import FormatName
from lucidex.core.geometry.sizes import Size

MAX_STEM = 80
HIDDEN = "-hidden"  # what names of pictures with hidden parts end with


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
