"""What a picture is made from: a file, or a page of one; by a key of its own."""

import re

_TEXT = re.compile(r"([0-9a-f]{64})(?:-(\d{1,6}))?")


class SourceKey(str):
    """`<SHA-256>` is a file (its first page, where it has several), `<SHA-256>-3` its third page.

    It is its text form, so that it is stored, compared and made part of other keys as it is. Whatever else pictures
    come to be made from gets a form of its own here. ValueError for any other text.

    >>> SourceKey("a" * 64).page, SourceKey.of_file("a" * 64, 3).page
    (1, 3)
    """

    __slots__ = ()

    def __new__(cls, text: str) -> "SourceKey":
        """From its text form."""
        if _TEXT.fullmatch(text) is None:
            raise ValueError(f"{text[:80]!r} names no source")
        return super().__new__(cls, text)

    @classmethod
    def of_file(cls, sha256: str, page: int = 1) -> "SourceKey":
        """A file, or a page of it, counted from 1."""
        return cls(sha256 if page == 1 else f"{sha256}-{page}")

    @property
    def original(self) -> str:
        """The SHA-256 of the file that it is made from."""
        return self[:64]

    @property
    def page(self) -> int:
        """The page of that file."""
        return int(self[65:] or 1)
