"""What warnings measure on finished pixels, before they are encoded. It is kept with the file, under its key."""

from collections.abc import Callable
from dataclasses import dataclass

from pydantic import JsonValue

from lucidex.core.source.pyramid import AnyPixels


@dataclass(frozen=True)
class Look:
    """One thing that is measured, once for each file.

    `at` is given height × width × 3 or 4 bytes of sRGB and answers what JSON can hold. Where it comes to another
    answer than before, its `revision` is raised: files made until then are looked at again.
    """

    name: str
    revision: int
    at: Callable[[AnyPixels], JsonValue]
