"""Hide: make a plate, a name or a face unreadable, so that nobody can work it back; faces are found by themselves."""

import math
from typing import Annotated, ClassVar, Literal, Self

from pydantic import Field

from lucidex.core.areas.area import Area, area_words, counted_words
from lucidex.core.areas.bridges import near_ones
from lucidex.core.areas.placing import Placed, kept
from lucidex.core.areas.shapes import Ellipse
from lucidex.core.faces.detection import Face, find_all_faces
from lucidex.core.geometry.picture_geometry import PictureGeometry, Remark
from lucidex.core.geometry.sizes import Point
from lucidex.core.geometry.transform import Transform
from lucidex.core.picture.grounds import HexColour, ground_words
from lucidex.core.picture.raster import Raster
from lucidex.core.source.derivation import Restoration
from lucidex.core.source.local.hiding import NOTHING_KEPT_FROM, Hidden, Hiding
from lucidex.core.steps.bands import FindingStep
from lucidex.core.steps.base import Carried, Offer, Sentence, Value, Words
from lucidex.core.steps.on_area import EdgePercent, OverArea
from lucidex.core.units import format_number

UNREADABLE_FROM = NOTHING_KEPT_FROM * 100  # strength
HEAD_WIDER, HEAD_HIGHER, HEAD_UP = 1.3, 1.6, 0.08  # than what the networks call a face


class _Hiding(OverArea):
    """What both kinds of hiding share."""

    hidden: Hidden = Field(Hidden.SOFTENED, title="How", description="Softened, as squares, or under a colour.")
    strength: Annotated[float, Field(ge=0, le=100, allow_inf_nan=False)] = Field(
        UNREADABLE_FROM, description="From 80 on nothing of it is kept: its colours come from around it."
    )
    colour: HexColour = Field("#1d2326", description="The colour that covers.")
    edge_percent: EdgePercent = Field(0.4, title="Soft edge, %", description="Beyond what is drawn.")
    amounts: ClassVar[dict[str, str]] = {}
    varied_field: ClassVar[str | None] = "strength"
    variants: ClassVar[str] = "80; 90; 100"

    @property
    def area(self) -> Area:
        """All that is hidden."""
        return Area(shapes=self.shapes, edge=self.edge_percent / 100)

    def restorations(self) -> tuple[Restoration, ...]:
        """One for each part that stands alone; what nearly touches on one line is hidden as one."""
        strength = 1.0 if self.hidden is Hidden.COVERED else self.strength / 100
        if not strength:
            return ()
        parts = near_ones(self.area)
        return tuple(Hiding(part, self.hidden, strength, self.colour, self._is_face(part)) for part in parts)

    def _is_face(self, part: Area) -> bool:
        """Whether a part is a face and nothing else: of that one colour is kept."""
        return False

    @property
    def hides(self) -> bool:
        """Where there is something to hide."""
        return bool(self.restorations())

    @property
    def hides_weakly(self) -> bool:
        """Below the strength from which on nothing can be worked back."""
        return self.hidden is not Hidden.COVERED and self.strength < UNREADABLE_FROM and not self.area.is_empty

    def remark(self, geometry: PictureGeometry) -> Remark | None:
        """A sentence where nothing is hidden, or not well enough."""
        if self.area.is_empty:
            return Remark("Nothing is hidden yet. Draw over what nobody shall read.")
        if self.hides_weakly:
            return Remark(
                f"At this strength somebody may still work letters back; from {UNREADABLE_FROM:.0f} on nobody can."
            )
        return None

    def _how(self) -> tuple[Words | Value, ...]:
        if self.hidden is Hidden.COVERED:
            return Value("hidden", "covered"), Words(" in "), Value("colour", ground_words(self.colour)), Words(".")
        strength = Value("strength", format_number(self.strength))
        return Value("hidden", self.hidden.value), Words(", strength "), strength, Words(".")


