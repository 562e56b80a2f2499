"""A word mark or emblem in a corner, at a size that follows each place's own."""

import re
from typing import Annotated, ClassVar, Literal, Self

from pydantic import BaseModel, ConfigDict, Field

from lucidex.core.finish.compositing import Ink, Stamp, stamp_box
from lucidex.core.geometry.fit import Anchor
from lucidex.core.geometry.sizes import Size
from lucidex.core.steps.base import FinishStep, Offer, PreviewClass, Sentence, Value, Words
from lucidex.core.units import format_number, parse_decimal

_CORNERS = "|".join(sorted((anchor.value for anchor in Anchor), key=len, reverse=True))
_TYPED = re.compile(
    rf"(?:logo|word ?mark|emblem)(?: (?:at |in )?(?:the )?({_CORNERS}))?(?:,? (\d{{1,3}}(?:[.,]\d{{1,2}})?) ?%)?"
)


class LogoFile(BaseModel):
    """A logo in the store, and the name it came with. Knowing it grants no access."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    sha256: Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]
    name: Annotated[str, Field(min_length=1, max_length=255, pattern=r"^[^\x00-\x1f]+$")]


Percent = Annotated[float, Field(allow_inf_nan=False)]


class Logo(FinishStep):
    """A logo on the finished size. Without a file it does nothing yet."""

    kind: Literal["logo"] = "logo"
    preview_class: ClassVar[PreviewClass] = PreviewClass.SCALED
    logo: LogoFile | None = None
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

    @property
    def logo_sha256(self) -> str | None:
        """The file that it needs."""
        return self.logo.sha256 if self.logo else None

    def stamp(self, canvas: Size, logo: Size) -> Stamp | None:
        """What it does to a canvas; `logo` is the upright size of its file."""
        return self.on(canvas, self.logo, logo) if self.logo else None

    def on(self, canvas: Size, file: LogoFile, size: Size) -> Stamp:
        """How a file of this upright size lies on a canvas."""
        box = stamp_box(canvas, size, self.anchor, self.size_percent / 100, self.margin_percent / 100)
        return Stamp(file.sha256, box, self.strength / 100, self.ink)

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
            ),
            Offer(("watermark", "pale logo"), "Puts a logo large and pale into the middle.", pale),
        )

    @classmethod
    def read(cls, text: str) -> Self | None:
        """For example `logo top left` or `logo bottom right 20 %`."""
        match = _TYPED.fullmatch(text)
        if match is None:
            return None
        given = {"anchor": match[1], "size_percent": float(parse_decimal(match[2])) if match[2] else None}
        return cls.model_validate({name: value for name, value in given.items() if value is not None})
