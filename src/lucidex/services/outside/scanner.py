"""Scanners that speak eSCL. Source: Mopria Alliance, eSCL technical specification 2.0 (HTTP and XML)."""

import threading
import time
import xml.etree.ElementTree as ElementTree
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from enum import StrEnum
from itertools import islice
from typing import Annotated

import httpx
from pydantic import Field

from lucidex.core.cancellation import check_wanted, present_event
from lucidex.core.errors import BusyError, UnavailableError, UnreadableFileError, UserError
from lucidex.services.house.workshop import Workshop
from lucidex.services.outside.base import Adapter
from lucidex.services.outside.client import OutsideClient
from lucidex.services.outside.foreign import MAX_LIST, Address, Foreign, Text, cleaned, whole_of, xml_of
from lucidex.services.outside.service import Service, is_on_this_machine

SCAN, PWG = "http://schemas.hp.com/imaging/escl/2011/05/03", "http://www.pwg.org/schemas/2010/12/sm"
UNITS_PER_INCH, MM_PER_INCH = 300, 25.4
WHOLE_SCAN_S, LOOK_EVERY_S, WAITED_FOR_DOCUMENT_S = 300.0, 0.5, 120.0
_PATIENT = httpx.Timeout(WAITED_FOR_DOCUMENT_S, connect=3.0)  # the head may move for long before anything comes
PNG, JPEG = "image/png", "image/jpeg"
PNG_UP_TO_PIXELS = 16_000_000  # without loss as long as that is not very heavy
LEAST_GLASS_MM, MOST_GLASS_MM = 20.0, 1_500.0
LEAST_DPI, MOST_DPI = 50, 9_600

Dpi = Annotated[int, Field(ge=LEAST_DPI, le=MOST_DPI)]


class Tones(StrEnum):
    """In how many tones a scanner sees, in the standard's words."""

    BLACK_AND_WHITE = "BlackAndWhite1"
    GREY = "Grayscale8"
    COLOUR = "RGB24"


class Glass(Foreign):
    """What a scanner can do: the size of its glass in millimetres, resolutions, tones, formats; its own page."""

    name: Text
    width_mm: Annotated[float, Field(ge=LEAST_GLASS_MM, le=MOST_GLASS_MM)]
    height_mm: Annotated[float, Field(ge=LEAST_GLASS_MM, le=MOST_GLASS_MM)]
    resolutions: Annotated[tuple[Dpi, ...], Field(min_length=1)]
    tones: Annotated[frozenset[Tones], Field(min_length=1)]
    formats: frozenset[Text]
    own_page: Address = ""


@dataclass(frozen=True)
class Area:
    """A part of the glass in millimetres."""

    left: float
    top: float
    width: float
    height: float

    def pixels(self, dpi: int) -> tuple[int, int]:
        """How many pixels it is at a resolution."""
        return max(1, round(self.width / MM_PER_INCH * dpi)), max(1, round(self.height / MM_PER_INCH * dpi))


def read_glass(service: Service) -> Glass:
    """What a scanner says of itself. UnavailableError where it is gone, UnreadableFileError where it is none."""
    with OutsideClient(service) as client:
        root = _xml(client.get(_path(service, "ScannerCapabilities"), accept="text/xml").content, service)
    flatbed = _first(root, "PlatenInputCaps")
    if flatbed is None:
        raise UnreadableFileError(f"“{service.name}” has no glass on which something could be laid.")
    said = [whole_of(one.text, MOST_DPI) for one in _all(flatbed, SCAN, "XResolution")]
    dpis = sorted({dpi for dpi in said if dpi >= LEAST_DPI})
    if not dpis:
        least, most = (_number(flatbed, name, usual) for name, usual in (("Min", 75), ("Max", 600)))
        dpis = [dpi for dpi in (75, 100, 150, 200, 300, 400, 600, 1_200) if least <= dpi <= most]
    tones = {one.text for one in _all(flatbed, SCAN, "ColorMode")}
    formats = {
        one.text or ""
        for space, tag in ((PWG, "DocumentFormat"), (SCAN, "DocumentFormatExt"))
        for one in _all(flatbed, space, tag)
    }
    glass = Glass.read(
        name=_text(root, "MakeAndModel") or service.name,
        width_mm=_number(flatbed, "MaxWidth", 2_550) / UNITS_PER_INCH * MM_PER_INCH,
        height_mm=_number(flatbed, "MaxHeight", 3_508) / UNITS_PER_INCH * MM_PER_INCH,
        resolutions=tuple(dpis),
        tones=frozenset(one for one in Tones if one.value in tones) or frozenset((Tones.GREY,)),
        formats=frozenset(formats),
        own_page=_text(root, "AdminURI") or "",
    )
    if glass is None:
        raise UnreadableFileError(f"“{service.name}” says things of its glass that cannot be true.")
    return glass


@contextmanager
def scanned(
    service: Service, glass: Glass, area: Area, dpi: int, tones: Tones, intent: str
) -> Iterator[Iterator[bytes]]:
    """The pieces of a scan's file. The scanner is told to stop where they are not read to their end.

    BusyError where it is at another scan, UnavailableError where it is gone, also in the middle.
    """
    with OutsideClient(service) as client:
        pixels = area.pixels(dpi)
        wants_png = PNG in glass.formats and pixels[0] * pixels[1] <= PNG_UP_TO_PIXELS
        body = _settings(area, dpi, tones, PNG if wants_png else JPEG, intent)
        asked = client.ask(
            "POST", _path(service, "ScanJobs"), content=body, headers={"Content-Type": "text/xml"}, seconds=20
        )
        if asked.status in {409, 400}:
            raise UnreadableFileError(f"“{service.name}” cannot scan this part at {dpi} dpi like this.")
        if asked.status == 503:
            raise BusyError(f"“{service.name}” is at another scan. Try again when it has finished.")
        client.check(asked.status)
        job = client.address(asked.headers.get("Location", ""))
        if job == service.address:
            raise UnreadableFileError(f"“{service.name}” does not say where its scan is to be fetched.")
        is_read = False
        try:
            with (
                _stopped_where_unwanted(client, job),
                _document(client, f"{job.rstrip('/')}/NextDocument", service) as (pieces),
            ):
                yield _to_the_end(client, service, job, pieces)
                is_read = True
        finally:
            if not is_read:
                _stop(client, job)


