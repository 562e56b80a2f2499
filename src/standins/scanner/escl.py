"""The documents of eSCL: capabilities, status, and the settings of a scan.

Regions are said in three-hundredths of an inch, whatever the resolution. Source: Mopria Alliance, eSCL technical
specification 2.0, and the schemas of the Printer Working Group that it builds on.
"""

import xml.etree.ElementTree as ElementTree
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

from defusedxml.ElementTree import fromstring

from standins.scanner.carriage import Region, Shot
from standins.scanner.glass import HEIGHT_MM, MM_PER_INCH, WIDTH_MM
from standins.scanner.stream import FORMATS, JPEG

SCAN, PWG = "http://schemas.hp.com/imaging/escl/2011/05/03", "http://www.pwg.org/schemas/2010/12/sm"
VERSION = "2.63"
UNITS_PER_INCH = 300
UNITS = "escl:ThreeHundredthsOfInches"
RESOLUTIONS = (75, 100, 150, 200, 300, 400, 600, 1_200)
MAX_DOCUMENT_BYTES = 64_000
USUAL_THRESHOLD = 128
ElementTree.register_namespace("scan", SCAN)
ElementTree.register_namespace("pwg", PWG)


class ColourMode(StrEnum):
    """In how many tones it is scanned."""

    BLACK_AND_WHITE = "BlackAndWhite1"
    GREY = "Grayscale8"
    COLOUR = "RGB24"


class RefusedSettingsError(ValueError):
    """Settings that the scanner cannot follow."""


def in_units(millimetres: float) -> int:
    """A length in three-hundredths of an inch."""
    return round(millimetres / MM_PER_INCH * UNITS_PER_INCH)


def in_millimetres(units: int) -> float:
    """And back."""
    return units / UNITS_PER_INCH * MM_PER_INCH


def _add(parent: ElementTree.Element, name: str, text: object = None, space: str = SCAN) -> ElementTree.Element:
    child = ElementTree.SubElement(parent, f"{{{space}}}{name}")
    if text is not None:
        child.text = str(text)
    return child


def _written(root: ElementTree.Element) -> bytes:
    return bytes(ElementTree.tostring(root, encoding="utf-8", xml_declaration=True))


def capabilities(uuid: str, admin: str) -> bytes:
    """ScannerCapabilities: a flatbed and nothing else. `admin` is the address of the scanner's own page."""
    root = ElementTree.Element(f"{{{SCAN}}}ScannerCapabilities")
    _add(root, "Version", VERSION, PWG)
    _add(root, "MakeAndModel", "Marrow Lane Simulated flatbed", PWG)
    _add(root, "SerialNumber", "ML-0001", PWG)
    _add(root, "UUID", uuid)
    _add(root, "AdminURI", admin)
    flatbed = _add(_add(root, "Platen"), "PlatenInputCaps")
    for name, value in (
        ("MinWidth", 16),
        ("MaxWidth", in_units(WIDTH_MM)),
        ("MinHeight", 16),
        ("MaxHeight", in_units(HEIGHT_MM)),
        ("MaxScanRegions", 1),
    ):
        _add(flatbed, name, value)
    profile = _add(_add(flatbed, "SettingProfiles"), "SettingProfile")
    modes = _add(profile, "ColorModes")
    for mode in ColourMode:
        _add(modes, "ColorMode", mode)
    formats = _add(profile, "DocumentFormats")
    for media_type in FORMATS:
        _add(formats, "DocumentFormat", media_type, PWG)
    for media_type in FORMATS:
        _add(formats, "DocumentFormatExt", media_type)
    discrete = _add(_add(profile, "SupportedResolutions"), "DiscreteResolutions")
    for dpi in RESOLUTIONS:
        one = _add(discrete, "DiscreteResolution")
        _add(one, "XResolution", dpi)
        _add(one, "YResolution", dpi)
    spaces = _add(profile, "ColorSpaces")
    _add(spaces, "ColorSpace", "sRGB")
    intents = _add(flatbed, "SupportedIntents")
    for intent in ("Preview", "Document", "Photo", "TextAndGraphic"):
        _add(intents, "Intent", intent)
    for name, least, most, normal in (
        ("BrightnessSupport", -100, 100, 0),
        ("ContrastSupport", -100, 100, 0),
        ("ThresholdSupport", 0, 255, USUAL_THRESHOLD),
    ):
        support = _add(root, name)
        for what, value in (("Min", least), ("Max", most), ("Normal", normal), ("Step", 1)):
            _add(support, what, value)
    return _written(root)


