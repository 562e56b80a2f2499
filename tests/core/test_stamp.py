"""Texts in files: other programs read them, no pixel changes, and a ceiling counts them."""

from dataclasses import replace
from xml.etree import ElementTree

import numpy as np
import pytest
import pyvips
from hypothesis import given
from hypothesis import strategies as st

from lucidex.core import encode as encode_module
from lucidex.core import read_demand, write
from lucidex.core.encode import FORMAT_NAMES, Encoding, FormatName, decode, encode
from lucidex.core.encode.heif_items import with_xmp
from lucidex.core.geometry.fit import fit
from lucidex.core.geometry.sizes import Size
from lucidex.core.keys import stamped_key
from lucidex.core.proof.warnings import Case, flags
from lucidex.core.source.recorded import NOTHING_RECORDED, Recorded
from lucidex.core.stamp import (
    NO_STAMP,
    Carried,
    Stamp,
    Texts,
    reserved_for,
    stamp_of,
    stamped,
    xmp_packet,
)
from tests.conftest import smooth_picture
from tests.core.reading import said, shown

TEXTS = Texts(
    alternative="Two tomatoes <on> a sill & a cat", caption="Größe: “120 × 90”\nevening", credit="Mara Lind"
)
STAMP = Stamp(texts=TEXTS)


def image() -> pyvips.Image:
    pixels = smooth_picture(321, 123)
    return pyvips.Image.new_from_memory(pixels.tobytes(), 321, 123, 3, "uchar").copy(interpretation="srgb")


def found(packet: bytes) -> list[str]:
    """The words of a packet, as an XML parser finds them."""
    return [text for text in ElementTree.fromstring(packet).itertext() if text.strip()]


@pytest.mark.long
@pytest.mark.parametrize("name", FORMAT_NAMES)
@pytest.mark.parametrize("density", [None, 300.0])
def test_another_program_finds_the_words_and_the_same_pixels(name: FormatName, density: float | None) -> None:
    plain = encode(image(), name, Encoding(name.output.default_quality, density))
    content = stamped(plain, name, STAMP)
    read, before = said(content), said(plain)
    assert read["XMP-dc:Description"].split() == TEXTS.caption.split()
    assert read["XMP-photoshop:Credit"] == TEXTS.credit
    assert read["XMP-iptcCore:AltTextAccessibility"] == TEXTS.alternative
    assert "warning" not in " ".join(read).lower()
    changed = {
        "ExifTool:",
        "System:",
        "XMP-",
        "PNG:",
        "File:FileSize",
        "PDF:",
        "IFD0:",
        "RIFF:",
        "GIF:",
        "QuickTime:MediaData",
        "Meta",
        "Meta:",
    }
    same = {key: value for key, value in before.items() if not key.startswith(tuple(changed))}
    assert same.items() <= read.items()
    assert read.get("IFD0:XResolution") == before.get("IFD0:XResolution")
    assert np.array_equal(shown(content, name), shown(plain, name))


@pytest.mark.parametrize("name", FORMAT_NAMES)
def test_clear_areas_stay_where_the_format_has_them(name: FormatName) -> None:
    content = encode(image().bandjoin(30), name, Encoding(name.output.default_quality))
    stamped_file = stamped(content, name, STAMP)
    assert bool((shown(stamped_file, name)[..., 3] < 255).all()) is name.output.keeps_clear


@pytest.mark.long
@pytest.mark.parametrize("name", FORMAT_NAMES)
def test_camera_and_location_go_along_only_where_they_are_asked_for(name: FormatName) -> None:
    recorded = Recorded(camera="Glass 2", taken_at="2026-10-12T17:42:00", latitude=-33.8568, longitude=151.2153)
    plain = encode(image(), name, Encoding(name.output.default_quality))
    asked = {
        groups: said(stamped(plain, name, stamp_of(TEXTS, recorded, groups)))
        for groups in ((), (Carried.TEXTS,), (Carried.CAMERA,), (Carried.LOCATION,), tuple(Carried))
    }
    for groups, read in asked.items():
        keys = " ".join(read)
        assert ("GPS" in keys) is (Carried.LOCATION in groups)
        assert ("tiff:Model" in keys) is (Carried.CAMERA in groups)
        assert ("Credit" in keys) is (Carried.TEXTS in groups)
    everything = asked[tuple(Carried)]
    assert everything["XMP-exif:GPSLatitude"] == pytest.approx(-33.8568, abs=1e-5)
    assert everything["XMP-exif:GPSLongitude"] == pytest.approx(151.2153, abs=1e-5)
    assert everything["XMP-tiff:Model"] == "Glass 2"
    assert everything["XMP-exif:DateTimeOriginal"].startswith("2026:10:12 17:42")


@pytest.mark.long
@pytest.mark.parametrize("name", FORMAT_NAMES)
def test_a_changed_picture_says_so_without_being_asked(name: FormatName) -> None:
    plain = encode(image(), name, Encoding(name.output.default_quality))
    read = said(stamped(plain, name, stamp_of(TEXTS, NOTHING_RECORDED, (), is_changed=True)))
    assert read["XMP-iptcExt:DigitalSourceType"].endswith("/humanEdits")
    assert "XMP-photoshop:Credit" not in read


@given(st.text(max_size=400), st.text(max_size=60))
def test_every_text_gives_a_packet_that_an_xml_parser_reads(caption: str, credit: str) -> None:
    texts = Texts(caption=caption, credit=credit)
    packet = xmp_packet(Stamp(texts=texts))
    assert bool(packet) is texts.are_there
    if packet:
        ElementTree.fromstring(packet)
    assert reserved_for(Stamp(texts=texts), FormatName("avif")) >= len(packet)


