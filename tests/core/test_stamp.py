"""Texts in files: other programs read them, no pixel changes, and a ceiling counts them."""

import io
from xml.etree import ElementTree

import numpy as np
import pytest
import pyvips
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from lucidex.core import OutOfRangeError, read_demand, write
from lucidex.core.encode import FORMAT_NAMES, Encoding, FormatName, encode
from lucidex.core.keys import stamped_key
from lucidex.core.stamp import NO_TEXTS, Texts, holds_texts, reserved_for, stamped, xmp_packet
from tests.conftest import smooth_picture

TEXTS = Texts(
    alternative="Two tomatoes <on> a sill & a cat", caption="Größe: “120 × 90”\nevening", credit="Mara Lind"
)
ABLE = [name for name in FORMAT_NAMES if holds_texts(name)]
AVIF = FormatName("avif")


def image() -> pyvips.Image:
    pixels = smooth_picture(321, 123)
    return pyvips.Image.new_from_memory(pixels.tobytes(), 321, 123, 3, "uchar").copy(interpretation="srgb")


def found(packet: bytes) -> list[str]:
    """The words of a packet, as an XML parser finds them."""
    return [text for text in ElementTree.fromstring(packet).itertext() if text.strip()]


@pytest.mark.parametrize("name", ABLE)
@pytest.mark.parametrize("density", [None, 300.0])
def test_another_program_finds_the_texts_and_the_same_pixels(name: FormatName, density: float | None) -> None:
    plain = encode(image(), name, Encoding(name.output.default_quality, density))
    content = stamped(plain, name, TEXTS)
    with Image.open(io.BytesIO(plain)) as before, Image.open(io.BytesIO(content)) as read:
        read.load()
        packet = read.info.get("xmp") or read.info["XML:com.adobe.xmp"].encode()
        assert found(packet) == [TEXTS.caption, TEXTS.credit, TEXTS.alternative]
        assert np.array_equal(np.asarray(read), np.asarray(before))
        assert read.info["icc_profile"] == before.info["icc_profile"]
        assert read.info.get("dpi") == before.info.get("dpi")
    again = pyvips.Image.new_from_buffer(content, "")
    assert again.get("xmp-data") == xmp_packet(TEXTS)


@pytest.mark.parametrize("name", ABLE)
def test_clear_areas_stay_where_the_format_has_them(name: FormatName) -> None:
    content = encode(image().bandjoin(120), name, Encoding(name.output.default_quality))
    with Image.open(io.BytesIO(stamped(content, name, TEXTS))) as read:
        assert ("A" in read.getbands()) is name.output.keeps_clear


@given(st.text(max_size=400), st.text(max_size=60))
def test_every_text_gives_a_packet_that_an_xml_parser_reads(caption: str, credit: str) -> None:
    texts = Texts(caption=caption, credit=credit)
    packet = xmp_packet(texts)
    assert bool(packet) is texts.are_there
    if packet:
        ElementTree.fromstring(packet)
    assert reserved_for(texts) >= len(packet)


def test_the_longest_texts_fit_into_every_file() -> None:
    longest = Texts(alternative="&" * 2_000, caption="\U0001f345" * 4_000, credit="<" * 400)
    for name in ABLE:
        content = stamped(encode(image(), name, Encoding(name.output.default_quality)), name, longest)
        assert pyvips.Image.new_from_buffer(content, "").get("xmp-data") == xmp_packet(longest)


def test_a_ceiling_counts_the_texts() -> None:
    noisy = pyvips.Image.gaussnoise(640, 400, sigma=12, mean=128, seed=7).cast("uchar")
    picture = noisy.bandjoin([noisy, noisy]).copy(interpretation="srgb")
    for typed in ("640x400 as jpeg under 30 kB", "640x400 as webp under 30 kB"):
        demand = read_demand(typed).demand()
        texts = Texts(caption="word " * 700)
        assert len(write(picture, demand)) > 28_000
        content = write(picture, demand, texts=texts)
        assert 26_000 < len(content) <= 30_000
        assert xmp_packet(texts) in content


def test_a_corrected_word_leaves_the_pixels_as_they_were() -> None:
    assert reserved_for(Texts(caption="A tomatoe")) == reserved_for(Texts(caption="A tomato"))


def test_a_format_without_texts_says_so_and_names_those_that_have_them() -> None:
    content = encode(image(), AVIF, Encoding(50))
    assert stamped(content, AVIF, NO_TEXTS) == content
    with pytest.raises(OutOfRangeError, match=r"AVIF files carry no texts here.*JPEG or PNG or WebP"):
        stamped(content, AVIF, TEXTS)


def test_the_key_follows_the_words_and_is_the_bytes_own_without_them() -> None:
    assert stamped_key("e" * 64, NO_TEXTS) == "e" * 64
    keys = {stamped_key(one, texts) for one in ("e" * 64, "f" * 64) for texts in (TEXTS, Texts(credit="Mara Lind"))}
    assert len(keys) == 4
    assert stamped_key("e" * 64, TEXTS) == stamped_key("e" * 64, TEXTS.model_copy())
