"""Words on the finished size: they suit each place, and can be read there."""

import re
from collections.abc import Mapping
from enum import StrEnum
from typing import Annotated, ClassVar, Literal, Self

from pydantic import Field

from lucidex.core.finish.assets import AssetFile, AssetKind, Assets
from lucidex.core.finish.canvas import Canvas, Finished
from lucidex.core.finish.findings import Finding, FindingKind
from lucidex.core.finish.text.backing import Behind
from lucidex.core.finish.text.drawing import PlacedText, TextLook, draw_text, placed_text
from lucidex.core.finish.text.faces import Face, Family, Weight, has_slanted, shipped_face, stand_ins
from lucidex.core.finish.text.fields import fields_of, filled_in
from lucidex.core.finish.text.letters import divided, settable_part
from lucidex.core.finish.text.setting import Align
from lucidex.core.geometry.fit import Anchor
from lucidex.core.geometry.sizes import Box, Size
from lucidex.core.picture.grounds import GROUND, HexColour, colour_of, ground_words, read_ground
from lucidex.core.steps.bands import AssetStep, WordedStep
from lucidex.core.steps.base import Offer, Sentence, Value, Words
from lucidex.core.units import format_number, parse_decimal

MAX_TYPED = 2_000
_IN_SENTENCE = 26
_ANCHORS = "|".join(sorted((anchor.value for anchor in Anchor), key=len, reverse=True))
_TYPED = re.compile(
    r"(?:(?:add|write|put|a|text|words|title|heading|caption|label|note|headline|saying|:) ){0,5}(quoted[a-f])"
    r"(?: (?:in )?(?:the )?(big|bigger|large|larger|huge|small|smaller|tiny)(?: letters)?)?"
    rf"(?: (?:at |in |on )?(?:the )?({_ANCHORS}))?"
    rf"(?: (?:in )?{GROUND})?(?:(?: ,)? (\d{{1,2}}(?:[.,]\d{{1,2}})?)(?: %)?)?"
)
_SIZES = {
    **dict.fromkeys(("big", "bigger", "large", "larger"), 12.0),
    **dict.fromkeys(("small", "smaller"), 4.5),
    "huge": 18.0,
    "tiny": 3.0,
}
Percent = Annotated[float, Field(allow_inf_nan=False)]
Share = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]


class TextInk(StrEnum):
    """The colour of the letters."""

    BY_ITSELF = "light or dark, by itself"
    LIGHT = "light"
    DARK = "dark"
    OWN = "a colour of its own"


class Aligned(StrEnum):
    """How lines of different length stand to each other."""

    BY_PLACE = "like its place"
    LEFT = "left"
    CENTRE = "centre"
    RIGHT = "right"


