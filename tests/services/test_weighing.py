"""Weighing: points that are files, and files that pass as they came in."""

import io
from collections.abc import Callable
from itertools import count

import numpy as np
import pytest
from PIL import Image

from lucidex.core.encode import FORMAT_NAMES, FormatName
from lucidex.core.encode.likeness import LOOKS_THE_SAME
from lucidex.core.errors import ChangedMeanwhileError, NotFoundError, OutOfRangeError
from lucidex.core.line.places import read_demand
from lucidex.core.places.output_id import OutputId
from lucidex.core.steps.turn import Direction, Mirror, Sides, Turn
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.intake import NewFolio, bring_in
from lucidex.services.people.people import Actor
from lucidex.services.pictures import edits
from lucidex.services.pictures.documents import PictureState, change, read_picture, with_document
from lucidex.services.places.places import hang_missing, write_all
from lucidex.services.proof.consignment import Sharing, share_out
from lucidex.services.proof.output_choices import Scope
from lucidex.services.proof.proof_sheet import ProofCell, find_cell
from lucidex.services.proof.weigh import Weighing, knees, take
from lucidex.services.rendering.render_requests import in_place
from lucidex.services.rendering.renderer import Renderer
from tests.conftest import Pixels, encoded, smooth_picture
from tests.core.reading import said

JPEG, PNG, WEBP, AVIF = (FormatName(name) for name in ("jpeg", "png", "webp", "avif"))
BringIn = Callable[..., PictureState]
SEEDS = count(100)  # results are kept by what they show: each test has a picture of its own


def grainy(width: int, height: int, seed: int = 3) -> Pixels:
    grain = np.random.default_rng(seed).normal(0, 5, (height, width, 3))
    return np.clip(smooth_picture(width, height) + grain, 0, 255).astype(np.uint8)


@pytest.fixture
def bring(workshop: Workshop, actor: Actor) -> BringIn:
    def bringing(name: str, content: bytes) -> PictureState:
        taken = bring_in(workshop, actor, NewFolio("Weights"), name, [content])
        return read_picture(workshop, actor, taken.picture_id)

    return bringing


@pytest.fixture
def cell(workshop: Workshop, actor: Actor, bring: BringIn) -> ProofCell:
    state = bring("dome.jpg", encoded(grainy(600, 400, next(SEEDS)), ".jpg", Q=95))
    place = hang_missing(workshop, actor, state.folio_id, [(read_demand("480x300 under 40 kB").demand(), "Banner")])
    return find_cell(workshop, actor, state.picture_id, OutputId(str(place[-1])))


@pytest.fixture
def weighing(renderer: Renderer, workshop: Workshop, cell: ProofCell) -> Weighing:
    return Weighing(renderer, workshop, cell)


def test_a_point_is_the_very_file_that_is_taken(
    renderer: Renderer, workshop: Workshop, actor: Actor, cell: ProofCell, weighing: Weighing
) -> None:
    for name in weighing.names:
        quality = name.output.ladder[1 % len(weighing.ladder(name))]
        point = weighing.point(name, quality)
        fresh = find_cell(workshop, actor, cell.state.picture_id, cell.output)
        assert "Banner" in take(workshop, actor, fresh, name, quality, Scope.CELL)
        taken = find_cell(workshop, actor, cell.state.picture_id, cell.output).placed
        assert taken is not None
        assert taken.rendering.key == weighing.rendering(name, quality).key
        assert renderer.files.render_file(taken.rendering).byte_count == point.byte_count
        assert point.likeness == pytest.approx(100) if point.is_exact else 0 < point.likeness < 100


def test_what_was_measured_once_is_known_to_everybody(workshop: Workshop, weighing: Weighing) -> None:
    assert weighing.known() == []
    point = weighing.point(JPEG, 82)
    again = Weighing(Renderer(workshop), workshop, weighing.cell)
    assert again.known() == [point]


