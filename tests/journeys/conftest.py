"""The running application and a real browser."""

import tempfile
import threading
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

import pytest
import uvicorn
from playwright.sync_api import Browser, ConsoleMessage, Page, expect, sync_playwright

from lucidex.launch.mariadb import MariaDbServer
from lucidex.launch.sockets import listen
from lucidex.records.migration import migrate
from lucidex.services.house.workshop import Workshop
from lucidex.services.people.people import Actor
from lucidex.services.rendering.renderer import Renderer
from lucidex.services.runs.worker import give_back, has_work, work
from lucidex.web.app import create_app
from lucidex.web.request.context import AppContext
from lucidex.work.dispatcher import LocalProcesses
from tests.conftest import PASSWORD, encoded, smooth_picture

GIVEN_UP_AFTER_MS = 60_000  # two cores may be busy with the other tests, and a machine may be slow
expect.set_options(timeout=GIVEN_UP_AFTER_MS)
AXE = Path(__file__).parents[2] / "node_modules/axe-core/axe.min.js"
FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]


@pytest.fixture(scope="session")
def database_server() -> Iterator[MariaDbServer]:
    """A database of the journeys' own: their application has workers that take whatever is to be done."""
    with tempfile.TemporaryDirectory(prefix="lucidex-db-") as folder:
        server = MariaDbServer(Path(folder))
        server.start()
        yield server
        server.stop()


@pytest.fixture(scope="session")
def shared_workshop(database_server: MariaDbServer, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Workshop]:
    workshop = Workshop(tmp_path_factory.mktemp("files"), database_server.url)
    migrate(workshop.database.engine)
    yield workshop
    workshop.close()


@pytest.fixture(scope="session")
def site(shared_workshop: Workshop, database_server: MariaDbServer) -> Iterator[str]:
    """The address of the application, served by uvicorn on loopback."""
    arguments = (str(shared_workshop.data_folder), database_server.url)
    dispatcher = LocalProcesses(
        lambda: has_work(shared_workshop),
        work,
        arguments,
        shared_workshop.new_holder,
        lambda name: give_back(shared_workshop, name),
    )
    context = AppContext(shared_workshop, Renderer(shared_workshop), dispatcher)
    application = create_app(context, "a-secret-for-journeys")
    with listen() as listening:
        server = uvicorn.Server(uvicorn.Config(application, log_level="error", lifespan="off"))
        thread = threading.Thread(target=server.run, kwargs={"sockets": [listening]}, daemon=True)
        thread.start()
        yield f"http://127.0.0.1:{listening.getsockname()[1]}"
        server.should_exit = True
        thread.join(10)
        dispatcher.close()


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        running = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        yield running
        running.close()


def complaint(message: ConsoleMessage) -> str:
    """What a browser's console says, and of what."""
    return f"{message.text} {message.location['url']}".rstrip()


@dataclass
class Desk:
    """Somebody at a browser window. `troubles` collects what the browser's console complained about."""

    page: Page
    site: str
    actor: Actor
    troubles: list[str]

    def settled(self) -> None:
        """Wait until the bench has no request under way, its frames are made, and the stage is painted."""
        self.page.wait_for_function(
            """() => !document.querySelector('.htmx-request')
              && [...document.querySelectorAll('.frame-picture img')].every((i) => i.complete && i.naturalWidth > 0)
              && document.documentElement.dataset.fetching === undefined
              && document.getElementById('stage-canvas')?.dataset.painted !== undefined"""
        )

    def version(self) -> int:
        """The version of the document that the bench shows."""
        return int(self.page.get_attribute("#bench", "data-version") or 0)

    def type_line(self, text: str) -> None:
        """Type into the add-a-step line and press Enter; once it is done, the line is empty again."""
        self.page.fill("#line", text)
        self.page.press("#line", "Enter")
        self.page.wait_for_function("() => document.getElementById('line').value === ''")
        self.settled()

    def accessible(self) -> None:
        """An axe pass over the page as it stands: no violation of WCAG 2.2 A and AA, nor of what is good practice."""
        # evaluated through the debugging protocol, which the page's content security policy does not bind
        self.page.evaluate(AXE.read_text())
        found = self.page.evaluate(
            "() => axe.run({runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa', 'best-practice']})"
        )
        assert [(v["id"], [n["html"][:140] for n in v["nodes"]]) for v in found["violations"]] == []


@pytest.fixture
def open_desk(browser: Browser, site: str, new_person: Callable[[], Actor]) -> Iterator[Callable[..., Desk]]:
    """Opens a browser window with somebody signed in."""
    contexts = []

    def enter(actor: Actor | None = None, width: int = 1280, height: int = 800) -> Desk:
        person = actor or new_person()
        context = browser.new_context(viewport={"width": width, "height": height}, accept_downloads=True)
        contexts.append(context)
        page = context.new_page()
        page.set_default_timeout(GIVEN_UP_AFTER_MS)
        desk = Desk(page, site, person, [])
        page.on("pageerror", lambda error: desk.troubles.append(str(error)))
        page.on(
            "console", lambda message: desk.troubles.append(complaint(message)) if message.type == "error" else None
        )
        page.goto(site + "/sign-in")
        page.fill("[name=login]", person.login)
        page.fill("[name=password]", PASSWORD)
        page.click("button:has-text('Sign in')")
        page.wait_for_url(site + "/")
        return desk

    yield enter
    for context in contexts:
        context.close()


@pytest.fixture
def desk(open_desk: Callable[..., Desk]) -> Desk:
    return open_desk()


@pytest.fixture(scope="session")
def photographs(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder with files as people have them."""
    folder = tmp_path_factory.mktemp("photographs")
    (folder / "large.jpg").write_bytes(encoded(smooth_picture(6000, 4000), ".jpg", Q=85))
    (folder / "small.jpg").write_bytes(encoded(smooth_picture(900, 600), ".jpg", Q=90))
    (folder / "upright.png").write_bytes(encoded(smooth_picture(500, 800)))
    (folder / "broken.jpg").write_bytes(encoded(smooth_picture(900, 600), ".jpg", Q=90)[:9_000])
    (folder / "letter.jpg").write_text("Dear all, the picture is attached. " * 40)
    (folder / "empty.png").write_bytes(b"")
    return folder
