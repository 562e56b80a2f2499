"""The scanner speaks eSCL as the standard says, to us and to a client that none of us wrote."""

import io
import os
import re
import subprocess
import time
from collections.abc import Iterator
from pathlib import Path

import httpx
import numpy as np
import pytest
from PIL import Image

from standins.scanner.app import create_app
from tests.conftest import encoded, smooth_picture
from tests.standins.running import DEMO, own_process, serving

SCAN, PWG = "http://schemas.hp.com/imaging/escl/2011/05/03", "http://www.pwg.org/schemas/2010/12/sm"
XML = {"Content-Type": "text/xml"}


@pytest.fixture
def scanner(tmp_path: Path) -> Iterator[httpx.Client]:
    with serving(create_app(tmp_path, DEMO, pace=0)) as address, httpx.Client(base_url=address, timeout=60) as client:
        yield client


def settings(
    dpi: int = 100,
    mode: str = "RGB24",
    region: tuple[int, int, int, int] = (300, 600, 900, 600),
    media_type: str = "image/png",
    more: str = "",
) -> str:
    left, top, width, height = region
    return (
        f'<scan:ScanSettings xmlns:scan="{SCAN}" xmlns:pwg="{PWG}"><pwg:Version>2.0</pwg:Version>'
        "<pwg:ScanRegions><pwg:ScanRegion><pwg:ContentRegionUnits>escl:ThreeHundredthsOfInches"
        f"</pwg:ContentRegionUnits><pwg:Height>{height}</pwg:Height><pwg:Width>{width}</pwg:Width>"
        f"<pwg:XOffset>{left}</pwg:XOffset><pwg:YOffset>{top}</pwg:YOffset></pwg:ScanRegion></pwg:ScanRegions>"
        f"<pwg:InputSource>Platen</pwg:InputSource><scan:ColorMode>{mode}</scan:ColorMode>"
        f"<scan:XResolution>{dpi}</scan:XResolution><scan:YResolution>{dpi}</scan:YResolution>"
        f"<pwg:DocumentFormat>{media_type}</pwg:DocumentFormat>{more}</scan:ScanSettings>"
    )


def begun(scanner: httpx.Client, document: str) -> str:
    answer = scanner.post("/eSCL/ScanJobs", content=document, headers=XML)
    assert answer.status_code == 201
    return answer.headers["location"]


def scanned(scanner: httpx.Client, document: str) -> Image.Image:
    answer = scanner.get(begun(scanner, document) + "/NextDocument")
    assert answer.status_code == 200
    return Image.open(io.BytesIO(answer.content))


def test_capabilities_name_a_flatbed_and_all_that_can_be_asked(scanner: httpx.Client) -> None:
    answer = scanner.get("/eSCL/ScannerCapabilities")
    assert answer.headers["content-type"].startswith("text/xml")
    found = set(re.findall(r"<scan:XResolution>(\d+)<", answer.text))
    assert {"150", "300", "600", "1200"} <= found
    assert set(re.findall(r"<scan:ColorMode>(\w+)<", answer.text)) == {"BlackAndWhite1", "Grayscale8", "RGB24"}


@pytest.mark.parametrize("dpi", [75, 150, 300, 600])
@pytest.mark.parametrize("media_type", ["image/jpeg", "image/png"])
@pytest.mark.parametrize(("mode", "bands"), [("RGB24", "RGB"), ("Grayscale8", "L"), ("BlackAndWhite1", "L")])
def test_a_part_has_exactly_its_pixels(
    scanner: httpx.Client, dpi: int, media_type: str, mode: str, bands: str
) -> None:
    image = scanned(scanner, settings(dpi, mode, (311, 467, 613, 401), media_type))
    assert image.size == (round(613 / 300 * dpi), round(401 / 300 * dpi))
    assert (image.mode, image.get_format_mimetype()) == (bands, media_type)
    assert image.info["dpi"][0] == pytest.approx(dpi, abs=0.5)
    if (mode, media_type) == ("BlackAndWhite1", "image/png"):
        assert set(np.unique(image)) <= {0, 255}


def test_a_preview_shows_the_same_place_as_the_scan(scanner: httpx.Client) -> None:
    region = (780, 840, 800, 400)
    fine = scanned(scanner, settings(300, "Grayscale8", region)).reduce(4)
    coarse = scanned(scanner, settings(75, "Grayscale8", region))
    one, other = np.asarray(fine, float), np.asarray(coarse, float)
    assert np.corrcoef(one.ravel(), other.ravel())[0, 1] > 0.9
    moved = np.corrcoef(one[:, 3:].ravel(), other[:, :-3].ravel())[0, 1]
    assert moved < np.corrcoef(one.ravel(), other.ravel())[0, 1] - 0.1


def test_the_sheet_is_greyish_uneven_and_grained(scanner: httpx.Client) -> None:
    whole = np.asarray(scanned(scanner, settings(75, "Grayscale8", (0, 0, 2_550, 3_510))), float)
    paper = whole[150:290, 110:480]
    assert 150 < paper.mean() < 235
    assert whole[165:185, 200:400].mean() - whole[300:320, 200:400].mean() > 8, "the light falls off"
    assert paper[:20, :20].std() > 1.5


@pytest.mark.parametrize(
    "document",
    [
        "",
        "no xml",
        "<!DOCTYPE a [<!ENTITY b 'c'>]><a>&b;</a>",
        settings(dpi=333),
        settings(mode="RGB48"),
        settings(media_type="application/x-nothing"),
        settings(region=(2_000, 0, 900, 100)),
        settings(region=(0, 0, 0, 100)),
        settings(more="<scan:Brightness>1000</scan:Brightness>"),
        settings().replace("Platen", "Feeder"),
    ],
)
def test_settings_that_cannot_be_followed_are_refused(scanner: httpx.Client, document: str) -> None:
    assert scanner.post("/eSCL/ScanJobs", content=document, headers=XML).status_code == 409
    assert "Idle" in scanner.get("/eSCL/ScannerStatus").text


