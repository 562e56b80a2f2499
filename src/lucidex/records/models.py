"""The tables. Times are UTC; the schema is created by the migrations, never by these classes."""

from datetime import UTC, datetime
from enum import StrEnum
from typing import Any, ClassVar

from sqlalchemy import (
    JSON,
    BigInteger,
    CheckConstraint,
    ForeignKey,
    Index,
    SmallInteger,
    String,
    UniqueConstraint,
    false,
)
from sqlalchemy.dialects.mysql import CHAR, DATETIME, DOUBLE, VARCHAR
from sqlalchemy.engine import Dialect
from sqlalchemy.engine.default import DefaultExecutionContext
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship
from sqlalchemy.types import TypeDecorator

from lucidex.core.proof.names import MAX_FILE_NAME

MAX_NOTE = 2_000
MAX_NAME = 120
MAX_GROUP = 200


class UtcTime(TypeDecorator[datetime]):
    """A moment in UTC with microseconds; MariaDB keeps no zone, so it is put back on reading."""

    impl = DATETIME(fsp=6)
    cache_ok = True

    def process_bind_param(self, value: datetime | None, dialect: Dialect) -> datetime | None:
        return None if value is None else value.astimezone(UTC).replace(tzinfo=None)

    def process_result_value(self, value: datetime | None, dialect: Dialect) -> datetime | None:
        return None if value is None else value.replace(tzinfo=UTC)


def now() -> datetime:
    """This moment in UTC."""
    return datetime.now(UTC)


class Base(DeclarativeBase):
    """All tables."""

    type_annotation_map: ClassVar = {datetime: UtcTime, dict[str, Any]: JSON, list[Any]: JSON, int: BigInteger}


Sha256 = CHAR(64, charset="ascii", collation="ascii_bin")
CameAs = VARCHAR(80, charset="ascii", collation="ascii_bin")
SourceText = VARCHAR(80, charset="ascii", collation="ascii_bin")


class Person(Base):
    """Somebody who can sign in."""

    __tablename__ = "person"

    id: Mapped[int] = mapped_column(primary_key=True)
    login: Mapped[str] = mapped_column(String(MAX_NAME), unique=True)
    name: Mapped[str] = mapped_column(String(MAX_NAME))
    password_hash: Mapped[str] = mapped_column(String(255))
    is_admin: Mapped[bool] = mapped_column(default=False)
    created_at: Mapped[datetime] = mapped_column(default=now)
    disabled_at: Mapped[datetime | None]


class SignIn(Base):
    """A session: somebody signed in somewhere. Only the SHA-256 of what the browser holds is kept."""

    __tablename__ = "sign_in"
    __table_args__ = (Index("sign_in_by_person", "person_id", "id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id", ondelete="CASCADE"))
    digest: Mapped[str] = mapped_column(Sha256, unique=True)
    created_at: Mapped[datetime] = mapped_column(default=now)
    seen_at: Mapped[datetime] = mapped_column(default=now)
    address: Mapped[str] = mapped_column(String(60), default="")
    browser: Mapped[str] = mapped_column(String(120), default="")

    person: Mapped[Person] = relationship()


class Scope(StrEnum):
    """What a token, or a share, allows."""

    LOOK = "look"
    CHANGE = "change"


