"""Every format that people have: written by other libraries from pixels that are known, and read back as these."""

import io
import struct
from collections.abc import Callable, Iterator
from pathlib import Path

import imagecodecs
import numpy as np
import pillow_heif
import pytest
import pyvips
from PIL import Image, TiffImagePlugin

from lucidex.core import OpenedPicture, open_picture
from lucidex.core.errors import TooLargeError, UnreadableFileError
from lucidex.core.source.formats import FORMATS, format_of
from lucidex.core.source.recorded import read_recorded
from lucidex.core.stamp.older_records import exif_block
from lucidex.core.stamp.texts import Texts
from tests.conftest import Pixels, smooth_picture

PIXELS = smooth_picture(130, 90)
CLEAR = np.dstack([PIXELS, np.linspace(0, 255, 130 * 90).reshape(90, 130).astype(np.uint8)])


def by_pillow(plugin: str, pixels: Pixels = PIXELS, mode: str | None = None, **options: object) -> bytes:
    """Written by another library than the one that reads."""
    out, image = io.BytesIO(), Image.fromarray(pixels)
    (image.convert(mode) if mode else image).save(out, plugin, **options)  # type: ignore[arg-type]
    return out.getvalue()


def heic(pixels: Pixels = PIXELS, **options: object) -> bytes:
    """A HEIC file, without loss but for its colour coding."""
    out = io.BytesIO()
    pillow_heif.from_bytes("RGB", (pixels.shape[1], pixels.shape[0]), pixels.tobytes()).save(
        out, quality=-1, chroma=444, **options
    )
    return out.getvalue()


def svg(inside: str, more: str = "") -> bytes:
    """A drawing of 100 × 50."""
    return f'<svg xmlns="http://www.w3.org/2000/svg" width="100" height="50" {more}>{inside}</svg>'.encode()


def pdf(pages: int = 1, colour: tuple[int, int, int] = (60, 140, 90)) -> bytes:
    """Pages of 144 × 72 points, each of one colour."""
    sheets = [Image.new("RGB", (144, 72), colour) for _ in range(pages)]
    out = io.BytesIO()
    sheets[0].save(out, "PDF", save_all=True, append_images=sheets[1:], resolution=72, quality=100)
    return out.getvalue()


@pytest.fixture(autouse=True)
def unblocked() -> Iterator[None]:
    """As in the decoding process: what a workshop blocks in its own is not blocked here."""
    pyvips.block_untrusted_set(False)
    yield
    pyvips.block_untrusted_set(True)


def opened(tmp_path: Path, content: bytes, page: int = 1, density: int | None = None) -> OpenedPicture:
    path = tmp_path / "picture.bin"
    path.write_bytes(content)
    return open_picture(path, page, density)


@pytest.mark.parametrize(
    ("make", "name", "most"),
    [
        (lambda: by_pillow("BMP"), "BMP", 0),
        (lambda: by_pillow("TGA"), "TGA", 0),
        (lambda: by_pillow("TGA", compression="tga_rle"), "TGA", 0),
        (lambda: by_pillow("JPEG2000", irreversible=False), "JPEG 2000", 0),
        (lambda: by_pillow("JPEG2000", irreversible=False, no_jp2=True), "JPEG 2000", 0),
        (lambda: by_pillow("ICO", sizes=[(130, 90)]), "ICO", 0),
        (lambda: by_pillow("WEBP", lossless=True), "WebP", 0),
        (lambda: by_pillow("TIFF", compression="tiff_lzw"), "TIFF", 0),
        (lambda: by_pillow("AVIF", quality=100, subsampling="4:4:4"), "AVIF", 3),
        (lambda: by_pillow("JPEG", quality=100, subsampling=0, progressive=True), "JPEG", 4),
        (heic, "HEIC", 3),
    ],
)
def test_pixels_come_out_as_another_library_wrote_them(
    tmp_path: Path, make: Callable[[], bytes], name: str, most: int
) -> None:
    picture = opened(tmp_path, make())
    assert picture.facts.format == name
    level = picture.source.open_level(1)
    assert level.shape[:2] == (90, 130)
    assert np.abs(level[..., :3].astype(int) - PIXELS).max() <= most


