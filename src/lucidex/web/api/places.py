"""Places by API."""

from fastapi import APIRouter

from lucidex.services.folios.folios import read_folio
from lucidex.services.places import places
from lucidex.web.api.pictures import wanted_demand
from lucidex.web.api.shapes import PlaceChange, PlaceIn, PlaceOut
from lucidex.web.request.context import App, Bearer

router = APIRouter(tags=["places"])


@router.get("/folios/{folio_id}/places")
def list_places(app: App, actor: Bearer, folio_id: int) -> list[PlaceOut]:
    """The places that hang in a folio."""
    return [PlaceOut.of(place) for place in read_folio(app.workshop, actor, folio_id).places]


@router.post("/folios/{folio_id}/places", status_code=201)
def hang_place(app: App, actor: Bearer, folio_id: int, body: PlaceIn) -> PlaceOut:
    """Hang a place."""
    demand = wanted_demand(body.typed, body.demand)
    return PlaceOut.of(places.hang_place(app.workshop, actor, folio_id, demand, body.name))


@router.get("/places/{place_id}")
def read_place(app: App, actor: Bearer, place_id: int) -> PlaceOut:
    """A place."""
    return PlaceOut.of(places.find_place(app.workshop, actor, place_id))


@router.put("/places/{place_id}")
def change_place(app: App, actor: Bearer, place_id: int, body: PlaceChange) -> PlaceOut:
    """Change a place; 409 where somebody else was faster."""
    demand = wanted_demand(body.typed, body.demand)
    return PlaceOut.of(places.change_place(app.workshop, actor, place_id, body.version, demand, body.name))


@router.delete("/places/{place_id}", status_code=204)
def take_down(app: App, actor: Bearer, place_id: int) -> None:
    """Take a place off the wall; framings stay with the pictures."""
    places.take_down(app.workshop, actor, place_id)
