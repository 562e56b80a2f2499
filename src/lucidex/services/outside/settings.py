"""Which devices and services outside are set up; only an administrator changes that."""

from collections.abc import Sequence
from urllib.parse import urlsplit

from sqlalchemy import select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from lucidex.core.errors import ChangedMeanwhileError, NotFoundError, NotUnderstoodError, OutOfRangeError
from lucidex.records.models import MAX_ADDRESS, MAX_NAME, OutsideService
from lucidex.services.house.workshop import Workshop
from lucidex.services.outside.adapters import ADAPTERS, adapter_of
from lucidex.services.outside.base import Adapter
from lucidex.services.outside.service import Service, origin_of
from lucidex.services.people.people import Actor, check_admin

MAX_SERVICES, MAX_FURTHER = 40, 8


def read_services(workshop: Workshop, kind: str | None = None) -> list[Service]:
    """All that are set up and on, of one kind or of all; those that come with the product last."""
    return [one for one in _read(workshop) if one.is_on and kind in {None, one.kind}]


def read_all_services(workshop: Workshop, actor: Actor) -> list[Service]:
    """All that are set up, also those that are off. NotAllowedError for anybody but an administrator."""
    check_admin(actor)
    return _read(workshop)


def _read(workshop: Workshop) -> list[Service]:
    with workshop.database.begin() as session:
        wanted = select(OutsideService).where(OutsideService.kind.in_([one.kind for one in ADAPTERS]))
        rows = session.scalars(wanted.order_by(OutsideService.is_shipped, OutsideService.id))
        return [_service(row) for row in rows]


def _service(row: OutsideService) -> Service:
    further = tuple(str(one) for one in row.further)
    return Service(row.id, row.kind, row.name, row.address, further, row.token, row.is_shipped, row.is_on)


def find_service(workshop: Workshop, kind: str, service_id: int | None = None) -> Service:
    """One by its id, or the first of a kind. NotFoundError in words where there is none."""
    for one in read_services(workshop, kind):
        if service_id in {None, one.id}:
            return one
    raise NotFoundError(f"No {adapter_of(kind).name} is set up. An administrator adds one under “Outside”.")


def add_service(
    workshop: Workshop,
    actor: Actor,
    kind: str,
    name: str,
    address: str,
    further: Sequence[str] = (),
    token: str = "",
) -> Service:
    """Set one up. OutOfRangeError or NotUnderstoodError in words; ChangedMeanwhileError where it is there already."""
    check_admin(actor)
    adapter = adapter_of(kind)
    row = OutsideService(kind=adapter.kind, **_checked(adapter, name, address, further, token))
    try:
        with workshop.database.begin() as session:
            if len(session.scalars(select(OutsideService.id)).all()) >= MAX_SERVICES:
                raise OutOfRangeError(f"{MAX_SERVICES} services are the most. Remove one first.")
            session.add(row)
            session.flush()
            return _service(row)
    except IntegrityError as error:
        raise ChangedMeanwhileError("This address is set up already.") from error


def _checked(adapter: Adapter, name: str, address: str, further: Sequence[str], token: str) -> dict[str, object]:
    address = address.strip()
    leads_to = adapter.leads_to(address)
    if len(address) > MAX_ADDRESS or not address.isascii():
        raise NotUnderstoodError(f"An address has at most {MAX_ADDRESS} letters, without accents.")
    hosts = sorted({origin_of(one.strip()) for one in further if one.strip()})
    if len(hosts) > MAX_FURTHER:
        raise OutOfRangeError(f"{MAX_FURTHER} further hosts are the most.")
    if len(token) > MAX_ADDRESS or not token.isprintable():
        raise NotUnderstoodError(f"A token has at most {MAX_ADDRESS} letters.")
    named = " ".join(name.split())[:MAX_NAME] or (urlsplit(address).hostname or leads_to)[:MAX_NAME]
    return {"name": named, "address": address, "further": hosts, "token": token.strip()}


def _row(session: Session, service_id: int) -> OutsideService:
    row = session.get(OutsideService, service_id, with_for_update=True)
    if row is None:
        raise NotFoundError("This service is no longer set up.")
    return row


def change_service(
    workshop: Workshop,
    actor: Actor,
    service_id: int,
    name: str,
    address: str,
    further: Sequence[str] = (),
    token: str | None = None,
) -> Service:
    """Another name, address or token; without a token the one that is there stays, unless the address moves away."""
    check_admin(actor)
    try:
        with workshop.database.begin() as session:
            row = _row(session, service_id)
            adapter = adapter_of(row.kind)
            is_elsewhere = adapter.leads_to(row.address) != adapter.leads_to(address.strip())
            kept = "" if is_elsewhere else row.token  # a secret is not sent to another host by a change of address
            for field, value in _checked(adapter, name, address, further, kept if token is None else token).items():
                setattr(row, field, value)
            row.is_shipped = row.is_shipped and not is_elsewhere
            session.flush()
            return _service(row)
    except IntegrityError as error:
        raise ChangedMeanwhileError("This address is set up already.") from error


def switch_service(workshop: Workshop, actor: Actor, service_id: int, is_on: bool) -> Service:
    """Use one, or do not."""
    check_admin(actor)
    with workshop.database.begin() as session:
        row = _row(session, service_id)
        row.is_on = is_on
        return _service(row)


def remove_service(workshop: Workshop, actor: Actor, service_id: int) -> None:
    """Forget one. What comes with the product is only switched off: the next start would bring it back."""
    check_admin(actor)
    with workshop.database.begin() as session:
        row = _row(session, service_id)
        if row.is_shipped:
            row.is_on = False
        else:
            session.delete(row)


def keep_shipped(workshop: Workshop, kind: str, name: str, address: str, token: str = "") -> None:
    """Write down where a stand-in of the product is found at this start."""
    with workshop.database.begin() as session:
        wanted = select(OutsideService).where(OutsideService.kind == kind, OutsideService.is_shipped.is_(True))
        row = session.scalar(wanted.with_for_update())
        there = select(OutsideService).where(OutsideService.kind == kind, OutsideService.address == address)
        other = session.scalar(there)
        if other is not None and other is not row:
            return  # somebody has set it up by hand
        if row is None:
            given = _checked(adapter_of(kind), name, address, (), token)
            session.add(OutsideService(kind=kind, is_shipped=True, **given))
        else:
            row.address, row.token = address, token
