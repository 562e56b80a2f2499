"""Assets: files that steps need beside the picture's own: pictures such as logos, and faces for words.

A step names its assets by their SHA-256, so they are part of its parameters and of every key. Naming one grants no
access: that is decided where a step comes in.
"""

from enum import StrEnum
from typing import Annotated, Protocol

import pyvips
from pydantic import BaseModel, ConfigDict, Field

from lucidex.core.finish.text.faces import Face
from lucidex.core.geometry.sizes import Size


class AssetKind(StrEnum):
    """What an asset is."""

    PICTURE = "picture"
    FONT = "font"


class AssetFile(BaseModel):
    """A file in the store, and the name it came with. Knowing it grants no access."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    sha256: Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]
    name: Annotated[str, Field(min_length=1, max_length=255, pattern=r"^[^\x00-\x1f]+$")]
    kind: AssetKind = AssetKind.PICTURE


class Assets(Protocol):
    """The one way in which a step gets at what it named."""

    def size(self, sha256: str) -> Size:
        """The upright size of a picture among them, in pixels. KeyError where it was not named."""

    def picture(self, sha256: str, size: Size) -> pyvips.Image:
        """A picture among them at some size: 8-bit sRGB of 3 bands, or 4 with unpremultiplied alpha."""

    def face(self, sha256: str) -> Face:
        """A face among them. KeyError where it was not named."""


class _Nothing:
    def size(self, sha256: str) -> Size:
        raise KeyError(sha256)

    def picture(self, sha256: str, size: Size) -> pyvips.Image:
        raise KeyError(sha256)

    def face(self, sha256: str) -> Face:
        raise KeyError(sha256)


NO_ASSETS: Assets = _Nothing()
