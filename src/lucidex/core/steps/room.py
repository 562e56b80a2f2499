"""Room on any side, to a shape or to an exact size; and covering a strip along an edge."""

import math
import re
from enum import StrEnum
from typing import Annotated, ClassVar, Literal

from pydantic import BaseModel, ConfigDict, Field

from lucidex.core.geometry.fit import Anchor
from lucidex.core.geometry.picture_geometry import PictureGeometry, Remark
from lucidex.core.geometry.sizes import MAX_EDGE_PX, Size, Window
from lucidex.core.geometry.transform import shift
from lucidex.core.picture.grounds import GROUND, Ground, ground_words, read_ground
from lucidex.core.steps.bands import GeometryStep
from lucidex.core.steps.base import Carried, Offer, Sentence, Value, Words

MAX_ROOM_PX = 20_000
_GROUND = re.compile(rf"(?: ,)?(?: in| of| with| on)? {GROUND}(?: background| ground)?$")
_GROUND_BEFORE = re.compile(rf"(?:^| ){GROUND}(?= (?:room|margin|padding|space))|(?<=px) {GROUND}(?= )")
_KEEP = re.compile(r"(?: ,)? keep (?:the )?((?:top|bottom)?\s*(?:left|right)?|centre)(?=$| )")
_ROOM = r"(?:add )?(?:room|margin|margins|padding|space|pad|border space|canvas)(?: of)?"
_WHERE = (
    r"(?: (?:(?:at|on|to)(?: the)? )?"
    r"(left|top|right|bottom|around|each side|every side|all sides|all around|all round)(?: side)?)?"
)
_AROUND = re.compile(
    rf"{_ROOM} (\d{{1,5}})(?: px)?{_WHERE}|(?:add )?(\d{{1,5}})(?: px)?(?: of)? (?:room|margin|padding|space){_WHERE}"
    rf"|(?:{_ROOM}|make room|extend|extend canvas|expand){_WHERE[:-1]}(?: by)? (\d{{1,5}})(?: px)?"
    rf"|(?:add|extend by|expand by|extend) (\d{{1,5}})(?: px)?{_WHERE[:-1]}"
)
_SHAPE = re.compile(rf"(?:{_ROOM}|extend|expand|extend canvas|expand canvas) to (\d{{1,5}}) [:/] (\d{{1,5}})")
_EXACT = re.compile(
    rf"(?:{_ROOM}|extend|expand|extend canvas|expand canvas|canvas size) (?:to )?(\d{{1,5}}) x (\d{{1,5}})(?: px)?"
)
_ALL_SIDES = ("left", "top", "right", "bottom")
_STRIP = re.compile(r"cover (\d{1,5})(?: px)? (?:(?:at|on)(?: the)? )?(left|top|right|bottom)(?: edge)?")

RoomPixels = Annotated[int, Field(ge=0, le=MAX_ROOM_PX)]
Side = Annotated[int, Field(ge=1, le=MAX_EDGE_PX)]


