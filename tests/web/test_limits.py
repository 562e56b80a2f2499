"""What one person sends or waits for never holds up the others."""

import asyncio
import contextlib
import errno
import json
import threading
from collections.abc import Awaitable, Callable
from urllib.parse import urlencode

import pytest
from fastapi import FastAPI
from fastapi.routing import APIRoute
from pydantic import BaseModel, ValidationError
from sqlalchemy.exc import OperationalError
from starlette.testclient import TestClient
from starlette.types import Message, Receive, Scope, Send

from lucidex.core.areas import shapes
from lucidex.core.areas.area import MAX_SHAPES
from lucidex.core.cancellation import check_wanted
from lucidex.core.document import MAX_AREAS, MAX_EDGE_POINTS, count_areas
from lucidex.core.errors import BusyError, NoLongerWantedError, UnavailableError, UserError
from lucidex.core.finish.text.own_faces import MAX_FONT_BYTES
from lucidex.core.line.places import read_demands
from lucidex.core.matting import rings
from lucidex.services.keeping.many import MAX_AT_ONCE
from lucidex.services.rendering.screen import Screen
from lucidex.web.api import documents_in
from lucidex.web.api.shapes import DocumentIn, RenderIn
from lucidex.web.gates import bodies, fairness
from lucidex.web.request import body_limits
from lucidex.web.request import incoming as uploads
from lucidex.web.request.queues import Queue, while_wanted
from lucidex.web.shell.problems import status_of
from tests.conftest import encoded, picture
from tests.web.conftest import Visitor, Work

Sent = list[dict[str, object]]


def asked(method: str, path: str, headers: dict[str, str]) -> dict[str, object]:
    """A request as the server hands it to the application."""
    raw = [(name.lower().encode(), value.encode()) for name, value in {"host": "127.0.0.1", **headers}.items()]
    return {
        "type": "http",
        "http_version": "1.1",
        "method": method,
        "scheme": "http",
        "path": path,
        "raw_path": path.encode(),
        "root_path": "",
        "query_string": b"name=x.jpg",
        "headers": raw,
        "client": ("192.0.2.7", 50_000),
        "server": ("127.0.0.1", 80),
        "extensions": {},
        "state": {},
    }


async def answered(
    application: FastAPI, scope: dict[str, object], receive: Callable[[], Awaitable[dict[str, object]]]
) -> Sent:
    sent: Sent = []

    async def send(message: dict[str, object]) -> None:
        sent.append(message)

    await application(scope, receive, send)  # type: ignore[arg-type]
    return sent


async def never() -> dict[str, object]:
    """A body that does not come."""
    await asyncio.Event().wait()
    raise AssertionError


def signed(visitor: Visitor) -> dict[str, str]:
    cookies = "; ".join(f"{name}={value}" for name, value in visitor.client.cookies.items())
    return {"cookie": cookies, "x-csrf-token": visitor.csrf, "accept": "application/json"}


def test_a_stranger_is_refused_before_anything_is_read(application: FastAPI) -> None:
    """Not a byte of the body is asked for: no stranger has anything parsed or spooled."""

    async def told() -> dict[str, object]:
        raise AssertionError("the body was read")

    async def ask() -> Sent:
        headers = {"content-type": "application/json", "content-length": "100000000"}
        return await answered(application, asked("PUT", "/api/pictures/1/document", headers), told)

    sent = asyncio.run(ask())
    assert sent[0]["status"] == 401


