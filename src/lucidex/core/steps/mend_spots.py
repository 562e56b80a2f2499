"""Spots, dust and scratches mended from what surrounds them, and spots copied onto other places."""

from collections.abc import Sequence
from typing import Annotated, ClassVar, Literal, Self

from pydantic import FailFast, Field

from lucidex.core.areas.area import MAX_SHAPES, counted_words, where_words
from lucidex.core.areas.placing import kept_path
from lucidex.core.areas.shapes import Brushed, Place, Shape, kept_spot
from lucidex.core.errors import OutOfRangeError
from lucidex.core.geometry.picture_geometry import PictureGeometry, Remark
from lucidex.core.geometry.sizes import Point
from lucidex.core.picture.dust import find_dust
from lucidex.core.picture.raster import Raster
from lucidex.core.source.derivation import Restoration
from lucidex.core.source.local.cloning import CloneStroke, Cloning
from lucidex.core.source.local.healing import pieces_of
from lucidex.core.steps.bands import FindingStep
from lucidex.core.steps.base import Offer, Sentence, Value, Words
from lucidex.core.steps.on_area import AreaStep, Gesture, Tool
from lucidex.core.units import format_number

LARGEST_SPOT = 0.0625  # radius: what is around a spot is looked at several radii far, all of it in memory
Percent = Annotated[float, Field(ge=0, le=100, allow_inf_nan=False)]


class MendedSpot(Brushed):
    """A spot, or a stroke over a scratch. One that is `proposed` is not mended before somebody accepts it."""

    kind: Literal["spot"] = "spot"
    radius: Annotated[float, Field(ge=0.0002, le=LARGEST_SPOT, allow_inf_nan=False)] = 0.02
    proposed: bool = False
    words: ClassVar[tuple[str, str]] = ("one place", "places")


class _Mending(AreaStep):
    """What is clicked or brushed over is mended."""

    tools: ClassVar[tuple[Tool, ...]] = (Tool.BRUSH,)
    brush_words: ClassVar[str] = "mend"
    takes_away: ClassVar[bool] = False
    brush_radius: ClassVar[float] = 0.012
    shapes: Annotated[tuple[MendedSpot, ...], Field(max_length=MAX_SHAPES), FailFast()] = ()

    def shapes_of(self, gesture: Gesture, geometry: PictureGeometry) -> list[Shape]:
        """A spot, or a stroke."""
        paths, radius = kept_path(gesture.points, gesture.radius_px, geometry)
        if radius > LARGEST_SPOT:
            raise OutOfRangeError(
                "This brush is too large for mending: take one of at most an eighth of the picture."
            )
        return [MendedSpot(path=path, radius=radius) for path in paths]

    def restorations(self) -> tuple[Restoration, ...]:
        """One for each spot, several for a long stroke."""
        return tuple(piece for spot in self.shapes if not spot.proposed for piece in pieces_of(spot))

    @property
    def _mended(self) -> tuple[Words | Value, ...]:
        return _places([spot for spot in self.shapes if not spot.proposed])


class RemoveSpots(_Mending):
    """Mend what is clicked or brushed over."""

    kind: Literal["remove_spots"] = "remove_spots"

    def remark(self, geometry: PictureGeometry) -> Remark | None:
        """A sentence where nothing was drawn yet."""
        if self.shapes:
            return None
        return Remark("Nothing is mended yet. Click on a spot, or brush along a scratch; a little wider than it is.")

    def sentence(self) -> Sentence:
        """For example: Mended in three places, upper left."""
        return Words("Mended: "), *self._mended, Words(".")

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """A spot."""
        return (
            Offer(
                ("remove spot", "remove spots"),
                "Click on spots or brush along scratches: what surrounds them takes their place.",
                cls(),
                also="remove a spot, mend, mend spot, repair, repair a spot, retouch, remove blemish, "
                "remove blemishes, remove scratch, remove scratches, remove tear, repair tear, "
                "remove a scratch, scratch, scratches, "
                "spot, spots, stain, remove stain, remove stains, fix scratch, fix scratches, mend tear, tear, "
                "mend scratch, remove crack, cracks, remove wire, remove pimple, remove object, "
                "remove a small thing, remove something, erase something, erase a spot, blemish, mend a tear, "
                "mend spots, heal, "
                "remove speck, remove specks, clean up spots, remove hair, remove mark, remove marks, patch",
            ),
        )


