"""Words on pictures: apart from the picture, so that they can be moved, and easier to read where they are hard to."""

from dataclasses import dataclass

from lucidex.core.document import PictureDocument
from lucidex.core.errors import OutOfRangeError
from lucidex.core.finish.assets import Assets
from lucidex.core.finish.canvas import total_margins
from lucidex.core.finish.text.drawing import PlacedText, reach_of
from lucidex.core.geometry.sizes import Box, Size
from lucidex.core.places.demand import PlaceDemand
from lucidex.core.places.output_id import OutputId
from lucidex.core.proof.warnings import WayOut
from lucidex.core.source.facts import SourceFacts
from lucidex.core.steps.base import expect
from lucidex.core.steps.text import Text
from lucidex.records.models import Place
from lucidex.services.assets.assets import open_assets
from lucidex.services.bench.steps import step_of
from lucidex.services.house.workshop import Workshop
from lucidex.services.people.people import Actor
from lucidex.services.pictures.documents import PictureState, change, with_document
from lucidex.services.proof.proof_sheet import ProofCell
from lucidex.services.rendering.render_requests import RenderRequest, field_values, in_place, without_steps

_WAYS = {WayOut.PLATE: "Words set on a plate", WayOut.OTHER_COLOUR: "Words in the other colour"}


def read_better(workshop: Workshop, actor: Actor, cell: ProofCell, way: WayOut) -> str:
    """Set the words that count in a cell on a plate, or in the other colour of the two; what was done, in words."""
    if way not in _WAYS:
        raise OutOfRangeError("Words are set on a plate, or in the other colour.")
    place = cell.output.place

    def alter(document: PictureDocument, facts: SourceFacts) -> PictureDocument:
        return document.with_words(
            lambda entry, step: step.easier_to_read(way is WayOut.PLATE) if entry.counts_in(place) else step
        )

    change(workshop, actor, cell.state.picture_id, cell.state.version, _WAYS[way], alter)
    return f"{_WAYS[way]} on “{cell.state.file_name}”."


@dataclass(frozen=True)
class WordsApart:
    """Words of a place apart from what they lie over: `step` has its fields filled in."""

    step: Text
    without: RenderRequest
    assets: Assets
    placed: PlacedText | None

    @property
    def inner(self) -> Box:
        """What things around the picture leave of the finished size."""
        return total_margins(self.without.chosen.finish).box(self.without.size)

    @property
    def part(self) -> Box:
        """What of the finished size the words can touch."""
        return reach_of(self.placed, self.without.size) if self.placed else Box(0, 0, Size(1, 1))


def words_apart(
    workshop: Workshop, state: PictureState, step_id: str, place: Place, demand: PlaceDemand
) -> WordsApart:
    """Words in a place apart from the picture. NotFoundError where the step is gone, or is none with words."""
    step = expect(step_of(state.document, step_id).step, Text, "This step has no words.")
    document = without_steps(state.document, {step_id})
    without = in_place(workshop, with_document(state, document), OutputId.of(str(place.id)), demand, place.name)
    filled, assets = step.filled(field_values(state, place.name)), open_assets(workshop, step.assets)
    rendering = without.rendering
    inner = total_margins(rendering.chosen.finish).box(rendering.size)
    return WordsApart(filled, rendering, assets, filled.placed(rendering.size, inner, assets))
