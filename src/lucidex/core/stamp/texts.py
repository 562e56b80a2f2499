"""The texts of a picture: what publication asks for."""

from typing import Annotated

from pydantic import BaseModel, ConfigDict, FailFast, Field

PersonName = Annotated[str, Field(min_length=1, max_length=400)]


class Texts(BaseModel):
    """The texts that publication asks for.

    `licence` is its name, or words of one's own; `licence_address` where it is written out; `people` are those to be
    mentioned.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    alternative: Annotated[str, Field(max_length=2_000)] = ""
    caption: Annotated[str, Field(max_length=4_000)] = ""
    credit: Annotated[str, Field(max_length=1_000)] = ""
    licence: Annotated[str, Field(max_length=400)] = ""
    licence_address: Annotated[str, Field(max_length=1_000, pattern=r"^(https?://\S+)?$")] = ""
    people: Annotated[tuple[PersonName, ...], Field(max_length=50), FailFast()] = ()

    @property
    def are_there(self) -> bool:
        """Whether there is anything to be carried."""
        return self != NO_TEXTS

    @property
    def rights_are_known(self) -> bool:
        """Whether somebody, or the file itself, said under which rights it may be used."""
        return bool(self.licence)


NO_TEXTS = Texts()