@pytest.mark.parametrize("plugin", ["TGA", "ICO", "JPEG2000", "WEBP", "TIFF", "PNG"])
def test_clear_areas_stay(tmp_path: Path, plugin: str) -> None:
    options = {"WEBP": {"lossless": True, "exact": True}, "ICO": {"sizes": [(130, 90)]}, "JPEG2000": {}}
    picture = opened(tmp_path, by_pillow(plugin, CLEAR, **options.get(plugin, {})))
    level = picture.source.open_level(1)
    assert picture.facts.has_alpha
    assert np.array_equal(level[..., 3], CLEAR[..., 3])


@pytest.mark.parametrize("plugin", ["BMP", "TGA", "JPEG2000", "PNG", "TIFF"])
def test_grey_is_read_as_grey(tmp_path: Path, plugin: str) -> None:
    grey = PIXELS[..., 0].copy()
    level = opened(tmp_path, by_pillow(plugin, grey)).source.open_level(1)
    assert np.array_equal(level[..., 0], grey)


@pytest.mark.parametrize("plugin", ["BMP", "TGA", "PNG", "GIF"])
def test_a_palette_is_read_as_its_colours(tmp_path: Path, plugin: str) -> None:
    few = Image.fromarray(PIXELS).quantize(60)
    out = io.BytesIO()
    few.save(out, plugin)
    level = opened(tmp_path, out.getvalue()).source.open_level(1)
    assert np.array_equal(level[..., :3], np.asarray(few.convert("RGB")))


def test_the_largest_of_several_sizes_is_taken_and_said(tmp_path: Path) -> None:
    picture = opened(tmp_path, by_pillow("ICO", smooth_picture(256, 256), sizes=[(16, 16), (64, 64), (256, 256)]))
    assert (picture.facts.stored_width, picture.facts.stored_height) == (256, 256)
    assert "It holds 3 sizes; the largest was taken." in picture.facts.notes


@pytest.mark.parametrize("plugin", ["GIF", "WEBP", "AVIF", "PNG"])
def test_of_a_moving_picture_the_first_frame_is_taken(tmp_path: Path, plugin: str) -> None:
    frames = [Image.new("RGB", (40, 30), colour) for colour in ("#204060", "#802040", "#40a020")]
    out = io.BytesIO()
    frames[0].save(out, plugin, save_all=True, append_images=frames[1:], duration=100)
    picture = opened(tmp_path, out.getvalue())
    assert (picture.facts.frames, picture.facts.pages) == (3, 1)
    assert picture.source.open_level(1).shape[:2] == (30, 40)
    assert np.abs(picture.source.open_level(1)[15, 20, :3].astype(int) - (0x20, 0x40, 0x60)).max() <= 6


def test_a_turned_telephone_picture_is_upright_once(tmp_path: Path) -> None:
    """HEIC says twice how it stands; it is turned once."""
    exif = Image.Exif()
    exif[0x0112] = 6
    picture = opened(tmp_path, heic(exif=exif.tobytes()))
    assert (picture.facts.upright.width, picture.facts.upright.height) == (90, 130)
    turned = np.rot90(PIXELS, -1)
    assert picture.facts.orientation == 1
    assert np.abs(picture.source.open_level(1).astype(int) - turned).max() <= 3


def test_pages_of_a_document_are_drawn_so_densely_as_is_asked(tmp_path: Path) -> None:
    usual = opened(tmp_path, pdf(pages=3))
    assert (usual.facts.pages, usual.facts.stored_width, usual.facts.stored_height) == (3, 400, 200)
    assert usual.facts.pixels_per_inch == 200
    dense = opened(tmp_path, pdf(pages=3), page=3, density=300)
    assert (dense.facts.stored_width, dense.facts.stored_height) == (600, 300)
    assert np.abs(dense.source.open_level(1)[100, 100, :3].astype(int) - (60, 140, 90)).max() <= 2
    with pytest.raises(UnreadableFileError, match="no page 4: it holds 3"):
        opened(tmp_path, pdf(pages=3), page=4)
    with pytest.raises(UnreadableFileError, match="at most 1200 pixels per inch"):
        opened(tmp_path, pdf(), density=1_201)


