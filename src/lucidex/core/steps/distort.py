"""Distort by hand: shift, swell, tighten and swirl with a brush; a brush that takes it back."""

from typing import Annotated, ClassVar, Literal

from pydantic import FailFast, Field

from lucidex.core.areas.area import MAX_SHAPES, counted_words, touching, where_words
from lucidex.core.areas.placing import kept_path
from lucidex.core.areas.shapes import Shape
from lucidex.core.errors import OutOfRangeError
from lucidex.core.geometry.picture_geometry import PictureGeometry, Remark
from lucidex.core.source.derivation import Restoration
from lucidex.core.source.local.distortion import Distortion, Shift, ShiftStroke
from lucidex.core.steps.base import Offer, Sentence, Value, Words
from lucidex.core.steps.on_area import AreaStep, Gesture, Tool


class Distort(AreaStep):
    """Strokes that shift what is below them; together they are one displacement and one resampling."""

    kind: Literal["distort"] = "distort"
    tools: ClassVar[tuple[Tool, ...]] = (Tool.BRUSH,)
    ways: ClassVar[tuple[str, ...]] = tuple(one.value for one in Shift)
    takes_away: ClassVar[bool] = False
    brush_radius: ClassVar[float] = 0.1
    shapes: Annotated[tuple[ShiftStroke, ...], Field(max_length=MAX_SHAPES), FailFast()] = ()
    begins_as: Shift = Shift.PUSH
    strength: Annotated[float, Field(ge=0, le=100, allow_inf_nan=False)] = Field(
        50.0, description="How much the next strokes do."
    )

    @property
    def first_way(self) -> str:
        """As it was chosen from the list."""
        return self.begins_as.value

    def shapes_of(self, gesture: Gesture, geometry: PictureGeometry) -> list[Shape]:
        """A stroke. OutOfRangeError where it says something else than a brush can do."""
        if gesture.way not in self.ways:
            raise OutOfRangeError("This brush can shift, swell, tighten, swirl to both sides, and take back.")
        paths, radius = kept_path(gesture.points, gesture.radius_px, geometry)
        shift = Shift(gesture.way)
        if shift in _OTHER_WAY and _mirrors(geometry):
            shift = _OTHER_WAY[shift]
        return [ShiftStroke(path=path, radius=radius, shift=shift, strength=self.strength / 100) for path in paths]

    def restorations(self) -> tuple[Restoration, ...]:
        """One for strokes that touch each other."""
        groups = touching(self.shapes)
        return tuple(Distortion(tuple(self.shapes[number] for number in numbers)) for numbers in groups)

    def remark(self, geometry: PictureGeometry) -> Remark | None:
        """A sentence where nothing was drawn yet."""
        return None if self.shapes else Remark("Nothing is shifted yet. Brush over the picture.")

    def sentence(self) -> Sentence:
        """For example: Distorted by three strokes, upper left."""
        count = len(self.shapes)
        words = "no stroke yet" if not count else "one stroke" if count == 1 else counted_words(count, "strokes")
        where = f", {where_words(self.shapes)}" if count else ""
        return Words("Distorted by "), Value("shapes", words), Words(f"{where}.")

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """Shift, and swell."""
        message = "Brush over a small part to shift, swell, tighten or swirl it; the picture's edge stays."
        return (
            Offer(
                ("distort by hand", "shift a part"),
                message,
                cls(),
                also="distort a part, push a part, move a part, warp a part, warp by hand, push pixels, "
                "reshape, reshape a part, deform, deform a part, shape by hand, bend a part, nudge a part",
            ),
            Offer(
                ("swell a part",),
                message,
                cls(begins_as=Shift.SWELL),
                also="swell, bulge, enlarge a part, make a part larger, bigger eyes, inflate, puff up",
            ),
            Offer(
                ("tighten a part",),
                message,
                cls(begins_as=Shift.TIGHTEN),
                also="pinch, shrink a part, make a part smaller, slimmer, contract a part",
            ),
            Offer(
                ("swirl a part",),
                message,
                cls(begins_as=Shift.SWIRL_RIGHT),
                also="swirl, twirl, twist, twist a part, whirl, spin a part",
            ),
        )


_OTHER_WAY = {Shift.SWIRL_LEFT: Shift.SWIRL_RIGHT, Shift.SWIRL_RIGHT: Shift.SWIRL_LEFT}


def _mirrors(geometry: PictureGeometry) -> bool:
    """Whether the picture shows the original mirrored."""
    near = geometry.transform.linear_at(geometry.transform.inverse.map(geometry.window.centre))
    return near.a * near.d - near.b * near.c < 0
