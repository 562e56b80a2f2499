"""What a picture is of, as far as a look can tell: boxes that must stay whole, and how much every spot weighs.

Numbers only, in fractions of the upright original: they are found once, and hold for every crop and every place.
"""

from enum import StrEnum
from typing import Annotated

import numpy as np
import numpy.typing as npt
from pydantic import BaseModel, ConfigDict, Field

SUBJECT_REVISION = 2
GRID = 24  # spots across and down
MAX_BOXES = 40

Share = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]
Floats = npt.NDArray[np.float64]


class Kept(StrEnum):
    """What must stay whole."""

    FACE = "face"
    OBJECT = "object"  # all that lies on a plain or clear ground: a thing, a word mark


class KeptBox(BaseModel):
    """A box that must stay whole, in fractions of the upright original."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    kind: Kept
    left: Share
    top: Share
    right: Share
    bottom: Share


class Subject(BaseModel):
    """What was found. `weights` are `GRID` × `GRID` spots of 0 to 255, row by row, two hexadecimal digits each."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    boxes: Annotated[tuple[KeptBox, ...], Field(max_length=MAX_BOXES)] = ()
    weights: Annotated[str, Field(pattern=rf"^([0-9a-f]{{{2 * GRID * GRID}}})$")]
    is_concentrated: bool
    edge: Annotated[str, Field(pattern="^(#[0-9a-f]{6}|clear)$")] = Field(
        "#ffffff", description="The colour of its border, or `clear`: on it, more of it looks like the picture's own."
    )
    revision: int = SUBJECT_REVISION

    @property
    def grid(self) -> Floats:
        """The weights, `GRID` × `GRID`, 0 to 1."""
        return np.frombuffer(bytes.fromhex(self.weights), np.uint8).reshape(GRID, GRID) / 255

    @property
    def is_sure(self) -> bool:
        """Whether there is something to keep in view."""
        return bool(self.boxes) or self.is_concentrated

    @property
    def words(self) -> str:
        """For example: two faces."""
        faces = sum(box.kind is Kept.FACE for box in self.boxes)
        if faces:
            return "a face" if faces == 1 else f"{_COUNTS.get(faces, str(faces))} faces"
        if self.boxes:
            return "what lies on the plain ground"
        return "what draws attention" if self.is_concentrated else "nothing that stands out"


_COUNTS = {2: "two", 3: "three", 4: "four", 5: "five", 6: "six"}
