"""Logos: whose they are, where they count, and that they come out in their corner, of the file that was chosen."""

import io
from collections.abc import Callable

import numpy as np
import pytest
from PIL import Image

from lucidex.core.errors import NotFoundError, UserError
from lucidex.core.finish.assets import AssetFile
from lucidex.core.geometry.fit import Anchor
from lucidex.core.line.places import read_demand
from lucidex.core.places.output_id import OutputId
from lucidex.core.steps import StepEntry
from lucidex.core.steps.logo import Logo
from lucidex.core.steps.tone import Exposure
from lucidex.services.assets import logos
from lucidex.services.assets.assets import check_steps
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.intake import NewFolio, bring_in
from lucidex.services.people.people import Actor
from lucidex.services.pictures import edits
from lucidex.services.pictures.documents import PictureState, change, read_picture
from lucidex.services.rendering.render_requests import in_place
from lucidex.services.rendering.renderer import Renderer
from tests.conftest import encoded


def red(width: int, height: int) -> bytes:
    pixels = np.zeros((height, width, 4), np.uint8)
    pixels[...] = (255, 0, 0, 255)
    pixels[0, 0] = (250, 0, 0, 255)
    return encoded(pixels)


@pytest.fixture
def state(workshop: Workshop, actor: Actor) -> PictureState:
    grey = np.full((500, 900, 3), 90, np.uint8)
    taken = bring_in(workshop, actor, NewFolio("Logos"), "grey.png", [encoded(grey)])
    return read_picture(workshop, actor, taken.picture_id)


def result(workshop: Workshop, renderer: Renderer, state: PictureState, key: str, typed: str):  # noqa: ANN201
    placed = in_place(workshop, state, OutputId(key), read_demand(typed).demand())
    with Image.open(
        io.BytesIO(workshop.results.read(renderer.files.render_file(placed.rendering).blob_sha256))
    ) as read:
        return np.asarray(read.convert("RGB")).astype(int), placed


def with_logo(workshop: Workshop, actor: Actor, state: PictureState, step: Logo, only_in: str | None = None):  # noqa: ANN201
    return change(workshop, actor, state.picture_id, state.version, "Logo", edits.add_step(step, only_in=only_in))


@pytest.mark.parametrize("typed", ["600x240 as png", "240x600 as png", "1200x900 as png", "64x64 as png"])
@pytest.mark.parametrize("anchor", [Anchor.BOTTOM_RIGHT, Anchor.TOP_LEFT, Anchor.CENTRE])
def test_the_logo_is_in_its_corner_of_every_file(
    workshop: Workshop, renderer: Renderer, actor: Actor, state: PictureState, typed: str, anchor: Anchor
) -> None:
    kept = logos.keep_logo(workshop, actor, "../seal.png", [red(400, 200)])
    assert kept.name == "seal.png"
    step = Logo(logo=kept.file, anchor=anchor, size_percent=40, margin_percent=5)
    pixels, placed = result(workshop, renderer, with_logo(workshop, actor, state, step), "1", typed)
    is_red = (pixels[..., 0] > 200) & (pixels[..., 1] < 60)
    rows, columns = np.flatnonzero(is_red.any(1)), np.flatnonzero(is_red.any(0))
    height, width = is_red.shape
    side = min(width, height)
    wide, high = columns[-1] - columns[0] + 1, rows[-1] - rows[0] + 1
    assert (wide, high) == (round(side * 0.4), pytest.approx(wide / 2, abs=0.51))
    away = {"left": columns[0], "right": width - 1 - columns[-1], "top": rows[0], "bottom": height - 1 - rows[-1]}
    for edge in anchor.value.split() if anchor is not Anchor.CENTRE else []:
        assert away[edge] == round(side * 0.05)
    if anchor is Anchor.CENTRE:
        assert abs(away["left"] - away["right"]) <= 1
        assert abs(away["top"] - away["bottom"]) <= 1
    assert placed.size.shortest == side


def test_a_logo_in_one_place_leaves_the_others_as_they_were(
    workshop: Workshop, renderer: Renderer, actor: Actor, state: PictureState
) -> None:
    before, placed = result(workshop, renderer, state, "8", "300x200 as png")
    kept = logos.keep_logo(workshop, actor, "seal.png", [red(40, 40)])
    after_state = with_logo(workshop, actor, state, Logo(logo=kept.file), only_in="7")
    after, placed_after = result(workshop, renderer, after_state, "8", "300x200 as png")
    assert placed.rendering.key == placed_after.rendering.key
    assert np.array_equal(before, after)
    here, _ = result(workshop, renderer, after_state, "7", "300x200 as png")
    assert not np.array_equal(here, before)


def test_another_logo_file_is_another_result(workshop: Workshop, actor: Actor, state: PictureState) -> None:
    one = logos.keep_logo(workshop, actor, "seal.png", [red(40, 40)])
    other = logos.keep_logo(workshop, actor, "seal.png", [red(80, 80)])
    keys = set()
    for kept in (one, other):
        step = edits.add_step(Logo(logo=kept.file))(state.document, state.facts)
        named = type(state)(**{**vars(state), "document": step})
        keys.add(in_place(workshop, named, OutputId("1"), read_demand("300x200").demand()).rendering.key)
    assert len(keys) == 2


def test_a_logo_that_is_too_small_is_flagged(workshop: Workshop, actor: Actor, state: PictureState) -> None:
    kept = logos.keep_logo(workshop, actor, "tiny.png", [red(30, 10)])
    placed = in_place(
        workshop,
        with_logo(workshop, actor, state, Logo(logo=kept.file)),
        OutputId("1"),
        read_demand("800x400").demand(),
    )
    flag = next(flag for flag in placed.flags if flag.kind == "logo enlarged")
    assert flag.words == "logo enlarged 4 ×"


def test_knowing_a_hash_gives_nobody_a_logo(
    workshop: Workshop, actor: Actor, state: PictureState, new_person: Callable[[], Actor]
) -> None:
    stranger = new_person()
    theirs = logos.keep_logo(workshop, stranger, "theirs.png", [red(33, 21)])
    named = Logo(logo=AssetFile(sha256=theirs.sha256, name="mine.png"))
    with pytest.raises(NotFoundError, match="not among yours"):
        with_logo(workshop, actor, state, named)
    with pytest.raises(NotFoundError, match="not among yours"):
        check_steps(workshop, actor, [StepEntry(id="a", step=named)])
    assert read_picture(workshop, actor, state.picture_id).version == state.version
    with pytest.raises(NotFoundError):
        logos.read_logo(workshop, actor, theirs.id)


def test_what_is_no_picture_is_no_logo(workshop: Workshop, actor: Actor) -> None:
    with pytest.raises(UserError, match="was not taken"):
        logos.keep_logo(workshop, actor, "seal.png", [b"no picture at all"])
    assert logos.read_logos(workshop, actor) == []


def test_the_finish_stays_behind_all_other_steps(workshop: Workshop, actor: Actor, state: PictureState) -> None:
    kept = logos.keep_logo(workshop, actor, "seal.png", [red(40, 40)])
    state = with_logo(workshop, actor, state, Logo(logo=kept.file))
    state = change(workshop, actor, state.picture_id, state.version, "x", edits.add_step(Exposure(stops=0.2)))
    assert [entry.step.kind for entry in state.document.steps] == ["exposure", "logo"]
