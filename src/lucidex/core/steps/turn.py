"""Quarter turns, half turns and mirroring: no pixel is computed anew, none is lost."""

from enum import StrEnum
from typing import ClassVar, Literal

from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.geometry.transform import mirror_left_right, mirror_top_bottom, quarter_turn
from lucidex.core.steps.base import GeometryStep, Offer, PreviewClass, Sentence, Value, Words


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
    (Direction.LEFT, ("turn left", "rotate left"), "Turns the picture a quarter to the left."),
    (Direction.RIGHT, ("turn right", "rotate right"), "Turns the picture a quarter to the right."),
    (Direction.HALF, ("turn upside down", "half turn", "rotate 180"), "Turns the picture by half a turn."),
)
_MIRROR_OFFERS = (
    (
        Sides.LEFT_RIGHT,
        ("mirror left and right", "mirror", "flip horizontal"),
        "Left and right change places.",
    ),
    (Sides.TOP_BOTTOM, ("mirror top and bottom", "flip vertical"), "Top and bottom change places."),
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
        return tuple(Offer(words, message, cls(direction=direction)) for direction, words, message in _TURN_OFFERS)


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
        return tuple(Offer(words, message, cls(sides=sides)) for sides, words, message in _MIRROR_OFFERS)