@pytest.mark.long
def test_a_page_that_would_be_too_large_is_refused_before_it_is_drawn(tmp_path: Path) -> None:
    out = io.BytesIO()
    Image.new("RGB", (20_000, 20_000)).resize((2_000, 2_000)).save(out, "PDF", resolution=7.2)
    with pytest.raises(TooLargeError, match="million"):
        opened(tmp_path, out.getvalue(), density=1_200)


@pytest.mark.long
def test_a_drawing_is_drawn_large_enough(tmp_path: Path) -> None:
    red = svg('<rect width="50" height="50" fill="#c02020"/>')
    picture = opened(tmp_path, red)
    assert (picture.facts.stored_width, picture.facts.stored_height) == (2_048, 1_024)
    level = picture.source.open_level(1)
    assert tuple(level[500, 500]) == (0xC0, 0x20, 0x20, 255)
    assert level[500, 1_500, 3] == 0
    assert any("2048 × 1024" in note for note in picture.facts.notes)
    assert opened(tmp_path, red, density=4_096).facts.stored_width == 4_096


def repeated(how: str, element: str = "g") -> str:
    """Each part repeats the one before ten times."""
    inside = (f'<{element} id="a{level}">{how.format(level - 1) * 10}</{element}>' for level in range(1, 8))
    return "".join(inside) + how.format(7)


def test_parts_that_repeat_others_a_little_are_drawn(tmp_path: Path) -> None:
    uses = "".join(f'<use href="#a" x="{x}"/>' for x in range(0, 50, 10))
    inside = '<g id="a"><rect width="5" height="50" fill="#c02020"/></g><g id="b"><use href="#b"/></g>'
    level = opened(tmp_path, svg(inside + uses)).source.open_level(1)
    assert tuple(level[500, 900]) == (0xC0, 0x20, 0x20, 255)


@pytest.mark.parametrize(
    ("content", "sentence"),
    [
        (b'<!DOCTYPE svg [<!ENTITY a "b">]>' + svg("<text>&a;</text>"), "entities"),
        (svg("<g>" * 400 + "</g>" * 400), "too deep"),
        (svg("<g/>" * 200_001), "too many parts"),
        (svg('<g id="a0"><rect/></g>' + repeated('<use href="#a{0}"/>')), "parts repeat others"),
        (svg('<g id="a0"><rect/></g>' + repeated('<use xlink:href="#a{0}"/>')), "parts repeat others"),
        (
            svg('<g id="a0"><rect/></g>' + repeated('<rect style="fill:url(#a{0})"/>', "pattern")),
            "parts repeat others",
        ),
        (svg('<g id="a0"><rect/></g>' + repeated("<rect mask=\"url('#a{0}')\"/>", "mask")), "parts repeat others"),
    ],
)
def test_drawings_that_would_hurt_are_refused(tmp_path: Path, content: bytes, sentence: str) -> None:
    with pytest.raises(UnreadableFileError, match=sentence):
        opened(tmp_path, content)


@pytest.mark.long
@pytest.mark.parametrize(
    ("inside", "said"),
    [
        ('<script>alert("a")</script>', "scripts, which were not run"),
        ('<rect width="9" height="9" onclick="a()"/>', "scripts, which were not run"),
        ('<image href="file:///etc/hostname" width="9" height="9"/>', "other files, which were left out"),
        ('<rect style="fill:url(http://example.invalid/a)" width="9" height="9"/>', "other files"),
        ("<style>@import 'a.css';</style>", "other files"),
        ("<foreignObject/>", "no drawing, which were left out"),
        ("<text>a</text>", "text as letters, which were drawn in a face"),
    ],
)
def test_what_is_not_drawn_is_said(tmp_path: Path, inside: str, said: str) -> None:
    notes = opened(tmp_path, svg(inside + '<rect width="20" height="20"/>')).facts.notes
    assert any(said in note for note in notes)


