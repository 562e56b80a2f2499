"""Framing and sizes in the real browser: the jobs for which the bench is there, measured by another program."""

import json
from collections.abc import Callable
from pathlib import Path

import numpy as np
from PIL import Image
from playwright.sync_api import Route, expect

from tests.conftest import encoded
from tests.core.test_attention import DEMO
from tests.journeys.conftest import Desk
from tests.journeys.test_first_slice import at_bench, downloaded, drop

CHOSEN = ".wall-foot .button-main"


def dragged(desk: Desk, start: tuple[float, float], end: tuple[float, float]) -> None:
    mouse = desk.page.mouse
    mouse.move(*start)
    mouse.down()
    mouse.move((start[0] + end[0]) / 2, (start[1] + end[1]) / 2)
    mouse.move(*end)
    mouse.up()


def sentences(desk: Desk) -> list[str]:
    return desk.page.locator("ol .sentence").all_inner_texts()


def after_change(desk: Desk, act: Callable[[], object]) -> None:
    """Do something, and wait for the version that it makes."""
    before = desk.version()
    act()
    desk.page.wait_for_function(f"() => Number(document.getElementById('bench').dataset.version) > {before}")
    desk.settled()


def test_a_tilted_pond_becomes_level_without_empty_corners(desk: Desk, tmp_path: Path) -> None:
    at_bench(desk, DEMO / "pond-tilted.jpg")
    page = desk.page
    desk.type_line("1600x900")
    desk.type_line("straighten")
    box = page.locator(".line-ground").bounding_box()
    assert box
    left, top, width, height = box["x"], box["y"], box["width"], box["height"]
    along = (left + width * 0.14, top + height * 0.765), (left + width * 0.9, top + height * 0.7)
    after_change(desk, lambda: dragged(desk, *along))
    angle = float(page.input_value("input[name=angle_degrees]"))
    assert 2.9 < angle < 3.8, "the camera was tilted by 3.4 degrees"
    with Image.open(downloaded(desk, CHOSEN, tmp_path)) as level:
        assert level.size == (1600, 900)
        pixels = np.asarray(level.convert("RGB")).astype(int)
    corners = [pixels[:3, :3], pixels[:3, -3:], pixels[-3:, :3], pixels[-3:, -3:]]
    assert all(corner.sum(axis=-1).min() > 40 for corner in corners), "sky and water, neither black nor white"
    assert all(corner.sum(axis=-1).max() < 700 for corner in corners)
    assert desk.troubles == []


def test_a_scanned_signature_on_clear_ground_at_a_multiple_of_its_box(desk: Desk, tmp_path: Path) -> None:
    at_bench(desk, DEMO / "signature-scan.jpg")
    page = desk.page
    desk.type_line("180x70 or a multiple show whole on clear as png")
    for line in ("straighten 4.2", "trim", "clear the ground"):
        desk.type_line(line)
    assert sentences(desk)[1:] == [
        "Trimmed to its content, tolerance 12 %, margin 4 %.",
        "Ground made clear, tolerance 4.4 %.",
    ]
    page.get_by_role("button", name="Close", exact=True).click()
    expect(page.locator(".rung:has(:checked)")).to_contain_text("nearest")
    after_change(desk, lambda: page.click(".rung:has-text('3 ×')"))
    with Image.open(downloaded(desk, CHOSEN, tmp_path)) as box:
        assert (box.size, box.mode) == ((540, 210), "RGBA")
        alpha = np.asarray(box)[..., 3]
    assert (alpha[0] == 0).all()
    assert (alpha[:, 0] == 0).all()
    assert 0.02 < (alpha > 128).mean() < 0.2, "ink, and no page"
    page.click("text=Always the nearest")
    expect(page.locator(".rung:has(:checked)")).to_contain_text("nearest")
    assert desk.troubles == []


