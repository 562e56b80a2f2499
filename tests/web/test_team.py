"""A team: sessions that end, accounts that close, shares and tokens that only look, a log, words that are ours."""

import re
from collections.abc import Callable
from datetime import timedelta

import pytest
from fastapi import FastAPI
from sqlalchemy import select, update
from starlette.testclient import TestClient

from lucidex.core.errors import OutOfRangeError, TooManyTriesError
from lucidex.records.models import ApiToken, Person, Scope, SignIn, now
from lucidex.services.folios.folios import hand_over_folio, read_folio, share_folio
from lucidex.services.house.workshop import Workshop
from lucidex.services.people import people, sessions
from lucidex.services.people.people import Actor
from lucidex.services.people.rate_limits import SLOWEST_S, TRIES_BY_ADDRESS, TRIES_FOR_ONE, SignInLimiter
from tests.conftest import PASSWORD
from tests.web.conftest import Visitor, Work
from tests.web.test_access import addressed, all_routes, ask


def as_admin(workshop: Workshop, visitor: Visitor) -> None:
    with workshop.database.begin() as session:
        session.execute(update(Person).where(Person.id == visitor.actor.id).values(is_admin=True))


def is_in(client: TestClient) -> bool:
    return client.get("/account", follow_redirects=False).status_code == 200


def test_signing_out_makes_the_cookie_worthless(application: FastAPI, visit: Callable[[], Visitor]) -> None:
    visitor = visit()
    cookies = dict(visitor.client.cookies)
    visitor.client.post("/sign-out", headers={"X-CSRF-Token": visitor.csrf})
    thief = TestClient(application, base_url="http://127.0.0.1", cookies=cookies)
    assert not is_in(thief)


def test_a_changed_password_ends_every_other_session(
    application: FastAPI, workshop: Workshop, visit: Callable[[], Visitor]
) -> None:
    visitor = visit()
    elsewhere = sessions.begin_session(workshop, visitor.actor, "192.0.2.1", "another browser")
    form = {"old": PASSWORD, "new": "a-new-long-password", "again": "a-new-long-password", "csrf": visitor.csrf}
    assert visitor.client.post("/account/password", data={**form, "old": "wrong"}).status_code == 422
    assert visitor.client.post("/account/password", data={**form, "again": "typo"}).status_code == 422
    assert sessions.find_session(workshop, elsewhere) is not None
    message = visitor.client.post("/account/password", data=form)
    assert "All your other sessions were ended" in message.text
    assert sessions.find_session(workshop, elsewhere) is None
    assert is_in(visitor.client)
    assert people.check_password(workshop, visitor.actor.login, PASSWORD) is None
    assert people.check_password(workshop, visitor.actor.login, "a-new-long-password") is not None


def test_a_closed_account_is_out_at_once(workshop: Workshop, visit: Callable[[], Visitor]) -> None:
    visitor, admin = visit(), visit()
    as_admin(workshop, admin)
    admin.client.post(f"/people/{visitor.actor.id}/close", data={"csrf": admin.csrf})
    assert not is_in(visitor.client)
    assert visitor.client.get("/api/folios", headers=visitor.bearer).status_code == 401
    assert people.check_password(workshop, visitor.actor.login, PASSWORD) is None
    admin.client.post(f"/people/{visitor.actor.id}/open", data={"csrf": admin.csrf})
    assert people.check_password(workshop, visitor.actor.login, PASSWORD) is not None


def test_a_session_elsewhere_is_seen_and_ended(workshop: Workshop, visit: Callable[[], Visitor]) -> None:
    visitor, stranger = visit(), visit()
    secret = sessions.begin_session(workshop, visitor.actor, "192.0.2.44", "A tablet")
    text = visitor.client.get("/account").text
    assert "192.0.2.44" in text
    assert "A tablet" in text
    (session_id,) = re.findall(r"/account/sessions/(\d+)/end", text)
    stranger.client.post(f"/account/sessions/{session_id}/end", data={"csrf": stranger.csrf})
    assert sessions.find_session(workshop, secret) is not None
    visitor.client.post(f"/account/sessions/{session_id}/end", data={"csrf": visitor.csrf})
    assert sessions.find_session(workshop, secret) is None


def test_a_session_that_nobody_uses_runs_out(workshop: Workshop, actor: Actor) -> None:
    secret = sessions.begin_session(workshop, actor, "", "")
    with workshop.database.begin() as session:
        long_ago = now() - sessions.LASTS - timedelta(minutes=1)
        session.execute(update(SignIn).where(SignIn.person_id == actor.id).values(seen_at=long_ago))
    assert sessions.find_session(workshop, secret) is None


