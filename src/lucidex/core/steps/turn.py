"""Quarter turns, half turns and mirroring: no pixel is computed anew, none is lost."""

from enum import StrEnum
from typing import ClassVar, Literal

from lucidex.core.frame import Frame
from lucidex.core.steps.base import FramingStep, Offer, PreviewClass, Sentence, Value, Words
from lucidex.core.transform import mirror_left_right, mirror_top_bottom, quarter_turn


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


class Turn(FramingStep):
    """Turn by one or two quarters."""

    kind: Literal["turn"] = "turn"
    direction: Direction
    opens: ClassVar[bool] = False
    varied_field: ClassVar[str | None] = "direction"
    variants: ClassVar[str] = "left; right; upside down"
    preview_class: ClassVar[PreviewClass] = PreviewClass.PIXEL_WISE

    def reframe(self, frame: Frame) -> Frame:
        """The turned frame."""
        quarters = _QUARTERS[self.direction]
        size = frame.size if quarters == 2 else frame.size.turned
        return frame.followed_by(quarter_turn(frame.size, quarters), size)

    def sentence(self) -> Sentence:
        """For example: Turned a quarter to the left."""
        before, value = _SENTENCES[self.direction]
        return Words(before), Value("direction", value), Words(".")

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """Left, right, upside down."""
        return tuple(Offer(words, said, cls(direction=direction)) for direction, words, said in _TURN_OFFERS)


class Mirror(FramingStep):
    """Let two opposite sides change places."""

    kind: Literal["mirror"] = "mirror"
    sides: Sides
    opens: ClassVar[bool] = False

    def reframe(self, frame: Frame) -> Frame:
        """The mirrored frame."""
        mirror = mirror_left_right if self.sides is Sides.LEFT_RIGHT else mirror_top_bottom
        return frame.followed_by(mirror(frame.size), frame.size)

    def sentence(self) -> Sentence:
        """For example: Mirrored, left and right changed places."""
        return Words("Mirrored, "), Value("sides", self.sides.value), Words(" changed places.")

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """Both mirrorings."""
        return tuple(Offer(words, said, cls(sides=sides)) for sides, words, said in _MIRROR_OFFERS)
