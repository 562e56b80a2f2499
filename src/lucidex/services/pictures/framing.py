"""Framing without dragging: by what a picture is of, its further proposals, or in the middle."""

from lucidex.core.document import Framing, framing_of_window
from lucidex.core.framing.subject import Subject
from lucidex.core.framing.window import PROPOSALS, subject_window
from lucidex.core.geometry.fit import Anchor, anchored_window, covering_window
from lucidex.core.places.demand import PlaceDemand
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.subjects import subject_of
from lucidex.services.pictures.documents import PictureState


def subject_in_use(workshop: Workshop, state: PictureState) -> Subject | None:
    """What a picture is of; looked for now where it frames itself and nobody has looked."""
    if not state.document.frames_itself:
        return state.facts.subject
    return subject_of(workshop, state.source_key, state.facts)


def next_proposal(workshop: Workshop, state: PictureState, place_key: str, demand: PlaceDemand) -> Framing | None:
    """The proposal after the one that a place shows; None where that is what it shows by itself."""
    document, subject = state.document, subject_of(workshop, state.source_key, state.facts)
    framing = document.framings.get(place_key)
    by_itself = document.frames_by_itself_in(demand, subject)
    if framing is not None:
        number = 0 if framing.proposal is None else (framing.proposal + 1) % PROPOSALS
        if number == 0 and by_itself and not framing.whole:
            return None
    else:
        shows_first = by_itself and not document.shows_whole(state.geometry, place_key, demand, subject)
        number = 1 if shows_first else 0
    size = document.placement(state.geometry, place_key, demand, subject).drawn
    window = subject_window(state.geometry, size, subject, number)
    found: Framing = framing_of_window(state.geometry, size, window)
    return found.model_copy(update={"proposal": number})


def middle(state: PictureState, place_key: str, demand: PlaceDemand) -> Framing:
    """The largest window of a place's shape in the middle of the picture."""
    size = state.placement(place_key, demand).drawn
    picture = state.geometry.size
    window = anchored_window(Anchor.CENTRE, *covering_window(picture, size), picture)
    return framing_of_window(state.geometry, size, window)
