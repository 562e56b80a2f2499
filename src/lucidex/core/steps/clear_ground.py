"""Clear ground: take the page away from under the ink, so that only the ink is left."""

from typing import Annotated, ClassVar, Literal, Self

from pydantic import Field

from lucidex.core.geometry.picture_geometry import PictureGeometry, Remark
from lucidex.core.picture.background_removal import BackgroundRemoval
from lucidex.core.picture.content import Raster, fit_ground
from lucidex.core.steps.bands import BackgroundStep, FindingStep
from lucidex.core.steps.base import Offer, Sentence, Value, Words
from lucidex.core.units import format_number

Channel = Annotated[tuple[float, ...], Field(min_length=6, max_length=6)]


class ClearGround(BackgroundStep, FindingStep):
    """Make a plain ground clear; what was mixed with it at the edges is unmixed.

    `surface` is the ground's colour as found (`core.picture.content.fit_ground`).
    """

    kind: Literal["clear_ground"] = "clear_ground"
    tolerance_percent: Annotated[float, Field(ge=1, le=60, allow_inf_nan=False)] = 8.0
    surface: tuple[Channel, Channel, Channel] | None = None
    found_fields: ClassVar[frozenset[str]] = frozenset({"surface"})
    varied_field: ClassVar[str | None] = "tolerance_percent"
    variants: ClassVar[str] = "4; 8; 16"

    def found_on(self, raster: Raster) -> Self:
        """The step with the ground that it finds on a picture."""
        return self.model_copy(update={"surface": fit_ground(raster)})

    @property
    def leaves_clear(self) -> bool:
        """Where a ground was found."""
        return self.surface is not None

    def background_removal(self) -> BackgroundRemoval | None:
        """What the renderer does for it; nothing where no plain ground was found."""
        return None if self.surface is None else BackgroundRemoval(self.surface, 255 * self.tolerance_percent / 100)

    def remark(self, geometry: PictureGeometry) -> Remark | None:
        """A sentence where there was no plain ground."""
        if self.surface is not None:
            return None
        return Remark("No plain ground was found here, so nothing was made clear.")

    def sentence(self) -> Sentence:
        """For example: Ground made clear, tolerance 8 %."""
        tolerance = Value("tolerance_percent", f"{format_number(self.tolerance_percent)} %")
        return Words("Ground made clear, tolerance "), tolerance, Words(".")

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """As it is."""
        message = "Takes a plain page or wall away from under the ink or the object, also where the light is uneven."
        return (
            Offer(
                ("clear the ground", "clear ground"),
                message,
                cls(),
                also="remove background, remove the background, transparent background, clear background, "
                "no background, without background, delete background, background off, make "
                "background transparent, make background clear, transparent, make transparent, "
                "cutout, cut out, background removal, clear white, make white transparent, make white "
                "clear, remove white",
            ),
        )
