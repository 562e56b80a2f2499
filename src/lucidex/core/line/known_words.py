"""What people type for things that the line calls otherwise (`core/line/words`), as data: one file a kind of answer.

`same.json` holds words of the line and what else is typed for them; `asked.json` what leaves something open, with a
question and what could be typed instead; `explained.json` what is done elsewhere, or not at all, with a sentence.
"""

import json
from collections.abc import Mapping
from importlib import resources
from typing import Any

from lucidex.core.line.parts import NeedPart
from lucidex.core.typed_text import in_one_form


def _read(name: str) -> Any:  # noqa: ANN401
    return json.loads((resources.files("lucidex.core.line") / "words" / name).read_text("utf-8"))


SAME: Mapping[str, str] = {
    in_one_form(typed): in_one_form(meant)
    for meant, others in _read("same.json").items()
    for typed in others
    if in_one_form(typed) != in_one_form(meant)
}
ASKED: Mapping[str, NeedPart] = {
    in_one_form(typed): NeedPart(one["question"], tuple(one["instead"]), frozenset(), replaces=True)
    for one in _read("asked.json")
    for typed in one["typed"]
}
EXPLAINED: Mapping[str, str] = {
    in_one_form(typed): one["sentence"] for one in _read("explained.json") for typed in one["typed"]
}
