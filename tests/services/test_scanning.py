"""From the glass into a folio: framed by itself, straightened and inked by steps, safe where the scanner is not."""

import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import httpx
import numpy as np
import pytest

from lucidex.core.cancellation import until
from lucidex.core.encode import JPEG, PNG, decode
from lucidex.core.errors import (
    BusyError,
    NoLongerWantedError,
    NotFoundError,
    OutOfRangeError,
    UnavailableError,
    UnreadableFileError,
    UserError,
)
from lucidex.core.line.places import read_demand
from lucidex.core.places.output_id import OutputId
from lucidex.services.folios.folios import make_folio, read_folio
from lucidex.services.house.workshop import Workshop
from lucidex.services.outside.adapters import SCANNER
from lucidex.services.outside.scanner import Area
from lucidex.services.outside.service import Service
from lucidex.services.people.people import Actor
from lucidex.services.pictures.documents import read_picture
from lucidex.services.places.places import hang_missing
from lucidex.services.proof.proof_sheet import find_cell
from lucidex.services.rendering.renderer import Renderer
from lucidex.services.ways_in import scanning
from lucidex.services.ways_in.scanning import (
    Looks,
    Preview,
    Progress,
    Treated,
    look_at_glass,
    scan_into,
    subject_named,
)
from standins.scanner import stream
from standins.scanner.app import create_app
from standins.scanner.glass import SEVERAL, SHEETS, Sheet
from tests.conftest import encoded, smooth_picture
from tests.standins.running import DEMO, own_process, serving

Serve = Callable[..., Service]


def at(address: str) -> Service:
    return Service(1, SCANNER, "Flatbed", f"{address}/eSCL/")


@pytest.fixture
def scanner(tmp_path: Path) -> Iterator[Service]:
    with serving(create_app(tmp_path, DEMO, pace=0)) as address:
        yield at(address)


@pytest.fixture
def folio_id(workshop: Workshop, actor: Actor) -> int:
    return make_folio(workshop, actor, "Letters")


def lay(service: Service, sheet: str) -> None:
    httpx.post(service.address.removesuffix("/eSCL/") + "/lay", data={"sheet": sheet})


@pytest.mark.parametrize("sheet", SHEETS, ids=[sheet.name for sheet in SHEETS])
def test_the_sheet_its_slant_and_its_ink_are_found(
    workshop: Workshop, actor: Actor, scanner: Service, sheet: Sheet
) -> None:
    lay(scanner, sheet.name)
    preview = look_at_glass(workshop, actor, scanner)
    assert len(preview.papers) == 1
    assert preview.papers[0].askew_degrees == pytest.approx(sheet.askew_degrees, abs=0.15)
    assert preview.straighten_degrees() == pytest.approx(-sheet.askew_degrees, abs=0.16)
    around = preview.proposed(subject_named("print"))
    assert around.width == pytest.approx(sheet.width_mm, abs=18)
    ink = preview.proposed(subject_named("signature"))
    assert around.left <= ink.left
    assert around.top <= ink.top
    assert ink.width < around.width


def test_several_papers_are_proposed_each_as_a_picture(workshop: Workshop, actor: Actor, scanner: Service) -> None:
    lay(scanner, SEVERAL.name)
    preview, laid = look_at_glass(workshop, actor, scanner), (SEVERAL, *SEVERAL.beside)
    assert len(preview.papers) == len(laid)
    by_place = sorted(range(len(laid)), key=lambda number: preview.proposed(subject_named("print"), number).left)
    for number, sheet in zip(by_place, sorted(laid, key=lambda one: one.left_mm), strict=True):
        assert preview.straighten_degrees(number) == pytest.approx(-sheet.askew_degrees, abs=1)
        assert preview.proposed(subject_named("print"), number).left == pytest.approx(sheet.left_mm, abs=30)
    first = next(n for n in range(3) if preview.proposed(subject_named("print"), n).left < 30)
    inked = decode(scanning.preview_file(preview, Treated(Looks.INK, is_clear=True), first)[0], PNG).numpy()
    ink = inked[inked[..., 3] > 200].mean(axis=0)
    assert ink[2] > ink[0] + 20, "blue ink stays blue, whatever else lies there"
    areas = {preview.proposed(subject_named("signature"), number) for number in range(len(laid))}
    assert len(areas) == len(laid)


@pytest.mark.parametrize("suffix", [".jpg", ".png", ".tif"])
def test_a_scan_is_called_after_what_it_is(suffix: str) -> None:
    content = encoded(smooth_picture(90, 60), suffix)
    named, pieces = scanning._named(iter([content[:7], content[7:900], content[900:]]))
    assert (named, b"".join(pieces)) == (suffix, content)


