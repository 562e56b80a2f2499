"""Pages and their parts, without a browser: what they answer and what they say."""

import io
import os
import re
import time
from collections.abc import Callable

import pytest
from PIL import Image

from lucidex.core.geometry.sizes import Size
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.intake import bring_in
from lucidex.services.pictures.gathering import read_sheet
from lucidex.web.shell.static_files import SERVED
from lucidex.web.shell.view import WEB, carried_by
from lucidex.web.views import VIEWS
from lucidex.web.views.bench.wall import WALL_HEIGHT, WALL_WIDTH, hang
from tests.web.conftest import Visitor, Work


def version_of(work: Work) -> int:
    path = f"/api/pictures/{work.picture_id}"
    version: int = work.visitor.client.get(path, headers=work.visitor.bearer).json()["version"]
    return version


def test_a_typed_size_hangs_a_place_once(work: Work) -> None:
    path = f"/pictures/{work.picture_id}/line"
    for _ in range(2):
        answer = work.visitor.post(path, {"line": "1080x1350 under 90 kB"})
        assert "1080 × 1350" in answer.text
    places = work.visitor.client.get(f"/api/folios/{work.folio_id}/places", headers=work.visitor.bearer).json()
    assert [place["name"] for place in places] == ["Banner", "1080 × 1350"]
    assert version_of(work) == 1, "a size never becomes a step"


def test_a_typed_size_can_change_the_chosen_place(work: Work) -> None:
    path = f"/pictures/{work.picture_id}/line?place={work.place_id}"
    work.visitor.post(path, {"line": "200x100 keep left", "change_place": "true"})
    place = work.visitor.client.get(f"/api/places/{work.place_id}", headers=work.visitor.bearer).json()
    assert place["demand"]["measure"] == {"by": "size", "width_px": 200, "height_px": 100}
    assert (place["name"], place["demand"]["anchor"]) == ("Banner", "left")


@pytest.mark.parametrize("line", ["0x0", "-1", "1e9", "abc", "40000x40000", "crop 0x5", "", "🌿", "x" * 3_000])
def test_bad_lines_are_said_in_the_page(work: Work, line: str) -> None:
    answer = work.visitor.post(f"/pictures/{work.picture_id}/line", {"line": line})
    assert (answer.status_code, answer.headers["x-refused"]) == (200, "422"), "an answer, no failure of the page"
    assert answer.headers["hx-retarget"] == "#notice"
    assert 'class="notice"' in answer.text
    reading = work.visitor.client.get(f"/pictures/{work.picture_id}/reading", params={"line": line})
    assert reading.status_code == 200


def test_the_reading_says_what_enter_would_do(work: Work) -> None:
    path = f"/pictures/{work.picture_id}/reading"
    assert (
        "Turned a quarter to the left."
        in work.visitor.client.get(path, params={"line": "turn left", "place": work.place_id}).text
    )
    text = work.visitor.client.get(path, params={"line": "180 x 70 keep left", "place": work.place_id}).text
    assert "180 × 70, picture kept left" in text
    assert "Change “Banner” to it instead" in text


def test_a_framing_by_hand_is_kept_in_content_coordinates(work: Work) -> None:
    path = f"/pictures/{work.picture_id}/places/{work.place_id}/framing"
    answer = work.visitor.post(path, {"left": 300, "top": 100, "width": 320, "height": 128})
    assert "Framed by hand" in answer.text
    document = work.visitor.client.get(f"/api/pictures/{work.picture_id}", headers=work.visitor.bearer).json()[
        "document"
    ]
    framing = document["framings"][str(work.place_id)]
    assert framing.pop("made_for"), "it is known on which frame it was chosen"
    assert framing == pytest.approx(
        {"focal_x": 460 / 640, "focal_y": 164 / 400, "zoom": 2.0, "proposal": None, "whole": False}
    )