@dataclass(frozen=True)
class JobWords:
    """What the status says of one scan."""

    uri: str
    uuid: str
    age_s: int
    state: str
    reason: str
    done: int
    left: int


def status(state: str, jobs: Sequence[JobWords]) -> bytes:
    """ScannerStatus."""
    root = ElementTree.Element(f"{{{SCAN}}}ScannerStatus")
    _add(root, "Version", VERSION, PWG)
    _add(root, "State", state, PWG)
    listed = _add(root, "Jobs")
    for job in jobs:
        info = _add(listed, "JobInfo")
        _add(info, "JobUri", job.uri, PWG)
        _add(info, "JobUuid", job.uuid, PWG)
        _add(info, "Age", job.age_s)
        _add(info, "ImagesCompleted", job.done, PWG)
        _add(info, "ImagesToTransfer", job.left, PWG)
        _add(info, "JobState", job.state, PWG)
        _add(_add(info, "JobStateReasons", space=PWG), "JobStateReason", job.reason, PWG)
    return _written(root)


@dataclass(frozen=True)
class Settings:
    """What is asked for: a scan and the format of its file."""

    shot: Shot
    media_type: str


def read_settings(document: bytes) -> Settings:
    """ScanSettings as they were sent. RefusedSettingsError in words where they cannot be followed."""
    try:
        root = fromstring(document, forbid_dtd=True)
    except Exception as error:
        raise RefusedSettingsError("The settings are no XML.") from error
    if root.tag != f"{{{SCAN}}}ScanSettings":
        raise RefusedSettingsError("The settings are no scan:ScanSettings.")
    if (source := _text(root, "InputSource")) not in {None, "Platen"}:
        raise RefusedSettingsError(f"There is no input source {source}.")
    mode = _one_of(ColourMode, _text(root, "ColorMode") or ColourMode.COLOUR)
    dpi = _number(root, "XResolution", 300)
    if dpi not in RESOLUTIONS or _number(root, "YResolution", dpi) != dpi:
        raise RefusedSettingsError(f"There is no resolution {dpi}.")
    media_type = _text(root, "DocumentFormatExt") or _text(root, "DocumentFormat") or JPEG
    if media_type not in FORMATS:
        raise RefusedSettingsError(f"There is no format {media_type}.")
    is_parted = mode is ColourMode.BLACK_AND_WHITE
    shot = Shot(
        _region(root),
        dpi,
        3 if mode is ColourMode.COLOUR else 1,
        _number(root, "Threshold", USUAL_THRESHOLD, 0, 255) if is_parted else None,
        _number(root, "Brightness", 0, -100, 100),
        _number(root, "Contrast", 0, -100, 100),
    )
    return Settings(shot, media_type)


def _region(root: ElementTree.Element) -> Region:
    found = next(root.iter(f"{{{PWG}}}ScanRegion"), None)
    if found is None:
        return Region(0, 0, WIDTH_MM, HEIGHT_MM)
    if (units := _text(found, "ContentRegionUnits")) not in {None, UNITS}:
        raise RefusedSettingsError(f"Regions are said in {UNITS}, not in {units}.")
    left, top = _number(found, "XOffset", 0, 0, 10_000), _number(found, "YOffset", 0, 0, 10_000)
    width = _number(found, "Width", in_units(WIDTH_MM), 1, 10_000)
    height = _number(found, "Height", in_units(HEIGHT_MM), 1, 10_000)
    if left + width > in_units(WIDTH_MM) + 1 or top + height > in_units(HEIGHT_MM) + 1:
        raise RefusedSettingsError("The region goes beyond the glass.")
    return Region(in_millimetres(left), in_millimetres(top), in_millimetres(width), in_millimetres(height))


def _text(root: ElementTree.Element, name: str) -> str | None:
    for space in (SCAN, PWG):
        found = next(root.iter(f"{{{space}}}{name}"), None)
        if found is not None and found.text is not None:
            return found.text.strip()
    return None


def _number(root: ElementTree.Element, name: str, usual: int, least: int = 1, most: int = 100_000) -> int:
    text = _text(root, name)
    if text is None:
        return usual
    try:
        value = int(text)
    except ValueError as error:
        raise RefusedSettingsError(f"{name} is no whole number.") from error
    if not least <= value <= most:
        raise RefusedSettingsError(f"{name} lies between {least} and {most}.")
    return value


def _one_of(kind: type[ColourMode], text: str) -> ColourMode:
    try:
        return kind(text)
    except ValueError as error:
        raise RefusedSettingsError(f"There is no colour mode {text}.") from error