class Event(Base):
    """Something that an administrator may want to know later. `subject` is a sentence; names stand as they were."""

    __tablename__ = "event"
    __table_args__ = (Index("event_by_kind", "kind", "id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    at: Mapped[datetime] = mapped_column(default=now)
    person_id: Mapped[int | None] = mapped_column(ForeignKey("person.id", ondelete="SET NULL"))
    kind: Mapped[str] = mapped_column(String(20))
    subject: Mapped[str] = mapped_column(String(400))
    address: Mapped[str] = mapped_column(String(60), default="")

    person: Mapped[Person | None] = relationship()


class ApiToken(Base):
    """A token of one's own for scripts; only its SHA-256 is kept."""

    __tablename__ = "api_token"

    id: Mapped[int] = mapped_column(primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id", ondelete="CASCADE"))
    name: Mapped[str] = mapped_column(String(MAX_NAME))
    digest: Mapped[str] = mapped_column(Sha256, unique=True)
    scope: Mapped[str] = mapped_column(String(10), default=Scope.CHANGE)
    created_at: Mapped[datetime] = mapped_column(default=now)
    expires_at: Mapped[datetime | None]
    last_used_at: Mapped[datetime | None]

    person: Mapped[Person] = relationship()


class Folio(Base):
    """The pictures and places of one piece of work."""

    __tablename__ = "folio"

    id: Mapped[int] = mapped_column(primary_key=True)
    owner_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    name: Mapped[str] = mapped_column(String(MAX_NAME))
    created_at: Mapped[datetime] = mapped_column(default=now)
    changed_at: Mapped[datetime] = mapped_column(default=now)

    owner: Mapped[Person] = relationship()


class FolioShare(Base):
    """A colleague with whom a folio is shared: to change it too, or to look only, with its `originals` or without."""

    __tablename__ = "folio_share"

    folio_id: Mapped[int] = mapped_column(ForeignKey("folio.id", ondelete="CASCADE"), primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id", ondelete="CASCADE"), primary_key=True)
    scope: Mapped[str] = mapped_column(String(10), default=Scope.CHANGE)
    originals: Mapped[bool] = mapped_column(default=False, server_default=false())

    person: Mapped[Person] = relationship()


class Original(Base):
    """A file as it came in, stored once under its SHA-256."""

    __tablename__ = "original"
    __table_args__ = (CheckConstraint("byte_count > 0", name="original_not_empty"),)

    sha256: Mapped[str] = mapped_column(Sha256, primary_key=True)
    byte_count: Mapped[int]
    created_at: Mapped[datetime] = mapped_column(default=now)


class Source(Base):
    """What pictures are made from, under its key (`core.source.key`), with its `core.source.facts.SourceFacts`."""

    __tablename__ = "source"
    __table_args__ = (Index("source_by_original", "original_sha256"),)

    key: Mapped[str] = mapped_column("source_key", SourceText, primary_key=True)
    original_sha256: Mapped[str] = mapped_column(Sha256, ForeignKey("original.sha256"))
    facts: Mapped[dict[str, Any]]
    created_at: Mapped[datetime] = mapped_column(default=now)

    original: Mapped[Original] = relationship()


def _its_file_name(context: DefaultExecutionContext) -> str:
    return str(context.get_current_parameters()["file_name"])  # type: ignore[no-untyped-call]


class Picture(Base):
    """A source in a folio, under the name that its document gives it; where a routine is tried on it, apart."""

    __tablename__ = "picture"
    __table_args__ = (Index("picture_by_folio", "folio_id", "removed_at", "id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    folio_id: Mapped[int] = mapped_column(ForeignKey("folio.id"))
    source_key: Mapped[str] = mapped_column(SourceText, ForeignKey("source.source_key", name="picture_source"))
    file_name: Mapped[str] = mapped_column(String(MAX_FILE_NAME))  # what its document says, or how it came
    came_named: Mapped[str] = mapped_column(String(MAX_FILE_NAME), default=_its_file_name)
    created_at: Mapped[datetime] = mapped_column(default=now)
    removed_at: Mapped[datetime | None]
    arrival_id: Mapped[int | None]  # the first picture of those brought in together; they arrive out of order
    arrival_number: Mapped[int] = mapped_column(default=0, server_default="0")
    group_name: Mapped[str] = mapped_column(String(MAX_GROUP), default="", server_default="")  # the folder it lay in
    came_as: Mapped[str | None] = mapped_column(CameAs, unique=True)  # which upload; taken once, however often sent
    trial_of: Mapped[int | None] = mapped_column(
        ForeignKey("routine.id", ondelete="SET NULL", name="picture_trial_of")
    )

    folio: Mapped[Folio] = relationship()
    source: Mapped[Source] = relationship()


class Upload(Base):
    """A file that arrives in parts; how much of it is there says the file itself (`services.intake.uploads`)."""

    __tablename__ = "upload"
    __table_args__ = (Index("upload_by_person", "person_id", "created_at"),)

    id: Mapped[str] = mapped_column(CHAR(32, charset="ascii", collation="ascii_bin"), primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id", ondelete="CASCADE"))
    byte_count: Mapped[int]
    file_name: Mapped[str] = mapped_column(String(MAX_FILE_NAME))
    said: Mapped[str] = mapped_column(String(8_000), default="")  # of it when it was begun, word for word
    created_at: Mapped[datetime] = mapped_column(default=now)
    expires_at: Mapped[datetime]


class Snapshot(Base):
    """One immutable state of a picture's document; `parent_id` is the state it grew from."""

    __tablename__ = "snapshot"
    __table_args__ = (Index("snapshot_by_parent", "parent_id", "id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    picture_id: Mapped[int] = mapped_column(ForeignKey("picture.id"))
    parent_id: Mapped[int | None] = mapped_column(ForeignKey("snapshot.id"))
    body: Mapped[dict[str, Any]]
    summary: Mapped[str] = mapped_column(String(400))
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    created_at: Mapped[datetime] = mapped_column(default=now)


class Document(Base):
    """Which snapshot of a picture counts. Every change, undo and redo raises `version` by one."""

    __tablename__ = "document"

    picture_id: Mapped[int] = mapped_column(ForeignKey("picture.id"), primary_key=True, autoincrement=False)
    version: Mapped[int] = mapped_column(default=1)
    snapshot_id: Mapped[int] = mapped_column(ForeignKey("snapshot.id"))

    snapshot: Mapped[Snapshot] = relationship()


class Place(Base):
    """A spot to fill in a folio; `demand` is a `core.places.demand.PlaceDemand`."""

    __tablename__ = "place"
    __table_args__ = (Index("place_by_folio", "folio_id", "taken_down_at", "id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    folio_id: Mapped[int] = mapped_column(ForeignKey("folio.id"))
    name: Mapped[str] = mapped_column(String(MAX_NAME))
    demand: Mapped[dict[str, Any]]
    version: Mapped[int] = mapped_column(default=1)
    created_at: Mapped[datetime] = mapped_column(default=now)
    taken_down_at: Mapped[datetime | None]


class FolioChange(Base):
    """Something done in a folio beyond one picture: places moved, or several pictures changed, as one action."""

    __tablename__ = "folio_change"
    __table_args__ = (Index("folio_change_by_folio", "folio_id", "id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    folio_id: Mapped[int] = mapped_column(ForeignKey("folio.id", ondelete="CASCADE"))
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    summary: Mapped[str] = mapped_column(String(400))
    created_at: Mapped[datetime] = mapped_column(default=now)
    taken_back_at: Mapped[datetime | None]
    moves_places: Mapped[bool]

    person: Mapped[Person] = relationship()


class PlaceMove(Base):
    """How a place stood before a change of its folio and after it: `name`, `demand`, and whether it `hangs`."""

    __tablename__ = "place_move"

    change_id: Mapped[int] = mapped_column(ForeignKey("folio_change.id", ondelete="CASCADE"), primary_key=True)
    place_id: Mapped[int] = mapped_column(ForeignKey("place.id", ondelete="CASCADE"), primary_key=True)
    before: Mapped[dict[str, Any]]
    after: Mapped[dict[str, Any]]


class PictureMove(Base):
    """At which state a picture stood before a change of its folio and after it."""

    __tablename__ = "picture_move"

    change_id: Mapped[int] = mapped_column(ForeignKey("folio_change.id", ondelete="CASCADE"), primary_key=True)
    picture_id: Mapped[int] = mapped_column(ForeignKey("picture.id", ondelete="CASCADE"), primary_key=True)
    before_id: Mapped[int] = mapped_column(ForeignKey("snapshot.id", ondelete="CASCADE"))
    after_id: Mapped[int] = mapped_column(ForeignKey("snapshot.id", ondelete="CASCADE"))


class OwnPlace(Base):
    """A place in somebody's own book of places; `demand` is a `core.places.demand.PlaceDemand`."""

    __tablename__ = "own_place"
    __table_args__ = (Index("own_place_by_person", "person_id", "id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id", ondelete="CASCADE"))
    purpose: Mapped[str] = mapped_column(String(20))
    name: Mapped[str] = mapped_column(String(MAX_NAME))
    demand: Mapped[dict[str, Any]]
    created_at: Mapped[datetime] = mapped_column(default=now)


class Result(Base):
    """Finished bytes under their key. While `blob_sha256` is empty, `holder` computes them until `lease_until`.

    `looks`, `likeness`, `quality` and `findings` say how they look (`core.proof.statistics`).
    """

    __tablename__ = "result"
    __table_args__ = (
        UniqueConstraint("key_sha256", name="result_key"),
        Index("result_by_blob", "blob_sha256"),
        Index("result_by_use", "used_at"),
        Index("result_by_original", "original_sha256"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    key_sha256: Mapped[str] = mapped_column(Sha256)
    holder: Mapped[str] = mapped_column(CHAR(32))
    lease_until: Mapped[datetime]
    original_sha256: Mapped[str | None] = mapped_column(Sha256)  # what it was made from; it goes with that
    blob_sha256: Mapped[str | None] = mapped_column(Sha256)
    byte_count: Mapped[int | None]
    looks: Mapped[dict[str, Any] | None]
    likeness: Mapped[float | None] = mapped_column(DOUBLE(asdecimal=False))
    quality: Mapped[int | None] = mapped_column(SmallInteger)
    findings: Mapped[list[Any] | None]
    created_at: Mapped[datetime] = mapped_column(default=now)
    used_at: Mapped[datetime] = mapped_column(default=now)


class Fineness(Base):
    """How fine a picture's finest detail is in a column (`core.proof.statistics`), as it was seen there last."""

    __tablename__ = "fineness"

    picture_id: Mapped[int] = mapped_column(ForeignKey("picture.id", ondelete="CASCADE"), primary_key=True)
    output: Mapped[str] = mapped_column(String(40), primary_key=True)
    place_id: Mapped[int] = mapped_column(ForeignKey("place.id", ondelete="CASCADE"))
    fineness: Mapped[float] = mapped_column(DOUBLE(asdecimal=False))


class RoutineRow(Base):
    """A routine of somebody; `body` is a `core.routine.Routine`."""

    __tablename__ = "routine"
    __table_args__ = (UniqueConstraint("person_id", "name", name="routine_name"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id", ondelete="CASCADE"))
    name: Mapped[str] = mapped_column(String(MAX_NAME))
    group_name: Mapped[str] = mapped_column(String(MAX_NAME))
    body: Mapped[dict[str, Any]]
    created_at: Mapped[datetime] = mapped_column(default=now)


class Logo(Base):
    """A file that somebody keeps for putting on pictures."""

    __tablename__ = "logo"
    __table_args__ = (UniqueConstraint("person_id", "source_key", name="logo_once"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id", ondelete="CASCADE"))
    source_key: Mapped[str] = mapped_column(SourceText, ForeignKey("source.source_key", name="logo_source"))
    name: Mapped[str] = mapped_column(String(MAX_FILE_NAME))
    created_at: Mapped[datetime] = mapped_column(default=now)

    source: Mapped[Source] = relationship()


class Font(Base):
    """A face that somebody brought in for words on pictures; `facts` are `core.finish.text.own_faces.FontFacts`."""

    __tablename__ = "font"
    __table_args__ = (UniqueConstraint("person_id", "original_sha256", name="font_once"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id", ondelete="CASCADE"))
    original_sha256: Mapped[str] = mapped_column(Sha256, ForeignKey("original.sha256", name="font_original"))
    name: Mapped[str] = mapped_column(String(MAX_FILE_NAME))
    facts: Mapped[dict[str, Any]]
    created_at: Mapped[datetime] = mapped_column(default=now)


class Note(Base):
    """What somebody remarked on a picture; `marks` are `core.finish.marks.Mark`, drawn over it."""

    __tablename__ = "note"
    __table_args__ = (Index("note_by_picture", "picture_id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    picture_id: Mapped[int] = mapped_column(ForeignKey("picture.id", ondelete="CASCADE"))
    author_id: Mapped[int] = mapped_column(ForeignKey("person.id", ondelete="CASCADE"))
    text: Mapped[str] = mapped_column(String(MAX_NOTE))
    marks: Mapped[list[Any]]
    settled_at: Mapped[datetime | None]
    settled_by: Mapped[int | None] = mapped_column(ForeignKey("person.id", ondelete="SET NULL"))
    created_at: Mapped[datetime] = mapped_column(default=now)

    author: Mapped[Person] = relationship(foreign_keys=author_id)
    settler: Mapped[Person | None] = relationship(foreign_keys=settled_by)
    answers: Mapped[list["NoteAnswer"]] = relationship(order_by="NoteAnswer.id", passive_deletes=True)


class NoteAnswer(Base):
    """What somebody answered to a note."""

    __tablename__ = "note_answer"
    __table_args__ = (Index("note_answer_by_note", "note_id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    note_id: Mapped[int] = mapped_column(ForeignKey("note.id", ondelete="CASCADE"))
    author_id: Mapped[int] = mapped_column(ForeignKey("person.id", ondelete="CASCADE"))
    text: Mapped[str] = mapped_column(String(MAX_NOTE))
    created_at: Mapped[datetime] = mapped_column(default=now)

    author: Mapped[Person] = relationship()


class RunState(StrEnum):
    """Where a run stands."""

    RUNNING = "running"
    PAUSED = "paused"
    STOPPED = "stopped"
    FINISHED = "finished"


class CellState(StrEnum):
    """Where a cell of a run stands."""

    WAITING = "waiting"
    TAKEN = "taken"
    DONE = "done"
    FAILED = "failed"


class Run(Base):
    """Many pictures in many places, worked off in the background; `said` is why it paused by itself."""

    __tablename__ = "run"
    __table_args__ = (Index("run_by_folio", "folio_id", "id"), Index("run_by_state", "state"))

    id: Mapped[int] = mapped_column(primary_key=True)
    folio_id: Mapped[int] = mapped_column(ForeignKey("folio.id", ondelete="CASCADE"))
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    pattern: Mapped[str] = mapped_column(String(200))
    state: Mapped[str] = mapped_column(String(10))
    message: Mapped[str | None] = mapped_column(String(400))
    created_at: Mapped[datetime] = mapped_column(default=now)
    ended_at: Mapped[datetime | None]


class Cell(Base):
    """One picture in one place of a run, as it stood when the run was listed; `output` is the
    text form of a `core.places.output_id.OutputId`.

    While it is taken, `holder` works on it until `lease_until`; each taking raises `attempt`, which never goes down,
    and only the holder of the present attempt may write its result. `tried_from` is the attempt from which on
    failures count: somebody asked to try again, or what went wrong was not its own fault.
    """

    __tablename__ = "cell"
    __table_args__ = (
        UniqueConstraint("run_id", "path", name="cell_path"),
        Index("cell_by_run", "run_id", "state", "id"),
        Index("cell_by_blob", "blob_sha256"),
        CheckConstraint("attempt >= 0", name="cell_attempt"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    run_id: Mapped[int] = mapped_column(ForeignKey("run.id", ondelete="CASCADE"))
    seat: Mapped[int]
    picture_id: Mapped[int] = mapped_column(ForeignKey("picture.id"))
    place_id: Mapped[int] = mapped_column(ForeignKey("place.id"))
    snapshot_id: Mapped[int] = mapped_column(ForeignKey("snapshot.id"))
    output: Mapped[str] = mapped_column(VARCHAR(40, charset="ascii", collation="ascii_bin"))
    path: Mapped[str] = mapped_column(String(400))
    state: Mapped[str] = mapped_column(String(10))
    attempt: Mapped[int] = mapped_column(default=0)
    tried_from: Mapped[int] = mapped_column(default=0)
    holder: Mapped[str | None] = mapped_column(CHAR(32))
    lease_until: Mapped[datetime | None]
    blob_sha256: Mapped[str | None] = mapped_column(Sha256)
    byte_count: Mapped[int | None]
    message: Mapped[str | None] = mapped_column(String(400))
    ended_at: Mapped[datetime | None]


MAX_ADDRESS = 400
MAX_OUTSIDE_TEXT = 1_000


class OutsideService(Base):
    """A device or service outside that an administrator has set up, by its address; `token` opens it.

    `further` are other hosts from which it delivers. A `is_shipped` one is a stand-in that comes with the product:
    its address is written anew at every start.
    """

    __tablename__ = "outside_service"
    __table_args__ = (UniqueConstraint("kind", "address", name="outside_once"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str] = mapped_column(String(20))
    name: Mapped[str] = mapped_column(String(MAX_NAME))
    address: Mapped[str] = mapped_column(VARCHAR(MAX_ADDRESS, charset="ascii", collation="ascii_bin"))
    further: Mapped[list[Any]] = mapped_column(default=list)
    token: Mapped[str] = mapped_column(String(MAX_ADDRESS), default="")
    is_shipped: Mapped[bool] = mapped_column(default=False)
    is_on: Mapped[bool] = mapped_column(default=True)
    created_at: Mapped[datetime] = mapped_column(default=now)


class PictureOrigin(Base):
    """Where a picture from outside was found: its address, the page on which it stands, and how wide it is shown.

    `address_sha256` names the address: a picture is noticed that comes into its folio twice.
    """

    __tablename__ = "picture_origin"
    __table_args__ = (Index("origin_by_address", "address_sha256"),)

    picture_id: Mapped[int] = mapped_column(ForeignKey("picture.id", ondelete="CASCADE"), primary_key=True)
    service_id: Mapped[int | None] = mapped_column(ForeignKey("outside_service.id", ondelete="SET NULL"))
    address: Mapped[str] = mapped_column(String(MAX_OUTSIDE_TEXT))
    address_sha256: Mapped[str] = mapped_column(Sha256)
    page_address: Mapped[str] = mapped_column(String(MAX_OUTSIDE_TEXT), default="")
    page_name: Mapped[str] = mapped_column(String(MAX_OUTSIDE_TEXT), default="")
    shown_width: Mapped[int | None]