def test_a_conflict_in_the_page_offers_both_ways(work: Work) -> None:
    path = f"/pictures/{work.picture_id}/line"
    assert work.visitor.post(path, {"line": "turn left"}, version=1).status_code == 200
    answer = work.visitor.post(path, {"line": "mirror"}, version=1)
    assert answer.status_code == 409
    assert "Put my change on top" in answer.text
    assert "Keep the other one" in answer.text


def test_format_and_quality_belong_to_this_picture_and_place(work: Work) -> None:
    path = f"/pictures/{work.picture_id}/places/{work.place_id}"
    assert "WebP at quality 86" in work.visitor.post(f"{path}/output", {"format": "webp"}).text
    text = work.visitor.post(f"{path}/output", {"format": "webp", "quality": 31}, version=2).text
    assert "WebP at quality 31" in text
    weight = work.visitor.client.get(f"{path}/weight?format=webp").text.strip()
    file = work.visitor.client.get(f"{path}/file")
    assert file.headers["content-type"] == "image/webp"
    assert weight == f"{len(file.content)} B" if len(file.content) < 1000 else weight.endswith("kB")


def test_a_place_is_taken_down_and_hung_again_with_its_framing(work: Work) -> None:
    path = f"/pictures/{work.picture_id}/places/{work.place_id}"
    work.visitor.post(f"{path}/framing", {"left": 0, "top": 0, "width": 320, "height": 128})
    answer = work.visitor.post(f"{path}/take-down")
    assert "No place hangs here yet" in answer.text
    assert "Hang it again" in answer.text
    assert "Framed by hand" in work.visitor.post(f"{path}/hang-again").text


def test_names_and_texts_are_shown_as_text(work: Work) -> None:
    hostile = '<img src=x onerror=alert(1)>"'
    work.visitor.post(f"/folios/{work.folio_id}/name", {"name": hostile})
    for path in (f"/folios/{work.folio_id}/gather", f"/pictures/{work.picture_id}", "/"):
        assert "<img src=x" not in work.visitor.client.get(path).text


def test_our_own_error_pages(work: Work, monkeypatch: pytest.MonkeyPatch) -> None:
    missing = work.visitor.client.get("/folios/999999999/gather")
    assert missing.status_code == 404
    assert "no such folio" in missing.text
    assert "To your folios" in missing.text
    assert "There is nothing at this address" in work.visitor.client.get("/nowhere").text

    def fail(*_: object) -> None:
        raise RuntimeError("inside")

    monkeypatch.setattr("lucidex.web.views.start.page.list_folios", fail)
    broken = work.visitor.client.get("/")
    assert broken.status_code == 500
    assert "went wrong on our side" in broken.text
    assert "RuntimeError" not in broken.text


def test_a_preview_is_kept_by_the_browser_only_under_its_digest(work: Work) -> None:
    """An address that says immutable names all that decides its bytes; any other name is asked for again."""
    client, path = work.visitor.client, f"/pictures/{work.picture_id}/preview?w=100&h=100"
    shown = re.search(
        r"/preview\?w=720&(?:amp;)?h=440&(?:amp;)?v=(\w+)", client.get(f"/folios/{work.folio_id}/gather").text
    )
    assert shown
    key = shown[1]
    for other in ("", "&v=abc", f"&v={key[:10]}"):
        assert "immutable" not in client.get(path + other).headers["cache-control"]
    first = client.get(f"{path}&v={key}")
    assert "immutable" in first.headers["cache-control"]
    again = client.get(path, headers={"If-None-Match": first.headers["etag"]})
    assert (again.status_code, again.content) == (304, b"")
    work.visitor.post(f"/pictures/{work.picture_id}/line", {"line": "black and white"})
    changed = client.get(f"{path}&v={key}")
    assert changed.content != first.content
    assert "immutable" not in changed.headers["cache-control"]
    assert client.get(path, headers={"If-None-Match": first.headers["etag"]}).status_code == 200
    work.visitor.post(f"/pictures/{work.picture_id}/undo", version=2)
    assert client.get(f"{path}&v={key}").content == first.content


