"""What is taken at most of what comes in; whoever runs the product may set it (`./start --help`)."""

from dataclasses import dataclass

from lucidex.core.errors import TooLargeError
from lucidex.core.geometry.sizes import MAX_EDGE_PX, MAX_PIXELS, Size


@dataclass(frozen=True)
class IntakeLimits:
    """Bytes of one file and of one archive, pixels of one picture; beside them no side exceeds `MAX_EDGE_PX`."""

    file_bytes: int = 200_000_000
    archive_bytes: int = 4_000_000_000
    pixels: int = MAX_PIXELS

    def check_file(self, byte_count: int) -> None:
        """TooLargeError for a file of more bytes."""
        if byte_count > self.file_bytes:
            raise TooLargeError(f"It weighs {byte_count / 1e6:.0f} MB; {self.file_words} are taken.")

    def check_size(self, size: Size) -> None:
        """TooLargeError for a picture of more pixels."""
        pixels = size.width * size.height
        if size.width > MAX_EDGE_PX or size.height > MAX_EDGE_PX or pixels > self.pixels:
            raise TooLargeError(
                f"It measures {size.width} × {size.height} pixels, which is {pixels / 1e6:.0f} million. "
                f"Up to {self.pixels // 1_000_000} million are taken, and {MAX_EDGE_PX} along a side."
            )

    @property
    def file_words(self) -> str:
        """The most of one file, in words."""
        return f"files of up to {self.file_bytes // 1_000_000} MB"

    @property
    def archive_words(self) -> str:
        """The most of one archive, in words."""
        return f"archives of up to {self.archive_bytes // 1_000_000} MB"


USUAL_LIMITS = IntakeLimits()
OF_WHAT_IS_THERE = IntakeLimits(10**12, 10**12, 10**9)  # what came in once is read again whatever is taken by now
