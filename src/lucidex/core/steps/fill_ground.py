"""A ground under clear areas: a cut-out on white, say."""

import re
from typing import ClassVar, Literal, Self

from pydantic import Field

from lucidex.core.picture.effects.base import Effect
from lucidex.core.picture.effects.fill import FillClear
from lucidex.core.picture.grounds import CLEAR, GROUND, HexColour, colour_of, ground_words, read_ground
from lucidex.core.steps.bands import EffectStep
from lucidex.core.steps.base import Group, Heading, Offer, PreviewClass, Sentence, Value, Words

_TYPED = re.compile(
    rf"(?:fill|make|set|change|replace|colour)?(?: the)?(?: clear areas| clear)? ?(?:background|ground)(?: colour)?"
    rf"(?: with| in| to| by)? {GROUND}|{GROUND} (?:background|ground)|(?:fill|fill clear|fill clear areas|fill holes)"
    rf"(?: with| in)? {GROUND}|(?:put )?(?:it )?on(?: a)? {GROUND}(?: background| ground)?"
)


class FillGround(EffectStep):
    """Put a colour under everything that is clear; the rest of the picture stays as it is."""

    kind: Literal["fill_ground"] = "fill_ground"
    colour: HexColour = Field("#ffffff", description="What shows where the picture is clear.")
    group: ClassVar[Group] = Group.MEND
    heading: ClassVar[Heading | None] = None
    preview_class: ClassVar[PreviewClass] = PreviewClass.PIXEL_WISE
    fills_clear: ClassVar[bool] = True

    def effect(self) -> Effect:
        """The colour below."""
        return FillClear(colour_of(self.colour) or (255, 255, 255))

    def sentence(self) -> Sentence:
        """For example: Clear areas filled, white."""
        return Words("Clear areas filled, "), Value("colour", ground_words(self.colour)), Words(".")

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """White, to be changed."""
        message = "Puts a colour under what is clear. Clear the ground first, where it is not clear yet."
        return (
            Offer(
                ("white ground", "white background"),
                message,
                cls(),
                also="fill clear areas, background white, on white, on a white background, white backdrop, "
                "replace background with white",
            ),
        )

    @classmethod
    def read(cls, text: str) -> Self | None:
        """Understands `black background`, `fill background with #eeeeee` and `on grey`."""
        match = _TYPED.fullmatch(text)
        ground = read_ground(next(part for part in match.groups() if part)) if match else None
        return None if ground in {None, CLEAR} else cls.model_validate({"colour": ground})
