"""Drawn and painted looks."""

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from lucidex.core.picture.effects.base import Effect
from lucidex.core.picture.effects.drawn import Drawn, Manner
from lucidex.core.steps.bands import EffectStep
from lucidex.core.steps.base import Heading, Offer, PreviewClass, Sentence, Value, Words
from lucidex.core.steps.detail import Amount
from lucidex.core.units import format_number

_EXPLANATIONS = {
    Manner.PENCIL: "Lines and light shading, as with a pencil.",
    Manner.INK: "Black strokes and masses, as with a brush pen.",
    Manner.WATERCOLOUR: "Pale washes with darker rims.",
    Manner.OIL: "Thick strokes that gather tones into patches.",
}

_ALSO = {
    Manner.PENCIL: "sketch, pencil sketch, drawing, pencil drawing, drawn, like a drawing",
    Manner.INK: "pen and ink, ink drawing, brush pen",
    Manner.WATERCOLOUR: "water colour, water colours, aquarelle, watercolour painting, watercolours",
    Manner.OIL: "oil painting, oil paint, painting, painted, oils, like a painting",
}


class DrawnStep(EffectStep):
    """The picture as if drawn or painted."""

    kind: Literal["drawn"] = "drawn"
    heading: ClassVar[Heading | None] = Heading.DRAWN
    preview_class: ClassVar[PreviewClass] = PreviewClass.FINISHED
    manner: Manner = Field(Manner.PENCIL, description="How it is drawn or painted.")
    strength: Amount = Field(100.0, description="How much of the drawing, the rest being the picture itself.")
    coarseness: Annotated[float, Field(ge=0.3, le=3, allow_inf_nan=False)] = Field(
        1.0, description="How wide strokes and washes are; 1 is usual."
    )
    keeps_colours: bool = Field(False, description="Pencil in colour.")
    varied_field: ClassVar[str | None] = "coarseness"
    variants: ClassVar[str] = "0,5; 1; 1,6; 2,5"

    def effect(self) -> Effect | None:
        """The drawing, mixed with the picture."""
        return Drawn(self.manner, self.strength / 100, self.coarseness, self.keeps_colours) if self.strength else None

    def sentence(self) -> Sentence:
        """For example: As if done in watercolour, by 100 %."""
        name = {Manner.PENCIL: "in pencil", Manner.INK: "in ink", Manner.WATERCOLOUR: "in watercolour"}
        words = name.get(self.manner, "in oil")
        if self.manner is Manner.PENCIL and self.keeps_colours:
            words = "in coloured pencil"
        return (
            Words("As if done "),
            Value("manner", words),
            Words(", by "),
            Value("strength", f"{format_number(self.strength)} %"),
            Words("."),
        )

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """All manners, and pencil in colour."""
        plain = tuple(
            Offer((manner.value,), _EXPLANATIONS[manner], cls(manner=manner), also=_ALSO[manner]) for manner in Manner
        )
        coloured = cls(manner=Manner.PENCIL, keeps_colours=True)
        return (
            *plain,
            Offer(
                ("coloured pencil",),
                "Pencil lines that keep the colours.",
                coloured,
                also="crayon, colour pencil, pencil in colour, coloured sketch",
            ),
        )
