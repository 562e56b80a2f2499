"""Quarter turns, half turns and mirroring: no pixel is computed anew, none is lost."""

import re
from enum import StrEnum
from typing import ClassVar, Literal

from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.geometry.transform import mirror_left_right, mirror_top_bottom, quarter_turn
from lucidex.core.steps.bands import GeometryStep
from lucidex.core.steps.base import Offer, PreviewClass, Sentence, Value, Words


class Direction(StrEnum):
    """Where the top of the picture goes."""

    LEFT = "left"
    RIGHT = "right"
    HALF = "upside down"


class Sides(StrEnum):
    """Which sides change places."""

    LEFT_RIGHT = "left and right"
    TOP_BOTTOM = "top and bottom"


_QUARTERS = {Direction.RIGHT: 1, Direction.HALF: 2, Direction.LEFT: 3}
_SENTENCES = {
    Direction.LEFT: ("Turned a quarter to the ", "left"),
    Direction.RIGHT: ("Turned a quarter to the ", "right"),
    Direction.HALF: ("Turned ", "upside down"),
}
_TURN_OFFERS = (
    (
        Direction.LEFT,
        ("turn left", "rotate left"),
        "Turns the picture a quarter to the left.",
        "turn to left, rotate to left, rotate anticlockwise, turn anticlockwise, quarter turn left, left turn",
    ),
    (
        Direction.RIGHT,
        ("turn right", "rotate right"),
        "Turns the picture a quarter to the right.",
        "turn to right, rotate to right, rotate clockwise, turn clockwise, quarter turn, quarter turn right, "
        "right turn",
    ),
    (
        Direction.HALF,
        ("turn upside down", "half turn", "rotate 180"),
        "Turns the picture by half a turn.",
        "upside down, flip upside down, turn over, turn around, rotate upside down, turn half, wrong way up",
    ),
)
_QUARTER_TURN = re.compile(
    r"(?:rotate|turn|rotation|spin|rotated|turned)?(?: by)? ?([+-]?)(90|180|270)(?: (?:to )?(?:the )?"
    r"(left|right|anticlockwise|clockwise))?|(?:rotate|turn)(?: to)?(?: the)? (left|right|anticlockwise|"
    r"clockwise)(?: by)? (90|180)|(?:by )?(90|180|270) (?:rotate|turn)(?: (?:to )?(?:the )?(left|right))?"
)
_MIRROR_OFFERS = (
    (
        Sides.LEFT_RIGHT,
        ("mirror left and right", "mirror", "flip horizontal"),
        "Left and right change places.",
        "flip, mirror horizontal, horizontal flip, horizontal mirror, flip left right, flip left and right, "
        "mirrored, "
        "mirror image, flip sideways, mirror left right, mirror left to right, reverse, flip x",
    ),
    (
        Sides.TOP_BOTTOM,
        ("mirror top and bottom", "flip vertical"),
        "Top and bottom change places.",
        "mirror vertical, vertical flip, vertical mirror, flip top bottom, flip top and bottom, mirror top bottom",
    ),
)


class Turn(GeometryStep):
    """Turn by one or two quarters."""

    kind: Literal["turn"] = "turn"
    direction: Direction
    opens: ClassVar[bool] = False
    varied_field: ClassVar[str | None] = "direction"
    variants: ClassVar[str] = "left; right; upside down"
    preview_class: ClassVar[PreviewClass] = PreviewClass.PIXEL_WISE

    def transform_geometry(self, geometry: PictureGeometry) -> PictureGeometry:
        """The turned frame."""
        quarters = _QUARTERS[self.direction]
        size = geometry.size if quarters == 2 else geometry.size.turned
        return geometry.followed_by(quarter_turn(geometry.size, quarters), size)

    def sentence(self) -> Sentence:
        """For example: Turned a quarter to the left."""
        before, value = _SENTENCES[self.direction]
        return Words(before), Value("direction", value), Words(".")

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """Left, right, upside down."""
        return tuple(
            Offer(words, says, cls(direction=direction), also=also) for direction, words, says, also in _TURN_OFFERS
        )

    @classmethod
    def read(cls, text: str) -> "Turn | None":
        """Understands `rotate 90`, `turn 180`, `rotate -90`, `90 left` and `turn left 90`."""
        if (match := _QUARTER_TURN.fullmatch(text)) is None:
            return None
        quarters = int(match[2] or match[5] or match[6]) // 90
        to_left = (match[3] or match[4] or match[7]) in {"left", "anticlockwise"}
        if match[1] == "-":
            quarters = -quarters
        quarters = (-quarters if to_left else quarters) % 4
        return cls(direction={1: Direction.RIGHT, 2: Direction.HALF, 3: Direction.LEFT}[quarters])


class Mirror(GeometryStep):
    """Let two opposite sides change places."""

    kind: Literal["mirror"] = "mirror"
    sides: Sides
    opens: ClassVar[bool] = False

    def transform_geometry(self, geometry: PictureGeometry) -> PictureGeometry:
        """The mirrored frame."""
        mirror = mirror_left_right if self.sides is Sides.LEFT_RIGHT else mirror_top_bottom
        return geometry.followed_by(mirror(geometry.size), geometry.size)

    def sentence(self) -> Sentence:
        """For example: Mirrored, left and right changed places."""
        return Words("Mirrored, "), Value("sides", self.sides.value), Words(" changed places.")

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """Both mirrorings."""
        return tuple(Offer(words, says, cls(sides=sides), also=also) for sides, words, says, also in _MIRROR_OFFERS)
