"""What one written file of a picture is called among all: its place, a further format there, later a part of it."""

import re
from typing import Any

from pydantic import GetCoreSchemaHandler
from pydantic_core import CoreSchema, core_schema

from lucidex.core.encode import FormatName

_TEXT = re.compile(r"(\d{1,18})(?:-(\d{1,6}))?(?:\.([a-z0-9]{1,12}))?")


class OutputId(str):
    """`12` is the first format of place 12, `12.webp` a further one there, `12-3` its third part.

    It is its text form, so it is stored, compared and put into an address as it is. ValueError for any other text.

    >>> OutputId("12.webp").place, OutputId("12.webp").format, OutputId.of("12", FormatName("webp"), 3)
    ('12', 'webp', '12-3.webp')
    """

    __slots__ = ()

    def __new__(cls, text: str) -> "OutputId":
        """From its text form."""
        match = _TEXT.fullmatch(text)
        if match is None:
            raise ValueError(f"{text[:40]!r} names no output")
        if match[3] is not None:
            FormatName(match[3])
        return super().__new__(cls, text)

    @classmethod
    def of(cls, place: str, also: FormatName | None = None, part: int | None = None) -> "OutputId":
        """From its parts; `also` is a further format, none the first one."""
        return cls(place + (f"-{part}" if part is not None else "") + (f".{also}" if also is not None else ""))

    @property
    def place(self) -> str:
        """The key of its place."""
        return self._parts()[0]

    @property
    def part(self) -> int | None:
        """Which part of the place it is, where it has several."""
        part = self._parts()[1]
        return int(part) if part else None

    @property
    def format(self) -> FormatName | None:  # type: ignore[override]  # a name of the trade before one of str's
        """The further format, where it is not the first one."""
        name = self._parts()[2]
        return FormatName(name) if name else None

    def _parts(self) -> tuple[str, str | None, str | None]:
        match = _TEXT.fullmatch(self)
        assert match is not None  # noqa: S101 - checked when it was made
        return match[1], match[2], match[3]

    @classmethod
    def __get_pydantic_core_schema__(cls, source: type[Any], handler: GetCoreSchemaHandler) -> CoreSchema:
        texts = core_schema.str_schema(pattern=f"^{_TEXT.pattern}$")
        return core_schema.no_info_after_validator_function(cls, texts)
