"""Using a routine: seen on an upright and on a wide picture first, then put on all that are selected."""

from collections.abc import Sequence
from typing import Annotated

import pyvips
from fastapi import APIRouter, Depends, Form, Query, Request
from starlette.responses import HTMLResponse, Response

from lucidex.core.encode import JPEG, PNG, Effort, Encoding, encode
from lucidex.core.errors import NotFoundError, OutOfRangeError
from lucidex.core.places.demand import demand_words
from lucidex.core.routine import Routine
from lucidex.services.folios.folios import FolioView, read_folio
from lucidex.services.pictures.documents import PictureState, read_picture, read_pictures
from lucidex.services.routines import routine_use, routines
from lucidex.web.request.admission import PREVIEWS
from lucidex.web.request.context import App, AppContext, SignedIn
from lucidex.web.request.security import check_csrf
from lucidex.web.shell.templating import partial

router = APIRouter(dependencies=[Depends(check_csrf)], include_in_schema=False)

SHOWN_EDGE = 520
SHOWN_PLACES = 3
Ids = Annotated[list[int], Query()]


def use_sheet(
    request: Request,
    app: AppContext,
    actor: SignedIn,
    folio: FolioView,
    routine_id: int,
    picture_ids: list[int],
    asked: list[int] | None = None,
    bench: int = 0,
    again: Sequence[int] = (),
) -> HTMLResponse:
    """What a routine would do, before it is done. Without `asked`, all that it asks about is ticked.

    Pictures that have its steps already are left out, unless they are named in `again`.
    """
    routine = routines.read_routine(app.workshop, actor, routine_id)
    states = [read_picture(app.workshop, actor, picture_id) for picture_id in picture_ids]
    if not states:
        raise OutOfRangeError("Select the pictures first, by the squares before their names.")
    ticked = frozenset(routine.asks if asked is None else asked)
    places = routine_use.places_of(routine, folio)
    steps, missing = routine_use.steps_there(routine, ticked, places)
    twice = [state for state in states if routine_use.has_already(state, steps)]
    upright = [state for state in states if state.geometry.size.height > state.geometry.size.width]
    wide = [state for state in states if state not in upright]
    return partial(
        request,
        "routines/use.html",
        folio_id=folio.folio.id,
        routine_id=routine_id,
        routine=routine,
        ticked=ticked,
        states=states,
        twice={state.picture_id for state in twice},
        again=again,
        shapes=_shapes(upright, wide),
        places=places,
        shown_places=places[:SHOWN_PLACES],
        missing=missing,
        bench=bench,
        demand_words=demand_words,
    )


def _shapes(upright: list[PictureState], wide: list[PictureState]) -> list[tuple[str, PictureState]]:
    """One picture of each shape that is there, and how many there are."""
    found = ((words, states) for words, states in (("upright", upright), ("wide", wide)) if states)
    return [(f"one of {len(states)} {words}" if len(states) > 1 else words, states[0]) for words, states in found]


@router.get("/folios/{folio_id}/routines/{routine_id}/use")
def look(
    request: Request,
    app: App,
    actor: SignedIn,
    folio_id: int,
    routine_id: int,
    on: Ids,
    ask: Ids = [],  # noqa: B006
    again: Ids = [],  # noqa: B006
    bench: int = 0,
) -> HTMLResponse:
    """The sheet again, with other steps ticked."""
    folio = read_folio(app.workshop, actor, folio_id)
    return use_sheet(request, app, actor, folio, routine_id, _here(folio, on), ask, bench, again)


def _here(folio: FolioView, on: list[int]) -> list[int]:
    chosen = set(on)
    return [picture.id for picture in folio.pictures if picture.id in chosen]


@router.post("/folios/{folio_id}/routines/{routine_id}/use", dependencies=[PREVIEWS])
def use(
    request: Request,
    app: App,
    actor: SignedIn,
    folio_id: int,
    routine_id: int,
    on: Annotated[list[int], Form()] = [],  # noqa: B006
    ask: Annotated[list[int], Form()] = [],  # noqa: B006
    again: Annotated[list[int], Form()] = [],  # noqa: B006
    bench: Annotated[int, Form()] = 0,
) -> Response:
    """Hang its places and put its steps on the selected pictures."""
    folio = read_folio(app.workshop, actor, folio_id)
    routine: Routine = routines.read_routine(app.workshop, actor, routine_id)
    chosen = _here(folio, on)
    if not chosen:
        raise OutOfRangeError("Select the pictures first, by the squares before their names.")
    if len(chosen) > 1:
        steps, _ = routine_use.steps_there(routine, frozenset(ask), routine_use.places_of(routine, folio))
        states = read_pictures(app.workshop, actor, chosen)
        chosen = [s.picture_id for s in states if s.picture_id in again or not routine_use.has_already(s, steps)]
        if not chosen:
            raise OutOfRangeError("All of them have these very steps already. Tick those that shall get them twice.")
    hangs_more = any(not place.hangs for place in routine_use.places_of(routine, folio))
    done = routine_use.use_routine(app.renderer, app.workshop, actor, folio_id, routine, frozenset(ask), chosen)
    if all(one.trouble is None for one in done) and (bench or hangs_more):
        return Response(headers={"HX-Redirect": f"/pictures/{bench}" if bench else f"/folios/{folio_id}/proof"})
    response = partial(request, "bench/copied.html", folio_id=folio_id, done=done)
    response.headers["HX-Trigger"] = "cells-changed"
    return response


@router.get("/pictures/{picture_id}/routines/{routine_id}/tried", dependencies=[PREVIEWS])
def tried(
    app: App,
    actor: SignedIn,
    picture_id: int,
    routine_id: int,
    ask: Ids = [],  # noqa: B006
    place: Annotated[str, Query(max_length=20)] = "",
) -> Response:
    """A picture as a routine would make it: the whole of it, or in one of the places."""
    routine = routines.read_routine(app.workshop, actor, routine_id)
    state, places = routine_use.tried(app.renderer, app.workshop, actor, picture_id, routine, frozenset(ask))
    chosen = next((one for one in places if one.key == place), None)
    if place and chosen is None:
        raise NotFoundError("There is no such place.")
    wanted = routine_use.tried_in(app.workshop, state, chosen, SHOWN_EDGE)
    drawn = pyvips.Image.new_from_array(app.renderer.screen.pixels(wanted), interpretation="srgb")
    small = drawn.thumbnail_image(SHOWN_EDGE, size="down")
    name = PNG if small.hasalpha() else JPEG
    content = encode(small, name, Encoding(88 if name == JPEG else None, effort=Effort.DRAFT))
    return Response(content, media_type=name.output.media_type, headers={"Cache-Control": "no-store"})
