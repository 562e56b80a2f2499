"""Two tones: ink and paper, for scans, signatures and drawings."""

from enum import StrEnum
from typing import Annotated, ClassVar, Literal, Self

import numpy as np
from pydantic import Field

from lucidex.core.picture.effects.base import Effect
from lucidex.core.picture.effects.two_tone import PAPER_RADIUS, TwoTone, colour_of_ink, ink_in, parting
from lucidex.core.picture.grounds import HexColour, colour_of
from lucidex.core.picture.raster import Raster
from lucidex.core.steps.bands import EffectStep, FindingStep
from lucidex.core.steps.base import Heading, Offer, PreviewClass, Sentence, Value, Words
from lucidex.core.steps.detail import Amount
from lucidex.core.units import format_number


class Measured(StrEnum):
    """What ink is measured against."""

    NEARBY = "the paper nearby"
    WHITE = "pure white"


class Paper(StrEnum):
    """What paper becomes."""

    WHITE = "white"
    CLEAR = "clear"


class InkColour(StrEnum):
    """Which colour ink gets."""

    BLACK = "black"
    OWN = "its own"
    CHOSEN = "a colour"


class TwoToneStep(EffectStep, FindingStep):
    """Pure ink on pure paper."""

    kind: Literal["two_tone"] = "two_tone"
    revision: ClassVar[int] = 2
    heading: ClassVar[Heading | None] = Heading.PAPER
    preview_class: ClassVar[PreviewClass] = PreviewClass.FINISHED
    against: Measured = Field(Measured.NEARBY, description="Nearby paper evens out grey and uneven light.")
    threshold_percent: Annotated[float, Field(ge=1, le=99, allow_inf_nan=False)] = Field(
        30.0, description="What is darker than the paper by this much is ink."
    )
    softness_percent: Amount = Field(0.0, description="How gradually ink becomes paper; at nothing, edges are hard.")
    paper: Paper = Field(Paper.WHITE, description="What the paper becomes.")
    ink: InkColour = Field(InkColour.BLACK, description="What the ink becomes.")
    ink_colour: HexColour = "#1d2326"
    automatic: bool = True
    draws: ClassVar[bool] = True
    found_by: ClassVar[frozenset[str]] = frozenset({"against", "ink"})
    found_fields: ClassVar[frozenset[str]] = frozenset({"ink_colour"})
    finds: ClassVar[frozenset[str]] = frozenset({"threshold_percent"})
    by_hand: ClassVar[dict[str, object]] = {"automatic": False}
    varied_field: ClassVar[str | None] = "threshold_percent"
    variants: ClassVar[str] = "15; 25; 40; 60"

    @property
    def leaves_clear(self) -> bool:
        """Whether the paper becomes clear."""
        return self.paper is Paper.CLEAR

    def effect(self) -> Effect | None:
        """The threshold, with the ink's colour."""
        colour = (0, 0, 0) if self.ink is InkColour.BLACK else colour_of(self.ink_colour)
        nearby = self.against is Measured.NEARBY
        softness = self.softness_percent / 100
        return TwoTone(self.threshold_percent / 100, softness, nearby, self.leaves_clear, colour or (0, 0, 0))

    def found_on(self, raster: Raster) -> Self:
        """The threshold that parts ink from paper where it is automatic; the ink's own colour where that is kept."""
        radius = PAPER_RADIUS * raster.unit if self.against is Measured.NEARBY else None
        darkness = ink_in(raster.pixels, radius)
        found: dict[str, object] = {}
        if self.automatic:
            found["threshold_percent"] = round(float(np.clip(100 * parting(darkness), 5, 95)), 1)
        if self.ink is InkColour.OWN:
            threshold = float(str(found.get("threshold_percent", self.threshold_percent))) / 100
            found["ink_colour"] = "#{:02x}{:02x}{:02x}".format(*colour_of_ink(raster.pixels, darkness, threshold))
        return self.model_copy(update=found)

    def lightened(self, amount: float) -> Self:
        """Less is ink, or more, from where it was; by hand from then on."""
        if not amount:
            return self
        threshold = float(np.clip(self.threshold_percent * 2 ** (amount / 60), 1, 99))
        return self.model_copy(update={"threshold_percent": round(threshold, 1), "automatic": False})

    def sentence(self) -> Sentence:
        """For example: Two tones: black ink from 32 % darker than the paper nearby, on clear paper."""
        ink = {InkColour.BLACK: "black ink", InkColour.OWN: "ink in its own colour", InkColour.CHOSEN: "coloured ink"}
        return (
            Words("Two tones: "),
            Value("ink", ink[self.ink]),
            Words(" from "),
            Value("threshold_percent", f"{format_number(self.threshold_percent, 1)} %"),
            Words(" darker than "),
            Value("against", self.against.value),
            Words(", on "),
            Value("paper", f"{self.paper.value} paper"),
            Words("."),
        )

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """On white and on clear paper, with black ink and with its own."""
        return (
            Offer(
                ("two tones", "two-tone", "threshold"),
                "Black ink on white paper, for a greyish or unevenly lit scan.",
                cls(),
                also="two tone, bitmap, line art, pure black and white, only black and white, scan to black and "
                "white, "
                "clean scan, clean up scan, photocopy, 1 bit",
            ),
            Offer(
                ("signature", "ink on clear"),
                "Ink in its own colour on clear paper, to lay over a letter.",
                cls(paper=Paper.CLEAR, ink=InkColour.OWN, softness_percent=20),
                also="signature on clear, extract signature, scan of a signature, my signature, ink only, cut out "
                "signature, "
                "signature on transparent, clean signature",
            ),
        )
