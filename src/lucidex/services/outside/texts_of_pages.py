"""Texts of pages from outside, taken apart in a confined process with a short deadline."""

import json
from collections.abc import Callable, Sequence

from pydantic import TypeAdapter

from lucidex.core.errors import UnreadableFileError, UserError
from lucidex.services.house.workshop import Workshop
from lucidex.services.outside.foreign import Foreign, LongText, Text
from lucidex.work.html_task import find_figures

MAX_SRCSET = 20_000


class Figure(Foreign):
    """A picture in a text: what its tag says, and the caption of its figure."""

    src: str
    srcset: str
    sizes: Text
    alt: LongText
    width: Text
    caption: LongText


_FIGURES = TypeAdapter(list[list[Figure]])


def figures_in(workshop: Workshop) -> Callable[[Sequence[str]], list[list[Figure]]]:
    """Finds the pictures in some texts, a list for each. UnreadableFileError where that takes too long."""

    def find(texts: Sequence[str]) -> list[list[Figure]]:
        if not any(texts):
            return [[] for _ in texts]
        content = json.dumps(list(texts)).encode()
        with workshop.originals.receive([content], len(content)) as received:
            try:
                return _FIGURES.validate_json(workshop.reading.run(find_figures, opened=[(received.path, "rb")]))
            except UserError as error:
                raise UnreadableFileError("Its pages are written in a way that cannot be read here.") from error

    return find