@pytest.mark.parametrize(
    ("path", "size"),
    [("/api/pictures/{id}/document", body_limits.DOCUMENT_BYTES), ("/pictures/{id}/texts", body_limits.USUAL_BYTES)],
)
@pytest.mark.parametrize("announced", [True, False])
def test_a_body_beyond_its_limit_is_refused_without_being_understood(
    application: FastAPI, work: Work, path: str, size: int, announced: bool
) -> None:
    """Whether it says so beforehand or only turns out to be: no more than the limit is held."""
    given = 0

    async def endless() -> dict[str, object]:
        nonlocal given
        given += 100_000
        return {"type": "http.request", "body": b"[" * 100_000, "more_body": True}

    async def ask() -> Sent:
        own = work.visitor.bearer if path.startswith("/api") else signed(work.visitor)
        length = {"content-length": str(size + 1)} if announced else {}
        kind = "application/json" if path.startswith("/api") else "application/x-www-form-urlencoded"
        headers = {**own, "content-type": kind, **length}
        method = "PUT" if path.startswith("/api") else "POST"
        return await answered(application, asked(method, path.format(id=work.picture_id), headers), endless)

    sent = asyncio.run(ask())
    assert sent[0]["status"] == 413
    assert given <= (0 if announced else size) + bodies.DRAINED_BYTES + 200_000


def test_what_is_wrong_with_many_steps_is_said_once_and_apart_from_the_loop(
    application: FastAPI, work: Work, monkeypatch: pytest.MonkeyPatch
) -> None:
    """0.3 MB of steps of only an id held every page up for seconds: whoever sends them waits for himself alone."""
    seen: list[tuple[str, str]] = []
    read = documents_in.read_document

    def noted(model: type[BaseModel], body: bytes) -> BaseModel:
        try:
            asyncio.get_running_loop()
            seen.append((model.__name__, "in the loop"))
        except RuntimeError:
            seen.append((model.__name__, "apart"))
        return read(model, body)

    monkeypatch.setattr(documents_in, "read_document", noted)
    client, headers = work.visitor.client, work.visitor.bearer
    for count, said in (
        (150, "steps.0.step: field required."),
        (12_000, "A picture holds at most 200 steps; these are 12000."),
    ):
        steps = [{"id": f"a{number}"} for number in range(count)]
        document = {"version": 1, "document": {"steps": steps}}
        answers = [
            client.put(f"/api/pictures/{work.picture_id}/document", json=document, headers=headers),
            client.post(
                f"/api/pictures/{work.picture_id}/render", json={"typed": "9x9", "steps": steps}, headers=headers
            ),
        ]
        assert [answer.status_code for answer in answers] == [422, 422]
        assert {answer.json()["detail"] for answer in answers} == {said}
    assert seen == [("DocumentIn", "apart"), ("RenderIn", "apart")] * 2


MANY_SHAPES = b'{"steps": [{"id": "a", "step": {"kind": "hide", "shapes": [' + b"1," * 400_000 + b"1]}}]}"
MANY_FRAMINGS = json.dumps({"version": 1, "document": {"framings": {str(n): 3 for n in range(60_000)}}}).encode()


@pytest.mark.parametrize(
    ("body", "said"),
    [
        (b"[" * 1_000_000, "more than 150 000 lists"),
        (b'{"typed": ' + b"[" * 100_000, "no JSON"),
        (MANY_SHAPES, "steps.0.step.hide.shapes.0"),
        (MANY_FRAMINGS, "2000 entries"),
    ],
)
def test_nothing_wrong_is_listed_a_thousand_times(body: bytes, said: str) -> None:
    """Whatever is sent, the first thing that is wrong ends the reading."""
    model = DocumentIn if b"document" in body else RenderIn
    with pytest.raises(UserError, match=said) as refused:
        documents_in.read_document(model, body)
    cause = refused.value.__cause__
    assert not isinstance(cause, ValidationError) or cause.error_count() < 10