def test_a_body_without_end_is_refused(scanner: httpx.Client) -> None:
    assert scanner.post("/eSCL/ScanJobs", content=b"x" * 1_000_000, headers=XML).status_code == 413


def test_one_scan_at_a_time_and_each_page_once(scanner: httpx.Client) -> None:
    job = begun(scanner, settings())
    assert "Processing" in scanner.get("/eSCL/ScannerStatus").text
    busy = scanner.post("/eSCL/ScanJobs", content=settings(), headers=XML)
    assert (busy.status_code, int(busy.headers["retry-after"]) > 0) == (503, True)
    assert scanner.get(job + "/NextDocument").status_code == 200
    assert scanner.get(job + "/NextDocument").status_code == 404
    assert "JobCompletedSuccessfully" in scanner.get("/eSCL/ScannerStatus").text
    assert scanner.get("/eSCL/ScanJobs/unknown/NextDocument").status_code == 404


def test_a_scan_that_is_stopped_frees_the_scanner(scanner: httpx.Client) -> None:
    job = begun(scanner, settings())
    assert scanner.delete(job).status_code == 200
    assert scanner.get(job + "/NextDocument").status_code == 410
    assert "JobCanceledByUser" in scanner.get("/eSCL/ScannerStatus").text
    scanned(scanner, settings())


def test_a_scan_that_nobody_fetches_is_given_up(scanner: httpx.Client, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("standins.scanner.jobs.FETCHED_WITHIN_S", 0.0)
    job = begun(scanner, settings())
    assert "Idle" in scanner.get("/eSCL/ScannerStatus").text
    assert scanner.get(job + "/NextDocument").status_code == 410


def test_whoever_hangs_up_has_stopped_the_scan(tmp_path: Path) -> None:
    with serving(create_app(tmp_path, DEMO, pace=30)) as address, httpx.Client(base_url=address) as client:
        job = begun(client, settings(600))
        with pytest.raises(httpx.ReadTimeout):
            client.get(job + "/NextDocument", timeout=0.5)
        until = time.monotonic() + 15
        while "Idle" not in client.get("/eSCL/ScannerStatus").text:
            assert time.monotonic() < until
        assert "JobCanceledByUser" in client.get("/eSCL/ScannerStatus").text


def test_its_own_page_lays_something_else_on_the_glass(scanner: httpx.Client) -> None:
    whole = settings(75, "Grayscale8", (0, 0, 2_550, 3_510))
    before = np.asarray(scanned(scanner, whole), float)
    assert scanner.post("/lay", data={"sheet": "form"}).status_code == 303
    assert "a form, filled in" in scanner.get("/").text
    other = np.asarray(scanned(scanner, whole), float)
    assert np.abs(other - before).mean() > 5
    own = encoded(smooth_picture(300, 200))
    assert scanner.post("/lay-own", files={"file": ("mine.png", own)}).status_code == 303
    assert "your own" in scanner.get("/").text
    refused = scanner.post("/lay-own", files={"file": ("mine.png", b"no picture")}, follow_redirects=True)
    assert "no picture that can be laid" in refused.text
    scanner.post("/lay", data={"sheet": "nothing"})
    assert np.ptp(np.asarray(scanned(scanner, whole).reduce(8), float)) < 8, "nothing but the lid"


def test_a_client_that_none_of_us_wrote_scans(tmp_path: Path) -> None:
    """SANE's own command with its driver for scanners without drivers (Debian: sane-utils, sane-airscan)."""
    sane = tmp_path / "sane"
    sane.mkdir()
    with own_process("standins.scanner", tmp_path / "glass", "0.2") as (address, _):
        httpx.Client(transport=httpx.HTTPTransport(retries=8)).get(f"{address}/eSCL/ScannerStatus")
        (sane / "dll.conf").write_text("airscan\n")
        (sane / "airscan.conf").write_text(
            f'[devices]\n"Flatbed" = {address}/eSCL/, eSCL\n[options]\ndiscovery = disable\n'
        )
        environment = {**os.environ, "SANE_CONFIG_DIR": str(sane)}

        def scanimage(*arguments: str) -> bytes:
            done = subprocess.run(["scanimage", *arguments], env=environment, capture_output=True, timeout=120)
            assert done.returncode == 0, done.stderr
            return done.stdout

        assert b"airscan:e0:Flatbed" in scanimage("-L")
        device = ("-d", "airscan:e0:Flatbed", "--format=png")
        offered = scanimage("-d", "airscan:e0:Flatbed", "--help").decode()
        assert "75|100|150|200|300|400|600|1200dpi" in offered
        whole = Image.open(io.BytesIO(scanimage(*device, "--resolution", "75", "--mode", "Color")))
        assert whole.mode == "RGB"
        assert abs(whole.width - 637) <= 1
        assert abs(whole.height - 877) <= 1
        area = ("-l", "60", "-t", "70", "-x", "90", "-y", "40")
        part = Image.open(io.BytesIO(scanimage(*device, "--resolution", "300", "--mode", "Gray", *area)))
        assert (part.mode, abs(part.width - 1_063) <= 2, abs(part.height - 472) <= 2) == ("L", True, True)
        assert np.asarray(part, float).min() < 110, "there is ink in it"
