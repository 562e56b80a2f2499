"""Files that come out as they came in: no pixel is computed, so none is compressed twice.

What a file says beside its pixels stays behind; its colour profile goes along. A JPEG is turned by whole quarters and
mirrored on its coefficients (ITU-T T.81, A.1), which loses nothing where its sides are whole blocks.
"""

import shutil
import struct
import subprocess
from dataclasses import dataclass
from typing import BinaryIO

from lucidex.core.encode import png_order
from lucidex.core.errors import UnavailableError
from lucidex.core.geometry.transform import Transform

TURNER = "jpegtran"  # of Debian's libjpeg-turbo-progs; it is given nothing but the file, and gives nothing but a file
MAX_MEMORY, MAX_SECONDS = "400M", 60
_TURNS = {
    (1, 0, 0, 1): (),
    (0, -1, 1, 0): ("-rotate", "90"),
    (-1, 0, 0, -1): ("-rotate", "180"),
    (0, 1, -1, 0): ("-rotate", "270"),
    (-1, 0, 0, 1): ("-flip", "horizontal"),
    (1, 0, 0, -1): ("-flip", "vertical"),
    (0, 1, 1, 0): ("-transpose",),
    (0, -1, -1, 0): ("-transverse",),
}
HEAD_BYTES = 400_000  # records of many kinds may stand before a frame's header
_WITH_WARNINGS = 2  # jpegtran's exit status where it did what was asked, and found something to complain of
_NOT_TAKEN = "This JPEG could not be taken over as it is. Choose a quality, and it is written anew."
_JPEG_END = b"\xff\xd9"
_START_OF_FRAME = {*range(0xC0, 0xD0)} - {0xC4, 0xC8, 0xCC}
_WITHOUT_LENGTH = {0x01, *range(0xD0, 0xD9)}


@dataclass(frozen=True)
class Passage:
    """How a file passes: its format's name, and what `jpegtran` does to it on the way, if anything."""

    format: str
    turn: tuple[str, ...] = ()

    @property
    def short_words(self) -> str:
        """The same for a narrow seat."""
        return "turned without loss" if self.turn else "as it came in"

    @property
    def words(self) -> str:
        """What is said of it."""
        if self.turn:
            return "turned without loss: nothing is compressed twice"
        return "as it came in: nothing is compressed twice"


def passage_of(file: BinaryIO, label: str, total: Transform) -> Passage | None:
    """How an original passes whose stored pixels only change places, by `total`; None where it cannot.

    `label` is the standard name of its format. A JPEG that is turned needs sides of whole blocks, or its last ones
    would stay behind; a PNG has to keep to its standard, or not everybody could open what comes out.
    """
    turn = _TURNS.get((round(total.a), round(total.b), round(total.c), round(total.d)))
    if turn is None:
        return None
    if label == "JPEG":
        frame = _frame(file.read(HEAD_BYTES))
        if frame is None or frame.bands not in {1, 3} or frame.bits != 8:
            return None
        is_whole = frame.width % frame.block_width == 0 and frame.height % frame.block_height == 0
        return Passage("jpeg", turn) if not turn or is_whole else None
    if label == "PNG" and not turn and png_order.is_to_the_letter(file):
        return Passage("png")
    return None


def passed(content: bytes, passage: Passage) -> bytes:
    """The file as it comes out. Raises UnavailableError where the tool that turns it is missing or fails."""
    if passage.format == "png":
        return _clean_png(content)
    turner = shutil.which(TURNER)
    if turner is None:
        raise UnavailableError("Debian's package libjpeg-turbo-progs is missing on this machine.")
    command = [turner, "-copy", "icc", "-optimize", "-maxmemory", MAX_MEMORY, *passage.turn]
    command += ["-perfect"] if passage.turn else []
    try:
        done = subprocess.run(command, input=content, capture_output=True, timeout=MAX_SECONDS, check=False)
    except (subprocess.SubprocessError, OSError) as error:
        raise UnavailableError(_NOT_TAKEN) from error
    if done.returncode not in {0, _WITH_WARNINGS} or not done.stdout.endswith(_JPEG_END):
        raise UnavailableError(_NOT_TAKEN)
    return done.stdout


def _clean_png(content: bytes) -> bytes:
    """Without the chunks that say something beside the pixels and their colours."""
    kept, at = [png_order.START], len(png_order.START)
    while at + 12 <= len(content):
        (length,) = struct.unpack_from(">I", content, at)
        name, end = content[at + 4 : at + 8], at + 12 + length
        if name in png_order.KEPT:
            kept.append(content[at:end])
        at = end
        if name == b"IEND":
            break
    return b"".join(kept)


@dataclass(frozen=True)
class _Frame:
    """What the frame header of a JPEG says (T.81, B.2.2)."""

    bits: int
    width: int
    height: int
    bands: int
    block_width: int
    block_height: int


def _frame(head: bytes) -> _Frame | None:
    at = 2
    while head.startswith(b"\xff\xd8") and at + 4 <= len(head) and head[at] == 0xFF:
        marker = head[at + 1]
        if marker == 0xFF or marker in _WITHOUT_LENGTH:
            at += 1 if marker == 0xFF else 2
            continue
        (length,) = struct.unpack_from(">H", head, at + 2)
        if marker in _START_OF_FRAME and at + 2 + length <= len(head) and length >= 11:
            bits, height, width, bands = struct.unpack_from(">BHHB", head, at + 4)
            if length < 8 + 3 * bands or not width or not height:
                return None
            sampling = [head[at + 11 + 3 * band] for band in range(bands)]
            across, down = max(one >> 4 for one in sampling), max(one & 15 for one in sampling)
            single = bands == 1  # then a block is a block, whatever the sampling says
            return _Frame(bits, width, height, bands, 8 if single else 8 * across, 8 if single else 8 * down)
        at += 2 + length
    return None