def test_an_empty_glass_is_framed_whole(workshop: Workshop, actor: Actor, scanner: Service) -> None:
    lay(scanner, "nothing")
    preview = look_at_glass(workshop, actor, scanner)
    assert preview.papers == ()
    assert preview.proposed(subject_named("signature")) == Area(0, 0, preview.glass.width_mm, preview.glass.height_mm)


def test_a_signature_becomes_a_clear_file_of_540_by_210(
    workshop: Workshop, renderer: Renderer, actor: Actor, scanner: Service, folio_id: int
) -> None:
    preview, subject = look_at_glass(workshop, actor, scanner), subject_named("signature")
    area = preview.proposed(subject)
    treated = Treated(Looks.INK, is_clear=True, straighten_degrees=preview.straighten_degrees())
    taken = scan_into(workshop, renderer, actor, folio_id, preview, subject, area, subject.dpi, treated, Progress())
    state = read_picture(workshop, actor, taken.picture_id)
    assert (taken.facts.upright.width, taken.facts.upright.height) == area.pixels(600)
    assert [type(step).__name__ for step in state.document.active_steps] == ["Straighten", "TwoToneStep"]
    demand = read_demand("540x210 show whole on clear as png").demand()
    place = hang_missing(workshop, actor, folio_id, [(demand, "Letterhead")])[-1]
    cell = find_cell(workshop, actor, taken.picture_id, OutputId(str(place)))
    assert cell.placed is not None
    result = renderer.files.render_file(cell.placed.rendering)
    pixels = decode(workshop.results.read(result.blob_sha256), PNG).numpy()
    assert pixels.shape == (210, 540, 4)
    alpha = pixels[..., 3]
    assert 0.02 < (alpha > 200).mean() < 0.3, "ink"
    assert (alpha == 0).mean() > 0.6, "and clear paper"
    blue = pixels[alpha > 200].mean(axis=0)
    assert blue[2] > blue[0] + 30, "blue ink stays blue"
    rows = np.flatnonzero((alpha > 128).any(axis=1))
    assert rows[-1] - rows[0] > 120, "all of it is there"


def test_the_preview_looks_as_the_scan_will(workshop: Workshop, actor: Actor, scanner: Service) -> None:
    preview = look_at_glass(workshop, actor, scanner)
    content, media_type = scanning.preview_file(preview, Treated(Looks.INK, is_clear=True))
    assert media_type == "image/png"
    clear = decode(content, PNG).numpy()
    assert (clear[..., 3] == 0).mean() > 0.9
    darker, lighter = (
        decode(scanning.preview_file(preview, Treated(Looks.GREY, lighter=by))[0], JPEG).numpy() for by in (-60, 60)
    )
    assert lighter.mean() > darker.mean() + 20
    assert np.ptp(lighter.astype(int), axis=2).max() <= 6, "grey"
    inked = (scanning.preview_file(preview, Treated(Looks.INK, True, lighter=by))[0] for by in (80, -80))
    thin, thick = ((decode(one, PNG).numpy()[..., 3] > 128).sum() for one in inked)
    assert thick > thin


@pytest.mark.parametrize(
    ("area", "dpi"),
    [
        (Area(0, 0, 50, 50), 333),
        (Area(200, 0, 50, 50), 300),
        (Area(0, 0, 1, 50), 300),
        (Area(0, 0, 215, 297), 2_400),
    ],
)
def test_what_cannot_be_scanned_is_refused_before_the_head_moves(
    workshop: Workshop, renderer: Renderer, actor: Actor, scanner: Service, folio_id: int, area: Area, dpi: int
) -> None:
    preview = look_at_glass(workshop, actor, scanner)
    with pytest.raises(OutOfRangeError):
        scan_into(
            workshop, renderer, actor, folio_id, preview, scanning.SUBJECTS[0], area, dpi, Treated(), Progress()
        )


def test_a_preview_is_its_makers_own(
    workshop: Workshop, actor: Actor, new_person: Callable[[], Actor], scanner: Service
) -> None:
    preview = look_at_glass(workshop, actor, scanner)
    assert scanning.find_preview(workshop, actor, preview.id) is preview
    with pytest.raises(NotFoundError):
        scanning.find_preview(workshop, new_person(), preview.id)


def scan(
    workshop: Workshop, renderer: Renderer, actor: Actor, folio_id: int, preview: Preview, progress: Progress
) -> None:
    area = preview.proposed(scanning.SUBJECTS[0])
    scan_into(workshop, renderer, actor, folio_id, preview, scanning.SUBJECTS[0], area, 600, Treated(), progress)


