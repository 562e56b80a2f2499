"""What comes from outside, read into types that cannot hold what the inside cannot bear.

One place for all adapters: whatever a service answers becomes text without control characters, addresses that can be
taken apart, whole numbers within bounds, short lists; what does not look like that is passed over. Nothing here
raises but `json_of` and `xml_of`, which answer with a sentence.
"""

import json
import re
import xml.etree.ElementTree as ElementTree
from typing import Annotated, Any, TypeVar
from urllib.parse import urljoin, urlsplit

from defusedxml.common import DefusedXmlException
from defusedxml.ElementTree import fromstring
from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, ValidationError

from lucidex.core.errors import UnreadableFileError

MAX_ADDRESS, MAX_TEXT, MAX_LONG_TEXT, MAX_LIST = 1_000, 400, 4_000, 5_000
MOST_PIXELS = 1_000_000  # along a side
# control characters, halves of pairs, and what is no character at all; joiners are characters of several scripts
_UNBEARABLE = re.compile("[\x00-\x1f\x7f-\x9f\ud800-\udfff\ufffe\uffff\u2028\u2029]")

Json = dict[str, Any]
Read = TypeVar("Read", bound="Foreign")


def cleaned(value: object, most: int = MAX_TEXT) -> str:
    """A text, or a number as one, in a single line of at most so many characters; empty for anything else."""
    if isinstance(value, bool) or not isinstance(value, str | int | float):
        return ""
    text = value[: most * 4] if isinstance(value, str) else str(value) if abs(value) < 1e15 else ""
    return " ".join(_UNBEARABLE.sub(" ", text).split())[:most].strip()


def address_of(value: object, base: str = "") -> str:
    """An address of the web, whole where it is relative to `base`; empty where it is none that could be asked.

    >>> address_of("/a.jpg", "https://example.org/b/"), address_of("//["), address_of("javascript:x")
    ('https://example.org/a.jpg', '', '')
    """
    if not isinstance(value, str) or not value.strip() or len(value) > MAX_ADDRESS or _UNBEARABLE.search(value):
        return ""
    try:
        whole = urljoin(base, value.strip())
        parts = urlsplit(whole)
        is_web = parts.scheme in {"http", "https"} and bool(parts.hostname) and parts.port != 0
    except ValueError:
        return ""
    return whole if is_web and len(whole) <= MAX_ADDRESS and " " not in whole else ""


def whole_of(value: object, most: int = MOST_PIXELS) -> int:
    """A whole number from 1 to `most`, also where it is written as text; 0 for anything else."""
    if isinstance(value, str) and value.isascii() and value.isdecimal() and len(value) < 10:
        value = int(value)
    if isinstance(value, float) and value.is_integer() and abs(value) < 1e9:
        value = int(value)
    is_one = isinstance(value, int) and not isinstance(value, bool) and 0 < value <= most
    return int(value) if is_one else 0  # type: ignore[call-overload]


def objects_of(value: object, most: int = MAX_LIST) -> list[Json]:
    """The objects of a list, at most so many; one that stands alone is a list of itself."""
    if isinstance(value, dict):
        return [value]
    return [one for one in value[:most] if isinstance(one, dict)] if isinstance(value, list) else []


def object_of(value: object) -> Json:
    """An object, or an empty one."""
    return value if isinstance(value, dict) else {}


Text = Annotated[str, BeforeValidator(cleaned), Field(max_length=MAX_TEXT)]
LongText = Annotated[
    str, BeforeValidator(lambda value: cleaned(value, MAX_LONG_TEXT)), Field(max_length=MAX_LONG_TEXT)
]
Address = Annotated[str, BeforeValidator(address_of), Field(max_length=MAX_ADDRESS)]
NeededAddress = Annotated[str, BeforeValidator(address_of), Field(min_length=1, max_length=MAX_ADDRESS)]
Pixels = Annotated[int, BeforeValidator(whole_of), Field(ge=1, le=MOST_PIXELS)]


class Foreign(BaseModel):
    """Something that was read from outside."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    @classmethod
    def read(cls: type[Read], **fields: object) -> Read | None:
        """One of it from what was said; None where that is too little, or nonsense."""
        try:
            return cls(**fields)
        except ValidationError:
            return None


def json_of(content: bytes, sentence: str) -> Json:
    """An answer in JSON, an object. UnreadableFileError with a sentence where it is none."""
    try:
        found = json.loads(content)
    except (ValueError, RecursionError) as error:
        raise UnreadableFileError(sentence) from error
    if not isinstance(found, dict):
        raise UnreadableFileError(sentence)
    return found


def xml_of(content: bytes, sentence: str) -> ElementTree.Element:
    """An answer in XML, without entities of its own. UnreadableFileError with a sentence where it is none."""
    try:
        root: ElementTree.Element = fromstring(content, forbid_dtd=True)
    except (ElementTree.ParseError, DefusedXmlException, ValueError, LookupError) as error:
        raise UnreadableFileError(sentence) from error
    return root