@pytest.mark.parametrize(
    "sizes",
    [
        [Size(1600, 640)],
        [Size(1600, 640), Size(1080, 1350), Size(800, 420), Size(180, 70)],
        [Size(1600, 640), Size(1920, 1080), Size(1080, 1350), Size(1080, 1080), Size(800, 420), Size(600, 600)] * 2,
        [Size(20_000, 3), Size(3, 20_000), Size(1, 1)],
        [Size(1, 1)] * 12,
    ],
)
def test_the_wall_holds_its_frames_at_one_scale(sizes: list[Size]) -> None:
    hanging = hang(sizes)
    seats = [seat for row in hanging.rows for seat in row]
    assert sorted(seat.index for seat in seats) == list(range(len(sizes)))
    for seat in seats:
        size = sizes[seat.index]
        assert seat.width <= WALL_WIDTH
        assert abs(seat.width - size.width * hanging.scale * seat.magnified / seat.reduced) <= 1
        assert abs(seat.height - size.height * hanging.scale * seat.magnified / seat.reduced) <= 1
    if len(sizes) <= 4:
        assert hanging.height <= WALL_HEIGHT


def test_a_warning_comes_with_its_reason_and_its_ways_out(work: Work) -> None:
    client = work.visitor.client
    work.visitor.post(f"/pictures/{work.picture_id}/line", {"line": "3000x1200 under 3 kB as jpeg"})
    places = client.get(f"/api/folios/{work.folio_id}/places", headers=work.visitor.bearer).json()
    cell = client.get(f"/pictures/{work.picture_id}/outputs/{places[-1]['id']}/cell").text
    assert "what lies between them is not known" in cell
    assert "The place may refuse the file" in cell
    assert f'href="/pictures/{work.picture_id}?place={places[-1]["id"]}"' in cell
    assert "ways out</button>" in cell
    assert "it is right" not in cell
    at_ease = client.get(f"/pictures/{work.picture_id}/outputs/{places[0]['id']}/cell").text
    assert "proof-asked" not in at_ease
    assert "frame it" not in at_ease


def test_scripts_are_kept_for_ever_only_under_the_key_of_what_they_hold(work: Work) -> None:
    client = work.visitor.client
    found = re.search(r'src="(/static/([0-9a-f]{16})/shell/js/main\.js)"', client.get("/").text)
    assert found
    script = WEB / "shell/js/main.js"

    def kept(path: str) -> str:
        answer = client.get(path)
        assert answer.text == script.read_text()
        return answer.headers["Cache-Control"]

    assert "immutable" in kept(found[1])
    assert kept(found[1].replace(found[2], "0" * 16)) == "no-cache", "the address of an earlier version"
    assert kept("/static/shell/js/main.js") == "no-cache"
    assert client.get(found[1].replace("main", "nothing")).headers["Cache-Control"] != kept(found[1])
    was = script.stat()
    os.utime(script, (was.st_atime, time.time() + 60))
    try:
        assert kept(found[1]) == "no-cache", "it was changed since the key was made of it"
    finally:
        os.utime(script, (was.st_atime, was.st_mtime))


def test_all_that_a_view_says_of_itself_is_there_and_is_served(work: Work) -> None:
    for view in VIEWS:
        carried = carried_by(view)
        for path in (*carried.scripts, *carried.modules, *filter(None, [carried.stylesheet])):
            assert work.visitor.client.get(f"/static/{path}").status_code == 200, path
        others = {one.name for one in VIEWS} - {view.name}
        named = {path.split("/")[1] for path in carried.modules if path.startswith("views/")}
        assert not named & others, "a page fetches what belongs to another view"


def test_nothing_is_served_but_what_is_meant_for_the_browser(work: Work) -> None:
    inside = [path.relative_to(WEB).as_posix() for path in WEB.rglob("*") if path.is_file()]
    hidden = [path for path in inside if not SERVED.fullmatch(path)]
    assert "app.py" in hidden
    assert "views/bench/templates/bench.html" in hidden
    for path in ("app.py", "views/bench/page.py", "views/bench/templates/bench.html", "shell/js/../templating.py"):
        assert work.visitor.client.get(f"/static/{path}").status_code == 404, path
    assert not [path for path in inside if SERVED.fullmatch(path) and path.endswith((".py", ".html"))]


