"""One picture from a service outside into a folio, with its texts and its origin; never the same one twice."""

from dataclasses import replace

from lucidex.core.errors import ChangedMeanwhileError, UserError
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake.intake import (
    Arrival,
    BroughtIn,
    already_taken,
    bring_in_received,
    check_target,
    not_taken,
)
from lucidex.services.intake.origins import Origin, came_as, note_origin
from lucidex.services.outside.client import OutsideClient
from lucidex.services.outside.service import Service
from lucidex.services.people.people import Actor
from lucidex.services.pictures.documents import Alter


def fetch_into(
    workshop: Workshop,
    actor: Actor,
    folio_id: int,
    service: Service,
    address: str,
    file_name: str,
    origin: Origin,
    alter: Alter,
) -> BroughtIn:
    """Fetch a picture from an address of a service; `alter` gives its first document texts.

    Raises the `UserError` family with a sentence that names the file and the reason; then nothing is stored.
    """
    check_target(workshop, actor, folio_id)
    name = came_as(folio_id, origin.address)
    if (there := already_taken(workshop, actor, name)) is not None:
        return replace(there, notes=(f"It was in this folio already, as “{there.file_name}”.",))
    with OutsideClient(service) as client, client.answer("GET", address, headers={"Accept": "image/*"}) as answer:
        response, pieces = answer
        client.check(response.status_code)
        with workshop.originals.receive(pieces, workshop.limits.file_bytes) as received:
            arrival = Arrival(
                came_as=name, alter=alter, on_recorded=lambda session, id: note_origin(session, id, service, origin)
            )
            try:
                try:
                    return bring_in_received(workshop, actor, folio_id, file_name, received, arrival)
                except ChangedMeanwhileError:  # it was here once, and was taken out again
                    fresh = replace(arrival, came_as=None)
                    return bring_in_received(workshop, actor, folio_id, file_name, received, fresh)
            except UserError as error:
                raise not_taken(file_name, error) from error
