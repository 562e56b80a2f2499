"""SVG (W3C Recommendation): drawings, drawn to pixels. No scripts, other files or entities; it is never served."""

import re
from dataclasses import dataclass, field
from io import BufferedReader
from xml.parsers import expat

import pyvips

from lucidex.core.geometry.sizes import Size
from lucidex.core.source.fonts import FACES
from lucidex.core.source.formats.base import Drawn, Opened, Part, SourceFormat, never_early

DRAWN = Drawn(
    unit="pixels along the longer side",
    usual=2_048,
    offered=(2_048, 3_072, 4_096, 6_144, 8_192),
    largest=12_000,
    grows=True,
)
MAX_ELEMENTS, MAX_DEPTH, MAX_BYTES = 200_000, 200, 30_000_000
_PIECE = 65_536
_OUTSIDE = re.compile(r"url\(\s*['\"]?\s*(?!#|data:image/)|@import", re.IGNORECASE)


_WITH_LETTERS = "It holds text as letters, which were drawn in a face of our own. Outlines would keep theirs."
_WITHOUT_LETTERS = "It holds text as letters, which were left out: there is no face to draw them in. Use outlines."
_NO_LETTERS = "text { display: none }"


def _faces_are_there() -> bool:
    """Whether whoever decodes can read the faces; then letters are drawn, and else left out rather than as boxes."""
    try:
        return all(bool(face.open("rb").read(4)) for face in FACES)
    except OSError:
        return False


class _Refused(Exception):  # noqa: N818 - it only leads out of the parser
    """A sentence that refuses the file."""


@dataclass
class _Seen:
    """What a drawing holds that is not drawn, and how large it is."""

    depth: int = 0
    elements: int = 0
    is_svg: bool = False
    scripts: bool = False
    outside: bool = False
    text: bool = False
    foreign: bool = False
    stack: list[str] = field(default_factory=list)

    def begin(self, name: str, attributes: dict[str, str]) -> None:
        self.elements += 1
        self.stack.append(name)
        plain = name.rpartition(":")[2].lower()
        self.is_svg |= self.elements == 1 and plain == "svg"
        if self.elements > MAX_ELEMENTS or len(self.stack) > MAX_DEPTH:
            raise _Refused("It is an SVG drawing of too many parts, or parts too deep within each other.")
        self.scripts |= plain == "script" or any(key.lower().startswith("on") for key in attributes)
        self.foreign |= plain == "foreignobject"
        self.text |= plain == "text"
        for key, value in attributes.items():
            if key.rpartition(":")[2].lower() == "href" and not value.lstrip().startswith(("#", "data:image/")):
                self.outside |= plain != "a"
            self.outside |= key == "style" and bool(_OUTSIDE.search(value[:10_000]))

    def end(self, name: str) -> None:
        self.stack.pop()

    def said(self, text: str) -> None:
        if self.stack and self.stack[-1].rpartition(":")[2].lower() == "style":
            self.outside |= bool(_OUTSIDE.search(text))

    @property
    def notes(self) -> tuple[str, ...]:
        words = (
            (self.outside, "It refers to other files, which were left out."),
            (self.scripts, "It holds scripts, which were not run."),
            (self.foreign, "It holds parts that are no drawing, which were left out."),
            (self.text, _WITH_LETTERS if _faces_are_there() else _WITHOUT_LETTERS),
        )
        return tuple(sentence for is_there, sentence in words if is_there)


def _look(file: BufferedReader) -> _Seen:
    """All of the file, once, without drawing it. Raises _Refused, or pyvips.Error where it is broken."""
    seen = _Seen()
    parser = expat.ParserCreate()
    parser.buffer_text = True
    parser.StartElementHandler, parser.EndElementHandler = seen.begin, seen.end
    parser.CharacterDataHandler = seen.said
    parser.EntityDeclHandler = _refuse_entities
    file.seek(0)
    try:
        while piece := file.read(_PIECE):
            parser.Parse(piece)
        parser.Parse(b"", True)
    except expat.ExpatError as error:
        raise pyvips.Error("the drawing is no well-formed XML") from error
    if not seen.is_svg:
        raise _Refused("It is XML, but no SVG drawing.")
    return seen


def _refuse_entities(*_: object) -> None:
    raise _Refused("It is an SVG drawing that declares entities of its own, which are not read. Save it plainly.")


def refusal(file: BufferedReader) -> str | None:
    """Why a drawing is not read at all."""
    if file.seek(0, 2) > MAX_BYTES:
        return f"It is an SVG drawing of more than {MAX_BYTES // 1_000_000} MB, the most that is drawn."
    try:
        _look(file)
    except _Refused as error:
        return str(error)
    except pyvips.Error:
        return None  # a broken file; the decoder says so
    return None


def _header(file: BufferedReader, scale: float = 1.0) -> pyvips.Image:
    file.seek(0)
    source = pyvips.Source.new_from_descriptor(file.fileno())
    letters = {} if _faces_are_there() else {"stylesheet": _NO_LETTERS}
    return pyvips.Operation.call("svgload_source", source, scale=scale, access="sequential", **letters)


def _enlarging(image: pyvips.Image, part: Part) -> float:
    """It grows to so many pixels along its longer side, and is never drawn smaller than it says."""
    longest = max(image.width, image.height)
    wanted = part.density or max(DRAWN.usual, longest)
    return float(wanted / longest)


def measure(file: BufferedReader, part: Part) -> Size:
    """The size at which it is drawn."""
    image = _header(file)
    scale = _enlarging(image, part)
    return Size(max(1, round(image.width * scale)), max(1, round(image.height * scale)))


def open_drawing(file: BufferedReader, fail_on: str, part: Part) -> Opened:
    """The drawing on a clear ground."""
    seen = _look(file)
    image = _header(file, _enlarging(_header(file), part))
    size = f"{image.width} × {image.height}"
    return Opened(image.copy(), notes=(f"It is a drawing, and was drawn at {size} pixels.", *seen.notes))


def _meets(head: bytes) -> bool:
    """Text that begins like XML and soon has an `svg` element."""
    begin = head.removeprefix(b"\xef\xbb\xbf").lstrip()
    return begin.startswith(b"<") and re.search(rb"<(?:\w+:)?svg[\s>]", begin) is not None


FORMAT = SourceFormat(
    name="SVG",
    signatures=(),
    meets=_meets,
    suffixes=(".svg",),
    media_type="image/svg+xml",
    open=open_drawing,
    measure=measure,
    ends_early=never_early,
    bytes_at_once=10,
    refusal=refusal,
    drawn=DRAWN,
)