def test_a_foreign_file_is_never_drawn_into_a_drawing(tmp_path: Path) -> None:
    """A picture beside the drawing stays out of it."""
    beside = tmp_path / "beside.png"
    pyvips.Image.black(10, 10, bands=3).pngsave(str(beside))
    content = svg(f'<image href="{beside}" width="100" height="50"/><image href="beside.png" width="99" height="9"/>')
    assert opened(tmp_path, content).source.open_level(1)[..., 3].max() == 0


def test_a_page_with_a_password_says_so(tmp_path: Path) -> None:
    head = pdf()
    at = head.rindex(b"trailer")
    locked = (
        head[:at]
        + b"9 0 obj\n<</Filter/Standard/V 1/R 2/P -4/O<"
        + b"41" * 32
        + b">/U<"
        + b"42" * 32
        + b">>>\nendobj\n"
    )
    locked += head[at:].replace(
        b"<<",
        b"<</Encrypt<</Filter/Standard/V 1/R 2/P -4/O<" + b"41" * 32 + b">/U<" + b"42" * 32 + b">>>/ID[<41><41>]",
        1,
    )
    with pytest.raises(UnreadableFileError, match="protected by a password"):
        opened(tmp_path, locked)


def test_twelve_bits_of_jpeg_are_refused_in_words(tmp_path: Path) -> None:
    content = bytearray(by_pillow("JPEG"))
    at = content.index(b"\xff\xc0")
    content[at + 4] = 12
    with pytest.raises(UnreadableFileError, match="12 bits a channel"):
        opened(tmp_path, bytes(content))


def test_a_deep_jpeg_2000_says_what_was_read(tmp_path: Path) -> None:
    deep = (PIXELS[..., 0].astype(np.uint16) << 8) + 7
    picture = opened(tmp_path, by_pillow("JPEG2000", deep, irreversible=False))
    level = picture.source.open_level(1)
    assert np.abs(level[..., 0].astype(int) - deep).max() == 0 or any(
        "16 bits" in note for note in picture.facts.notes
    )


def test_printers_inks_become_the_colours_that_another_reader_sees(tmp_path: Path) -> None:
    """CMYK without a profile of its own: near to what the plain formula says for pure inks, and never inverted."""
    inks = np.zeros((40, 40, 4), np.uint8)
    inks[:20, :, 0] = 255
    out = io.BytesIO()
    Image.fromarray(inks, "CMYK").save(out, "TIFF")
    level = opened(tmp_path, out.getvalue()).source.open_level(1)
    cyan, paper = level[5, 5].astype(float) / 257, level[30, 30].astype(float) / 257
    assert paper.min() > 245
    assert cyan[0] < 60 < cyan[1] < cyan[2]


def test_what_a_file_records_is_read(tmp_path: Path) -> None:
    exif = Image.Exif()
    exif[0x010F], exif[0x0110] = "Glass Lens Works", "Model 3"
    exif.get_ifd(0x8769)[0x9003] = "2026:10:12 17:42:00"
    rational = TiffImagePlugin.IFDRational
    exif.get_ifd(0x8825).update(
        {1: "S", 2: (rational(52), rational(30), rational(0)), 3: "E", 4: (rational(4), rational(15), rational(0))}
    )
    xmp = (
        b'<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">'
        b'<rdf:Description xmlns:dc="http://purl.org/dc/elements/1.1/" '
        b'xmlns:Iptc4xmpExt="http://iptc.org/std/Iptc4xmpExt/2008-02-29/"><dc:description><rdf:Alt>'
        b'<rdf:li xml:lang="nl">Koepel</rdf:li><rdf:li xml:lang="x-default">The dome</rdf:li></rdf:Alt>'
        b"</dc:description><Iptc4xmpExt:PersonInImage><rdf:Bag><rdf:li>Ida Brook</rdf:li></rdf:Bag>"
        b"</Iptc4xmpExt:PersonInImage></rdf:Description></rdf:RDF></x:xmpmeta>"
    )
    recorded = opened(tmp_path, by_pillow("JPEG", exif=exif.tobytes(), xmp=xmp)).facts.recorded
    assert (recorded.camera, recorded.taken_at) == ("Glass Lens Works Model 3", "2026-10-12T17:42:00")
    assert (recorded.latitude, recorded.longitude) == (-52.5, 4.25)
    assert (recorded.caption, recorded.people) == ("The dome", ("Ida Brook",))


