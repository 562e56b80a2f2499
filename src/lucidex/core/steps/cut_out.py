"""Cut out: only the subject stays; by itself where it is sure, else after one drag around it."""

from collections.abc import Iterable
from typing import Annotated, ClassVar, Literal, Self

import numpy as np
import numpy.typing as npt
from pydantic import FailFast, Field, model_validator

from lucidex.core.areas.area import Area, area_words
from lucidex.core.areas.shapes import AnyShape, Stroke
from lucidex.core.areas.sight import Sight
from lucidex.core.geometry.picture_geometry import PictureGeometry, Remark
from lucidex.core.geometry.sizes import Box, Size
from lucidex.core.geometry.transform import Transform
from lucidex.core.matting.rings import MAX_RINGS, Ring, is_within_limits, rings_of
from lucidex.core.matting.segmentation import Hints, find_subject
from lucidex.core.picture.raster import Raster
from lucidex.core.source.derivation import Restoration
from lucidex.core.source.local.cutting_out import CuttingOut
from lucidex.core.steps.bands import FindingStep
from lucidex.core.steps.base import Carried, Offer, Sentence, Value, Words
from lucidex.core.steps.on_area import OverArea, Tool
from lucidex.core.units import format_number

Mask = npt.NDArray[np.bool_]
HALF = 0.5  # of a pixel
SeenAs = Literal["nothing", "person", "object", "pointed"]


class CutOut(OverArea, FindingStep):
    """Everything but the subject becomes clear.

    `shapes` are what somebody pointed at: closed ones say that it lies within, strokes that it is this; what takes
    away is not it. `rings` are its edge as found from them, and `seen` as what it was found.
    """

    kind: Literal["cut_out"] = "cut_out"
    carried: ClassVar[Carried] = Carried.ALWAYS
    lies_where_drawn: ClassVar[bool] = False
    tools: ClassVar[tuple[Tool, ...]] = (Tool.BOX, Tool.OUTLINE, Tool.BRUSH)
    brush_words: ClassVar[str] = "this stays"
    brush_radius: ClassVar[float] = 0.02
    reach_percent: Annotated[float, Field(ge=0.2, le=8, allow_inf_nan=False)] = Field(
        1.2, title="Fine edge, %", description="How far hair, fur or leaves stand off, of the subject's longer side."
    )
    outwards_percent: Annotated[float, Field(ge=-4, le=4, allow_inf_nan=False)] = Field(
        0.0, title="Further out, %", description="Below nought further in; of the subject's longer side."
    )
    soft_percent: Annotated[float, Field(ge=0, le=4, allow_inf_nan=False)] = Field(
        0.0, title="Softer, %", description="How far the edge fades, of the subject's longer side."
    )
    rings: Annotated[tuple[Ring, ...], Field(max_length=MAX_RINGS), FailFast()] = ()
    seen: SeenAs = "nothing"
    found_by: ClassVar[frozenset[str]] = frozenset({"shapes"})
    found_fields: ClassVar[frozenset[str]] = frozenset({"rings", "seen"})
    amounts: ClassVar[dict[str, str]] = {}
    varied_field: ClassVar[str | None] = "reach_percent"
    variants: ClassVar[str] = "0,4; 1,2; 3; 6"

    @model_validator(mode="after")
    def _is_kept_in_few_points(self) -> Self:
        if not is_within_limits(self.rings):
            raise ValueError("too many points in its rings")
        return self

    def found_on(self, raster: Raster) -> Self:
        """The step with the subject that it finds on a picture, from what was pointed at."""
        hints = self._hints(raster)
        found = find_subject(raster, hints)
        if found is None:
            return self.model_copy(update={"rings": (), "seen": "nothing"})
        seen = "person" if found.is_person else "object" if hints.are_none else "pointed"
        return self.model_copy(update={"rings": rings_of(found.mask, raster.to_content), "seen": seen})

    def _hints(self, raster: Raster) -> Hints:
        height, width = raster.pixels.shape[:2]
        size = raster.geometry.size
        to_raster = raster.geometry.transform.then(Transform(width / size.width, 0, 0, height / size.height))
        sight, whole = Sight(raster.geometry.upright, to_raster), Box(0, 0, Size(width, height))

        def covered(shapes: Iterable[AnyShape]) -> Mask | None:
            drawn = tuple(shape.model_copy(update={"takes_away": False}) for shape in shapes)
            return np.asarray(Area(shapes=drawn).mask(sight, whole) >= HALF) if drawn else None

        added = [shape for shape in self.shapes if not shape.takes_away]
        within = covered(shape for shape in added if not isinstance(shape, Stroke))
        kept = covered(shape for shape in added if isinstance(shape, Stroke))
        dropped = covered(shape for shape in self.shapes if shape.takes_away)
        nothing = np.zeros((height, width), bool)
        kept = nothing if kept is None else kept
        return Hints(within, kept, nothing if dropped is None else dropped & ~kept)

    def restorations(self) -> tuple[Restoration, ...]:
        """One, where something was found."""
        if not self.rings:
            return ()
        shares = (self.reach_percent / 100, self.outwards_percent / 100, self.soft_percent / 100)
        return (CuttingOut(self.rings, *shares),)

    @property
    def leaves_clear(self) -> bool:
        """Where something was found."""
        return bool(self.rings)

    @property
    def for_others(self) -> Self:
        """Without what was found or pointed at here."""
        return self.model_copy(update={"shapes": (), "rings": (), "seen": "nothing"})

    @property
    def waits_for_hint(self) -> bool:
        """Where nothing was found."""
        return not self.rings

    def remark(self, geometry: PictureGeometry) -> Remark | None:
        """A sentence where nothing was cut out."""
        if self.rings:
            return None
        if self.shapes:
            return Remark("Nothing is left where you pointed, so nothing was cut out. Draw a box around what stays.")
        return Remark(
            "What stays is not sure here, so nothing was cut out. Draw a box around it: one drag is enough."
        )

    def sentence(self) -> Sentence:
        """For example: Cut out: a person; fine edge 1.2 %."""
        if not self.rings:
            return Words("Cut out: "), Value("shapes", "nothing yet"), Words(".")
        how = "Cut out, from " if self.seen == "pointed" else "Cut out: "
        what = _SEEN.get(self.seen) or area_words(Area(shapes=self.shapes))[0]
        reach = Value("reach_percent", f"{format_number(self.reach_percent)} %")
        return Words(how), Value("shapes", what), Words("; fine edge "), reach, Words(".")

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """By itself, or within what is drawn."""
        return (
            Offer(
                ("cut out", "cut out the subject"),
                "Only the person or the thing stays, all else becomes clear. Where that is not sure, one drag around "
                "it is asked for; a brush keeps or drops parts.",
                cls(),
                also="cutout, cut it out, cut out person, cut out people, cut out object, cut out product, isolate, "
                "isolate subject, isolate object, extract subject, only the subject, "
                "keep only the subject, clip out, cut out the person, cut out the object, cut out the product",
            ),
        )


_SEEN = {"person": "a person", "object": "what stands on a plain ground"}
