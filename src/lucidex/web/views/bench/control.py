"""What a step's own control is: what the stage shows while it is unfolded, what its partial needs, its addresses."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from fastapi import APIRouter

from lucidex.core.steps import StepEntry
from lucidex.records.models import Place
from lucidex.services.people.people import Actor
from lucidex.services.pictures.documents import PictureState
from lucidex.services.rendering.render_requests import PlacedPicture
from lucidex.web.request.context import AppContext
from lucidex.web.views.bench.stage import StageValues


@dataclass(frozen=True)
class Control:
    """A control of its own for one kind of step; its partial is `bench/steps/KIND.html`, where it has one, or has the
    name that `partial` says.

    `stage`, or `place_stage` for the chosen place, says what is seen and dragged while it is unfolded, `values` what
    the partial is given as `view.own`, and `routes` hold its own addresses. With `histogram` the plain form stands
    under one.
    """

    kind: str
    stage: Callable[[PictureState, StepEntry], StageValues] | None = None
    place_stage: Callable[[AppContext, PictureState, StepEntry, Place, PlacedPicture], StageValues] | None = None
    values: Callable[[AppContext, Actor], Any] | None = None
    routes: APIRouter | None = None
    histogram: bool = False
    partial: str = ""


_controls: dict[str, Control] = {}  # by the kind of their step; filled by `web.views.bench.controls`


def register(*controls: Control) -> None:
    """Let the bench know of controls."""
    _controls.update({control.kind: control for control in controls})


def control_of(kind: str) -> Control:
    """A step's own control, or one that adds nothing to the plain form."""
    return _controls.get(kind, Control(kind))