class _Extent(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class RoomOnSides(_Extent):
    """So many pixels on each side."""

    by: Literal["sides"] = "sides"
    left_px: RoomPixels = 0
    top_px: RoomPixels = 0
    right_px: RoomPixels = 0
    bottom_px: RoomPixels = 0

    def wanted(self, size: Size) -> Size:
        """The size with the room."""
        return Size(size.width + self.left_px + self.right_px, size.height + self.top_px + self.bottom_px)

    def words(self) -> str:
        """For example 40 px on each side, or 40 px left, 20 px top."""
        if self.left_px == self.top_px == self.right_px == self.bottom_px:
            return f"{self.left_px} px on each side"
        sides = (("left", self.left_px), ("top", self.top_px), ("right", self.right_px), ("bottom", self.bottom_px))
        return ", ".join(f"{pixels} px {side}" for side, pixels in sides if pixels)


class RoomToShape(_Extent):
    """As much as a shape needs."""

    by: Literal["shape"] = "shape"
    across: Annotated[int, Field(ge=1, le=10_000)]
    down: Annotated[int, Field(ge=1, le=10_000)]

    def wanted(self, size: Size) -> Size:
        """The smallest whole size of the shape that holds the picture."""
        if size.width * self.down >= size.height * self.across:
            return Size(size.width, max(size.height, _rounded(size.width * self.down, self.across)))
        return Size(max(size.width, _rounded(size.height * self.across, self.down)), size.height)

    def words(self) -> str:
        """For example to the shape 16 : 9."""
        return f"to the shape {self.across} : {self.down}"


class RoomToSize(_Extent):
    """As much as an exact size needs."""

    by: Literal["size"] = "size"
    width_px: Side
    height_px: Side

    def wanted(self, size: Size) -> Size:
        """The size itself, but never less than the picture: room cuts nothing."""
        return Size(max(self.width_px, size.width), max(self.height_px, size.height))

    def words(self) -> str:
        """For example to 1600 × 900 px."""
        return f"to {self.width_px} × {self.height_px} px"


class Room(GeometryStep):
    """Add room around the picture; no pixel of it changes."""

    kind: Literal["room"] = "room"
    extent: Annotated[RoomOnSides | RoomToShape | RoomToSize, Field(discriminator="by")]
    anchor: Anchor = Anchor.CENTRE
    ground: Ground = "#ffffff"
    carried: ClassVar[Carried] = Carried.ASK
    varied_field: ClassVar[str | None] = "ground"
    variants: ClassVar[str] = "#ffffff; #e9e6de; #1d2326; clear"

    def transform_geometry(self, geometry: PictureGeometry) -> PictureGeometry:
        """The frame with the room; a note where the picture is larger than the exact size asked for."""
        size = self.extent.wanted(geometry.size)
        if isinstance(self.extent, RoomOnSides):
            left, top = self.extent.left_px, self.extent.top_px
        else:
            across, down = self.anchor.fractions
            left = math.floor((size.width - geometry.size.width) * across)
            top = math.floor((size.height - geometry.size.height) * down)
        wider = geometry if size == geometry.size else geometry.widened(shift(left, top), size, self.ground)
        if isinstance(self.extent, RoomToSize) and size != Size(self.extent.width_px, self.extent.height_px):
            asked = Size(self.extent.width_px, self.extent.height_px)
            message = f"The room should make it {asked}, but the picture is already {geometry.size} here."
            return wider.with_remark(
                Remark(f"{message} Room cuts nothing. To reduce it to that size, hang the size as a place.")
            )
        return wider

    def sentence(self) -> Sentence:
        """For example: Room added to 1600 × 900 px, picture kept left, white."""
        kept: Sentence = ()
        if not isinstance(self.extent, RoomOnSides):
            kept = (Words(", picture kept "), Value("anchor", self.anchor.value))
        return (
            Words("Room added "),
            Value("extent", self.extent.words() or "0 px"),
            *kept,
            Words(", "),
            Value("ground", ground_words(self.ground)),
            Words("."),
        )

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """Around, and to a square."""
        around = cls(extent=RoomOnSides(left_px=40, top_px=40, right_px=40, bottom_px=40))
        return (
            Offer(
                ("add room", "room"),
                "Adds room on any side, in a colour or clear; nothing is cut or pulled.",
                around,
                also="add margin, add space, add padding, padding, margin, margins, extend, extend canvas, "
                "enlarge canvas, larger canvas, bigger canvas, more room, more "
                "space, space around, add canvas, expand canvas",
            ),
            Offer(
                ("room to a square",),
                "Adds as much room as a square needs.",
                cls(extent=RoomToShape(across=1, down=1)),
                also="make canvas square, pad to square, make canvas square, square canvas, square with room, room "
                "to square, make square with room, square "
                "with margins, "
                "pad to a square, fit into a square",
            ),
        )

    @classmethod
    def read(cls, text: str) -> "Room | None":
        """Understands `room 40`, `room 40 left`, `room to 16:9 white`, `room to 1600x900 keep left clear`."""
        rest, ground = _taken(_GROUND, text)
        if ground is None:
            rest, ground = _taken(_GROUND_BEFORE, text)
        rest, keep = _taken(_KEEP, rest)
        extent = _read_extent(rest)
        if extent is None:
            return None
        anchor = Anchor(" ".join(keep.split()).replace("center", "centre")) if keep else Anchor.CENTRE
        return cls(extent=extent, anchor=anchor, ground=read_ground(ground or "") or "#ffffff")


def _rounded(product: int, divisor: int) -> int:
    return (2 * product + divisor) // (2 * divisor)


def _taken(pattern: re.Pattern[str], text: str) -> tuple[str, str | None]:
    match = pattern.search(text)
    if match is None:
        return text, None
    return (text[: match.start()] + text[match.end() :]).strip(), next(part for part in match.groups() if part)


def _read_extent(text: str) -> RoomOnSides | RoomToShape | RoomToSize | None:
    if (exact := _EXACT.fullmatch(text)) is not None:
        return RoomToSize(width_px=int(exact[1]), height_px=int(exact[2]))
    if (shape := _SHAPE.fullmatch(text)) is not None:
        return RoomToShape(across=int(shape[1]), down=int(shape[2]))
    if (around := _AROUND.fullmatch(text)) is not None:
        deep = int(around[1] or around[3] or around[6] or around[7])
        where = around[2] or around[4] or around[5] or around[8]
        sides = (where,) if where in _ALL_SIDES else _ALL_SIDES
        return RoomOnSides.model_validate({f"{side}_px": deep for side in sides})
    return None


class Edge(StrEnum):
    """The edge along which a strip lies."""

    LEFT = "left"
    TOP = "top"
    RIGHT = "right"
    BOTTOM = "bottom"


class Strip(GeometryStep):
    """Cover a strip along an edge; the size stays."""

    kind: Literal["strip"] = "strip"
    edge: Edge = Edge.BOTTOM
    strip_px: Annotated[int, Field(ge=1, le=MAX_ROOM_PX)] = 20
    ground: Ground = "#ffffff"
    carried: ClassVar[Carried] = Carried.ASK
    varied_field: ClassVar[str | None] = "strip_px"
    variants: ClassVar[str] = "10; 20; 40"

    def window(self, size: Size) -> Window:
        """The strip in a picture of this size; it covers all of it where it is as deep as the picture."""
        deep = min(self.strip_px, size.width if self.edge in {Edge.LEFT, Edge.RIGHT} else size.height)
        width, height = (deep, size.height) if self.edge in {Edge.LEFT, Edge.RIGHT} else (size.width, deep)
        left = size.width - width if self.edge is Edge.RIGHT else 0
        return Window(left, size.height - height if self.edge is Edge.BOTTOM else 0, width, height)

    def transform_geometry(self, geometry: PictureGeometry) -> PictureGeometry:
        """The same frame with the strip covered."""
        window = self.window(geometry.size)
        covered = geometry.covered(window, self.ground)
        if window.width == geometry.size.width and window.height == geometry.size.height:
            return covered.with_remark(
                Remark(f"The strip of {self.strip_px} px covers the whole picture, {geometry.size}.")
            )
        return covered

    def sentence(self) -> Sentence:
        """For example: A strip of 20 px at the bottom covered, white."""
        return (
            Words("A strip of "),
            Value("strip_px", f"{self.strip_px} px"),
            Words(" at the "),
            Value("edge", self.edge.value),
            Words(" covered, "),
            Value("ground", ground_words(self.ground)),
            Words("."),
        )

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """A strip at the bottom to begin with."""
        return (
            Offer(
                ("cover a strip", "cover an edge"), "Covers a strip along an edge without changing the size.", cls()
            ),
        )

    @classmethod
    def read(cls, text: str) -> "Strip | None":
        """Understands `cover 20 bottom` and `cover 12 px at the left #d4d4d4`."""
        rest, ground = _taken(_GROUND, text)
        if (match := _STRIP.fullmatch(rest)) is None:
            return None
        return cls(strip_px=int(match[1]), edge=Edge(match[2]), ground=read_ground(ground or "") or "#ffffff")
