"""Files in parts: what arrived stays whatever breaks, nothing is written twice, nobody reaches what is another's."""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta

import pytest
from sqlalchemy import update

from lucidex.core.errors import (
    ChangedMeanwhileError,
    NotFoundError,
    TooLargeError,
    TooManyTriesError,
)
from lucidex.core.source.limits import IntakeLimits
from lucidex.records.models import Upload, now
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake import uploads
from lucidex.services.intake.intake import Arrival, NewFolio, bring_in_received
from lucidex.services.intake.uploads import (
    as_received,
    begin_upload,
    drop_upload,
    forget_expired_uploads,
    further_part,
    read_upload,
    unfinished_uploads,
    whole_upload,
)
from lucidex.services.people.people import Actor
from tests.conftest import encoded, picture


def test_what_arrived_before_a_connection_broke_stays(workshop: Workshop, actor: Actor) -> None:
    arriving = begin_upload(workshop, actor, 10, "../a\x00/dome.jpg")
    assert arriving.file_name == "dome.jpg"
    part_of_it = further_part(workshop, actor, arriving.id, 0)
    part_of_it.__enter__().write(b"01234")
    assert not part_of_it.__exit__(ConnectionError, ConnectionError(), None)
    assert read_upload(workshop, actor, arriving.id).arrived == 5
    with pytest.raises(ChangedMeanwhileError, match="Only 5 of 10"), whole_upload(workshop, actor, arriving.id):
        pass
    with pytest.raises(ChangedMeanwhileError, match="5 bytes"), further_part(workshop, actor, arriving.id, 3):
        pass
    with further_part(workshop, actor, arriving.id, 5) as part:
        part.write(b"56789")
    with whole_upload(workshop, actor, arriving.id) as (whole, path):
        assert (whole.is_whole, path.read_bytes()) == (True, b"0123456789")


def test_more_than_was_announced_is_refused(workshop: Workshop, actor: Actor) -> None:
    arriving = begin_upload(workshop, actor, 4, "a")
    with pytest.raises(TooLargeError), further_part(workshop, actor, arriving.id, 0) as part:
        part.write(b"01234")
    assert read_upload(workshop, actor, arriving.id).arrived == 0


def test_a_file_that_is_too_large_is_refused_before_it_is_sent(workshop: Workshop, actor: Actor) -> None:
    with pytest.raises(TooLargeError):
        begin_upload(workshop, actor, IntakeLimits().archive_bytes + 1, "a")


def test_a_file_that_has_expired_is_no_longer_on_its_way(
    workshop: Workshop, actor: Actor, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(uploads, "KEPT_FOR", timedelta(seconds=-1))
    arriving = begin_upload(workshop, actor, 4, "a")
    with pytest.raises(NotFoundError):
        read_upload(workshop, actor, arriving.id)


def test_four_connections_write_one_after_the_other(workshop: Workshop, actor: Actor) -> None:
    arriving = begin_upload(workshop, actor, 4_000_000, "a")

    def send(letter: bytes) -> int:
        try:
            with further_part(workshop, actor, arriving.id, 0) as part:
                part.write(letter * 1_000_000)
                return 1
        except ChangedMeanwhileError:
            return 0

    with ThreadPoolExecutor(4) as pool:
        assert sum(pool.map(send, [b"a", b"b", b"c", b"d"])) == 1
    assert read_upload(workshop, actor, arriving.id).arrived == 1_000_000


def test_nobody_reaches_what_another_sends(workshop: Workshop, actor: Actor, new_person: Callable[[], Actor]) -> None:
    arriving, other = begin_upload(workshop, actor, 4, "a"), new_person()
    with pytest.raises(NotFoundError):
        read_upload(workshop, other, arriving.id)
    with pytest.raises(NotFoundError), further_part(workshop, other, arriving.id, 0):
        pass
    drop_upload(workshop, other, arriving.id)
    assert [one.id for one in unfinished_uploads(workshop, actor)] == [arriving.id]
    assert unfinished_uploads(workshop, other) == []


def test_there_is_an_end_to_what_one_person_begins(
    workshop: Workshop, actor: Actor, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(uploads, "MAX_UNFINISHED", 2)
    for _ in range(2):
        begin_upload(workshop, actor, 4, "a")
    with pytest.raises(TooManyTriesError):
        begin_upload(workshop, actor, 4, "a")


def test_what_nobody_goes_on_with_is_let_go(workshop: Workshop, actor: Actor) -> None:
    old, new = begin_upload(workshop, actor, 4, "old"), begin_upload(workshop, actor, 4, "new")
    with workshop.database.begin() as session:
        session.execute(update(Upload).where(Upload.id == old.id).values(expires_at=now() - timedelta(seconds=1)))
    forget_expired_uploads(workshop)
    assert [one.id for one in unfinished_uploads(workshop, actor)] == [new.id]


def test_a_file_that_is_sent_twice_comes_in_once(workshop: Workshop, actor: Actor) -> None:
    """Whoever heard no answer sends again; four at once make one picture."""
    content = encoded(picture(30, 20))
    arriving = begin_upload(workshop, actor, len(content), "a.png")
    with further_part(workshop, actor, arriving.id, 0) as part:
        part.write(content)
    first = begin_upload(workshop, actor, 1, "x")
    goal = NewFolio("Folio")

    def take(_: int) -> int:
        with workshop.originals.receive([content], 1_000_000) as received:
            return bring_in_received(
                workshop, actor, goal, "a.png", received, Arrival(came_as=arriving.id)
            ).picture_id

    with ThreadPoolExecutor(4) as pool:
        assert len(set(pool.map(take, range(4)))) == 1
    assert first.id != arriving.id


def test_a_whole_file_is_hashed(workshop: Workshop, actor: Actor) -> None:
    arriving = begin_upload(workshop, actor, 3, "a")
    with further_part(workshop, actor, arriving.id, 0) as part:
        part.write(b"abc")
    with whole_upload(workshop, actor, arriving.id) as (_, path):
        assert as_received(path, 3).sha256.startswith("ba7816bf8f01cfea")
