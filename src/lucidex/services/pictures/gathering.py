"""The contact sheet of a folio: its pictures in groups, found and in order, with what is to be said of each."""

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Any

from lucidex.core.errors import OutOfRangeError
from lucidex.core.gather.remarks import Remark, Seen, remarks_on
from lucidex.core.places.demand import PlaceDemand
from lucidex.core.source.likeness import alike
from lucidex.services.folios.folios import FolioView, read_folio
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.origins import Origin, origins_of
from lucidex.services.people.people import Actor
from lucidex.services.pictures.documents import PictureState, read_standing
from lucidex.services.pictures.notes import open_notes

MAX_FIND = 200
PANORAMA, NEARLY_SQUARE = 2.2, 1.06


class Order(StrEnum):
    """In which order pictures lie within their groups."""

    ARRIVAL = "arrival"
    NAME = "name"
    TIME = "time"
    SIZE = "size"
    WEIGHT = "weight"
    SHAPE = "shape"


@dataclass(frozen=True)
class SheetPicture:
    """A picture on the sheet."""

    state: PictureState
    group: str
    number: int  # where it stands in the folio, from 0
    remarks: tuple[Remark, ...]
    open_notes: int = 0
    origin: Origin | None = None

    @property
    def needs_somebody(self) -> bool:
        """Whether a remark or a note asks for something."""
        return bool(self.open_notes) or any(remark.needs_somebody for remark in self.remarks)

    @property
    def shape(self) -> str:
        """Its shape in a word."""
        size = self.state.geometry.size
        ratio = size.width / size.height
        if 1 / NEARLY_SQUARE <= ratio <= NEARLY_SQUARE:
            return "square"
        if ratio >= PANORAMA:
            return "wide panorama"
        return "wide" if ratio > 1 else "tall"

    @property
    def words(self) -> str:
        """All by which it is found."""
        facts, texts = self.state.facts, self.state.document.texts
        recorded = facts.recorded
        said = (
            self.state.file_name, self.group, facts.format, facts.colour, self.shape, texts.alternative,
            texts.caption, texts.credit, texts.licence, *texts.people, *(remark.words for remark in self.remarks),
            recorded.camera, recorded.taken_at, "small" if facts.upright.longest < 1_000 else "",
            "clear" if facts.has_clear_areas else "", "located" if recorded.has_location else "",
            "notes" if self.open_notes else "",
        )  # fmt: skip
        return " ".join(said).casefold()


@dataclass(frozen=True)
class Sheet:
    """What is shown: groups with their pictures, and how many there are in all and with something to do."""

    view: FolioView
    groups: tuple[tuple[str, tuple[SheetPicture, ...]], ...]
    total: int
    flagged: int

    @property
    def pictures(self) -> list[SheetPicture]:
        """All that are shown."""
        return [one for _, pictures in self.groups for one in pictures]

    @property
    def weight(self) -> int:
        """Bytes of the originals that are shown."""
        return sum(one.state.byte_count for one in self.pictures)


def read_sheet(
    workshop: Workshop,
    actor: Actor,
    folio_id: int,
    find: str = "",
    order: Order = Order.ARRIVAL,
    flagged: bool = False,
) -> Sheet:
    """The sheet of a folio. `find` are words that must all be met; `flagged` keeps those that need somebody."""
    if len(find) > MAX_FIND:
        raise OutOfRangeError(f"What is looked for may have {MAX_FIND} letters at most.")
    view = read_folio(workshop, actor, folio_id)
    states = read_standing(workshop, actor, [picture.id for picture in view.pictures])
    with workshop.database.begin() as session:
        ids = [state.picture_id for state in states]
        notes, origins = open_notes(session, actor, ids), origins_of(session, ids)
    pictures = [
        replace(one, open_notes=notes.get(one.state.picture_id, 0), origin=origins.get(one.state.picture_id))
        for one in _remarked(view, states)
    ]
    shown = [one for one in pictures if all(word in one.words for word in find.casefold().split())]
    if flagged:
        shown = [one for one in shown if one.needs_somebody]
    groups: dict[str, list[SheetPicture]] = defaultdict(list)
    for one in sorted(shown, key=lambda one: _rank(one, order)):
        groups[one.group].append(one)
    in_order = sorted(groups.items(), key=lambda item: (bool(item[0]), item[0].casefold()))
    return Sheet(
        view,
        tuple((name, tuple(members)) for name, members in in_order),
        len(pictures),
        sum(one.needs_somebody for one in pictures),
    )


def _rank(one: SheetPicture, order: Order) -> tuple[Any, ...]:
    state = one.state
    size = state.geometry.size
    ranks: dict[Order, Any] = {
        Order.ARRIVAL: 0,
        Order.NAME: state.file_name.casefold(),
        Order.TIME: state.facts.recorded.taken_at or "9",
        Order.SIZE: -size.width * size.height,
        Order.WEIGHT: -state.byte_count,
        Order.SHAPE: -size.width / size.height,
    }
    return (ranks[order], one.number)


def _remarked(view: FolioView, states: Sequence[PictureState]) -> list[SheetPicture]:
    demands = [(place.name, PlaceDemand.model_validate(place.demand), str(place.id)) for place in view.places]
    like = alike([state.facts.fingerprint for state in states])
    firsts: dict[str, int] = {}
    for number, state in enumerate(states):
        firsts.setdefault(state.source_key, number)
    groups = {picture.id: picture.group_name for picture in view.pictures}
    pictures = []
    for number, state in enumerate(states):
        first = firsts[state.source_key]
        others = [states[one] for one in like[number] if states[one].source_key != state.source_key]
        similar = max(others, key=_pixels, default=None)
        seen = Seen(
            state.facts,
            state.document.texts,
            same_as=states[first].file_name if first != number else None,
            like=similar.file_name if similar else None,
            larger=similar.file_name if similar and _pixels(similar) > _pixels(state) else None,
            enlarged=tuple(_enlarged(state, demands)),
        )
        pictures.append(SheetPicture(state, groups[state.picture_id], number, remarks_on(seen)))
    return pictures


def _pixels(state: PictureState) -> int:
    size = state.facts.upright
    return size.width * size.height


def _enlarged(state: PictureState, demands: Sequence[tuple[str, PlaceDemand, str]]) -> list[tuple[str, float]]:
    found = []
    for name, demand, key in demands:
        try:
            found.append((name, state.placement(key, demand).enlargement))
        except OutOfRangeError:
            continue  # the proof says so
    return found
