"""A word mark or emblem in a corner, at a size that follows each place's own."""

import re
from typing import Annotated, ClassVar, Literal, Self

from pydantic import Field

from lucidex.core.finish.assets import AssetFile, Assets
from lucidex.core.finish.canvas import Canvas, Finished
from lucidex.core.finish.compositing import Ink, anchored_box, composited
from lucidex.core.geometry.fit import Anchor
from lucidex.core.geometry.sizes import Box, Size
from lucidex.core.steps.bands import AssetStep
from lucidex.core.steps.base import Offer, Sentence, Value, Words
from lucidex.core.units import format_number, parse_decimal

_CORNERS = "|".join(sorted((anchor.value for anchor in Anchor), key=len, reverse=True))
_TYPED = re.compile(
    rf"(?:add |put |place )?(?:a |the |our |my )?(logo|word mark|emblem|watermark|water mark|pale logo)(?: (?:at |"
    rf"in |on |to |into )?(?:the )?({_CORNERS})(?: corner)?)?"
    r"(?:(?: ,)? (\d{1,3}(?:[.,]\d{1,2})?)(?: %)?(?: (?:large|big|wide|of the picture))?)?"
    rf"(?: (?:at |in |on )(?:the )?({_CORNERS})(?: corner)?)?"
    r"(?:(?: ,)?(?: at| with)? (?:(\d{1,3})(?: %)? (?:strong|strength|opacity|opaque)|(half) (?:as strong|strong|"
    r"strength)|(?:opacity|strength)(?: of)? (\d{1,3})(?: %)?))?"
)


_PALE = frozenset({"watermark", "water mark", "pale logo"})
Percent = Annotated[float, Field(allow_inf_nan=False)]


class Logo(AssetStep):
    """A logo on the finished size. Without a file it does nothing yet."""

    kind: Literal["logo"] = "logo"
    logo: AssetFile | None = None
    asset_field: ClassVar[str] = "logo"
    anchor: Anchor = Anchor.BOTTOM_RIGHT
    size_percent: Percent = Field(
        30.0, ge=1, le=100, title="Size, %", description="Its longer side, of the shorter side of what comes out."
    )
    margin_percent: Percent = Field(
        4.0, ge=0, le=40, title="From the edge, %", description="Its distance, of the shorter side too."
    )
    strength: Percent = Field(100.0, ge=5, le=100, title="Strength, %", description="Less lets the picture through.")
    ink: Ink = Field(Ink.OWN, title="Colours")
    varied_field: ClassVar[str | None] = "size_percent"
    variants: ClassVar[str] = "15; 30; 45"

    def boxes(self, canvas: Size, inner: Box, assets: Assets) -> tuple[tuple[AssetFile, Box], ...]:
        """Where it lies on a canvas."""
        if self.logo is None:
            return ()
        size = assets.size(self.logo.sha256)
        large, away = self.size_percent / 100, self.margin_percent / 100
        return ((self.logo, anchored_box(inner, canvas.shortest, size, self.anchor, large, away)),)

    def draw(self, canvas: Canvas, assets: Assets) -> Finished:
        """The logo laid over the canvas, at the canvas's own resolution."""
        pixels = canvas.pixels
        for file, box in self.boxes(canvas.size, canvas.inner, assets):
            drawn = assets.picture(file.sha256, box.size).numpy()
            pixels = composited(pixels, drawn, box, self.strength / 100, self.ink)
        return Finished(pixels)

    def sentence(self) -> Sentence:
        """For example: “word-mark.png” bottom right, 30 % large."""
        where = "in the centre" if self.anchor is Anchor.CENTRE else self.anchor.value
        named = (Words(f"“{self.logo.name}” "),) if self.logo else (Value("logo", "Choose a logo"), Words(" "))
        size = Value("size_percent", f"{format_number(self.size_percent)} %")
        paler = (Words(", "), Value("strength", f"{format_number(self.strength)} % strong"))
        return (
            *named,
            Value("anchor", where),
            Words(", "),
            size,
            Words(" large"),
            *(paler if self.strength < 100 else ()),
            Words("."),
        )

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """In a corner, or large and pale in the middle."""
        pale = cls(anchor=Anchor.CENTRE, size_percent=60.0, strength=35.0)
        return (
            Offer(
                ("logo", "word mark", "emblem", "logo bottom right"),
                "Puts a logo into a corner, at a size that follows each place's own.",
                cls(),
                also="add logo, add a logo, put logo, our logo, my logo, logo in the corner, insert logo, brand",
            ),
            Offer(
                ("watermark", "pale logo"),
                "Puts a logo large and pale into the middle.",
                pale,
                also="add watermark, water mark, copyright mark",
            ),
        )

    @classmethod
    def read(cls, text: str) -> Self | None:
        """For example `logo top left`, `logo bottom right 20 %` or `logo top left 50 % strong`."""
        match = _TYPED.fullmatch(text)
        if match is None:
            return None
        usual = {"anchor": Anchor.CENTRE, "size_percent": 60.0, "strength": 35.0} if match[1] in _PALE else {}
        if match[2] and match[4]:
            return None
        strong = 50.0 if match[6] else float(match[5] or match[7] or 0) or None
        size = float(parse_decimal(match[3])) if match[3] else None
        given = {"anchor": match[2] or match[4], "size_percent": size, "strength": strong}
        return cls.model_validate({**usual, **{name: value for name, value in given.items() if value is not None}})