class Hide(_Hiding):
    """Hide what was drawn over."""

    kind: Literal["hide"] = "hide"

    def sentence(self) -> Sentence:
        """For example: Hidden: a rectangle, lower left; softened, strength 80."""
        what, where = area_words(self.area)
        return Words("Hidden: "), Value("shapes", what), Words(f"{where}; "), *self._how()

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """Softened, as squares, covered."""
        message = "Draw over a plate, a name or a face: it cannot be read any more, and not be worked back."
        return (
            Offer(
                ("hide a part", "hide"),
                message,
                cls(),
                also="hide plate, hide number plate, hide licence plate, hide license plate, hide name, hide names, "
                "hide the name, hide name badge, hide badge, hide text, hide letters, make unreadable, unreadable, "
                "anonymise, anonymize, redact, censor, blur plate, blur number plate, blur out plate, blur name, "
                "blur text, blur out, hide an address, hide address, hide area, hide an area, hide numbers, "
                "hide phone number, make plate unreadable, remove plate, hide the plate, blur the plate, "
                "hide personal data, hide something, blur licence plate, blur license plate",
            ),
            Offer(
                ("hide under squares",),
                "The same, drawn as squares.",
                cls(hidden=Hidden.COARSENED),
                also="pixelate, pixelate a part, pixelate plate, mosaic, pixelated, pixelise, squares over",
            ),
            Offer(
                ("cover a part",),
                "The same under a plain colour, which keeps nothing at all.",
                cls(hidden=Hidden.COVERED),
                also="black bar, black box, bar over, cover plate, cover name, cover text, cover up, "
                "black out, blackout, black it out, blacken, box over, cover an area, cover the plate, "
                "cover with black",
            ),
        )


class HideFaces(_Hiding, FindingStep):
    """Hide all faces that are found; each can be moved or dropped, and others drawn beside them."""

    kind: Literal["hide_faces"] = "hide_faces"
    carried: ClassVar[Carried] = Carried.ASK
    lies_where_drawn: ClassVar[bool] = False
    found_fields: ClassVar[frozenset[str]] = frozenset({"shapes"})

    def found_on(self, raster: Raster) -> Self:
        """The step over the faces that it finds on a picture; what was found before is forgotten, what was drawn
        stays."""
        drawn = [shape for shape in self.shapes if not shape.found]
        faces = [head_of(face, raster) for face in find_all_faces(raster.pixels)]
        return self.with_shapes((*faces, *drawn))

    def _is_face(self, part: Area) -> bool:
        return all(shape.found for shape in part.shapes)

    @property
    def for_others(self) -> Self:
        """Without what was found or drawn here."""
        return self.with_shapes(())

    def remark(self, geometry: PictureGeometry) -> Remark | None:
        """A sentence where there was no face."""
        if not any(shape.found for shape in self.shapes):
            more = " Only what you drew is hidden." if self.shapes else " Draw over it, if there is one."
            return Remark("No face was found." + more)
        return super().remark(geometry)

    def sentence(self) -> Sentence:
        """For example: Faces hidden: two found; softened, strength 80."""
        found = sum(shape.found for shape in self.shapes)
        faces = "none found" if not found else counted_words(found, "found")
        drawn = len(self.shapes) - found
        also = f", {counted_words(drawn, 'drawn')}" if drawn else ""
        return Words("Faces hidden: "), Value("shapes", faces + also), Words("; "), *self._how()

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """Softened."""
        return (
            Offer(
                ("hide faces", "hide the faces"),
                "Finds the faces and makes them unrecognisable; keep, move or drop each of them.",
                cls(),
                also="hide face, blur faces, blur face, blur the faces, anonymise faces, anonymize faces, faces, "
                "make faces unrecognisable, hide people, hide a face, hide all faces, pixelate faces, cover faces, "
                "blur all faces, hide persons, make people unrecognisable, find faces, hide the people",
            ),
        )


def head_of(face: Face, raster: Raster) -> Ellipse:
    """The ellipse around a head whose face was found on a raster."""
    left, right = face.eyes
    window = face.window
    across = Point(right.x - left.x, right.y - left.y)
    length = max(1e-6, (across.x**2 + across.y**2) ** 0.5)
    along = Transform(across.x / length, -across.y / length, across.y / length, across.x / length)
    up = along.map(Point(0, -HEAD_UP * window.height))
    middle = Point(window.centre.x + up.x, window.centre.y + up.y)
    return placed_on_raster(raster, middle, window.width * HEAD_WIDER, window.height * HEAD_HIGHER, angle_of(across))


def angle_of(along: Point) -> float:
    """The angle of a direction, -90 to 90 degrees: a face is never taken for one upside down."""
    angle = math.degrees(math.atan2(along.y, along.x))
    return (angle + 90) % 180 - 90


def placed_on_raster(raster: Raster, middle: Point, width: float, height: float, angle: float = 0.0) -> Ellipse:
    """An ellipse found on a raster, in its pixels, as it is kept."""
    scale = raster.to_picture.a
    where = Placed(raster.to_picture.map(middle), max(1.0, width * scale), max(1.0, height * scale), angle)
    return kept(Ellipse, where, raster.geometry).model_copy(update={"found": True})