def test_a_quality_between_two_steps_is_the_nearest_file(weighing: Weighing) -> None:
    assert weighing.point(AVIF, 80).quality in {79, 81}
    with pytest.raises(OutOfRangeError, match="has no quality"):
        weighing.rendering(AVIF, 80)


def test_the_lightest_that_looks_the_same_and_the_best_that_is_allowed(weighing: Weighing) -> None:
    light = weighing.lightest(WEBP)
    assert light is not None
    assert light.likeness >= LOOKS_THE_SAME
    below = weighing.point(WEBP, light.quality - 3)
    assert below.byte_count <= light.byte_count
    assert below.likeness < LOOKS_THE_SAME + 3
    best = weighing.best_under_ceiling(JPEG)
    assert best is not None
    assert best.byte_count <= 40_000
    above = weighing.point(JPEG, best.quality + 1)
    assert above.byte_count > 40_000 or best.byte_count >= 0.97 * 40_000
    assert weighing.current == best
    assert {JPEG, WEBP} >= set(knees([*weighing.known(), light, below, best]))


def test_where_no_quality_keeps_the_ceiling_none_is_named(
    renderer: Renderer, workshop: Workshop, actor: Actor, bring: BringIn
) -> None:
    state = bring("dome.jpg", encoded(grainy(600, 400, next(SEEDS)), ".jpg", Q=95))
    place = hang_missing(workshop, actor, state.folio_id, [(read_demand("480x300 under 900 B").demand(), "Tiny")])
    weighing = Weighing(renderer, workshop, find_cell(workshop, actor, state.picture_id, OutputId(str(place[-1]))))
    assert weighing.best_under_ceiling(JPEG) is None
    assert weighing.best_under_ceiling(FormatName("tiff")) is None


def test_only_formats_that_keep_what_is_clear_are_weighed(
    renderer: Renderer, workshop: Workshop, actor: Actor, bring: BringIn
) -> None:
    pixels = np.dstack([grainy(200, 150), np.full((150, 200), 255, np.uint8)])
    pixels[:40, :40, 3] = 0
    state = bring("leaf.png", encoded(pixels))
    place = hang_missing(workshop, actor, state.folio_id, [(read_demand("100x75").demand(), "Leaf")])
    weighing = Weighing(renderer, workshop, find_cell(workshop, actor, state.picture_id, OutputId(str(place[-1]))))
    assert set(weighing.names) == {one for one in FORMAT_NAMES if one.output.ladder and one.output.keeps_clear}
    assert weighing.content.is_clear


def test_the_spots_that_differ_lie_in_the_file(weighing: Weighing) -> None:
    found = weighing.spots(JPEG, 25, (80, 60))
    assert 0 < len(found) <= 4
    assert all(0 <= x <= 480 and 0 <= y <= 300 for x, y in found)
    assert weighing.spots(PNG, 100, (80, 60)) == []


def test_a_further_format_keeps_its_name(
    renderer: Renderer, workshop: Workshop, actor: Actor, cell: ProofCell
) -> None:
    also = find_cell(workshop, actor, cell.state.picture_id, OutputId.of(cell.output.place, WEBP))
    with pytest.raises(OutOfRangeError, match="only its quality"):
        take(workshop, actor, also, JPEG, 80, Scope.CELL)
    take(workshop, actor, also, WEBP, 44, Scope.CELL)
    taken = find_cell(workshop, actor, cell.state.picture_id, also.output)
    assert taken.placed is not None
    assert (taken.placed.rendering.format, taken.placed.rendering.encoding.quality) == (WEBP, 44)
    first = find_cell(workshop, actor, cell.state.picture_id, cell.output)
    assert first.placed is not None
    assert first.placed.rendering.format == JPEG


def test_a_place_that_cannot_be_made_is_not_weighed(renderer: Renderer, workshop: Workshop, cell: ProofCell) -> None:
    from dataclasses import replace

    broken = Weighing(renderer, workshop, replace(cell, placed=None, trouble="It is too large."))
    with pytest.raises(NotFoundError, match="too large"):
        broken.point(JPEG, 80)


