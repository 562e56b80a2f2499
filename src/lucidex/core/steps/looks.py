"""Ready-made looks: tone steps kept as data under a name, put on with a strength.

A look is a JSON object with a `name`, what it `says`, and `steps`: tone steps as a picture's list holds them. The
step keeps the whole recipe, so a picture never depends on a file of looks. docs/looks.md says how to add some.
"""

import json
from functools import cache
from importlib import resources
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, ClassVar, Literal, Union

from pydantic import BaseModel, ConfigDict, FailFast, Field, TypeAdapter, ValidationError

from lucidex.core.errors import NotUnderstoodError
from lucidex.core.picture.tone.amounts import Tone
from lucidex.core.steps.bands import ToneStep
from lucidex.core.steps.base import Heading, Offer, Sentence, Step, Value, Words
from lucidex.core.steps.composition import tone_of
from lucidex.core.steps.pointwise import POINTWISE_STEPS
from lucidex.core.steps.upgrades import renamed
from lucidex.core.units import format_number

SHIPPED = "shipped_looks.json"
MAX_LOOKS = 200

if TYPE_CHECKING:
    Ingredient = Step
else:
    Ingredient = Annotated[Union[POINTWISE_STEPS], Field(discriminator="kind")]  # noqa: UP007 - made of a tuple
LookName = Annotated[str, Field(min_length=1, max_length=40, pattern=r"^[^\x00-\x1f]+$")]


class Recipe(BaseModel):
    """What a look is made of."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: LookName
    says: Annotated[str, Field(max_length=160)] = ""
    also_typed: Annotated[str, Field(max_length=400, exclude=True)] = ""  # further words for it on the line
    steps: Annotated[tuple[Ingredient, ...], Field(min_length=1, max_length=20), FailFast()]


class LookStep(ToneStep):
    """A look, put on with a strength."""

    kind: Literal["look"] = "look"
    heading: ClassVar[Heading | None] = Heading.LOOKS
    recipe: Recipe
    strength: Annotated[float, Field(ge=0, le=100, allow_inf_nan=False)] = Field(
        100.0, description="How much of the look."
    )
    varied_field: ClassVar[str | None] = "strength"
    variants: ClassVar[str] = "30; 50; 75; 100"

    def tone(self) -> Tone:
        """Every amount of the recipe, in proportion."""
        total = tone_of(self.recipe.steps)
        return total.times(self.strength / 100) if total else Tone()

    def sentence(self) -> Sentence:
        """For example: The look “Late sun”, by 80 %."""
        return (
            Words("The look “"),
            Value("recipe", self.recipe.name),
            Words("”, by "),
            Value("strength", f"{format_number(self.strength)} %"),
            Words("."),
        )

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """All looks that are known."""
        return tuple(
            Offer((one.name.lower(),), one.says, cls(recipe=one), also=one.also_typed) for one in all_looks()
        )


_ADAPTER = TypeAdapter(list[Recipe])
_added: list[Recipe] = []


@cache
def shipped_looks() -> tuple[Recipe, ...]:
    """The looks that come with the product."""
    return tuple(read_looks((resources.files("lucidex.core.steps") / SHIPPED).read_text("utf-8")))


def all_looks() -> tuple[Recipe, ...]:
    """Shipped looks and added ones; an added one takes the place of a shipped one of its name."""
    by_name = {one.name.lower(): one for one in (*shipped_looks(), *_added)}
    return tuple(by_name.values())


def look_named(name: str) -> Recipe:
    """A known look. NotUnderstoodError where none is called so."""
    found = next((one for one in all_looks() if one.name.lower() == name.strip().lower()), None)
    if found is None:
        raise NotUnderstoodError(f"No look is called “{name[:40]}”.")
    return found


def read_looks(text: str) -> list[Recipe]:
    """Looks from JSON. NotUnderstoodError in words where something in it is no look."""
    try:
        written = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise NotUnderstoodError("This is no list of looks: it is no JSON text.") from error
    try:
        looks = _ADAPTER.validate_python(renamed(written))
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        where = ", ".join(str(part) for part in first["loc"])
        raise NotUnderstoodError(
            f"This is no list of looks: {first['msg'].lower()} ({where or 'at its start'})."
        ) from error
    if len(looks) > MAX_LOOKS:
        raise NotUnderstoodError(f"A file holds at most {MAX_LOOKS} looks; this one has {len(looks)}.")
    return looks


def add_looks(folder: Path) -> list[str]:
    """Read every JSON file of a folder; sentences about those that could not be read."""
    _added.clear()
    troubles = []
    for file in sorted(folder.glob("*.json")):
        try:
            _added.extend(read_looks(file.read_text("utf-8")))
        except (NotUnderstoodError, UnicodeDecodeError) as error:
            message = error.sentence if isinstance(error, NotUnderstoodError) else "It is not text in UTF-8."
            troubles.append(f"{file.name}: {message}")
    return troubles