class Text(AssetStep, WordedStep):
    """Words drawn at each place's own resolution. Without any it does nothing yet."""

    kind: Literal["text"] = "text"
    text: Annotated[str, Field(max_length=MAX_TYPED, title="Words")] = ""
    family: Family = Field(Family.SANS, title="Face")
    font: AssetFile | None = None
    weight: Weight = Field(Weight.SEMI_BOLD, title="Weight")
    slanted: bool = Field(False, title="Slanted")
    underlined: bool = Field(False, title="Underlined")
    size_percent: Percent = Field(
        7.0, ge=0.5, le=60, title="Size, %", description="Of the shorter side of what comes out."
    )
    least_px: Percent = Field(
        13.0, ge=0, le=200, title="At least, px", description="On small places the letters stay readable."
    )
    ink: TextInk = Field(TextInk.BY_ITSELF, title="Colour")
    colour: HexColour = "#ffffff"
    behind: Behind = Field(Behind.AS_NEEDED, title="Behind it")
    behind_strength: Percent = Field(70.0, ge=5, le=100, title="How strong, %")
    behind_colour: HexColour | None = None
    align: Aligned = Field(Aligned.BY_PLACE, title="Lines")
    spacing_percent: Percent = Field(
        125.0, ge=80, le=300, title="Line spacing, %", description="Of the letters' size."
    )
    apart_percent: Percent = Field(
        0.0, ge=-10, le=100, title="Letter spacing, %", description="Of the letters' size."
    )
    wrap_percent: Percent = Field(100.0, ge=10, le=100, title="Widest, %", description="Of the room in the place.")
    anchor: Anchor = Anchor.BOTTOM_LEFT
    margin_percent: Percent = Field(
        5.0, ge=0, le=40, title="From the edge, %", description="Of the shorter side of what comes out."
    )
    at: tuple[Share, Share] | None = None
    angle_degrees: Percent = Field(0.0, ge=-180, le=180, title="Turned, °", description="Clockwise.")
    empty_fields: Annotated[tuple[str, ...], Field(max_length=40)] = ()
    asset_field: ClassVar[str] = "font"
    varied_field: ClassVar[str | None] = "size_percent"
    variants: ClassVar[str] = "5; 7; 10; 14"

    @property
    def assets(self) -> tuple[AssetFile, ...]:
        """The file of its face, where it has one of its own."""
        return () if self.font is None else (self.font.model_copy(update={"kind": AssetKind.FONT}),)

    @property
    def lacks_asset(self) -> bool:
        """Never: there are shipped faces."""
        return False

    @property
    def fields(self) -> tuple[str, ...]:
        """The names in braces."""
        return fields_of(self.text)

    def filled(self, values: Mapping[str, str]) -> Self:
        """With its fields filled in; those without a value are left out, and named."""
        if not self.fields:
            return self
        text, empty = filled_in(self.text, values)
        return self.model_copy(update={"text": text, "empty_fields": empty})

    def easier_to_read(self, on_plate: bool) -> Self:
        """With what is easier to tell from what lies below."""
        if on_plate:
            return self.model_copy(
                update={"behind": Behind.PLATE, "behind_strength": max(self.behind_strength, 85.0)}
            )
        return self.model_copy(update={"ink": TextInk.DARK if self.ink is not TextInk.DARK else TextInk.LIGHT})

    def saying(self, quoted: Mapping[str, str]) -> Self:
        """With the words that were typed."""
        return self.model_copy(update={"text": quoted[self.text][:MAX_TYPED]}) if self.text in quoted else self

    def faces(self, assets: Assets) -> tuple[Face, ...]:
        """The chosen face, and those that stand in for letters that it has not."""
        chosen = assets.face(self.font.sha256) if self.font else shipped_face(self.family, self.weight, self.slanted)
        return chosen, *(face for face in stand_ins(self.weight) if face != chosen)

    @property
    def has_slanted(self) -> bool:
        """Whether its face can be slanted."""
        return self.font is None and has_slanted(self.family)

    def look(self) -> TextLook:
        """How it is drawn."""
        ink = {TextInk.LIGHT: (255, 255, 255), TextInk.DARK: (29, 35, 38), TextInk.OWN: colour_of(self.colour)}
        backing = colour_of(self.behind_colour) if self.behind_colour else None
        across = self.anchor.fractions[0] if self.at is None else None
        by_place = {0: Align.LEFT, 1: Align.RIGHT}.get(
            -1 if across is None or across.denominator > 1 else int(across)
        )
        align = (by_place or Align.CENTRE) if self.align is Aligned.BY_PLACE else Align(self.align.value)
        return TextLook(
            size=self.size_percent / 100,
            least_px=self.least_px,
            is_bold=self.weight is not Weight.REGULAR,
            ink=ink.get(self.ink),
            behind=self.behind,
            behind_colour=backing,
            behind_strength=self.behind_strength / 100,
            how=(align, self.spacing_percent / 100, self.apart_percent / 100, self.underlined),
            wrap=self.wrap_percent / 100,
            anchor=self.anchor,
            margin=self.margin_percent / 100,
            at=self.at,
            angle_degrees=self.angle_degrees,
        )

    def placed(self, canvas: Size, inner: Box, assets: Assets) -> PlacedText | None:
        """Where its words go on a canvas of which things around the picture leave `inner`; None without words."""
        runs = divided(settable_part(self.text)[0], self.faces(assets)).runs
        return (
            placed_text(inner, canvas.shortest, runs, self.look()) if any(run.text.strip() for run in runs) else None
        )

    def draw(self, canvas: Canvas, assets: Assets) -> Finished:
        """The words over the canvas, at its own resolution."""
        findings = [Finding(kind=FindingKind.EMPTY_FIELD, named=name) for name in self.empty_fields]
        text, was_cut = settable_part(self.text)
        parts = divided(text, self.faces(assets))
        if parts.missing:
            findings.append(Finding(kind=FindingKind.LETTERS_MISSING, named=parts.missing[:_IN_SENTENCE]))
        if parts.other and self.font is not None:
            findings.append(Finding(kind=FindingKind.OTHER_FACE, named=parts.other[:_IN_SENTENCE]))
        if was_cut:
            findings.append(Finding(kind=FindingKind.CUT))
        if not any(run.text.strip() for run in parts.runs):
            return Finished(canvas.pixels, tuple(findings))
        pixels, found = draw_text(canvas, parts.runs, self.look())
        return Finished(pixels, (*findings, *found))

    def sentence(self) -> Sentence:
        """For example: Text “Seed swap, Saturday”, bottom left, 7 % large."""
        said = " ".join(self.text.split())
        said = said if len(said) <= _IN_SENTENCE else said[: _IN_SENTENCE - 1] + "…"
        where = "placed freely" if self.at else "in the centre" if self.anchor is Anchor.CENTRE else self.anchor.value
        inks = {TextInk.OWN: ground_words(self.colour), TextInk.BY_ITSELF: ""}
        ink = inks.get(self.ink, self.ink.value)
        return (
            Words("Text "),
            Value("text", f"“{said}”" if said else "still to be typed"),
            *((Words(" in "), Value("ink", ink)) if ink else ()),
            Words(", "),
            Value("anchor", where),
            Words(", "),
            Value("size_percent", f"{format_number(self.size_percent)} %"),
            Words(" large."),
        )

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """To be typed; and the picture's own caption and credit."""
        said = "Sets words on the picture, at a size that suits each place and in a colour that can be read there."
        return (
            Offer(("text",), said, cls(), also="add text, write, words, title, heading, type"),
            Offer(
                ("caption on the picture",),
                "Sets each picture's own caption on it.",
                cls(text="{caption}"),
                also="caption, text caption, put the caption on it",
            ),
            Offer(
                ("credit on the picture",),
                "Sets each picture's own credit small into a corner.",
                cls(
                    text="{credit}",
                    size_percent=3.0,
                    least_px=11.0,
                    anchor=Anchor.BOTTOM_RIGHT,
                    weight=Weight.REGULAR,
                ),
                also="credit, text credit, put the credit on it, byline",
            ),
        )

    @classmethod
    def read(cls, text: str) -> Self | None:
        """Understands `text "Seed swap, Saturday" bottom right white 9 %`; the words come by `saying`."""
        match = _TYPED.fullmatch(text)
        if match is None:
            return None
        words, size, anchor, ground, percent = match.groups()
        given: dict[str, object] = {"text": words}
        if anchor:
            given["anchor"] = anchor
        if ground:
            colour = read_ground(ground)
            if colour is None or not colour.startswith("#"):
                return None
            given |= {"ink": TextInk.OWN, "colour": colour}
        if size or percent:
            given["size_percent"] = float(parse_decimal(percent)) if percent else _SIZES[size]
        return cls.model_validate(given)
