"""Detail: local contrast, sharpen, soften; and, on the original's own pixels, less noise and detail brought back."""

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from lucidex.core.picture.effects.base import Effect
from lucidex.core.picture.effects.detail import LocalContrast, Sharpening, Softening
from lucidex.core.source.denoising import CosineDenoising
from lucidex.core.source.derivation import Restoration
from lucidex.core.source.restoration import Deconvolution
from lucidex.core.steps.bands import EffectStep, RestorationStep
from lucidex.core.steps.base import Offer, PreviewClass, Sentence, Value, Words
from lucidex.core.steps.tone import Percent, signed
from lucidex.core.units import format_number

Amount = Annotated[float, Field(ge=0, le=100, allow_inf_nan=False)]


class LocalContrastStep(EffectStep):
    """Detail against its surroundings, stronger or weaker."""

    kind: Literal["local_contrast"] = "local_contrast"
    amount: Percent = Field(0.0, description="Stronger drawing within each tone; below nothing it is smoothed.")
    breadth_percent: Annotated[float, Field(ge=0.5, le=10, allow_inf_nan=False)] = Field(
        3.0, description="How wide the surroundings are, of the picture's shorter side."
    )
    amounts: ClassVar[dict[str, str]] = dict.fromkeys(("local contrast", "clarity", "structure", "clearer"), "amount")
    varied_field: ClassVar[str | None] = "amount"
    variants: ClassVar[str] = "-30; 20; 40; 70"

    def effect(self) -> Effect | None:
        """A guided filter's detail."""
        return LocalContrast(self.amount / 100, self.breadth_percent / 100) if self.amount else None

    def sentence(self) -> Sentence:
        """For example: Local contrast +30, over 3 % of the picture."""
        return (
            Words("Local contrast "),
            Value("amount", signed(self.amount)),
            Words(", over "),
            Value("breadth_percent", f"{format_number(self.breadth_percent, 1)} %"),
            Words(" of the picture."),
        )

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """Stronger, and smoother."""
        message = "Makes the drawing within each tone clearer, without rims at edges; good against haze."
        return (
            Offer(
                ("local contrast", "clearer"),
                message,
                cls(amount=35),
                also="clarity, more clarity, structure, crisper, crisp, haze, hazy, remove haze, "
                "less haze, misty, foggy, add clarity, punchy, punchier, more punch",
            ),
            Offer(
                ("smoother", "less local contrast"),
                "Smooths what is small and keeps edges.",
                cls(amount=-40),
                also="less clarity, smooth, smooth skin",
            ),
        )


class Sharpen(EffectStep):
    """Sharper edges at the finished pixels, whatever the size of the place."""

    kind: Literal["sharpen"] = "sharpen"
    preview_class: ClassVar[PreviewClass] = PreviewClass.FINISHED
    amount: Annotated[float, Field(ge=0, le=300, allow_inf_nan=False)] = Field(
        60.0, description="How much of the fine detail is added once more."
    )
    radius_px: Annotated[float, Field(ge=0.3, le=4, allow_inf_nan=False)] = Field(
        0.7, description="How wide an edge is, in pixels of the finished file."
    )
    grain: Annotated[float, Field(ge=0, le=20, allow_inf_nan=False)] = Field(
        1.5, description="Detail weaker than this stays as it is, so that noise is not sharpened."
    )
    amounts: ClassVar[dict[str, str]] = dict.fromkeys(("sharpen", "sharpness", "sharper", "sharpening"), "amount")
    varied_field: ClassVar[str | None] = "amount"
    variants: ClassVar[str] = "30; 60; 100; 160"

    def effect(self) -> Effect | None:
        """An unsharp mask without rims."""
        return Sharpening(self.amount / 100, self.radius_px, self.grain) if self.amount else None

    def sentence(self) -> Sentence:
        """For example: Sharpened by 60 % over 0.7 px of the finished file."""
        return (
            Words("Sharpened by "),
            Value("amount", f"{format_number(self.amount)} %"),
            Words(" over "),
            Value("radius_px", f"{format_number(self.radius_px)} px"),
            Words(" of the finished file."),
        )

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """For reduced pictures, and strongly."""
        message = "Keeps the impression of sharpness in reduced pictures; acts on the finished pixels."
        return (
            Offer(
                ("sharpen", "sharper"),
                message,
                cls(),
                also="unsharp mask, more sharpness, sharpness, not sharp, more sharp, make sharp, sharp, increase "
                "sharpness, sharpening",
            ),
            Offer(
                ("sharpen strongly",),
                message,
                cls(amount=130, radius_px=0.9, grain=2),
                also="sharpen more, very sharp, much sharper, sharpen a lot, strong sharpening",
            ),
        )