class RemoveDust(_Mending, FindingStep):
    """Dust of a scan: proposed spot by spot, accepted or dropped."""

    kind: Literal["remove_dust"] = "remove_dust"
    lies_where_drawn: ClassVar[bool] = False
    looked_at_edge: ClassVar[int] = 2_048
    sensitivity: Percent = Field(50.0, description="How faint a speck may be to be proposed.")
    found_by: ClassVar[frozenset[str]] = frozenset({"sensitivity"})
    found_fields: ClassVar[frozenset[str]] = frozenset({"shapes"})

    def found_on(self, raster: Raster) -> Self:
        """The step with the specks that it finds, all of them proposals; what was accepted or drawn stays."""
        mended = [spot for spot in self.shapes if not spot.proposed]
        room = MAX_SHAPES - len(mended)
        scale = raster.to_picture.a
        found = []
        for middle, radius in find_dust(raster.pixels, self.sensitivity / 100)[:room]:
            paths, kept = kept_path([raster.to_picture.map(middle)], radius * scale, raster.geometry)
            found.append(MendedSpot(path=paths[0], radius=kept, found=True, proposed=True))
        return self.with_shapes((*mended, *found))

    def remark(self, geometry: PictureGeometry) -> Remark | None:
        """What waits for an answer; or that nothing was found."""
        waiting = sum(spot.proposed for spot in self.shapes)
        if waiting:
            specks = "One speck is" if waiting == 1 else f"{waiting} specks are"
            most = " More are not looked for at once." if len(self.shapes) == MAX_SHAPES else ""
            return Remark(f"{specks} proposed, and not mended before you accept.{most}")
        return None if self.shapes else Remark("No dust was found, so nothing was changed. Brush over what you see.")

    def sentence(self) -> Sentence:
        """For example: Dust mended: twelve places, in several spots."""
        return Words("Dust mended: "), *self._mended, Words(".")

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """Find it."""
        return (
            Offer(
                ("find dust", "remove dust"),
                "Looks for specks of dust on a scan and proposes them; you accept or drop each.",
                cls(),
                also="dust, dust spots, dust removal, dust and scratches, clean scan, clean up scan, specks of dust, "
                "dusty, sensor dust, clean the scan, find specks",
            ),
        )


class CopySpot(AreaStep):
    """Copy what lies at a marked place onto others."""

    kind: Literal["copy_spot"] = "copy_spot"
    tools: ClassVar[tuple[Tool, ...]] = (Tool.BRUSH,)
    takes_away: ClassVar[bool] = False
    takes_source: ClassVar[bool] = True
    brush_words: ClassVar[str] = "copy onto"
    brush_radius: ClassVar[float] = 0.03
    shapes: Annotated[tuple[CloneStroke, ...], Field(max_length=MAX_SHAPES), FailFast()] = ()
    source: tuple[Place, Place] | None = None
    aligned: bool = Field(
        True, description="Whether further strokes keep the distance of the first, or each begins at the mark again."
    )
    strength: Percent = Field(100.0, description="How much of what is below is covered.")
    softness: Percent = Field(50.0, title="Soft edge", description="How much of the next strokes fades.")
    angle_degrees: Annotated[float, Field(ge=-180, le=180, allow_inf_nan=False)] = Field(
        0.0, title="Turned, degrees", description="How far what is copied is turned."
    )
    mirrored: bool = Field(False, description="Left and right of what is copied change places.")

    @property
    def marked(self) -> tuple[float, float] | None:
        """The source of the next stroke."""
        return self.source

    def with_source(self, at: Point) -> Self:
        """The step that copies from another place from now on, in fractions of the upright original."""
        return self.model_copy(update={"source": kept_spot(at)})

    def shapes_of(self, gesture: Gesture, geometry: PictureGeometry) -> list[Shape]:
        """A stroke, and what it copies. OutOfRangeError where no place was marked."""
        if self.source is None:
            raise OutOfRangeError("Mark first what is to be copied.")
        paths, radius = kept_path(gesture.points, gesture.radius_px, geometry)
        x, y = self.source
        first_x, first_y = paths[0][0]
        since = next((one for one in self.shapes if self._is_from_mark(one)), None) if self.aligned else None
        if since is not None:
            x, y = first_x + since.from_x - since.path[0][0], first_y + since.from_y - since.path[0][1]
        return [
            CloneStroke(
                path=path,
                radius=radius,
                softness=self.softness / 100,
                from_x=_held(x + path[0][0] - first_x),
                from_y=_held(y + path[0][1] - first_y),
            )
            for path in paths
        ]

    def _is_from_mark(self, stroke: CloneStroke) -> bool:
        return self.source is not None and (stroke.from_x, stroke.from_y) == self.source

    def restorations(self) -> tuple[Restoration, ...]:
        """One for each stroke."""
        if not self.strength:
            return ()
        return tuple(Cloning(one, self.strength / 100, self.angle_degrees, self.mirrored) for one in self.shapes)

    def remark(self, geometry: PictureGeometry) -> Remark | None:
        """What to do next."""
        if self.source is None and not self.shapes:
            return Remark("Nothing is copied yet. Mark what is to be copied, then brush where it goes.")
        return None if self.shapes else Remark("Nothing is copied yet. Brush where it goes.")

    def sentence(self) -> Sentence:
        """For example: Copied onto two places, upper left, strength 100."""
        strength = Value("strength", format_number(self.strength))
        return Words("Copied onto "), *_places(self.shapes), Words(", strength "), strength, Words(".")

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """Plainly."""
        return (
            Offer(
                ("copy spot", "copy a spot"),
                "Mark a place and brush what lies there onto another, also turned or mirrored.",
                cls(),
                also="clone, clone a spot, copy a part, duplicate a spot, copy from, "
                "copy onto, clone brush, paint with the picture, copy a piece, duplicate a part, copy part",
            ),
        )


def _held(value: float) -> float:
    return kept_spot(Point(value, 0))[0]


def _places(spots: Sequence[Shape]) -> tuple[Words | Value, ...]:
    if not spots:
        return (Value("shapes", "nothing yet"),)
    count = "one place" if len(spots) == 1 else counted_words(len(spots), "places")
    return Value("shapes", count), Words(f", {where_words(spots)}")
