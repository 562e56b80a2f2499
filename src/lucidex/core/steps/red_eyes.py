"""Red eyes: found in faces, or clicked on; each can be dropped again."""

from dataclasses import replace
from typing import Annotated, ClassVar, Literal, Self

import numpy as np
from pydantic import FailFast, Field

from lucidex.core.areas.area import MAX_SHAPES, counted_words
from lucidex.core.areas.placing import Placed, kept
from lucidex.core.areas.shapes import Ellipse, Shape
from lucidex.core.errors import OutOfRangeError
from lucidex.core.faces.detection import find_faces
from lucidex.core.faces.flash_eyes import flash_eyes
from lucidex.core.geometry.picture_geometry import PictureGeometry, Remark
from lucidex.core.geometry.sizes import Point
from lucidex.core.picture.raster import Raster
from lucidex.core.source.derivation import Restoration
from lucidex.core.source.local.red_eye import RedEyeRemoval, find_pupil
from lucidex.core.steps.bands import FindingStep
from lucidex.core.steps.base import Carried, Offer, Sentence, Value, Words
from lucidex.core.steps.hide import placed_on_raster
from lucidex.core.steps.on_area import AreaStep, Gesture, Tool

LEAST_REACH = 4.0  # pixels
AROUND_PUPIL = 1.5  # times its radius


class RedEyes(AreaStep, FindingStep):
    """The flash's red out of the pupils."""

    kind: Literal["red_eyes"] = "red_eyes"
    carried: ClassVar[Carried] = Carried.ASK
    lies_where_drawn: ClassVar[bool] = False
    tools: ClassVar[tuple[Tool, ...]] = (Tool.BRUSH,)
    takes_away: ClassVar[bool] = False
    brush_words: ClassVar[str] = "click on a pupil"
    brush_radius: ClassVar[float] = 0.02
    looks_first: ClassVar[bool] = True
    looked_at_edge: ClassVar[int] = 2_048
    found_fields: ClassVar[frozenset[str]] = frozenset({"shapes", "faces", "doubtful"})
    shapes: Annotated[tuple[Ellipse, ...], Field(max_length=MAX_SHAPES), FailFast()] = ()
    faces: Annotated[int, Field(ge=0, le=10_000)] = 0
    doubtful: Annotated[int, Field(ge=0, le=20_000)] = 0

    def found_on(self, raster: Raster) -> Self:
        """The step with the red pupils of the faces that it finds; eyes that were clicked on stay."""
        faces = find_faces(raster.pixels)
        eyes = [eye for face in faces for eye in flash_eyes(raster.pixels, face)]
        sides = [2 * AROUND_PUPIL * max(eye.radius, 1.0) for eye in eyes]
        sure = [
            placed_on_raster(raster, eye.middle, side, side)
            for eye, side in zip(eyes, sides, strict=True)
            if eye.is_sure
        ]
        clicked = [shape for shape in self.shapes if not shape.found]
        found = {"faces": len(faces), "doubtful": len(eyes) - len(sure)}
        return self.with_shapes((*sure, *clicked)).model_copy(update=found)

    def seen_on(self, gesture: Gesture, raster: Raster) -> Gesture:
        """The pupil that is nearest to a click, within the brush. OutOfRangeError where nothing red is there."""
        scale = raster.to_picture.a
        click, reach = gesture.points[0], max(LEAST_REACH, gesture.radius_px / scale)
        at = Point(click.x / scale, click.y / scale)
        left, top = max(0, int(at.x - 2 * reach)), max(0, int(at.y - 2 * reach))
        part = raster.pixels[top : int(at.y + 2 * reach) + 1, left : int(at.x + 2 * reach) + 1, :3]
        within = Point(at.x - left, at.y - top)
        pupil = find_pupil(part.astype(np.float32) / 255, within, reach) if part.size else None
        if pupil is None:
            raise OutOfRangeError("There is no red pupil here. Click into the red, with a brush as large as the eye.")
        middle, radius = pupil
        there = Point((middle.x + left) * scale, (middle.y + top) * scale)
        return replace(gesture, points=(there,), radius_px=AROUND_PUPIL * max(radius, 1.0) * scale)

    def shapes_of(self, gesture: Gesture, geometry: PictureGeometry) -> list[Shape]:
        """The pupil, as it was found; or what is as large as the brush."""
        middle = gesture.points[0]
        return [kept(Ellipse, Placed(middle, 2 * gesture.radius_px, 2 * gesture.radius_px), geometry)]

    def restorations(self) -> tuple[Restoration, ...]:
        """One for each eye."""
        return tuple(RedEyeRemoval(eye) for eye in self.shapes)

    @property
    def for_others(self) -> Self:
        """Without what was found or drawn here."""
        return self.with_shapes(())

    def remark(self, geometry: PictureGeometry) -> Remark | None:
        """A sentence where there was no red eye, or where one may be brown as well."""
        if self.doubtful:
            eyes = "One more eye is" if self.doubtful == 1 else f"{self.doubtful} more eyes are"
            eyes = eyes if self.shapes else eyes.replace(" more", "")
            return Remark(f"{eyes} reddish, and may be so by nature: left as it came. Click on a pupil that is red.")
        if self.shapes:
            return None
        if not self.faces:
            return Remark("No face was found, so nothing was changed. Click on each red pupil.")
        faces = "One face was found" if self.faces == 1 else f"{self.faces} faces were found"
        return Remark(f"{faces}, but no red eye, so nothing was changed. Click on a red pupil.")

    def sentence(self) -> Sentence:
        """For example: Red taken out of two eyes."""
        count = len(self.shapes)
        eyes = "no eye" if not count else "one eye" if count == 1 else counted_words(count, "eyes")
        return Words("Red taken out of "), Value("shapes", eyes), Words(".")

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """By itself."""
        return (
            Offer(
                ("red eyes",),
                "Finds red eyes in faces and takes only the red out; a click on a pupil helps where it finds none.",
                cls(),
                also="red eye, remove red eyes, fix red eyes, red eye removal, correct red eyes, no red eyes, "
                "remove red eye, less red eyes, take out red eyes, flash eyes, eyes are red, fix red eye, "
                "red pupils, correct red eye, red-eye, red-eyes",
            ),
        )