def test_a_look_only_share_changes_nothing_at_any_address(
    application: FastAPI, workshop: Workshop, visit: Callable[[], Visitor], work: Work
) -> None:
    """Every change of a folio, its pictures, places and runs is refused; looks are not, but for originals."""
    looker = visit()
    share_folio(workshop, work.visitor.actor, work.folio_id, looker.actor.login, Scope.LOOK)
    own = {"logo", "variant", "keep", "accept", "chosen"}  # things of one's own; what was right already; a look
    remarks = re.compile(r"/notes/(?!.*into-files)")  # whoever looks may remark, which changes no picture
    refused = 0
    for method, path in all_routes(application):
        if not re.search(r"\{(folio|picture|place|run|cell)_id\}", path) or "/logos/" in path or "/routines/" in path:
            continue
        answer = ask(looker, looker.client, method, path, addressed(path, work))
        if method == "GET":
            assert answer.status_code != 403 or path.endswith("/original"), (method, path)
        elif not path.endswith("/render") and path.rsplit("/", 1)[-1] not in own and not remarks.search(path):
            assert answer.status_code in {403, 404, 422}, (method, path, answer.status_code, answer.text[:300])
            refused += answer.status_code == 403
    assert refused > 25
    state = read_folio(workshop, work.visitor.actor, work.folio_id)
    assert [picture.removed_at for picture in state.pictures] == [None]
    document = work.visitor.client.get(f"/api/pictures/{work.picture_id}", headers=work.visitor.bearer).json()
    assert document["version"] == 1
    gathered = looker.client.get(f"/folios/{work.folio_id}/gather").text
    assert "shared with you to look at" in gathered
    assert "Bring in" not in gathered


def test_a_token_that_only_looks_changes_nothing(workshop: Workshop, work: Work) -> None:
    token = sessions.make_token(workshop, work.visitor.actor, "reader", Scope.LOOK)
    client, headers = work.visitor.client, {"Authorization": f"Bearer {token}"}
    assert client.get(f"/api/pictures/{work.picture_id}", headers=headers).status_code == 200
    rendered = client.post(f"/api/pictures/{work.picture_id}/render", headers=headers, json={"typed": "20x10"})
    assert rendered.status_code == 200
    for answer in (
        client.post("/api/folios", headers=headers, json={"name": "x"}),
        client.delete(f"/api/places/{work.place_id}", headers=headers),
        client.post(f"/api/folios/{work.folio_id}/places", headers=headers, json={"typed": "3x3"}),
    ):
        assert answer.status_code == 403
        assert "only looks" in answer.json()["detail"]


def test_a_token_expires(workshop: Workshop, actor: Actor) -> None:
    token = sessions.make_token(workshop, actor, "short", days=1)
    assert sessions.person_by_token(workshop, token) == actor
    with workshop.database.begin() as session:
        session.execute(update(ApiToken).where(ApiToken.person_id == actor.id).values(expires_at=now()))
    assert sessions.person_by_token(workshop, token) is None


def test_a_folio_is_handed_over(workshop: Workshop, visit: Callable[[], Visitor], work: Work) -> None:
    colleague, stranger = visit(), visit()
    hand_over_folio(workshop, work.visitor.actor, work.folio_id, colleague.actor.login)
    view = read_folio(workshop, colleague.actor, work.folio_id)
    assert view.is_own
    assert [person.id for person in view.shared_with] == [work.visitor.actor.id]
    assert read_folio(workshop, work.visitor.actor, work.folio_id).may_change
    assert stranger.client.get(f"/folios/{work.folio_id}/gather").status_code == 404
    with pytest.raises(OutOfRangeError, match="already"):
        hand_over_folio(workshop, colleague.actor, work.folio_id, colleague.actor.login)


@pytest.mark.parametrize(
    ("method", "path"),
    [
        ("GET", "/people"),
        ("GET", "/log"),
        ("POST", "/people"),
        ("POST", "/people/1/close"),
        ("POST", "/people/1/password"),
        ("POST", "/people/1/admin"),
        ("POST", "/people/1/name"),
        ("POST", "/people/1/open"),
    ],
)
def test_only_administrators_see_people_and_the_log(visit: Callable[[], Visitor], method: str, path: str) -> None:
    visitor = visit()
    answer = visitor.client.request(method, path, data={"csrf": visitor.csrf} if method == "POST" else None)
    assert answer.status_code == 403


def test_an_administrator_adds_renames_and_resets(workshop: Workshop, visit: Callable[[], Visitor]) -> None:
    admin = visit()
    as_admin(workshop, admin)
    login = f"new-{admin.actor.login}"
    added = admin.client.post("/people", data={"login": login, "name": "Ines", "csrf": admin.csrf}).text
    password = re.search(r'id="fresh-password">([^<]+)<', added)
    assert password
    actor = people.check_password(workshop, login, password[1])
    assert actor is not None
    assert not actor.is_admin
    again = admin.client.post(f"/people/{actor.id}/password", data={"csrf": admin.csrf}).text
    fresh = re.search(r'id="fresh-password">([^<]+)<', again)
    assert fresh
    assert people.check_password(workshop, login, password[1]) is None
    assert people.check_password(workshop, login, fresh[1]) is not None
    admin.client.post(f"/people/{actor.id}/name", data={"name": "Ines Farrow", "csrf": admin.csrf})
    assert people.find_login(workshop, login) == Actor(actor.id, login, "Ines Farrow")
    assert "is taken" in admin.client.post("/people", data={"login": login, "csrf": admin.csrf}).text