class Soften(EffectStep):
    """The whole picture softer."""

    kind: Literal["soften"] = "soften"
    radius_percent: Annotated[float, Field(ge=0, le=10, allow_inf_nan=False)] = Field(
        0.4, description="How far tones run into each other, of the picture's shorter side."
    )
    amounts: ClassVar[dict[str, str]] = dict.fromkeys(
        ("soften", "blur", "softer", "blurring", "gaussian blur"), "radius_percent"
    )
    varied_field: ClassVar[str | None] = "radius_percent"
    variants: ClassVar[str] = "0,2; 0,5; 1; 3"

    def effect(self) -> Effect | None:
        """A Gaussian."""
        return Softening(self.radius_percent / 100) if self.radius_percent else None

    def sentence(self) -> Sentence:
        """For example: Softened over 0.4 % of the picture."""
        return Words("Softened over "), Value("radius_percent", f"{format_number(self.radius_percent)} %"), Words(".")

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """A little, and as a ground for text."""
        return (
            Offer(
                ("soften", "softer"),
                "Lets tones run into each other a little.",
                cls(),
                also="slightly blurred, soft, soft focus",
            ),
            Offer(
                ("blur", "soften strongly"),
                "Makes a calm ground, such as behind text.",
                cls(radius_percent=2.5),
                also="blurred, blurring, gaussian blur, blur background strongly, make blurry",
            ),
        )


class Denoise(RestorationStep):
    """Less noise, measured on the original's own pixels."""

    kind: Literal["denoise"] = "denoise"
    strength: Amount = Field(40.0, description="At 40 what was measured goes; more takes fine detail along.")
    amounts: ClassVar[dict[str, str]] = dict.fromkeys(
        ("less noise", "denoise", "noise", "reduce noise", "noise reduction", "remove noise"), "strength"
    )
    varied_field: ClassVar[str | None] = "strength"
    variants: ClassVar[str] = "20; 40; 60; 90"

    def restorations(self) -> tuple[Restoration, ...]:
        """Sliding transforms."""
        return (CosineDenoising(self.strength / 100),) if self.strength else ()

    def sentence(self) -> Sentence:
        """For example: Noise reduced by 40 %."""
        return Words("Noise reduced by "), Value("strength", f"{format_number(self.strength)} %"), Words(".")

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """As most pictures want it."""
        message = "Takes the grain out of pictures made in little light; works on the original's own pixels."
        return (
            Offer(
                ("less noise", "reduce noise", "denoise"),
                message,
                cls(),
                also="reduce grain, remove noise, noise reduction, noise, less grain, remove grain, noisy, "
                "grainy, too noisy, clean up noise",
            ),
        )


class Deconvolve(RestorationStep):
    """Detail of a slightly blurred original brought back, as far as it is there."""

    kind: Literal["deconvolve"] = "deconvolve"
    radius_px: Annotated[float, Field(ge=0.5, le=4, allow_inf_nan=False)] = Field(
        1.2, description="How wide the blur is, in pixels of the original."
    )
    strength: Amount = Field(60.0, description="How much of it is taken back.")
    varied_field: ClassVar[str | None] = "radius_px"
    variants: ClassVar[str] = "0,8; 1,2; 1,8; 2,6"

    def restorations(self) -> tuple[Restoration, ...]:
        """Deconvolution."""
        return (Deconvolution(self.radius_px, self.strength / 100),) if self.strength else ()

    def sentence(self) -> Sentence:
        """For example: Detail brought back from a blur of 1.2 px, by 60 %."""
        return (
            Words("Detail brought back from a blur of "),
            Value("radius_px", f"{format_number(self.radius_px)} px"),
            Words(", by "),
            Value("strength", f"{format_number(self.strength)} %"),
            Words("."),
        )

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """A slight blur."""
        message = "For a slightly blurred picture. What the blur has wiped out stays away."
        return (
            Offer(
                ("bring back detail", "deblur", "less blur"),
                message,
                cls(),
                also="blurry, out of focus, unblur, shaky, remove blur, fix blur, too blurry",
            ),
        )