def _stop(client: OutsideClient, job: str) -> None:
    with suppress(UserError):  # gone, or at its end
        client.ask("DELETE", job, seconds=3)


@contextmanager
def _stopped_where_unwanted(client: OutsideClient, job: str) -> Iterator[None]:
    """Tell the scanner to stop as soon as nobody waits any more, also while it sends nothing yet."""
    gone, is_over = present_event(), threading.Event()

    def watch() -> None:
        while gone is not None and not is_over.wait(LOOK_EVERY_S):
            if gone.is_set():
                _stop(client, job)
                return

    threading.Thread(target=watch, daemon=True).start()
    try:
        yield
    finally:
        is_over.set()


def _to_the_end(client: OutsideClient, service: Service, job: str, pieces: Iterator[bytes]) -> Iterator[bytes]:
    """All pieces; UnavailableError where the scanner says afterwards that it was stopped before its end."""
    yield from pieces
    check_wanted()
    root = _xml(client.get(_path(service, "ScannerStatus"), accept="text/xml").content, service)
    for info in root.iter(f"{{{SCAN}}}JobInfo"):
        uuid, state = _text(info, "JobUuid"), _text(info, "JobState")
        if uuid and job.rstrip("/").endswith(uuid.removeprefix("urn:uuid:")) and state in {"Canceled", "Aborted"}:
            raise UnavailableError(f"“{service.name}” stopped the scan before its end. Nothing was taken in.")


@contextmanager
def _document(client: OutsideClient, address: str, service: Service) -> Iterator[Iterator[bytes]]:
    until = time.monotonic() + WAITED_FOR_DOCUMENT_S
    while True:
        check_wanted()
        with client.answer("GET", address, seconds=WHOLE_SCAN_S, timeout=_PATIENT) as (answer, pieces):
            if answer.status_code == 200:
                yield pieces
                return
            status = answer.status_code
        if status != 503 or time.monotonic() > until:
            if status in {404, 410}:
                raise UnavailableError(f"“{service.name}” stopped the scan. Try again.")
            client.check(status)
        time.sleep(LOOK_EVERY_S)


def _settings(area: Area, dpi: int, tones: Tones, media_type: str, intent: str) -> bytes:
    root = ElementTree.Element(f"{{{SCAN}}}ScanSettings")

    def add(parent: ElementTree.Element, name: str, value: object = None, space: str = SCAN) -> ElementTree.Element:
        child = ElementTree.SubElement(parent, f"{{{space}}}{name}")
        child.text = None if value is None else str(value)
        return child

    add(root, "Version", "2.0", PWG)
    add(root, "Intent", intent)
    region = add(add(root, "ScanRegions", space=PWG), "ScanRegion", space=PWG)
    add(region, "ContentRegionUnits", "escl:ThreeHundredthsOfInches", PWG)
    for name, millimetres in (
        ("Height", area.height),
        ("Width", area.width),
        ("XOffset", area.left),
        ("YOffset", area.top),
    ):
        add(region, name, round(millimetres / MM_PER_INCH * UNITS_PER_INCH), PWG)
    add(root, "InputSource", "Platen", PWG)
    add(root, "ColorMode", tones)
    add(root, "XResolution", dpi)
    add(root, "YResolution", dpi)
    add(root, "DocumentFormat", media_type, PWG)
    add(root, "DocumentFormatExt", media_type)
    return bytes(ElementTree.tostring(root, encoding="utf-8", xml_declaration=True))


def _path(service: Service, name: str) -> str:
    return f"{service.address.rstrip('/')}/{name}"


def _xml(content: bytes, service: Service) -> ElementTree.Element:
    return xml_of(content, f"“{service.name}” does not answer like a scanner (eSCL).")


def _all(root: ElementTree.Element, space: str, name: str) -> Iterator[ElementTree.Element]:
    return islice(root.iter(f"{{{space}}}{name}"), MAX_LIST)


def _first(root: ElementTree.Element, name: str) -> ElementTree.Element | None:
    return next((one for space in (SCAN, PWG) for one in root.iter(f"{{{space}}}{name}")), None)


def _text(root: ElementTree.Element, name: str) -> str | None:
    found = _first(root, name)
    return None if found is None or found.text is None else cleaned(found.text)


def _number(root: ElementTree.Element, name: str, usual: int) -> int:
    return whole_of(_text(root, name)) or usual


def is_reached_by_browser(glass: Glass) -> bool:
    """Whether a scanner's own page may be linked: it lies on this machine, or is served safely."""
    return bool(glass.own_page) and (is_on_this_machine(glass.own_page) or glass.own_page.startswith("https"))


def _describe(workshop: Workshop, service: Service) -> str:
    glass = read_glass(service)
    size = f"{glass.width_mm:.0f} × {glass.height_mm:.0f} mm"
    return f"It is “{glass.name}”, with a glass of {size}, up to {glass.resolutions[-1]} dpi."


ADAPTER = Adapter(
    kind="scanner",
    name="scanner",
    heading="Scanners",
    standard="eSCL",
    example="for example http://192.0.2.7/eSCL/",
    describe=_describe,
)
