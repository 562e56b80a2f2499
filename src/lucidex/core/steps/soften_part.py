"""Soften a part, or everything but a part: for effect, not to hide."""

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from lucidex.core.areas.area import Area, area_words
from lucidex.core.geometry.picture_geometry import PictureGeometry, Remark
from lucidex.core.source.derivation import Restoration
from lucidex.core.source.local.softening import LocalSoftening, Softness
from lucidex.core.steps.base import Offer, Sentence, Value, Words
from lucidex.core.steps.on_area import EdgePercent, OverArea
from lucidex.core.units import format_number


class SoftenPart(OverArea):
    """A part of the picture softer, over an edge that fades."""

    kind: Literal["soften_part"] = "soften_part"
    softness: Softness = Field(
        Softness.SOFT, title="How", description="Soft, as out of a lens's focus, as if it moved, or in squares."
    )
    radius_percent: Annotated[float, Field(ge=0, le=8, allow_inf_nan=False)] = Field(
        0.8, title="Strength, %", description="How far tones run into each other, of the picture's shorter side."
    )
    direction_degrees: Annotated[float, Field(ge=-90, le=90, allow_inf_nan=False)] = Field(
        0.0, description="Of a movement: 0 is level, 90 upright."
    )
    edge_percent: EdgePercent = Field(3.0, title="Soft edge, %", description="Beyond what is drawn.")
    around: bool = Field(False, description="Everything but what is drawn.")
    varied_field: ClassVar[str | None] = "radius_percent"
    variants: ClassVar[str] = "0,4; 0,8; 1,5; 3"

    @property
    def area(self) -> Area:
        """All that it acts on."""
        return Area(shapes=self.shapes, edge=self.edge_percent / 100, inverted=self.around)

    def restorations(self) -> tuple[Restoration, ...]:
        """One for each part that stands alone."""
        if not self.radius_percent:
            return ()
        parts = self.area.components
        direction = self.direction_degrees if self.softness is Softness.MOTION else 0.0
        return tuple(LocalSoftening(part, self.softness, self.radius_percent / 100, direction) for part in parts)

    def remark(self, geometry: PictureGeometry) -> Remark | None:
        """A sentence where nothing was drawn yet, or where it is taken for hiding."""
        if self.area.is_empty:
            what = "stay as it is" if self.around else "be softer"
            return Remark(f"Nothing is softened yet. Draw over what shall {what}.")
        return None

    def sentence(self) -> Sentence:
        """For example: Softened, lens, by 0.8 %: an ellipse, upper left."""
        strength = Value("radius_percent", f"{format_number(self.radius_percent)} %")
        what, where = area_words(self.area)
        around = "everything but " if self.around and not self.area.is_empty else ""
        return (
            Words("Softened, "),
            Value("softness", self.softness.value),
            Words(", by "),
            strength,
            Words(f": {around}"),
            Value("shapes", what),
            Words(f"{where}."),
        )

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """A part, everything but a part, a movement."""
        return (
            Offer(
                ("soften a part",),
                "Draw over what shall be softer; for effect. To make something unreadable, hide it.",
                cls(),
                also="blur a part, blur part, soften part, soften area, blur area, blur an area, soften an area, "
                "local blur, blur a region, blur region, selective blur, blur something, soften a region, "
                "pixelate an area",
            ),
            Offer(
                ("soften all but a part",),
                "Draw over what shall stay sharp; all around it becomes softer, as behind a lens.",
                cls(softness=Softness.LENS, around=True, edge_percent=6),
                also="soften background, blur background, blur the background, soften the background, blur around, "
                "soften around, blur everything but, shallow depth of field, depth of field, background blur, "
                "soft background, out of focus background, focus on a part, bokeh, portrait effect, "
                "blurred background, blur surroundings",
            ),
            Offer(
                ("a part as if it moved",),
                "Draw over what shall look as if it had moved.",
                cls(softness=Softness.MOTION, radius_percent=2),
                also="motion blur a part, moving, movement blur, speed blur, directional blur",
            ),
        )