def test_a_form_that_is_refused_leads_back_to_where_it_stood(work: Work) -> None:
    client, page = work.visitor.client, f"/folios/{work.folio_id}/removed"
    html = {"Accept": "text/html", "X-CSRF-Token": work.visitor.csrf}
    here = {**html, "Referer": f"http://127.0.0.1{page}?erased=0"}
    answer = client.post(f"{page}/erase", headers=here, follow_redirects=False)
    assert (answer.status_code, answer.headers["location"]) == (303, f"{page}?erased=0")
    assert "No picture is selected." in client.get(page).text
    assert "No picture is selected." not in client.get(page).text, "it is said once"
    elsewhere = {**html, "Referer": "http://elsewhere.example//127.0.0.1/"}
    for headers in (elsewhere, html, {**here, "Accept": "*/*"}):
        assert client.post(f"{page}/erase", headers=headers, follow_redirects=False).status_code == 422
    doubled = {**html, "Referer": "http://127.0.0.1//elsewhere.example/"}
    answer = client.post(f"{page}/erase", headers=doubled, follow_redirects=False)
    assert answer.headers["location"] == "/elsewhere.example/", "no address of another host"


@pytest.mark.parametrize("suffix", ["PDF", "TIFF"])
def test_a_file_of_several_pages_offers_the_others_where_it_is_prepared(
    work: Work, workshop: Workshop, suffix: str
) -> None:
    out, sheets = io.BytesIO(), [Image.new("RGB", (72, 36), (60, 60 + number, 90)) for number in range(3)]
    sheets[0].save(out, suffix, save_all=True, append_images=sheets[1:])
    taken = bring_in(workshop, work.visitor.actor, work.folio_id, f"sheets.{suffix}", [out.getvalue()])
    bench = work.visitor.client.get(f"/pictures/{taken.picture_id}").text
    assert "Pages, of 3" in bench
    refused = work.visitor.post(f"/pictures/{taken.picture_id}/parts", {"pages": "9"})
    assert "no page 9" in refused.text
    work.visitor.post(f"/pictures/{taken.picture_id}/parts", {"pages": "2-3"})
    sheet = read_sheet(workshop, work.visitor.actor, work.folio_id)
    assert sum("one of 3 pages" in [remark.words for remark in one.remarks] for one in sheet.pictures) == 3


@pytest.mark.parametrize(("asked", "coding"), [("gzip, br", "gzip"), ("identity", None)])
def test_scripts_travel_small_and_are_the_same(work: Work, asked: str, coding: str | None) -> None:
    client = work.visitor.client
    (address,) = re.findall(r'src="(/static/[0-9a-f]{16}/shell/js/main.js)"', client.get("/").text)
    answer = client.get(address, headers={"accept-encoding": asked})
    assert answer.headers.get("content-encoding") == coding
    assert answer.headers["cache-control"].endswith("immutable")
    assert answer.content == (WEB / "shell/js/main.js").read_bytes()
    if coding:
        assert answer.headers["vary"] == "Accept-Encoding"
        assert int(answer.headers["content-length"]) < len(answer.content) / 2


def test_a_part_of_the_sheet_is_printed_for_whoever_may_see_it(work: Work, visit: Callable[[], Visitor]) -> None:
    path = f"/folios/{work.folio_id}/gather/prints?on={work.picture_id}"
    before = work.visitor.client.get(path).text
    assert before.count('class="print"') == 1, "without a page that was asked for before"
    page = work.visitor.client.get(f"/folios/{work.folio_id}/gather").text
    assert re.sub(r"\s+", " ", before).strip() in re.sub(r"\s+", " ", page)
    assert work.visitor.client.get(path + "&on=999999999").text.count('class="print"') == 1
    assert visit().client.get(path).status_code == 404
    assert work.visitor.client.get(path + "&on=1" * 60).status_code == 422, "no more than a strip"
