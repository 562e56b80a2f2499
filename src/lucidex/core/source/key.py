"""What a picture is made from: a file, or a part of one; by a key of its own."""

import re

from lucidex.core.source.formats.base import Part

_TEXT = re.compile(r"([0-9a-f]{64})(?:-([1-9]\d{0,5}))?(?:@([1-9]\d{0,4}))?")


class SourceKey(str):
    """`<SHA-256>` is a file (its first page, where it has several), `<SHA-256>-3` its third page, `…@300` drawn so
    densely (`formats.base.Part`).

    It is its text form, so that it is stored, compared and made part of other keys as it is. Whatever else pictures
    come to be made from gets a form of its own here. ValueError for any other text.

    >>> SourceKey("a" * 64).part, SourceKey.of_file("a" * 64, Part(3, 300)).part
    (Part(page=1, density=None), Part(page=3, density=300))
    """

    __slots__ = ()

    def __new__(cls, text: str) -> "SourceKey":
        """From its text form."""
        if _TEXT.fullmatch(text) is None:
            raise ValueError(f"{text[:80]!r} names no source")
        return super().__new__(cls, text)

    @classmethod
    def of_file(cls, sha256: str, part: Part = Part()) -> "SourceKey":  # noqa: B008 - it is immutable
        """A file, or a part of it."""
        page = "" if part.page == 1 else f"-{part.page}"
        return cls(sha256 + page + ("" if part.density is None else f"@{part.density}"))

    @property
    def original(self) -> str:
        """The SHA-256 of the file that it is made from."""
        return self[:64]

    @property
    def part(self) -> Part:
        """The part of that file."""
        found = _TEXT.fullmatch(self)
        _, page, density = found.groups() if found else ("", None, None)
        return Part(int(page or 1), int(density) if density else None)
