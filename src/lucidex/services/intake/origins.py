"""Where pictures from outside were found, so that it can be said, and the same one is noticed."""

import hashlib
from collections.abc import Iterable
from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session

from lucidex.records.models import MAX_OUTSIDE_TEXT, OutsideService, Picture, PictureOrigin
from lucidex.services.house.workshop import Workshop
from lucidex.services.outside.service import Service
from lucidex.services.people.people import Actor

CAME_LENGTH = 64


@dataclass(frozen=True)
class Origin:
    """An address outside; the page on which the picture stands there, if it stands on one, and how wide."""

    address: str
    page_address: str = ""
    page_name: str = ""
    shown_width: int | None = None

    @property
    def words(self) -> str:
        """For a person, for example `shown 640 px wide on “Winter evenings”`."""
        if not self.page_name:
            return self.address
        wide = f"shown {self.shown_width} px wide on" if self.shown_width else "on"
        return f"{wide} “{self.page_name}”"


def digest_of(address: str) -> str:
    """What an address is found by."""
    return hashlib.sha256(address.encode()).hexdigest()


def came_as(folio_id: int, address: str) -> str:
    """The name under which a picture from outside comes into a folio: sent for twice, it comes once."""
    return hashlib.sha256(f"{folio_id} {address}".encode()).hexdigest()[:CAME_LENGTH]


def note_origin(session: Session, picture_id: int, service: Service, origin: Origin) -> None:
    """Write down where a new picture was found, unless the service is no longer set up."""
    known = session.get(OutsideService, service.id) is not None
    session.add(
        PictureOrigin(
            picture_id=picture_id,
            service_id=service.id if known else None,
            address=origin.address[:MAX_OUTSIDE_TEXT],
            address_sha256=digest_of(origin.address),
            page_address=origin.page_address[:MAX_OUTSIDE_TEXT],
            page_name=origin.page_name[:MAX_OUTSIDE_TEXT],
            shown_width=origin.shown_width,
        )
    )


def origins_of(session: Session, picture_ids: Iterable[int]) -> dict[int, Origin]:
    """Where pictures were found, by their ids; nothing for the others."""
    wanted = list(picture_ids)
    rows = session.scalars(select(PictureOrigin).where(PictureOrigin.picture_id.in_(wanted))) if wanted else ()
    return {row.picture_id: Origin(row.address, row.page_address, row.page_name, row.shown_width) for row in rows}


def already_here(workshop: Workshop, actor: Actor, folio_id: int, addresses: Iterable[str]) -> dict[str, int]:
    """Which of some addresses a folio has already, with the picture that each became. The folio is the actor's."""
    digests = {digest_of(address): address for address in addresses}
    if not digests:
        return {}
    with workshop.database.begin() as session:
        found = session.execute(
            select(PictureOrigin.address_sha256, Picture.id)
            .join(Picture, Picture.id == PictureOrigin.picture_id)
            .where(
                Picture.folio_id == folio_id,
                Picture.removed_at.is_(None),
                PictureOrigin.address_sha256.in_(list(digests)),
            )
        )
        return {digests[digest]: picture_id for digest, picture_id in found}
