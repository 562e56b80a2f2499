"""A scan as a file: rows are put away while the head moves, then written in the format that was asked for."""

import queue
import tempfile
import threading
import time
from collections.abc import Callable, Iterator

import numpy as np
import pyvips

from standins.scanner.carriage import Shot, strips
from standins.scanner.glass import HEIGHT_MM, MM_PER_INCH, Glass

JPEG, PNG = "image/jpeg", "image/png"
FORMATS = (JPEG, PNG)
_SETTINGS = {JPEG: ".jpg[Q=94,optimize_coding]", PNG: ".png[compression=3]"}
PIECES_WAITING = 16
WAITED_S = 0.2
SECONDS_AN_INCH = ((150, 0.12), (300, 0.35), (600, 0.9), (1_200, 1.8))  # of the head, by resolution


class Stopped(Exception):  # noqa: N818 - it is no error
    """Somebody stopped the scan."""


def seconds_for(shot: Shot) -> float:
    """How long the head moves."""
    a_inch = next((seconds for dpi, seconds in SECONDS_AN_INCH if shot.dpi <= dpi), SECONDS_AN_INCH[-1][1])
    return a_inch * min(shot.region.height, HEIGHT_MM) / MM_PER_INCH


def file_of(
    glass: Glass, shot: Shot, media_type: str, is_stopped: Callable[[], bool], pace: float = 1.0
) -> Iterator[bytes]:
    """The pieces of a scan's file. It takes as long as the head moves, times `pace`. Raises Stopped."""
    with tempfile.NamedTemporaryFile() as rows:
        began, seconds, done = time.monotonic(), seconds_for(shot) * pace, 0
        for strip in strips(glass, shot):
            rows.write(strip.tobytes())
            done += strip.shape[0]
            while not is_stopped() and (left := began + seconds * done / shot.height - time.monotonic()) > 0:
                time.sleep(min(left, WAITED_S))
            if is_stopped():
                raise Stopped
        rows.flush()
        pixels = np.memmap(rows.name, np.uint8, "r")
        image = pyvips.Image.new_from_memory(pixels, shot.width, shot.height, shot.bands, "uchar")
        kind, per_mm = "b-w" if shot.bands == 1 else "srgb", shot.dpi / MM_PER_INCH
        yield from _written(image.copy(interpretation=kind, xres=per_mm, yres=per_mm), _SETTINGS[media_type])


def _written(image: pyvips.Image, settings: str) -> Iterator[bytes]:
    """The pieces of a file as they are written, by a thread that waits where nobody takes them."""
    pieces: queue.Queue[bytes | BaseException | None] = queue.Queue(PIECES_WAITING)
    gone = threading.Event()

    def put(piece: bytes | BaseException | None) -> int:
        while not gone.is_set():
            try:
                pieces.put(piece, timeout=WAITED_S)
            except queue.Full:
                continue
            return len(piece) if isinstance(piece, bytes) else 0
        return -1  # the encoder stops

    def encode() -> None:
        try:
            target = pyvips.TargetCustom()
            target.on_write(lambda piece: put(bytes(piece)))
            image.write_to_target(target, settings)
        except pyvips.Error as error:
            put(error)
        else:
            put(None)

    worker = threading.Thread(target=encode, daemon=True)
    worker.start()
    try:
        while (piece := pieces.get()) is not None:
            if isinstance(piece, BaseException):
                raise piece
            yield piece
    finally:
        gone.set()
        worker.join()  # it reads what is deleted after this
