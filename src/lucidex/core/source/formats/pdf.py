"""PDF (ISO 32000): a page of it, drawn at so many pixels per inch. Only ever opened in the decoding process."""

from collections.abc import Iterator
from contextlib import contextmanager
from io import BufferedReader

import numpy as np
import pypdfium2
import pyvips

from lucidex.core.errors import UnreadableFileError
from lucidex.core.geometry.sizes import Size
from lucidex.core.source.formats.base import Content, Drawn, Holds, Opened, Part, SourceFormat, check_page, tail
from lucidex.core.source.formats.pdf_parts import is_page_sound
from lucidex.core.source.formats.pillow_read import image_of_array

DRAWN = Drawn(unit="pixels per inch", usual=200, offered=(100, 150, 200, 300, 600), largest=1_200)
POINTS_AN_INCH = 72
_PASSWORD_ERROR = 4  # FPDF_ERR_PASSWORD


@contextmanager
def _document(file: BufferedReader) -> Iterator[pypdfium2.PdfDocument]:
    file.seek(0)
    try:
        document = pypdfium2.PdfDocument(file.read())
    except pypdfium2.PdfiumError as error:
        if getattr(error, "err_code", None) == _PASSWORD_ERROR:
            raise UnreadableFileError(
                "It is protected by a password. Save it without one, then bring it in."
            ) from error
        raise pyvips.Error("the document cannot be read") from error
    try:
        yield document
    finally:
        document.close()


@contextmanager
def _page(file: BufferedReader, part: Part) -> Iterator[tuple[pypdfium2.PdfPage, int]]:
    with _document(file) as document:
        pages = len(document)
        if not pages:
            raise pyvips.Error("no pages")
        check_page(part.page, pages)
        try:
            yield document[part.page - 1], pages
        except pypdfium2.PdfiumError as error:
            raise pyvips.Error("the page cannot be drawn") from error


def measure(file: BufferedReader, part: Part) -> Size:
    """The size of the page as it is drawn."""
    with _page(file, part) as (page, _):
        return _drawn_size(page, part)


def _drawn_size(page: pypdfium2.PdfPage, part: Part) -> Size:
    scale = (part.density or DRAWN.usual) / POINTS_AN_INCH
    return Size(max(1, -int(-page.get_width() * scale // 1)), max(1, -int(-page.get_height() * scale // 1)))


def open_page(file: BufferedReader, fail_on: str, part: Part) -> Opened:
    """A page on white, with its notes and forms as they are printed."""
    density = part.density or DRAWN.usual
    with _page(file, part) as (page, pages):
        bitmap = page.render(scale=density / POINTS_AN_INCH, rev_byteorder=True, fill_color=(255, 255, 255, 255))
        pixels = np.asarray(bitmap.to_numpy())[..., :3]
        return Opened(
            image_of_array(np.ascontiguousarray(pixels)),
            pages=pages,
            notes=(f"It was drawn at {density} pixels per inch.",),
            pixels_per_inch=float(density),
        )


def ends_early(file: BufferedReader, size: int) -> bool:
    """It ends with a mark."""
    return b"%%EOF" not in tail(file, size)


def is_sound(content: Content, part: Part) -> bool:
    """Whether everything that the page is made of can be unpacked."""
    return is_page_sound(content, part.page)


FORMAT = SourceFormat(
    name="PDF",
    signatures=((b"%PDF-", 0),),
    suffixes=(".pdf",),
    media_type="application/pdf",
    open=open_page,
    measure=measure,
    ends_early=ends_early,
    is_sound=is_sound,
    holds=Holds.PAGES,
    bytes_at_once=12,
    drawn=DRAWN,
)