def photograph(width: int, height: int, orientation: int = 1) -> bytes:
    exif = Image.Exif()
    exif[0x0110], exif[0x0112] = "Glass 2", orientation
    gps = exif.get_ifd(0x8825)
    gps[1], gps[2], gps[3], gps[4] = "N", (51.0, 30.0, 0.0), "E", (7.0, 0.0, 0.0)
    out = io.BytesIO()
    Image.fromarray(grainy(width, height)).save(out, "JPEG", quality=91, exif=exif, comment=b"private")
    return out.getvalue()


def shown_by(content: bytes) -> Pixels:
    with Image.open(io.BytesIO(content)) as read:
        return np.asarray(read.convert("RGB")).copy()


def at_its_own_size(
    renderer: Renderer, workshop: Workshop, state: PictureState, typed: str = "100 %"
) -> tuple[bytes, bool]:
    rendering = in_place(workshop, state, OutputId("1"), read_demand(typed).demand()).rendering
    return workshop.results.read(renderer.files.render_file(rendering).blob_sha256), rendering.passage is not None


def test_nothing_is_compressed_twice_and_nothing_private_goes_along(
    renderer: Renderer, workshop: Workshop, bring: BringIn
) -> None:
    original = photograph(320, 200)
    content, passed = at_its_own_size(renderer, workshop, bring("dome.jpg", original))
    assert passed
    assert np.array_equal(shown_by(content), shown_by(original)), "the very same pixels"
    read = said(content)
    assert not [key for key in read if "GPS" in key or "Model" in key.split(":")[-1].split() or "Comment" in key]
    assert b"private" not in content
    assert b"Glass 2" not in content


@pytest.mark.parametrize("orientation", range(1, 9))
def test_a_sideways_photograph_is_turned_on_its_coefficients(
    renderer: Renderer, workshop: Workshop, bring: BringIn, orientation: int
) -> None:
    from PIL import ImageOps

    original = photograph(320, 208, orientation)
    content, passed = at_its_own_size(renderer, workshop, bring("dome.jpg", original))
    assert passed
    with Image.open(io.BytesIO(original)) as read:
        upright = np.asarray(ImageOps.exif_transpose(read).convert("RGB")).astype(int)
    assert np.abs(shown_by(content).astype(int) - upright).max() <= 6, "only decoders round a turned block otherwise"
    assert np.abs(shown_by(content).astype(int) - upright).mean() < 0.6


def test_quarter_turns_and_mirrors_lose_nothing_and_come_back(
    renderer: Renderer, workshop: Workshop, actor: Actor, bring: BringIn
) -> None:
    original = photograph(320, 208)
    state = bring("dome.jpg", original)
    for step in (Turn(direction=Direction.RIGHT), Mirror(sides=Sides.LEFT_RIGHT)):
        state = change(workshop, actor, state.picture_id, state.version, "Turned", edits.add_step(step))
    content, passed = at_its_own_size(renderer, workshop, state)
    assert passed
    wanted = np.rot90(shown_by(original), -1)[:, ::-1]
    assert np.abs(shown_by(content).astype(int) - wanted).mean() < 0.6


@pytest.mark.parametrize(
    ("size", "steps", "typed"),
    [
        ((323, 205), (Turn(direction=Direction.RIGHT),), "100 %"),
        ((320, 208), (), "100 % quality 60"),
        ((320, 208), (), "160x104"),
        ((320, 208), (), "100 % as webp"),
        ((320, 208), (), "100 % 300 dpi"),
        ((320, 208), (), "100 % as jpeg in cmyk"),
        ((320, 208), (), "100 % under 9 kB"),
    ],
)
def test_what_changes_a_pixel_or_a_byte_is_written_anew(
    renderer: Renderer,
    workshop: Workshop,
    actor: Actor,
    bring: BringIn,
    size: tuple[int, int],
    steps: tuple[Turn, ...],
    typed: str,
) -> None:
    state = bring("dome.jpg", photograph(*size))
    for step in steps:
        state = change(workshop, actor, state.picture_id, state.version, "Turned", edits.add_step(step))
    _, passed = at_its_own_size(renderer, workshop, state, typed)
    assert not passed