def test_the_last_administrator_stays(workshop: Workshop, actor: Actor) -> None:
    with workshop.database.begin() as session:
        others = list(session.scalars(select(Person.id).where(Person.is_admin)))
        session.execute(update(Person).values(is_admin=False))
        session.execute(update(Person).where(Person.id == actor.id).values(is_admin=True))
    alone = Actor(actor.id, actor.login, actor.name, is_admin=True)
    try:
        with pytest.raises(OutOfRangeError, match="only administrator"):
            people.disable_person(workshop, alone, actor.id)
        with pytest.raises(OutOfRangeError, match="only administrator"):
            people.make_admin(workshop, alone, actor.id, False)
    finally:
        with workshop.database.begin() as session:
            session.execute(update(Person).where(Person.id.in_(others)).values(is_admin=True))


def test_the_log_tells_what_happened(workshop: Workshop, visit: Callable[[], Visitor], work: Work) -> None:
    admin, colleague = visit(), visit()
    as_admin(workshop, admin)
    mine = work.visitor
    share_folio(workshop, mine.actor, work.folio_id, colleague.actor.login, Scope.LOOK)
    mine.client.get(f"/pictures/{work.picture_id}/original")
    mine.client.get(f"/pictures/{work.picture_id}/places/{work.place_id}/file?download=true")
    mine.client.get(f"/runs/{work.run_id}/archive")
    mine.client.post(f"/pictures/{work.picture_id}/remove", data={"csrf": mine.csrf})
    sessions.make_token(workshop, mine.actor, "newsletter")
    text = admin.client.get("/log").text
    for message in (
        f"{mine.actor.login} signed in.",
        f"with {colleague.actor.login} to look",
        "Fetched the original “dome.jpg”.",
        "Fetched “",
        f"Fetched the archive of run {work.run_id}",
        "Took “dome.jpg” out of a folio.",
        "named “newsletter”",
    ):
        assert message in text
    only = admin.client.get("/log?kind=share").text
    assert "to look" in only
    assert "signed in." not in only


@pytest.mark.parametrize("path", ["/routines", "/book"])
def test_an_address_puts_no_words_into_our_mouth(visit: Callable[[], Visitor], path: str) -> None:
    visitor = visit()
    assert "Call this number" not in visitor.client.get(path, params={"said": "Call this number"}).text
    form = {"by": "size", "first": "30", "second": "20", "csrf": visitor.csrf}
    assert visitor.client.post("/book", data=form, follow_redirects=False).status_code == 303
    assert "The place is in your book." in visitor.client.get("/book").text
    assert "The place is in your book." not in visitor.client.get("/book").text, "it is said once"


def test_tries_are_counted_before_they_are_checked() -> None:
    """Many at the same moment are no way around it."""
    limiter = SignInLimiter()
    for _ in range(TRIES_FOR_ONE):
        limiter.count("192.0.2.9", "mara")
    with pytest.raises(TooManyTriesError):
        limiter.count("192.0.2.9", "mara")
    for number in range(TRIES_BY_ADDRESS):
        limiter.count("192.0.2.10", f"name {number}")
    with pytest.raises(TooManyTriesError):
        limiter.count("192.0.2.10", "one more")


def test_others_cannot_lock_the_owner_out() -> None:
    """A thousand tries from everywhere make the owner wait some seconds, and no more."""
    limiter = SignInLimiter()
    delays = [limiter.count(f"198.51.100.{number % 250}-{number}", "mara") for number in range(900)]
    assert delays[0] == 0
    assert max(delays) == SLOWEST_S
    assert limiter.count("203.0.113.5", "Mara ") == SLOWEST_S
    limiter.succeeded("203.0.113.5", "mara")
    assert limiter.count("203.0.113.5", "mara") <= SLOWEST_S


def test_a_forwarded_address_is_not_believed(application: FastAPI) -> None:
    """Whoever writes another address into a header is still counted as who they are."""
    client = TestClient(application, base_url="http://127.0.0.1", raise_server_exceptions=False)
    found = re.search(r'name="csrf" value="([^"]+)"', client.get("/sign-in").text)
    assert found
    form = {"login": "believed", "password": "wrong", "csrf": found[1]}
    answers = [
        client.post("/sign-in", data=form, headers={"X-Forwarded-For": f"10.0.0.{number}"}).status_code
        for number in range(TRIES_FOR_ONE + 1)
    ]
    assert answers[-1] == 429


@pytest.mark.parametrize("keeps", [True, False])
def test_a_changed_password_says_what_becomes_of_tokens(visit: Callable[[], Visitor], keeps: bool) -> None:
    """They outlived it, and nobody said so."""
    visitor = visit()
    assert visitor.client.get("/api/folios", headers=visitor.bearer).status_code == 200
    assert "Scripts keep their token" in visitor.client.get("/account").text
    sent = {"old": PASSWORD, "new": "another-long-password", "again": "another-long-password"}
    answer = visitor.post("/account/password", {**sent, **({"keep_tokens": "true"} if keeps else {})})
    assert ("1 token goes on counting" if keeps else "no token counts any more") in answer.text
    assert visitor.client.get("/api/folios", headers=visitor.bearer).status_code == (200 if keeps else 401)
