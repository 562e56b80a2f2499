"""A border of one colour around the picture, inside the size that was asked for."""

import re
from typing import Annotated, ClassVar, Literal, Self

import pyvips
from pydantic import Field

from lucidex.core.finish.assets import Assets
from lucidex.core.finish.canvas import Canvas, Margins
from lucidex.core.geometry.sizes import Size
from lucidex.core.picture.grounds import CLEAR, GROUND, HexColour, colour_of, ground_words, read_ground
from lucidex.core.steps.base import FinishStep, Offer, Sentence, Value, Words
from lucidex.core.units import format_number, parse_decimal

_WIDTH = r"(\d{1,2}(?:[.,]\d{1,2})?)(?: %)?"
_TYPED = re.compile(
    rf"(?:add )?(?:a )?border(?: of)? {_WIDTH}(?: %)?(?: (?:in )?{GROUND})?"
    rf"|(?:add )?(?:a )?{GROUND} border(?: of)?(?: {_WIDTH})?|{_WIDTH} (?:{GROUND} )?border|border(?: in)? {GROUND}"
    rf"|border(?: in)? {GROUND} {_WIDTH}|{_WIDTH} border(?: in)? {GROUND}"
)


class Border(FinishStep):
    """A border on the finished size; the picture gives way, so that the size stays exact."""

    kind: Literal["border"] = "border"
    width_percent: Annotated[float, Field(ge=0, le=30, allow_inf_nan=False)] = Field(
        4.0, title="Width, %", description="Of the shorter side of what comes out, at least a pixel; 0 is no border."
    )
    colour: HexColour = "#ffffff"
    amounts: ClassVar[dict[str, str]] = dict.fromkeys(("border", "add border", "white border"), "width_percent")
    varied_field: ClassVar[str | None] = "width_percent"
    variants: ClassVar[str] = "1; 2; 4; 8"

    def room(self, canvas: Size) -> Margins:
        """The same on all sides."""
        width = max(1, round(canvas.shortest * self.width_percent / 100)) if self.width_percent else 0
        width = min(width, (canvas.shortest - 1) // 2)
        return Margins(width, width, width, width)

    def draw(self, canvas: Canvas, assets: Assets) -> pyvips.Image:
        """Its colour in the room that it asked for, around all that lies further inside."""
        image, outer, inner = canvas.image, canvas.outer, canvas.inner
        colour = [*(colour_of(self.colour) or ()), *([255] if image.hasalpha() else [])]
        whole = (pyvips.Image.black(outer.size.width, outer.size.height, bands=image.bands) + colour).cast("uchar")
        kept = image.crop(inner.left, inner.top, inner.size.width, inner.size.height)
        bordered = whole.insert(kept, inner.left - outer.left, inner.top - outer.top)
        return image.insert(bordered, outer.left, outer.top)

    def sentence(self) -> Sentence:
        """For example: A border of 4 %, white."""
        width = Value("width_percent", f"{format_number(self.width_percent)} %")
        return Words("A border of "), width, Words(", "), Value("colour", ground_words(self.colour)), Words(".")

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """White, as around a print; and a thin dark line."""
        said = "Puts an even border around the picture, inside the size of each place."
        return (
            Offer(
                ("border", "white border"),
                said,
                cls(),
                also="add border, add a border, put a border around, white frame, border around",
            ),
            Offer(("thin dark border",), said, cls(width_percent=0.6, colour="#1d2326")),
        )

    @classmethod
    def read(cls, text: str) -> Self | None:
        """Understands `border 4 %` and `border 2,5 % black`."""
        match = _TYPED.fullmatch(text)
        if match is None:
            return super().read(text)
        found = [part for part in match.groups() if part]
        width = next((part for part in found if part[0].isdigit()), None)
        colour = next((part for part in found if not part[0].isdigit()), None)
        ground = read_ground(colour or "white")
        if ground in {None, CLEAR}:
            return None
        return cls.model_validate(
            {"colour": ground, **({"width_percent": float(parse_decimal(width))} if width else {})}
        )