def test_a_png_passes_with_all_its_bits_and_without_its_words(
    renderer: Renderer, workshop: Workshop, bring: BringIn
) -> None:
    out = io.BytesIO()
    from PIL.PngImagePlugin import PngInfo

    words = PngInfo()
    words.add_text("Comment", "private words")
    Image.fromarray(grainy(90, 60)).save(out, "PNG", pnginfo=words)
    content, passed = at_its_own_size(renderer, workshop, bring("leaf.png", out.getvalue()), "100 % as png")
    assert passed
    assert np.array_equal(shown_by(content), grainy(90, 60))
    assert b"private" not in content


def test_a_passing_file_leaves_room_for_its_words(renderer: Renderer, workshop: Workshop, bring: BringIn) -> None:
    """Together with what it is to say it keeps the ceiling, or it is written anew."""
    original = photograph(320, 208)
    state = bring("dome.jpg", original)
    texts = state.document.texts.model_copy(update={"caption": "word " * 600})
    state = with_document(state, state.document.model_copy(update={"texts": texts}))
    tight = f"100 % with texts under {len(original) + 500} B"
    content, passed = at_its_own_size(renderer, workshop, state, tight)
    assert not passed
    assert len(content) <= len(original) + 500
    content, passed = at_its_own_size(renderer, workshop, state, f"100 % with texts under {len(original) + 24_000} B")
    assert passed
    assert said(content)["XMP-dc:Description"].startswith("word word")


def shared(renderer: Renderer, workshop: Workshop, actor: Actor, folio_id: int, max_bytes: int) -> Sharing:
    for _ in range(300):
        found = share_out(renderer, workshop, actor, folio_id, max_bytes)
        if found.is_over:
            return found
    raise AssertionError("it never ends")


def test_what_was_measured_of_other_files_does_not_count(
    renderer: Renderer, workshop: Workshop, actor: Actor, cell: ProofCell
) -> None:
    """Shared out once more after files are written otherwise, the ceiling is kept by the files as they are then."""
    folio_id = cell.state.folio_id
    for is_quick in (False, True):
        write_all(workshop, actor, folio_id, is_quick)
        assert shared(renderer, workshop, actor, folio_id, 25_000).sentence.startswith("Shared out")
        placed = find_cell(workshop, actor, cell.state.picture_id, cell.output).placed
        assert placed is not None
        weight = renderer.files.render_file(placed.rendering).byte_count
        assert 20_000 <= weight <= 25_000
        # just under it the next quality would be heavier than allowed: what is there is no older file's weight
        above = Weighing(renderer, workshop, find_cell(workshop, actor, cell.state.picture_id, cell.output))
        quality = placed.rendering.encoding.quality
        assert quality is not None
        assert above.point(JPEG, quality + 4).byte_count > 25_000


def test_whoever_changes_a_picture_meanwhile_is_not_written_over(
    renderer: Renderer, workshop: Workshop, actor: Actor, cell: ProofCell, monkeypatch: pytest.MonkeyPatch
) -> None:
    from lucidex.services.proof import consignment

    wanted = consignment._write

    def meanwhile(*given: object) -> None:
        turn = edits.add_step(Turn(direction=Direction.LEFT))
        change(workshop, actor, cell.state.picture_id, cell.state.version, "Turned", turn)
        wanted(*given)  # type: ignore[arg-type]

    monkeypatch.setattr(consignment, "_write", meanwhile)
    with pytest.raises(ChangedMeanwhileError):
        shared(renderer, workshop, actor, cell.state.folio_id, 25_000)
    after = read_picture(workshop, actor, cell.state.picture_id)
    assert len(after.document.steps) == 1
    assert after.document.outputs == {}
