"""What is known of an original."""

from collections.abc import Iterable

from pydantic import BaseModel, ConfigDict

from lucidex.core.framing.subject import Subject
from lucidex.core.geometry.sizes import Size
from lucidex.core.geometry.transform import upright_size
from lucidex.core.source.derivation import Restoration
from lucidex.core.source.formats import format_named
from lucidex.core.source.pyramid import PixelLayout
from lucidex.core.source.recorded import NOTHING_RECORDED, Recorded

INTAKE_REVISION = 6


class SourceFacts(BaseModel):
    """What is known of an original: sizes in pixels, `pixels_per_inch` as recorded in the file.

    `format` is the standard name of a format that is read (`source.formats`). `damage` says in a sentence what is
    missing or wrong where the file came in although it is damaged; `notes` are sentences about what was read
    otherwise than somebody might expect; `frames` counts those of a moving picture; `recorded` is what the file says
    of its making and its meaning, `fingerprint` how it looks (`source.likeness`); `is_photograph` is measured on
    its colours, and False of what was read before that was; `subject` is what it shows, None where nobody has looked.
    `bits` are those of each number in the file; it may be held in more, which `pixel_format` says.
    """

    format: str
    stored_width: int
    stored_height: int
    orientation: int = 1
    bands: int
    pixel_format: str
    bits: int = 8
    interpretation: str
    has_alpha: bool = False
    has_clear_areas: bool = False
    profile: bytes | None = None
    colour: str = "sRGB"
    pixels_per_inch: float | None = None
    pages: int = 1
    frames: int = 1
    damage: str | None = None
    notes: tuple[str, ...] = ()
    recorded: Recorded = NOTHING_RECORDED
    fingerprint: str = ""
    is_photograph: bool = False
    subject: Subject | None = None
    intake_revision: int = 1

    model_config = ConfigDict(frozen=True, ser_json_bytes="base64", val_json_bytes="base64")

    @property
    def stored(self) -> Size:
        """Size of the stored pixels."""
        return Size(self.stored_width, self.stored_height)

    @property
    def upright(self) -> Size:
        """Size as seen, the orientation honoured."""
        return upright_size(self.stored, self.orientation)

    @property
    def layout(self) -> PixelLayout:
        """How the raw pixels lie."""
        return PixelLayout(self.bands, self.pixel_format, self.interpretation, self.has_alpha)

    def after(self, restorations: Iterable[Restoration]) -> "SourceFacts":
        """What is known of what restorations make of it: some make a part of it clear."""
        if not any(one.adds_alpha for one in restorations):
            return self
        clear = {"bands": self.layout.with_alpha.bands, "has_alpha": True, "has_clear_areas": True}
        return self.model_copy(update=clear)

    @property
    def media_type(self) -> str:
        """The registered media type."""
        return format_named(self.format).media_type

    @property
    def suffixes(self) -> tuple[str, ...]:
        """What files of this format are called."""
        return format_named(self.format).suffixes