def test_older_records_are_read_too(tmp_path: Path) -> None:
    def record(number: int, text: bytes) -> bytes:
        return struct.pack(">BBBH", 0x1C, 2, number, len(text)) + text

    iim = record(120, "Café at dusk".encode("latin-1")) + record(110, b"Glasshouse") + record(116, b"All rights")
    block = b"8BIM\x04\x04\0\0" + struct.pack(">I", len(iim)) + iim + b"\0" * (len(iim) % 2)
    body = b"Photoshop 3.0\0" + block
    content = by_pillow("JPEG")
    marked = content[:2] + b"\xff\xed" + struct.pack(">H", len(body) + 2) + body + content[2:]
    recorded = opened(tmp_path, marked).facts.recorded
    assert (recorded.caption, recorded.credit, recorded.rights) == ("Café at dusk", "Glasshouse", "All rights")


def test_every_format_knows_its_own_files_only() -> None:
    """By the first bytes, whatever the order in which formats are asked."""
    files = {
        "JPEG": by_pillow("JPEG"),
        "PNG": by_pillow("PNG"),
        "WebP": by_pillow("WEBP"),
        "GIF": by_pillow("GIF"),
        "TIFF": by_pillow("TIFF"),
        "AVIF": by_pillow("AVIF"),
        "HEIC": heic(),
        "JPEG 2000": by_pillow("JPEG2000"),
        "BMP": by_pillow("BMP"),
        "ICO": by_pillow("ICO", sizes=[(64, 64)]),
        "PDF": pdf(),
        "SVG": svg(""),
        "TGA": by_pillow("TGA"),
    }
    assert set(files) == {one.name for one in FORMATS}
    for name, content in files.items():
        assert [one.name for one in FORMATS if one.is_met_by(content[:4_096])] == [name]
        assert format_of(content[:4_096]) is not None


@pytest.mark.long
@pytest.mark.parametrize(
    "says",
    [
        'viewBox="0 0 0.5 0.4"',
        'viewBox="0 0 0.05 0.04"',
        'viewBox="0 0 500000 400000"',
        'viewBox="0 0 5e9 4e9"',
        'width="0.2" height="0.16" viewBox="0 0 10 8"',
        'width="0.5" height="0.4"',
        "width='1e6mm' height='8e5mm' viewBox='0 0 10 8'",
        'width="100%" height="100%" viewBox="0 0 10 8"',
    ],
)
def test_a_drawing_of_any_size_is_drawn_as_large_as_it_is_asked_for(tmp_path: Path, says: str) -> None:
    """A tiny one was damaged, a large one was refused."""
    inside = '<rect x="0" y="0" width="50%" height="100%" fill="#ff0000"/>'
    content = f'<svg xmlns="http://www.w3.org/2000/svg" {says}>{inside}</svg>'.encode()
    read = opened(tmp_path, content)
    assert (read.facts.stored_width, read.facts.stored_height) == pytest.approx((2_048, 1_638), abs=3)
    row = read.source.open_level(1)[800]
    assert tuple(row[500]) == (255, 0, 0, 255)
    assert row[1_500, 3] == 0