def test_the_largest_document_that_is_possible_is_taken() -> None:
    points = [[0.125, 0.5]] * shapes.MAX_POINTS
    drawn = [{"kind": "outline", "points": points}] * MAX_SHAPES
    ring = [[0.125, 0.5]] * (rings.MAX_POINTS // 2)
    cut_outs = [
        {"id": f"c{n}", "step": {"kind": "cut_out", "rings": [ring, ring]}}
        for n in range(MAX_EDGE_POINTS // rings.MAX_POINTS)
    ]
    hidden = [{"id": f"a{n}", "step": {"kind": "hide", "shapes": drawn}} for n in range(MAX_AREAS // MAX_SHAPES)]
    steps = [*cut_outs, *hidden]
    body = json.dumps({"version": 1, "document": {"steps": steps}}, separators=(",", ":")).encode()
    read = documents_in.read_document(DocumentIn, body)
    assert isinstance(read, DocumentIn)
    assert count_areas(read.document.steps) == MAX_AREAS
    for most, said in ((hidden, "at most 1000 areas"), (cut_outs, "at most 18000 points")):
        too_many = json.dumps({"version": 1, "document": {"steps": [*most, {**most[0], "id": "b"}]}}).encode()
        with pytest.raises(UserError, match=said):
            documents_in.read_document(DocumentIn, too_many)


def test_every_route_that_takes_a_file_says_so_beside_its_address(application: FastAPI) -> None:
    """As much as is said on the screen, by the page and by script: faces of 25 MB among them."""
    limits = {
        route.endpoint.__name__: body_limits.limit_of({"endpoint": route.endpoint}).most_bytes
        for route in routes_of(application)
        if not bodies.SAFE.issuperset(route.methods or ())
    }
    streamed = {name for name, most in limits.items() if most is None}
    files = {"first_picture", "another_picture", "take_picture", "take_logo", "take_font"}
    assert streamed == files | {"go_on", "in_the_name_of_another_method"}
    assert (limits["bring_face"] or 0) > MAX_FONT_BYTES
    more = {name for name, most in limits.items() if most is not None and most > body_limits.USUAL_BYTES}
    documents = {"change_document", "render", "import_book"}
    assert more == documents | {"bring_face", "bring_logo", "import_file", "import_places"}


def routes_of(application: FastAPI) -> list[APIRoute]:
    """All of them, whatever they were included through."""
    found: list[APIRoute] = []
    open_: list[object] = [*application.routes]
    for one in open_:
        if isinstance(one, APIRoute):
            found.append(one)
        else:
            open_.extend(getattr(getattr(one, "original_router", None), "routes", ()))
    return found


def test_as_many_pictures_as_are_allowed_fit_into_one_form(application: FastAPI, work: Work) -> None:
    """“On all” failed from a thousand pictures on, though two thousand are allowed."""
    many = [("on", str(10**9 + number)) for number in range(MAX_AT_ONCE)]
    fields = urlencode([("csrf", work.visitor.csrf), *many, ("to", "1")])
    headers = {"content-type": "application/x-www-form-urlencoded", "accept": "application/json"}
    path = f"/folios/{work.folio_id}/gather/take-out"
    answer = work.visitor.client.post(path, content=fields, headers=headers)
    assert answer.status_code == 404, "they are no pictures of this folio, and all of them were read"


def test_a_body_that_does_not_come_is_given_up(
    application: FastAPI, work: Work, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(bodies, "BODY_SECONDS", 0.05)
    headers = {**signed(work.visitor), "content-type": "application/x-www-form-urlencoded"}
    scope = asked("POST", f"/pictures/{work.picture_id}/texts", headers)
    sent = asyncio.run(answered(application, scope, never))
    assert sent[0]["status"] == 408


def test_a_file_that_stops_coming_is_given_up_and_leaves_nothing(
    application: FastAPI, work: Work, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(uploads, "IDLE_SECONDS", 0.05)
    incoming = application.state.context.workshop.data_folder / "originals" / "incoming"
    scope = asked("POST", f"/folios/{work.folio_id}/pictures", signed(work.visitor))
    sent = asyncio.run(answered(application, scope, never))
    assert sent[0]["status"] == 408
    message = json.loads(b"".join(part.get("body", b"") for part in sent[1:]))["detail"]  # type: ignore[misc]
    assert message.startswith("“x.jpg” was not taken. It did not arrive in time.")
    assert list(incoming.iterdir()) == []


def test_files_that_trickle_hold_up_no_page(application: FastAPI, visit: Callable[[], Visitor]) -> None:
    """Three times as many as there are threads, and a page is answered all the same."""
    visitors = [visit() for _ in range(4)]
    made = [one.client.post("/api/folios", json={"name": "T"}, headers=one.bearer) for one in visitors]
    folios = [answer.json() for answer in made]
    headers = [signed(visitor) for visitor in visitors]
    page = {name: value for name, value in signed(visitors[0]).items() if name == "cookie"}

    async def empty() -> dict[str, object]:
        return {"type": "http.request", "body": b"", "more_body": False}

    async def run() -> tuple[Sent, int]:
        trickling = [
            asyncio.create_task(answered(application, asked("POST", f"/folios/{folio['id']}/pictures", own), never))
            for folio, own in zip(folios, headers, strict=True)
            for _ in range(10)
        ]
        while application.state.context.queues.uploads._held.total() < 40:
            await asyncio.sleep(0)
        sent = await asyncio.wait_for(answered(application, asked("GET", "/", page), empty), 20)
        waiting = sum(not task.done() for task in trickling)
        for task in trickling:
            task.cancel()
        await asyncio.gather(*trickling, return_exceptions=True)
        return sent, waiting

    sent, waiting = asyncio.run(run())
    assert sent[0]["status"] == 200
    assert waiting == 40


def test_a_queue_gives_each_a_share_and_says_when_it_is_full() -> None:
    async def run() -> list[str]:
        queue, message = Queue("files", 1, 4, 2, 30.0), []
        enough = asyncio.Event()

        async def wait(person: int) -> None:
            try:
                async with queue.seat(person):
                    await enough.wait()
            except BusyError as error:
                message.append(f"{person}: {error.sentence}")

        tasks = [asyncio.create_task(wait(person)) for person in (1, 1, 1, 2, 3, 4)]
        while len(message) < 2:
            await asyncio.sleep(0)
        enough.set()
        await asyncio.gather(*tasks)
        async with queue.seat(1):  # all seats are given back
            pass
        return message

    refused = asyncio.run(run())
    assert [one.split(":")[0] for one in refused] == ["1", "4"]
    assert all("Too many files" in one for one in refused)


def test_whoever_waits_too_long_in_a_queue_is_told() -> None:
    async def run() -> None:
        queue = Queue("previews", 1, 9, 9, 0.02)
        async with queue.seat(1):
            with pytest.raises(BusyError, match="take longer than usual"):
                async with queue.seat(2):
                    raise AssertionError
        async with queue.seat(2):  # nobody's seat was lost
            pass

    asyncio.run(run())


def test_what_nobody_waits_for_any_more_is_told_to_stop() -> None:
    class Gone:
        """A request whose browser was closed."""

        async def is_disconnected(self) -> bool:
            return True

    async def run() -> None:
        stopped = threading.Event()

        def compute() -> None:
            for _ in range(5_000_000):  # seconds; told to stop, it ends at once
                check_wanted()

        async with while_wanted(Gone()):  # type: ignore[arg-type]
            with pytest.raises(NoLongerWantedError):
                await asyncio.to_thread(compute)
            stopped.set()
        assert stopped.is_set()
        check_wanted()  # what comes after is wanted

    asyncio.run(run())


def test_a_busy_queue_is_said_in_words_with_503(work: Work, application: FastAPI) -> None:
    queue = application.state.context.queues.files
    before, queue.most = queue.most, 0
    try:
        answer = work.visitor.client.get(f"/pictures/{work.picture_id}/places/{work.place_id}/file")
    finally:
        queue.most = before
    assert answer.status_code == 503
    assert answer.headers["retry-after"]
    assert "Too many files are asked for" in answer.text


def test_unavailable_things_and_their_kin_have_the_status_of_their_family() -> None:
    class NewKindError(UnavailableError):
        pass

    assert status_of(NewKindError("x"))[0] == 503


@pytest.mark.parametrize("line", [" " * 2_500 + "x", "1600x900" + " " * 380 + "on white", "or " * 130, "0" * 399])
def test_no_typed_line_takes_long(work: Work, line: str) -> None:
    """Reading goes on and never back: a line is refused or understood at once, whatever its blanks."""
    with contextlib.suppress(UserError):
        read_demands(line)
    answer = work.visitor.post(f"/pictures/{work.picture_id}/line", {"line": line})
    assert answer.status_code in {200, 422}


@pytest.mark.parametrize("what", ["framings", "outputs"])
def test_a_document_has_a_limit_to_its_lists(work: Work, what: str) -> None:
    many = {str(number): {} for number in range(1, 5_000)}
    body = {"version": 1, "document": {what: many}}
    answer = work.visitor.client.put(
        f"/api/pictures/{work.picture_id}/document", headers=work.visitor.bearer, json=body
    )
    assert answer.status_code == 422


@pytest.mark.parametrize(
    "path",
    [
        "preview?w=1600&h=1200&part=39.9999,0,0.0001,0.0001",
        "preview?w=4000&h=4000&part=0,0,2,2",
    ],
)
def test_looking_closer_than_can_be_seen_is_refused_in_words(work: Work, path: str) -> None:
    answer = work.visitor.client.get(f"/pictures/{work.picture_id}/{path}", headers={"Accept": "application/json"})
    assert answer.status_code == 422
    assert "times as large as it is" in answer.json()["detail"]


def test_headers_are_on_every_answer_even_where_no_route_was_reached(
    application: FastAPI, work: Work, monkeypatch: pytest.MonkeyPatch
) -> None:
    def fails(self: Screen, wanted: object) -> bytes:
        raise ZeroDivisionError

    stranger = TestClient(application, base_url="http://elsewhere.example", raise_server_exceptions=False)
    nobody = TestClient(application, base_url="http://127.0.0.1", raise_server_exceptions=False)
    monkeypatch.setattr(Screen, "preview", fails)
    answers = [
        stranger.get("/"),
        nobody.get("/nothing/here"),
        work.visitor.client.get(f"/pictures/{work.picture_id}/preview"),
    ]
    assert [answer.status_code for answer in answers] == [400, 404, 500]
    for answer in answers:
        assert "default-src 'none'" in answer.headers["content-security-policy"]
        assert answer.headers["x-content-type-options"] == "nosniff"


def test_a_missing_database_is_503_with_a_sentence_and_ready_says_so(
    application: FastAPI, work: Work, monkeypatch: pytest.MonkeyPatch
) -> None:
    client = work.visitor.client
    assert client.get("/readyz").status_code == 200

    def away(*_: object, **__: object) -> None:
        raise OperationalError("SELECT", {}, ConnectionError("gone"))

    database = application.state.context.workshop.database
    with monkeypatch.context() as gone:
        gone.setattr(database, "_sessions", away)
        gone.setattr(database.engine, "connect", away)
        answer = client.get("/")
        assert answer.status_code == 503
        assert "The database does not answer at the moment. Nothing was lost" in answer.text
        ready = client.get("/readyz")
        assert (ready.status_code, ready.json()["database"]) == (503, False)
        assert client.get("/healthz").json() == {"alive": True}
    assert client.get("/").status_code == 200


def test_a_picture_can_be_brought_in_through_the_stream(work: Work) -> None:
    content = encoded(picture(64, 48, seed=77))
    answer = work.visitor.client.post(
        f"/folios/{work.folio_id}/pictures?name=a%20b.png",
        content=content,
        headers={"X-CSRF-Token": work.visitor.csrf, "Accept": "application/json"},
    )
    assert answer.json()["file_name"] == "a b.png"


def test_what_was_chosen_together_stands_as_chosen_whichever_arrives_first(work: Work) -> None:
    client, csrf = work.visitor.client, work.visitor.csrf

    def send(name: str, folio_id: int, query: str = "") -> int:
        answer = client.post(
            f"/folios/{folio_id}/pictures?name={name}{query}",
            content=encoded(picture(9, 8, seed=len(name))),
            headers={"X-CSRF-Token": csrf, "Accept": "application/json"},
        )
        assert answer.status_code == 200
        return int(answer.json()["picture_id"])

    def names(folio_id: int) -> list[str]:
        answer = client.get(f"/api/folios/{folio_id}", headers=work.visitor.bearer)
        return [one["file_name"] for one in answer.json()["pictures"]][-5:]

    first = send("first", work.folio_id)
    send("third", work.folio_id, f"&first={first}&number=3")
    send("apart", work.folio_id)
    send("second", work.folio_id, f"&first={first}&number=2")
    assert names(work.folio_id)[-4:] == ["first", "second", "third", "apart"]
    elsewhere = client.post("/api/folios", json={"name": "Elsewhere"}, headers=work.visitor.bearer).json()["id"]
    send("there", elsewhere)
    send("late", elsewhere, f"&first={first}&number=1")  # the first one is not of this folio: it comes last
    assert names(elsewhere) == ["there", "late"]


def test_a_database_that_is_away_before_a_body_is_read_is_said(
    application: FastAPI, work: Work, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Who asks is looked up outside of all routes: an upload answered as if something unforeseen had happened."""

    async def away(*_: object) -> None:
        raise OperationalError("select", {}, Exception(2013, "Lost connection"))

    monkeypatch.setattr(bodies, "find_visitor", away)
    sent = asyncio.run(answered(application, asked("POST", "/api/folios/1/pictures", work.visitor.bearer), never))
    assert sent[0]["status"] == 503
    assert b"The database does not answer" in b"".join(part.get("body", b"") for part in sent[1:])  # type: ignore[misc]


def test_whoever_asks_for_many_pages_waits_for_himself() -> None:
    """A share for each session or token; a stream holds no seat, and somebody else is answered at once."""
    begun: list[str] = []
    go_on = asyncio.Event()

    async def slow(scope: Scope, receive: Receive, send: Send) -> None:
        begun.append(scope["headers"][0][1].decode())
        if scope["path"] == "/page":
            await go_on.wait()
        await send({"type": "http.response.start", "status": 200, "headers": []})
        if scope["path"] == "/stream":
            await go_on.wait()
        await send({"type": "http.response.body", "body": b""})

    async def ask(path: str, token: str) -> int:
        sent: Sent = []

        async def keep(message: Message) -> None:
            sent.append(dict(message))

        head = [(b"authorization", token.encode()), (b"accept", b"application/json")]
        scope = {**asked("GET", path, {}), "headers": head, "session": {}}
        await fair(scope, never, keep)
        return int(str(sent[0]["status"]))

    async def all_of_it() -> None:
        streams = [asyncio.create_task(ask("/stream", "a")) for _ in range(40)]
        pages = [asyncio.create_task(ask("/page", "a")) for _ in range(fairness.MOST_WAITING + 10)]
        await asyncio.sleep(0)
        while begun.count("a") < 40 + fairness.AT_ONCE:
            await asyncio.sleep(0)
        other = asyncio.create_task(ask("/stream", "b"))
        while "b" not in begun:
            await asyncio.sleep(0)
        assert begun.count("a") == 40 + fairness.AT_ONCE
        go_on.set()
        assert await other == 200
        answers = await asyncio.gather(*streams, *pages)
        assert set(answers) == {200, 503}
        assert answers.count(503) == 50, "beyond what may wait"

    fair = fairness.Fairness(slow)
    asyncio.run(all_of_it())
    assert fair._shares == {}, "nothing is kept of whoever has gone"


@pytest.mark.parametrize("number", [errno.EROFS, errno.ENOSPC, errno.EACCES])
def test_a_disk_that_cannot_be_written_is_said_and_no_fault_of_ours(
    work: Work, monkeypatch: pytest.MonkeyPatch, number: int
) -> None:
    """Where the store itself is asked, and where nothing on the way has thought of it."""

    def refuse(*_: object, **__: object) -> object:
        raise OSError(number, "no")

    visitor, address = work.visitor, f"/api/folios/{work.folio_id}/pictures?name=a.png"
    for broken in ("lucidex.records.store.tempfile.mkstemp", "lucidex.web.api.folios.received"):
        monkeypatch.setattr(broken, refuse)
        sent = visitor.client.post(address, content=b"x", headers=visitor.bearer)
        assert (sent.status_code, "disk is full or cannot be written" in sent.json()["detail"]) == (503, True)
