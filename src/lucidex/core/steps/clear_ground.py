"""Clear ground: take the page away from under the ink, so that only the ink is left."""

from typing import Annotated, ClassVar, Literal, Self

from pydantic import Field

from lucidex.core.geometry.picture_geometry import PictureGeometry, Remark
from lucidex.core.picture.background_removal import BackgroundRemoval
from lucidex.core.picture.ground_surface import (
    GRID,
    ORDER_TERMS,
    find_shadows,
    fit_ground,
    ground_grain,
    is_plain,
    with_shadows,
)
from lucidex.core.picture.raster import Raster
from lucidex.core.steps.bands import BackgroundStep, FindingStep
from lucidex.core.steps.base import Offer, Sentence, Value, Words
from lucidex.core.units import format_number

MIN_TOLERANCE, MAX_TOLERANCE = 1.5, 8.0  # per cent: what is found by itself
Coefficient = Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)]
Channel = Annotated[tuple[Coefficient, ...], Field(min_length=ORDER_TERMS, max_length=ORDER_TERMS)]
Grid = Annotated[tuple[Coefficient, ...], Field(min_length=GRID**2, max_length=GRID**2)]


class ClearGround(BackgroundStep, FindingStep):
    """Make a plain ground clear; what was mixed with it at the edges is unmixed.

    `surface` is the ground's colour as found and `shadows` what lies on it (`core.picture.ground_surface`); the
    tolerance follows from its grain where it is automatic.
    """

    kind: Literal["clear_ground"] = "clear_ground"
    tolerance_percent: Annotated[float, Field(ge=1, le=60, allow_inf_nan=False)] = 8.0
    surface: tuple[Channel, Channel, Channel] | None = None
    shadows: tuple[Grid, Grid, Grid] | None = None
    automatic: bool = False
    finds: ClassVar[frozenset[str]] = frozenset({"tolerance_percent"})
    by_hand: ClassVar[dict[str, object]] = {"automatic": False}
    found_fields: ClassVar[frozenset[str]] = frozenset({"surface", "shadows"})
    varied_field: ClassVar[str | None] = "tolerance_percent"
    variants: ClassVar[str] = "4; 8; 16"

    def found_on(self, raster: Raster) -> Self:
        """The step with the ground that it finds on a picture."""
        surface = fit_ground(raster)
        if surface is None or not is_plain(raster, surface):
            return self.model_copy(update={"surface": None, "shadows": None})
        shadows = find_shadows(raster, surface)
        found: dict[str, object] = {"surface": surface, "shadows": shadows}
        if self.automatic:
            percent = 100 / 255 * ground_grain(raster, with_shadows(surface, shadows))
            found["tolerance_percent"] = round(min(max(percent, MIN_TOLERANCE), MAX_TOLERANCE), 1)
        return self.model_copy(update=found)

    @property
    def leaves_clear(self) -> bool:
        """Where a ground was found."""
        return self.surface is not None

    def background_removal(self) -> BackgroundRemoval | None:
        """What the renderer does for it; nothing where no plain ground was found."""
        if self.surface is None:
            return None
        return BackgroundRemoval(with_shadows(self.surface, self.shadows), 255 * self.tolerance_percent / 100)

    def remark(self, geometry: PictureGeometry) -> Remark | None:
        """A sentence where there was no plain ground."""
        if self.surface is not None:
            return None
        return Remark(
            "No plain ground was found here, so nothing was made clear. “Cut out” keeps a subject on any ground."
        )

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
                cls(automatic=True),
                also="remove background, remove the background, transparent background, clear background, "
                "no background, without background, delete background, background off, make "
                "background transparent, make background clear, transparent, make transparent, "
                "background removal, clear white, make white transparent, make white "
                "clear, remove white",
            ),
        )
