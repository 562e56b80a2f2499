"""Where the order of two steps changes the result, and the better order can be told."""

from dataclasses import dataclass

from lucidex.core.geometry.picture_geometry import PictureGeometry
from lucidex.core.steps import StepEntry, geometry_after
from lucidex.core.steps.crop import Crop
from lucidex.core.steps.perspective import FourPoints, Perspective
from lucidex.core.steps.room import Room
from lucidex.core.steps.straighten import Straighten
from lucidex.core.steps.trim import Trim
from lucidex.core.units import format_number

WORTH_SAYING = 1.02  # times the pixels


@dataclass(frozen=True)
class Advice:
    """A better seat for a step: right before another one, and why."""

    step_id: str
    before_id: str
    sentence: str


def advice(upright: PictureGeometry, entries: tuple[StepEntry, ...]) -> list[Advice]:
    """The better orders for a list of steps on an original's frame; at most one for each step."""
    found = []
    for index, entry in enumerate(entries):
        if entry.active and (given := _for_step(upright, entries, index)) is not None:
            found.append(given)
    return found


def _for_step(upright: PictureGeometry, entries: tuple[StepEntry, ...], index: int) -> Advice | None:
    entry, earlier = entries[index], [e for e in entries[:index] if e.active]
    if isinstance(entry.step, Trim):
        room = next((e for e in earlier if isinstance(e.step, Room)), None)
        if room is not None:
            return Advice(entry.id, room.id, "The trim takes away the room that was added before it. Trim first.")
    if isinstance(entry.step, Straighten | Perspective | FourPoints):
        crop = next((e for e in earlier if isinstance(e.step, Crop)), None)
        if crop is not None:
            return _turned_first(upright, entries, entry, crop)
    return None


def _turned_first(
    upright: PictureGeometry, entries: tuple[StepEntry, ...], entry: StepEntry, crop: StepEntry
) -> Advice | None:
    now = geometry_after(upright, entries).size.pixels
    then = geometry_after(upright, moved_before(entries, entry.id, crop.id)).size.pixels
    if then < now * WORTH_SAYING:
        return None
    more = format_number(100 * (then / now - 1), 0)
    verb = "Straightened" if isinstance(entry.step, Straighten) else "Corrected"
    return Advice(entry.id, crop.id, f"{verb} before the crop, the picture keeps {more} % more of itself.")


def moved_before(entries: tuple[StepEntry, ...], step_id: str, other_id: str) -> tuple[StepEntry, ...]:
    """The list with one step put right before another."""
    moved = next(entry for entry in entries if entry.id == step_id)
    rest = [entry for entry in entries if entry.id != step_id]
    seat = next(index for index, entry in enumerate(rest) if entry.id == other_id)
    return (*rest[:seat], moved, *rest[seat:])