def xmp(inside: str) -> bytes:
    spaces = " ".join(
        f'xmlns:{prefix}="{address}"'
        for prefix, address in (
            ("dc", "http://purl.org/dc/elements/1.1/"),
            ("photoshop", "http://ns.adobe.com/photoshop/1.0/"),
            ("xmpRights", "http://ns.adobe.com/xap/1.0/rights/"),
            ("cc", "http://creativecommons.org/ns#"),
        )
    )
    rdf = "http://www.w3.org/1999/02/22-rdf-syntax-ns#"
    return (
        f'<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="{rdf}"><rdf:Description {spaces}>{inside}'
        "</rdf:Description></rdf:RDF></x:xmpmeta>"
    ).encode()


def alternatives(name: str, text: str) -> str:
    return f'<{name}><rdf:Alt><rdf:li xml:lang="x-default">{text}</rdf:li></rdf:Alt></{name}>'


def test_words_of_exif_in_utf8_are_read_as_they_were_written() -> None:
    written = exif_block(Texts(caption="Größe © 温室", credit="Jörg", licence="© Jörg"))
    found = read_recorded(b"Exif\0\0" + written, b"", b"")
    assert (found.caption, found.credit, found.rights) == ("Größe © 温室", "Jörg", "© Jörg")


def test_joiners_and_lines_stay_and_maker_and_credit_both() -> None:
    text = "नमस्\u200dते می\u200cخواهم"
    inside = alternatives("dc:description", f"{text}\nsecond line") + (
        "<dc:creator><rdf:Seq><rdf:li>Ada Vane</rdf:li></rdf:Seq></dc:creator>"
        "<photoshop:Credit>Marrow Lane</photoshop:Credit>"
    )
    found = read_recorded(b"", xmp(inside), b"")
    assert found.caption == f"{text}\nsecond line"
    assert found.credit == "Ada Vane, Marrow Lane"
    assert found.cut == ()


@pytest.mark.parametrize(
    ("inside", "field", "text"),
    [
        (alternatives("xmpRights:UsageTerms", "Only with leave"), "rights", "Only with leave"),
        ('<cc:license rdf:resource="https://example.org/l/"/>', "rights_address", "https://example.org/l/"),
        (alternatives("dc:title", "Dome"), "caption", "Dome"),
        ("<photoshop:Headline>Dome at dusk</photoshop:Headline>", "caption", "Dome at dusk"),
    ],
)
def test_terms_licences_titles_and_headlines_are_read(inside: str, field: str, text: str) -> None:
    assert getattr(read_recorded(b"", xmp(inside), b""), field) == text


def test_what_is_too_long_is_cut_and_said(tmp_path: Path) -> None:
    out = io.BytesIO()
    Image.new("RGB", (9, 9)).save(out, "JPEG", xmp=xmp(alternatives("dc:description", "word " * 2_000)))
    facts = opened(tmp_path, out.getvalue()).facts
    assert len(facts.recorded.caption) <= 4_000
    assert "Its caption is longer than is kept here, and was cut." in facts.notes


@pytest.mark.parametrize("halved", ["4:2:0", "4:2:2"])
def test_halved_colour_of_avif_is_blended_as_others_do(tmp_path: Path, halved: str) -> None:
    """At the edge of a red field the nearest sample and a blend of two differ by half the range."""
    field = np.zeros((64, 96, 3), np.uint8)
    field[10:51, 13:61] = (255, 0, 0)
    content = by_pillow("AVIF", field, quality=95, subsampling=halved)
    with Image.open(io.BytesIO(content)) as read:
        others = np.asarray(read), imagecodecs.avif_decode(content)
    level = opened(tmp_path, content).source.open_level(1)
    for seen in others:
        assert np.abs(level.astype(int) - seen).max() <= 2


@pytest.mark.parametrize("bits", [10, 12])
def test_all_bits_of_a_deep_avif_are_read(tmp_path: Path, bits: int) -> None:
    largest = 2**bits - 1
    numbers = (PIXELS.astype(np.uint32) * largest // 255).astype(np.uint16)
    picture = opened(tmp_path, imagecodecs.avif_encode(numbers, bitspersample=bits, level=100))
    assert picture.facts.bits == 16
    assert np.abs(picture.source.open_level(1) * (largest / 65_535) - numbers).max() < 0.6
