"""SVG (W3C Recommendation): drawings, drawn to pixels. No scripts, other files or entities; it is never served."""

import re
from dataclasses import dataclass, field
from io import BufferedReader
from weakref import WeakKeyDictionary
from xml.parsers import expat

import pyvips

from lucidex.core.geometry.sizes import Size
from lucidex.core.source.fonts import FACES
from lucidex.core.source.formats.base import Drawn, Opened, Part, SourceFormat, never_early
from lucidex.core.source.formats.svg_repeats import Repeats

DRAWN = Drawn(
    unit="pixels along the longer side",
    usual=2_048,
    offered=(2_048, 3_072, 4_096, 6_144, 8_192),
    largest=12_000,
    grows=True,
)
MAX_ELEMENTS, MAX_DEPTH, MAX_BYTES = 200_000, 200, 30_000_000
MAX_DRAWN = 1_000_000  # parts, those that are repeated counted each time
_PIECE = 65_536
_OUTSIDE = re.compile(r"url\(\s*['\"]?\s*(?!#|data:image/)|@import", re.IGNORECASE)


_WITH_LETTERS = "It holds text as letters, which were drawn in a face of our own. Outlines would keep theirs."
_WITHOUT_LETTERS = "It holds text as letters, which were left out: there is no face to draw them in. Use outlines."
_NO_LETTERS = "text { display: none }"
_NO_EFFECTS = "* { filter: none !important; mask: none !important }"
_NO_EFFECTS_SAID = "Its effects, such as blurs, were left out: drawing them would take too long."
_SIDES = re.compile(rb"""\s(?:width|height)\s*=\s*(?:"[^"]*"|'[^']*')""")
_AS_LARGE = 1_000  # along its longer side, where what it says of its size is of no use


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
    repeats: Repeats = field(default_factory=Repeats)
    root: dict[str, str] = field(default_factory=dict)  # what its first element says

    def begin(self, name: str, attributes: dict[str, str]) -> None:
        self.elements += 1
        self.stack.append(name)
        plain = name.rpartition(":")[2].lower()
        self.is_svg |= self.elements == 1 and plain == "svg"
        self.root = attributes if self.elements == 1 else self.root
        if self.elements > MAX_ELEMENTS or len(self.stack) > MAX_DEPTH:
            raise _Refused("It is an SVG drawing of too many parts, or parts too deep within each other.")
        self.repeats.begin(plain, attributes)
        self.scripts |= plain == "script" or any(key.lower().startswith("on") for key in attributes)
        self.foreign |= plain == "foreignobject"
        self.text |= plain == "text"
        for key, value in attributes.items():
            if key.rpartition(":")[2].lower() == "href" and not value.lstrip().startswith(("#", "data:image/")):
                self.outside |= plain != "a"
            self.outside |= key == "style" and bool(_OUTSIDE.search(value[:10_000]))

    def end(self, name: str) -> None:
        self.stack.pop()
        self.repeats.end()

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


_looked: WeakKeyDictionary[BufferedReader, _Seen] = WeakKeyDictionary()


def _look(file: BufferedReader) -> _Seen:
    """All of an open file, once, without drawing it. Raises _Refused, or pyvips.Error where it is broken."""
    if file not in _looked:
        _looked[file] = _parsed(file)
    return _looked[file]


def _parsed(file: BufferedReader) -> _Seen:
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
    if seen.repeats.count() > MAX_DRAWN:
        raise _Refused(f"It is an SVG drawing whose parts repeat others: more than {MAX_DRAWN:,} would be drawn.")
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


def _header(file: BufferedReader, scale: float = 1.0, plainly: bool = False) -> pyvips.Image:
    style = (_NO_LETTERS if not _faces_are_there() else "") + (_NO_EFFECTS if plainly else "")
    styled = {"stylesheet": style} if style else {}
    content = _with_a_size(file)
    if content is not None:
        return pyvips.Operation.call("svgload_buffer", content, scale=scale, access="sequential", **styled)
    file.seek(0)
    source = pyvips.Source.new_from_descriptor(file.fileno())
    return pyvips.Operation.call("svgload_source", source, scale=scale, access="sequential", **styled)


def _with_a_size(file: BufferedReader) -> bytes | None:
    """The drawing with a size that can be drawn, where its own is smaller than a pixel, or beyond all limits; None
    where its own is of use, or nothing says what is to be seen."""
    width, height, view = _said_size(_look(file).root)
    if view is None or (1 <= width <= DRAWN.largest and 1 <= height <= DRAWN.largest):
        return None
    scale = _AS_LARGE / max(view)
    sides = b' width="%d" height="%d"' % (max(1, round(view[0] * scale)), max(1, round(view[1] * scale)))
    file.seek(0)
    content = file.read(MAX_BYTES)
    found = re.search(rb"<(?:\w+:)?svg(?=[\s>])", content)
    end = content.find(b">", found.end()) if found else -1
    if found is None or end < 0:
        return None
    seen = b"" if b"viewBox" in content[found.end() : end] else b' viewBox="0 0 %.6f %.6f"' % view
    return content[: found.end()] + sides + seen + _SIDES.sub(b"", content[found.end() : end]) + content[end:]


def _said_size(root: dict[str, str]) -> tuple[float, float, tuple[float, float] | None]:
    """Width and height in pixels as it says them, 0 where it does not; and those of what is to be seen of it."""
    box = [_length(part) for part in re.split(r"[\s,]+", root.get("viewBox", "").strip())]
    view = (box[2], box[3]) if len(box) == 4 and box[2] > 0 and box[3] > 0 else None
    width, height = _length(root.get("width", "")), _length(root.get("height", ""))
    if view is None and width > 0 and height > 0:
        view = (width, height)
    if view is not None and not (width and height):
        width, height = view
    return width, height, view


def _length(text: str) -> float:
    """A length in pixels of 96 to the inch (CSS); 0 for a share, or none."""
    found = re.fullmatch(r"\s*\+?(\d{0,12}(?:\.\d{0,12})?(?:[eE][+-]?\d{1,2})?)\s*(px|mm|cm|in|pt|pc)?\s*", text[:60])
    try:
        number = float(found[1]) if found else 0.0
    except ValueError:
        return 0.0
    return number * _UNITS.get((found[2] if found else "") or "px", 1.0)


_UNITS = {"px": 1.0, "mm": 96 / 25.4, "cm": 96 / 2.54, "in": 96.0, "pt": 96 / 72, "pc": 16.0}


def _enlarging(image: pyvips.Image, part: Part) -> float:
    """It grows to so many pixels along its longer side, and is drawn smaller than it says only beyond all limits."""
    longest = max(image.width, image.height)
    own = longest if longest <= DRAWN.largest else 0
    return float((part.density or max(DRAWN.usual, own)) / longest)


def measure(file: BufferedReader, part: Part) -> Size:
    """The size at which it is drawn."""
    image = _header(file)
    scale = _enlarging(image, part)
    return Size(max(1, round(image.width * scale)), max(1, round(image.height * scale)))


def open_drawing(file: BufferedReader, fail_on: str, part: Part) -> Opened:
    """The drawing on a clear ground."""
    seen = _look(file)
    image = _header(file, _enlarging(_header(file), part), part.plainly)
    size = f"{image.width} × {image.height}"
    left_out = (_NO_EFFECTS_SAID,) if part.plainly else ()
    return Opened(image.copy(), notes=(f"It is a drawing, and was drawn at {size} pixels.", *left_out, *seen.notes))


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
    has_effects=True,
)
