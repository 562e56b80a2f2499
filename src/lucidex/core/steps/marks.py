"""Marks of notes in the files themselves, on purpose."""

from typing import Annotated, ClassVar, Literal, Self

from pydantic import FailFast, Field

from lucidex.core.finish.assets import Assets
from lucidex.core.finish.canvas import Canvas, Finished
from lucidex.core.finish.marks import Mark, draw_mark
from lucidex.core.steps.bands import FinishStep
from lucidex.core.steps.base import Carried, Offer, Sentence, Value, Words

MAX_MARKS = 200


class Marks(FinishStep):
    """Marks that lie on the content of their own picture, drawn at each place's own resolution."""

    kind: Literal["marks"] = "marks"
    carried: ClassVar[Carried] = Carried.NEVER
    lies_where_drawn: ClassVar[bool] = True
    marks: Annotated[tuple[Mark, ...], Field(max_length=MAX_MARKS), FailFast()] = ()

    def draw(self, canvas: Canvas, assets: Assets) -> Finished:
        """All marks over the canvas, in their order."""
        if canvas.sight is not None:
            for mark in self.marks:
                draw_mark(canvas.pixels, mark, canvas.sight)
        return Finished(canvas.pixels)

    def sentence(self) -> Sentence:
        """For example: Three marks of notes, in the files."""
        count = len(self.marks)
        said = "No marks" if not count else "One mark" if count == 1 else f"{count} marks"
        return Value("marks", said), Words(" of notes in the files.")

    def with_marks(self, marks: tuple[Mark, ...]) -> Self:
        """More of them. ValidationError where they are too many."""
        return type(self).model_validate({"marks": [one.model_dump(mode="json") for one in (*self.marks, *marks)]})

    @classmethod
    def offers(cls) -> tuple[Offer, ...]:
        """None: marks are drawn as notes first."""
        return ()