def test_a_pulled_plug_says_so_and_takes_nothing_in(
    workshop: Workshop, renderer: Renderer, actor: Actor, folio_id: int, tmp_path: Path
) -> None:
    with own_process("standins.scanner", tmp_path, "2") as (address, process):
        httpx.Client(transport=httpx.HTTPTransport(retries=8)).get(f"{address}/eSCL/ScannerStatus")
        preview = look_at_glass(workshop, actor, at(address))
        threading.Timer(0.5, process.kill).start()
        with pytest.raises(UnavailableError, match="Flatbed"):
            scan(workshop, renderer, actor, folio_id, preview, Progress())
        with pytest.raises(UserError, match="Flatbed"):
            look_at_glass(workshop, actor, at(address))
    assert read_folio(workshop, actor, folio_id).pictures == []


def test_a_busy_scanner_says_so(workshop: Workshop, actor: Actor, scanner: Service) -> None:
    settings = httpx.get(scanner.address + "ScannerCapabilities")
    assert settings.status_code == 200
    from tests.standins.test_scanner import XML
    from tests.standins.test_scanner import settings as document

    assert httpx.post(scanner.address + "ScanJobs", content=document(), headers=XML).status_code == 201
    with pytest.raises(BusyError, match="at another scan"):
        look_at_glass(workshop, actor, scanner)


def test_a_scan_that_is_stopped_at_the_scanner_takes_nothing_in(
    workshop: Workshop, renderer: Renderer, actor: Actor, folio_id: int, tmp_path: Path
) -> None:
    with serving(create_app(tmp_path, DEMO, pace=0)) as quick:
        preview = look_at_glass(workshop, actor, at(quick))
    with serving(create_app(tmp_path, DEMO, pace=4)) as address:
        service = at(address)
        slow = Preview(preview.id, actor.id, service, preview.glass, preview.pixels, preview.papers)

        def stop() -> None:
            until_s = time.monotonic() + 10
            while time.monotonic() < until_s:
                jobs = httpx.get(service.address + "ScannerStatus").text.split("JobUri>")
                if len(jobs) > 1:
                    httpx.delete(address + jobs[1].partition("<")[0])
                    return

        threading.Thread(target=stop, daemon=True).start()
        with pytest.raises(UserError, match=r"stopped|empty"):
            scan(workshop, renderer, actor, folio_id, slow, Progress())
    assert read_folio(workshop, actor, folio_id).pictures == []


def test_half_a_file_of_a_stopped_scan_is_not_taken_for_a_whole_one(
    workshop: Workshop,
    renderer: Renderer,
    actor: Actor,
    folio_id: int,
    scanner: Service,
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    """What arrived would pass as a damaged picture; what the scanner says of its job decides."""
    preview = look_at_glass(workshop, actor, scanner)
    whole = stream.file_of

    def broken(*given: Any) -> Iterator[bytes]:
        content = b"".join(whole(*given))
        yield content[: len(content) * 9 // 10]
        raise stream.Stopped

    monkeypatch.setattr("standins.scanner.jobs.file_of", broken)
    with pytest.raises(UnavailableError, match="before its end"):
        scan(workshop, renderer, actor, folio_id, preview, Progress())
    assert read_folio(workshop, actor, folio_id).pictures == []


def test_whoever_waits_no_more_has_stopped_the_scanner(
    workshop: Workshop, renderer: Renderer, actor: Actor, folio_id: int, tmp_path: Path
) -> None:
    with serving(create_app(tmp_path, DEMO, pace=0)) as quick:
        preview = look_at_glass(workshop, actor, at(quick))
    with serving(create_app(tmp_path, DEMO, pace=20)) as address:
        slow = Preview(preview.id, actor.id, at(address), preview.glass, preview.pixels, preview.papers)
        progress = Progress()
        threading.Timer(0.6, progress.gone.set).start()
        with until(progress.gone), pytest.raises((NoLongerWantedError, UserError)):
            scan(workshop, renderer, actor, folio_id, slow, progress)
        assert "JobCanceledByUser" in httpx.get(address + "/eSCL/ScannerStatus").text
    assert read_folio(workshop, actor, folio_id).pictures == []


def test_something_else_at_the_address_is_no_scanner(workshop: Workshop, actor: Actor, tmp_path: Path) -> None:
    from standins.source.app import create_app as create_source

    with serving(create_source(DEMO / "source")) as address, pytest.raises(UnreadableFileError):
        look_at_glass(workshop, actor, Service(1, SCANNER, "Other", f"{address}/collection/"))