@pytest.mark.long
def test_the_longest_texts_fit_into_every_file() -> None:
    longest = Texts(alternative="&" * 2_000, caption="\U0001f345" * 4_000, credit="<" * 400)
    for name in FORMAT_NAMES:
        content = stamped(encode(image(), name, Encoding(name.output.default_quality)), name, Stamp(texts=longest))
        assert xmp_packet(Stamp(texts=longest)) in content
        assert said(content)["XMP-photoshop:Credit"] == longest.credit


@pytest.mark.long
def test_a_ceiling_counts_the_texts() -> None:
    noisy = pyvips.Image.gaussnoise(640, 400, sigma=12, mean=128, seed=7).cast("uchar")
    picture = noisy.bandjoin([noisy, noisy]).copy(interpretation="srgb")
    for typed in ("640x400 as jpeg under 30 kB", "640x400 as webp under 30 kB"):
        demand = read_demand(typed).demand()
        texts = Texts(caption="word " * 700)
        assert len(write(picture, demand)) > 28_000
        content = write(picture, demand, texts=texts)
        assert 26_000 < len(content) <= 30_000
        assert xmp_packet(Stamp(texts=texts)) in content


def test_a_corrected_word_leaves_the_pixels_as_they_were() -> None:
    assert reserved_for(Stamp(texts=Texts(caption="A tomatoe")), FormatName("webp")) == reserved_for(
        Stamp(texts=Texts(caption="A tomato")), FormatName("webp")
    )


@pytest.mark.parametrize("name", FORMAT_NAMES)
def test_a_file_that_says_nothing_is_the_file(name: FormatName) -> None:
    content = encode(image(), name, Encoding(name.output.default_quality))
    assert stamped(content, name, NO_STAMP) == content


def test_items_of_another_structure_are_refused_and_not_spoilt() -> None:
    for strange in (b"", b"\0\0\0\x08mdat", b"\0\0\1\0meta", encode(image(), FormatName("png"), Encoding(None))):
        with pytest.raises(ValueError, match=r"this file|a box"):
            with_xmp(strange, b"<x/>")


def test_the_key_follows_the_words_and_is_the_bytes_own_without_them() -> None:
    assert stamped_key("e" * 64, NO_STAMP) == "e" * 64
    keys = {
        stamped_key(one, texts)
        for one in ("e" * 64, "f" * 64)
        for texts in (STAMP, Stamp(texts=Texts(credit="Mara Lind")))
    }
    assert len(keys) == 4
    assert stamped_key("e" * 64, STAMP) == stamped_key("e" * 64, STAMP.model_copy())


SHORT = Texts(caption="Zwei © Tomaten", credit="Jörg Ölmann", licence="CC BY 4.0")
LONG = "Zwei Tomaten © Jörg — 温室 " * 30


@pytest.mark.long
@pytest.mark.parametrize("name", ["jpeg", "png", "webp", "avif", "tiff"])
@pytest.mark.parametrize(
    "texts",
    [
        Texts(caption="Zwei © Tomaten", credit="Jörg Ölmann", licence="CC BY 4.0"),
        Texts(caption=LONG.strip(), credit=LONG[:900].strip(), licence="L"),
    ],
)
def test_every_common_reader_finds_the_words(name: str, texts: Texts) -> None:
    """They were XMP only: read with another program, in each kind of record."""
    quality = {"jpeg": 82, "webp": 82, "avif": 63}.get(name)
    plain = encode(image(), FormatName(name), Encoding(quality))
    content = stamped(plain, FormatName(name), Stamp(texts=texts))
    found = said(content)
    assert "warning" not in " ".join(found).lower()
    assert found["XMP-photoshop:Credit"] == texts.credit
    assert found["XMP-dc:Creator"] in (texts.credit, [texts.credit])
    assert found["IFD0:Artist"] == texts.credit
    assert found["IFD0:Copyright"] == texts.licence
    assert found["IFD0:ImageDescription"] == texts.caption
    if name in {"jpeg", "tiff"}:
        assert found["IPTC:By-line"] in texts.credit
        assert found["IPTC:Caption-Abstract"] in texts.caption
        assert found["IPTC:CopyrightNotice"] == texts.licence
    assert decode(content, FormatName(name)).numpy().tobytes() == decode(plain, FormatName(name)).numpy().tobytes()
    assert len(content) - len(plain) <= reserved_for(Stamp(texts=texts), FormatName(name))


def test_a_format_without_a_place_for_texts_stays_as_it_is_and_that_is_said(monkeypatch: pytest.MonkeyPatch) -> None:
    gif, stamp = FormatName("gif"), Stamp(texts=Texts(credit="Ines Marrow"))
    plain = encode(image(), gif, Encoding(None))
    demand = read_demand("40x30").demand()
    case = Case(fit(Size(40, 30), Size(40, 30), demand.rule), demand, gif, carries_texts=True)
    assert stamped(plain, gif, stamp) != plain
    assert "texts lost" not in {flag.kind for flag in flags(case)}
    monkeypatch.setitem(encode_module._BY_NAME, "gif", replace(gif.output, stamp=None))
    assert stamped(plain, gif, stamp) == plain
    assert reserved_for(stamp, gif) == 0
    assert "texts lost" in {flag.kind for flag in flags(case)}
    assert "texts lost" not in {flag.kind for flag in flags(replace(case, carries_texts=False))}