def test_a_tiny_seal_stands_at_the_left_end_of_a_footer_strip(desk: Desk, tmp_path: Path) -> None:
    at_bench(desk, DEMO / "seal.png")
    desk.type_line("1600x120 show whole keep left not enlarged as png")
    with Image.open(downloaded(desk, CHOSEN, tmp_path)) as strip, Image.open(DEMO / "seal.png") as seal:
        assert strip.size == (1600, 120)
        found = np.asarray(strip.convert("RGB")).astype(int)
        alone = Image.new("RGB", seal.size, "white")
        alone.paste(seal, mask=seal.getchannel("A"))
    assert np.abs(found[24:96, :72] - np.asarray(alone)).max() <= 2, "its own pixels, centred in height"
    found[24:96, :72] = 255
    assert (found == 255).all()


def test_one_photograph_in_seven_places_framed_differently_then_straightened(
    desk: Desk, photographs: Path, tmp_path: Path
) -> None:
    at_bench(desk, photographs / "large.jpg")
    page = desk.page
    desk.type_line("1600x640, 1080x1350, 800x420; 1920x1080, 500x500 and 600x200, 300x900")
    assert page.locator(".frame").count() == 7
    for index in range(7):
        page.locator(".frame-picture").nth(index).click()
        expect(page.locator(".frame").nth(index)).to_have_attribute("data-chosen", "")
        page.locator(".window-group").focus()
        for _ in range(3):
            page.keyboard.press("+")
        keys = ("Shift+ArrowLeft", "Shift+ArrowRight", "Shift+ArrowUp")
        after_change(desk, lambda key=keys[index % 3], n=1 + index // 3: [page.keyboard.press(key) for _ in range(n)])
        expect(page.locator("text=Framed by hand")).to_be_visible()
    desk.type_line("straighten 3")
    page.get_by_role("button", name="Close", exact=True).click()
    expect(page.locator(".said-below:has-text('Moved with the picture')")).to_be_visible()
    desk.settled()
    expect(page.locator(".facts .flag:has-text('moved with the picture')")).to_have_count(7)
    sizes = set()
    for link in page.locator(".facts a[download]").all():
        with page.expect_download() as waiting:
            link.click()
        path = tmp_path / waiting.value.suggested_filename
        waiting.value.save_as(path)
        with Image.open(path) as file:
            sizes.add(file.size)
    assert sizes == {(1600, 640), (1080, 1350), (800, 420), (1920, 1080), (500, 500), (600, 200), (300, 900)}
    after_change(desk, lambda: page.click("text=It is right"))
    expect(page.locator(".said-below:has-text('Moved with the picture')")).to_have_count(0)
    assert desk.troubles == []


def test_four_points_are_pulled_by_mouse_and_by_keys(desk: Desk, photographs: Path) -> None:
    at_bench(desk, photographs / "small.jpg")
    page = desk.page
    desk.type_line("four points")
    point = page.locator(".point-area").first.bounding_box()
    assert point
    at = point["x"] + 13, point["y"] + 13
    after_change(desk, lambda: dragged(desk, at, (at[0] + 60, at[1] + 25)))
    moved = page.locator(".point").first
    x = int(moved.get_attribute("aria-valuenow") or 0)
    moved.focus()
    after_change(desk, lambda: page.keyboard.press("ArrowRight"))
    assert int(page.locator(".point").first.get_attribute("aria-valuenow") or 0) == x + 1
    expect(page.locator("[name=x1]")).to_have_value(str(x + 1))
    after_change(desk, lambda: page.click("text=keep what is around it"))
    assert "the rest kept" in sentences(desk)[0]
    desk.accessible()
    page.fill("[name=x1]", "800")
    page.press("[name=x1]", "Tab")
    expect(page.locator(".notice")).to_contain_text("without crossing")
    assert desk.troubles == []


def test_the_list_of_steps_is_complete(desk: Desk, photographs: Path) -> None:
    """Duplicate, insert, look back, a better order, a crop that asks for too much: all from the ledger."""
    at_bench(desk, photographs / "small.jpg")
    page = desk.page
    desk.type_line("crop 400x300")
    after_change(desk, lambda: page.click("text=Duplicate"))
    assert len(sentences(desk)) == 2
    after_change(desk, lambda: page.click(".actions >> text=Remove"))
    desk.type_line("straighten 5")
    expect(page.locator(".said-below .note")).to_contain_text("the picture keeps")
    after_change(desk, lambda: page.click("text=Put it first"))
    assert sentences(desk)[0].startswith("Straightened")
    page.click("ol .value:has-text('400')")
    expect(page.locator("[name=width]")).to_be_visible()
    page.click("button:has-text('Insert')")
    expect(page.locator("#line-form")).to_contain_text("goes before “Cropped")
    desk.type_line("mirror")
    assert [sentence.split()[0] for sentence in sentences(desk)] == ["Straightened", "Mirrored,", "Cropped"]
    page.locator(".step-number").nth(0).click()
    expect(page.locator(".corner-note")).to_contain_text("As it stood after “Straightened by 5°")
    expect(page.locator("#stage-canvas")).to_contain_text("798 px")
    page.click("text=Back to now")
    expect(page.locator("#stage-canvas")).to_contain_text("400 px")
    desk.type_line("crop 5000x300")
    expect(page.locator("ol .flag")).to_contain_text("The crop asks for 5000 × 300")
    after_change(desk, lambda: page.click("text=Add room to 5000 × 300"))
    assert sentences(desk)[-1] == "Room added to 5000 × 300 px, picture kept centre, white."
    expect(page.locator("ol .flag")).to_have_count(0)
    desk.accessible()
    assert desk.troubles == []


def test_several_values_side_by_side_and_one_is_kept(desk: Desk, photographs: Path) -> None:
    at_bench(desk, photographs / "small.jpg")
    page = desk.page
    desk.type_line("straighten 1")
    page.click("summary:has-text('More')")
    page.click("text=Try several")
    page.fill("[name=values]", "2; 90; 4,5")
    page.click("text=Show them")
    expect(page.locator(".tried figure")).to_have_count(3)
    expect(page.locator(".tried .trouble")).to_have_count(1)
    page.wait_for_function("() => [...document.querySelectorAll('.tried img')].every((i) => i.naturalWidth > 0)")
    desk.accessible()
    after_change(desk, lambda: page.locator("text=Go on with it").last.click())
    assert sentences(desk) == ["Straightened by 4.5°, corners cut away."]
    page.click("summary:has-text('More')")
    page.click("text=Try several")
    page.locator("text=Keep it apart").first.click()
    expect(page.locator(".notice")).to_contain_text("is a picture of its own")
    page.click("text=Go to it")
    expect(page.locator("h1")).to_contain_text("small, -2.jpg")
    assert desk.troubles == []


def test_steps_go_to_other_pictures_and_a_part_becomes_one(desk: Desk, photographs: Path) -> None:
    page = desk.page
    drop(desk, *(photographs / name for name in ("small.jpg", "upright.png", "large.jpg")))
    page.wait_for_url("**/gather")
    page.click(".print:has-text('small.jpg') a >> nth=0")
    page.wait_for_url("**/pictures/*")
    desk.settled()
    desk.type_line("turn left")
    page.click("text=Put all on others")
    page.click("[data-tick-all]")
    expect(page.locator("[name=on]:checked")).to_have_count(2)
    desk.accessible()
    page.click("text=Put on the chosen ones")
    expect(page.locator(".notice")).to_contain_text("Put on 2 pictures")
    page.click("text=Understood")
    page.click("ol .value")
    page.click("summary:has-text('More')")
    page.click("text=Make a picture of it")
    expect(page.locator(".notice")).to_contain_text("small, part.jpg")
    page.click("text=Stay here")
    expect(page.locator("text=of 4")).to_be_visible()
    assert desk.troubles == []


def test_looking_closer_never_alters_the_picture(desk: Desk, photographs: Path) -> None:
    at_bench(desk, photographs / "large.jpg")
    page = desk.page
    version = desk.version()
    scale = page.locator("#stage-scale")
    page.keyboard.press("1")
    expect(scale).to_have_text("100 %")
    expect(page.locator(".map")).to_be_visible()
    page.wait_for_function("() => document.querySelector('.stage-picture').src.includes('part=')")
    part = page.evaluate("() => new URL(document.querySelector('.stage-picture').src).searchParams.get('part')")
    _, _, width, height = (int(number) for number in part.split(","))
    stage = page.locator("#stage").bounding_box()
    assert stage
    assert abs(width - stage["width"]) <= 2
    assert abs(height - stage["height"]) <= 2
    shown = page.evaluate(
        "() => (({naturalWidth: w, naturalHeight: h}) => [w, h])(document.querySelector('.stage-picture'))"
    )
    assert shown == [width, height], "one picture pixel is one screen pixel"
    dragged(desk, (stage["x"] + 400, stage["y"] + 300), (stage["x"] + 200, stage["y"] + 250))
    page.wait_for_function(f"() => !document.querySelector('.stage-picture').src.includes('{part}')")
    page.keyboard.press("b")
    expect(page.locator(".beside")).to_have_count(2)
    page.wait_for_function("() => [...document.querySelectorAll('.beside-picture')].every((i) => i.naturalWidth > 0)")
    desk.accessible()
    page.keyboard.press("b")
    page.keyboard.press("w")
    expect(page.locator(".map")).to_have_count(0)
    page.mouse.move(stage["x"] + 300, stage["y"] + 300)
    page.mouse.wheel(0, -300)
    expect(page.locator(".map")).to_be_visible()
    assert desk.version() == version
    assert desk.troubles == []


def test_a_late_picture_is_shown_while_one_moves_on_and_never_an_older_one(desk: Desk, photographs: Path) -> None:
    at_bench(desk, photographs / "large.jpg")
    page = desk.page
    held: list[Route] = []
    page.route("**/preview?*part=*", lambda route: held.append(route))
    shows = "part => document.querySelector('.stage-picture').src.includes(part.split('&')[0])"

    def asked(count: int) -> list[str]:
        while len(held) < count:
            page.evaluate("() => new Promise(requestAnimationFrame)")
        return [one.request.url.split("part=")[1] for one in held]

    page.keyboard.press("1")
    asked(1)
    stage = page.locator("#stage").bounding_box()
    assert stage
    at = (stage["x"] + 400, stage["y"] + 300)
    dragged(desk, at, (at[0] - 100, at[1]))
    parts = asked(2)
    held[0].continue_()
    page.wait_for_function(shows, arg=parts[0])
    dragged(desk, at, (at[0] - 100, at[1]))
    parts = asked(3)
    with page.expect_response(lambda answer: parts[2] in answer.url):
        held[2].continue_()
    page.wait_for_function(shows, arg=parts[2])
    with page.expect_response(lambda answer: parts[1] in answer.url) as late:
        held[1].continue_()
    late.value.finished()
    page.evaluate("() => new Promise(done => requestAnimationFrame(() => setTimeout(done)))")
    assert page.evaluate(shows, parts[2]), "what was asked for before is not shown over it"
    assert desk.troubles == []


def test_a_picture_frames_itself_and_keys_lead_to_the_next_proposal_and_the_middle(desk: Desk) -> None:
    at_bench(desk, DEMO / "visitors.jpg")
    page = desk.page
    desk.type_line("300x900")
    expect(page.locator("text=Shown whole by itself, as no part keeps two faces")).to_be_visible()
    desk.type_line("1000x800")
    expect(page.locator("text=Framed by itself, two faces")).to_be_visible()
    page.click(".value:has-text('two faces')")
    expect(page.locator("[data-found]")).to_have_count(2)
    page.locator(".control >> text=Close").click()
    window = page.locator(".window-group")
    window.focus()
    after_change(desk, lambda: page.keyboard.press("n"))
    expect(page.locator("text=Framed by itself, proposal 2 of 3")).to_be_visible()
    window.focus()
    after_change(desk, lambda: page.keyboard.press("m"))
    expect(page.locator("text=Framed by hand")).to_be_visible()
    after_change(desk, lambda: page.click("text=Leave it to the place"))
    expect(page.locator("text=Framed by itself, two faces")).to_be_visible()
    page.click(".value:has-text('two faces')")
    after_change(desk, lambda: page.click("text=Always the middle"))
    expect(page.locator("text=Framed by the place, picture centred")).to_be_visible()
    after_change(desk, lambda: page.click("text=Let it frame itself"))
    expect(page.locator("text=Framed by itself, two faces")).to_be_visible()
    assert desk.troubles == []


def test_the_focal_point_frames_places_that_nobody_framed(desk: Desk, photographs: Path) -> None:
    at_bench(desk, photographs / "small.jpg")
    page = desk.page
    desk.type_line("300x900")
    page.click(".value:has-text('the middle')")
    ground = page.locator(".line-ground").bounding_box()
    assert ground
    after_change(desk, lambda: page.mouse.click(ground["x"] + ground["width"] * 0.8, ground["y"] + 40))
    expect(page.locator("text=Framed by the focal point")).to_be_visible()
    page.locator(".point").focus()
    after_change(desk, lambda: page.keyboard.press("Shift+ArrowLeft"))
    after_change(desk, lambda: page.click("text=Suggest one"))
    after_change(desk, lambda: page.click("text=Take it away"))
    expect(page.locator("text=Framed by the place, picture centred")).to_be_visible()
    assert desk.troubles == []


def test_a_places_size_is_linked_in_every_unit(desk: Desk, photographs: Path, tmp_path: Path) -> None:
    at_bench(desk, photographs / "small.jpg")
    page = desk.page
    desk.type_line("600x300")
    page.click(".value:has-text('600 × 300')")
    page.fill("[name=pixels_per_inch]", "150")
    page.press("[name=pixels_per_inch]", "Tab")
    expect(page.locator("#place-size")).to_contain_text("600 × 300 px = 10.16 × 5.08 cm")
    page.select_option("[name=unit]", "mm")
    expect(page.locator("[name=first]")).to_have_value("101.6")
    page.fill("[name=first]", "85")
    page.press("[name=first]", "Tab")
    expect(page.locator("#place-size")).to_contain_text("502 × 300 px")
    page.fill("[name=first]", "0")
    page.press("[name=first]", "Tab")
    expect(page.locator("#place-size .trouble")).to_contain_text("greater than zero")
    page.select_option("[name=by]", "width")
    expect(page.locator("[name=second]")).to_have_count(0)
    page.fill("[name=first]", "85")
    page.press("[name=first]", "Tab")
    expect(page.locator("#place-size")).to_contain_text("502 × 335 px")
    page.click("text=Change the place")
    expect(page.locator(".frame-name")).to_have_text("502 wide")
    desk.settled()
    with Image.open(downloaded(desk, CHOSEN, tmp_path)) as file:
        assert file.size == (502, 335)
        assert round(file.info["dpi"][0]) == 150
    assert desk.troubles == []


def test_the_book_of_places(desk: Desk, photographs: Path, tmp_path: Path) -> None:
    page = desk.page
    page.click("text=Book of places")
    page.click("text=Write a place")
    page.fill("[name=name]", "Greenhouse board")
    page.select_option("[name=purpose]", "document")
    page.fill("[name=first]", "640")
    page.fill("[name=second]", "200")
    page.press("[name=second]", "Tab")
    expect(page.locator("#place-size")).to_contain_text("Comes out as 640 × 200")
    page.fill("[name=note]", "Measured at the door.")
    desk.accessible()
    page.click("text=Write it into the book")
    expect(page.locator("[role=status] >> nth=0")).to_contain_text("in your book")
    desk.accessible()
    with page.expect_download() as waiting:
        page.click("text=Export mine")
    path = tmp_path / "places.json"
    waiting.value.save_as(path)
    body = json.loads(path.read_text())
    assert [place["name"] for place in body["places"]] == ["Greenhouse board"]
    body["places"][0]["name"] = "Second board"
    path.write_text(json.dumps(body))
    page.set_input_files("[name=file]", str(path))
    page.click("button:has-text('Import')")
    expect(page.locator("[role=status] >> nth=0")).to_contain_text("1 place added")
    path.write_text("nonsense")
    page.set_input_files("[name=file]", str(path))
    page.click("button:has-text('Import')")
    expect(page.locator("#notice")).to_contain_text("not JSON")
    at_bench(desk, photographs / "small.jpg")
    page.fill("#line", "greenhouse board")
    expect(page.locator("#reading")).to_contain_text("Greenhouse board: 640 × 200")
    desk.type_line("greenhouse board")
    expect(page.locator(".frame-name")).to_have_text("Greenhouse board")
    page.click("button:has-text('Size')")
    desk.accessible()
    page.click(".offer:has-text('Second board')")
    expect(page.locator(".frame")).to_have_count(1)
    assert desk.troubles == []


def test_mine_is_kept_as_a_variant(open_desk: Callable[..., Desk], photographs: Path) -> None:
    mine = at_bench(open_desk(), photographs / "small.jpg")
    theirs = open_desk(mine.actor)
    theirs.page.goto(mine.page.url)
    theirs.settled()
    theirs.type_line("turn right")
    mine.page.fill("#line", "mirror")
    mine.page.press("#line", "Enter")
    mine.page.click("text=Keep mine as a variant")
    expect(mine.page.locator("h1")).to_have_text("small, variant.jpg")
    assert sentences(mine) == ["Mirrored, left and right changed places."]


def test_room_and_strips_by_hand(desk: Desk, tmp_path: Path) -> None:
    file = tmp_path / "red.png"
    file.write_bytes(encoded(np.full((60, 100, 3), (200, 0, 0), np.uint8)))
    at_bench(desk, file)
    page = desk.page
    desk.type_line("100 % as png")
    desk.type_line("room to 2:1 #0000ff")
    page.click("[name=anchor][value=left]")
    expect(page.locator("ol .sentence")).to_have_text("Room added to the shape 2 : 1, picture kept left, blue.")
    desk.settled()
    after_change(desk, lambda: desk.type_line("cover 10 top"))
    with Image.open(downloaded(desk, CHOSEN, tmp_path)) as out:
        pixels = np.asarray(out.convert("RGB"))
    assert pixels.shape == (60, 120, 3)
    assert (pixels[:10] == 255).all()
    assert (pixels[10:, :100] == (200, 0, 0)).all()
    assert (pixels[10:, 100:] == (0, 0, 255)).all()
    assert desk.troubles == []


def test_tone_is_changed_from_the_line_and_by_slider(desk: Desk, photographs: Path, tmp_path: Path) -> None:
    at_bench(desk, photographs / "small.jpg")
    page = desk.page
    desk.type_line("300x200 as png")
    means = []
    for act in (
        lambda: None,
        lambda: desk.type_line("lighter"),
        lambda: (
            page.fill("[type=number][name=brightness]", "60"),
            page.press("[type=number][name=brightness]", "Tab"),
        ),
    ):
        before = desk.version()
        act()
        if means:
            page.wait_for_function(f"() => Number(document.getElementById('bench').dataset.version) > {before}")
        desk.settled()
        with Image.open(downloaded(desk, CHOSEN, tmp_path)) as file:
            means.append(float(np.asarray(file).mean()))
    assert means == sorted(means)
    assert means[2] > means[1] + 5 > means[0] + 10
    desk.type_line("light by itself")
    desk.type_line("black and white")
    with Image.open(downloaded(desk, CHOSEN, tmp_path)) as file:
        pixels = np.asarray(file.convert("RGB"))
    assert (pixels == pixels[..., :1]).all()
    page.click("button:has-text('Tone')")
    desk.accessible()
    assert desk.troubles == []
