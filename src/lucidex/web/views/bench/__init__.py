"""The bench: one picture, its steps and its places."""

from lucidex.core.finish.text.fields import FIELDS
from lucidex.core.steps.finding import found_nothing, is_automatic, looks_by_itself, was_set_by_hand
from lucidex.web.shell.view import View
from lucidex.web.views.bench import controls, drafts, frames, keep, notes, overlays, page, places, sheets, steps
from lucidex.web.views.bench.area_list import listed
from lucidex.web.views.bench.control import control_of
from lucidex.web.views.bench.step_form import (
    amount,
    carries_on_as,
    form_fields,
    pieces,
    shown_field,
)

VIEW = View(
    "bench",
    # those that are asked for while something moves come first: routes are matched in order
    (
        drafts.router,
        frames.router,
        page.router,
        steps.router,
        places.router,
        sheets.router,
        overlays.router,
        notes.router,
        keep.router,
        *controls.ROUTERS,
    ),
    script="bench.js",
    words={
        "amount": amount,
        "can_look": looks_by_itself,
        "carries_on_as": carries_on_as,
        "control_of": control_of,
        "form_fields": form_fields,
        "found_nothing": found_nothing,
        "is_automatic": is_automatic,
        "listed_areas": listed,
        "pieces": pieces,
        "shipped_fields": tuple(FIELDS),
        "shown_field": shown_field,
        "was_set_by_hand": was_set_by_hand,
    },
)
