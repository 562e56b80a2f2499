"""The outline of the picture on the finished size: oval, circle, rounded, slanted, an arch."""

import re
from typing import Annotated, ClassVar, Literal, Self

from pydantic import Field

from lucidex.core.finish.assets import Assets
from lucidex.core.finish.canvas import Canvas, Finished, Seat
from lucidex.core.finish.forms import Form, FormKind, form_in
from lucidex.core.finish.layer_kernel import scale_alpha
from lucidex.core.finish.layers import with_alpha
from lucidex.core.picture.grounds import CLEAR, GROUND, Colour, Ground, colour_of, ground_words, read_ground
from lucidex.core.steps.bands import FinishStep
from lucidex.core.steps.base import Offer, Sentence, Value, Words
from lucidex.core.units import format_number, parse_decimal

_KINDS = (
    "oval|ellipse|circle|round|rounded|rounded corners|"
    "round corners|round the corners|corners rounded|corner radius|slanted|slant|"
    "arch|arched"
)
_NUMBER = r"([+-]?\d{1,2}(?:[.,]\d{1,2})?)(?: [%°]| degrees)?"
_TYPED = re.compile(
    rf"(?:cut )?(?:as |in |into |to )?(?:an? )?({_KINDS})(?: (?:by |of )?{_NUMBER})?"
    rf"(?:(?: ,)? (?:on )?(?:a )?{GROUND}(?: ground)?)?"
)
_MEANT = {
    "ellipse": FormKind.OVAL,
    "round": FormKind.CIRCLE,
    "rounded corners": FormKind.ROUNDED,
    "round corners": FormKind.ROUNDED,
    "round the corners": FormKind.ROUNDED,
    "corner radius": FormKind.ROUNDED,
    "corners rounded": FormKind.ROUNDED,
    "slant": FormKind.SLANTED,
    "arched": FormKind.ARCH,
}
Number = Annotated[float, Field(allow_inf_nan=False)]


class Shape(FinishStep):
    """An outline of the picture; what lies outside is clear, or has a colour."""

    kind: Literal["shape"] = "shape"
    seat: ClassVar[Seat] = Seat.FORM
    outline: FormKind = Field(FormKind.OVAL, title="Outline")
    radius_percent: Number = Field(
        12.0, ge=0, le=50, title="Corners, %", description="Their radius, of the picture's shorter side; 50 is round."
    )
    lean_degrees: Number = Field(
        12.0, ge=-60, le=60, title="Leans, °", description="To the right; below 0 to the left."
    )
    outside: Ground = CLEAR

    @property
    def lets_through(self) -> bool:
        """Outside of the outline."""
        return True

    @property
    def ground_below(self) -> Colour | None:
        """What shows outside."""
        return colour_of(self.outside)

    def form_after(self, canvas: Canvas) -> Form | None:
        """Its outline, as large as the picture."""
        return form_in(self.outline, canvas.picture, self.radius_percent / 100, self.lean_degrees)

    def draw(self, canvas: Canvas, assets: Assets) -> Finished:
        """The picture, clear outside of the outline."""
        pixels, form = with_alpha(canvas.pixels), self.form_after(canvas)
        if form is not None:
            scale_alpha(pixels, form.coverage(canvas.size))
        return Finished(pixels)

    def sentence(self) -> Sentence:
        """For example: An oval, clear outside."""
        radius = Value("radius_percent", f"{format_number(self.radius_percent)} %")
        lean = Value("lean_degrees", f"{format_number(self.lean_degrees)}°")
        said: dict[FormKind, Sentence] = {
            FormKind.OVAL: (Words("An "), Value("outline", "oval")),
            FormKind.CIRCLE: (Words("A "), Value("outline", "circle")),
            FormKind.ROUNDED: (Value("outline", "Corners rounded"), Words(" by "), radius),
            FormKind.SLANTED: (Value("outline", "Slanted"), Words(" by "), lean),
            FormKind.ARCH: (Words("An "), Value("outline", "arch")),
        }
        return *said[self.outline], Words(", "), Value("outside", f"{ground_words(self.outside)} outside"), Words(".")

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """One for each outline."""
        also = {
            FormKind.OVAL: "ellipse, cut oval, oval picture",
            FormKind.CIRCLE: "round picture, cut a circle, circular",
            FormKind.ROUNDED: "rounded, round the corners, round corners, soft corners",
            FormKind.SLANTED: "oblique edges, lean",
            FormKind.ARCH: "arched, arch window",
        }
        words = {FormKind.ROUNDED: "rounded corners"}
        return tuple(
            Offer(
                (words.get(outline, outline.value),),
                "Gives the picture this outline; the size stays exact, and the picture can still be moved inside.",
                cls(outline=outline),
                also=also[outline],
            )
            for outline in FormKind
        )

    @classmethod
    def read(cls, text: str) -> Self | None:
        """Understands `oval`, `rounded 24`, `slanted -8` and `circle on white`."""
        match = _TYPED.fullmatch(text)
        if match is None or not (match[2] or match[3]):
            return None
        outline = _MEANT.get(match[1]) or FormKind(match[1])
        given: dict[str, object] = {"outline": outline, "outside": read_ground(match[3]) if match[3] else CLEAR}
        if match[2]:
            field = {FormKind.ROUNDED: "radius_percent", FormKind.SLANTED: "lean_degrees"}.get(outline)
            if field is None:
                return None
            given[field] = float(parse_decimal(match[2]))
        return cls.model_validate(given)
