"""Shared by all tests: pictures made on the spot, a real MariaDB, the running application."""

import os
import secrets
import shutil
import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import numpy.typing as npt
import pytest
import pyvips
from argon2 import PasswordHasher
from hypothesis import HealthCheck, Phase, settings

from lucidex.launch.mariadb import MariaDbServer
from lucidex.records.migration import migrate
from lucidex.records.store import FileStore
from lucidex.services.house.workshop import Workshop
from lucidex.services.people import people
from lucidex.services.people.people import Actor, add_person
from lucidex.services.rendering.renderer import Renderer

settings.register_profile("lucidex", deadline=None, suppress_health_check=[HealthCheck.too_slow], max_examples=80)
# where a test is only to notice sabotage, the smallest case need not be found, and the cases are the same every time
QUICKLY = (Phase.explicit, Phase.reuse, Phase.generate)
settings.register_profile("sabotage", parent=settings.get_profile("lucidex"), phases=QUICKLY, derandomize=True)
QUICK_EXAMPLES = 8
settings.register_profile("quick", parent=settings.get_profile("lucidex"), max_examples=QUICK_EXAMPLES)
WANTED = next((name for name in ("sabotage", "quick") if f"LUCIDEX_{name.upper()}" in os.environ), "lucidex")
settings.load_profile(WANTED)

# passwords are as dear as in the product only where that is looked at (tests/services/test_people.py)
STRONG = people._hasher
people._hasher = PasswordHasher(time_cost=1, memory_cost=64, parallelism=1)
people._DECOY = people._hasher.hash("nobody's")

Pixels = npt.NDArray[np.uint8]
PASSWORD = "a-long-enough-password"


def picture(width: int, height: int, bands: int = 3, seed: int = 1) -> Pixels:
    """A repeatable picture in which every pixel differs from its neighbours."""
    random = np.random.default_rng(seed)
    return random.integers(0, 256, (height, width, bands), dtype=np.uint8)


def encoded(pixels: Pixels, suffix: str = ".png", **options: object) -> bytes:
    """A file with these pixels."""
    height, width, bands = pixels.shape
    image = pyvips.Image.new_from_memory(np.ascontiguousarray(pixels).tobytes(), width, height, bands, "uchar")
    return bytes(image.copy(interpretation="srgb").write_to_buffer(suffix, **options))


def smooth_picture(width: int, height: int) -> Pixels:
    """Soft gradients: what photographs mostly are."""
    x, y = np.meshgrid(np.linspace(0, 1, width), np.linspace(0, 1, height))
    bands = [127 + 110 * np.sin(5 * x + k) * np.cos(4 * y + 2 * k) for k in range(3)]
    return np.clip(np.stack(bands, -1), 0, 255).astype(np.uint8)


def on_disk(store: FileStore, sha256: str) -> Path:
    """Where a stored file lies: for what a test does to it behind the product's back."""
    path = store.local_path(sha256)
    assert path is not None
    return path


# files that take longest go first, so that none of them is what everybody waits for at the end; a journey leaves an
# event loop running in its process, so what starts one of its own goes before
LONG = ("services/test_fuzzing", "services/test_start", "sabotage/", "web/", "services/", "standins/", "journeys/")


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """The order of the files; within one nothing moves."""
    folder = Path(__file__).parent

    def rank(item: pytest.Item) -> int:
        name = item.path.relative_to(folder).as_posix() if item.path.is_relative_to(folder) else ""
        return next((number for number, start in enumerate(LONG) if name.startswith(start)), len(LONG))

    items.sort(key=rank)
    if WANTED == "quick":
        for item in items:
            _with_few_examples(getattr(item, "obj", None))


def _with_few_examples(test: object) -> None:
    """A property that asks for a number of examples of its own gets by with few too."""
    own = getattr(test, "_hypothesis_internal_use_settings", None)
    if own is not None and own.max_examples > QUICK_EXAMPLES:
        test._hypothesis_internal_use_settings = settings(own, max_examples=QUICK_EXAMPLES)  # type: ignore[attr-defined]


@pytest.fixture(scope="session")
def database_server() -> Iterator[MariaDbServer]:
    folder = Path(tempfile.mkdtemp(prefix="lucidex-db-"))
    if (made := os.environ.get("LUCIDEX_DATABASE")) is not None:
        shutil.copytree(made, folder, dirs_exist_ok=True)
    server = MariaDbServer(folder)
    server.start()
    yield server
    server.stop()
    shutil.rmtree(folder, ignore_errors=True)


@pytest.fixture(scope="session")
def shared_workshop(database_server: MariaDbServer, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Workshop]:
    workshop = Workshop(tmp_path_factory.mktemp("files"), database_server.url)
    migrate(workshop.database.engine)
    yield workshop
    workshop.close()


@pytest.fixture
def workshop(shared_workshop: Workshop) -> Workshop:
    """One workshop for all tests; every test makes people and folios of its own."""
    return shared_workshop


@pytest.fixture
def renderer(workshop: Workshop) -> Renderer:
    return Renderer(workshop)


@pytest.fixture
def new_person(workshop: Workshop) -> Callable[[], Actor]:
    """Makes somebody nobody else has met."""

    def make() -> Actor:
        return add_person(workshop, f"p{secrets.token_hex(6)}", "Somebody", PASSWORD)

    return make


@pytest.fixture
def actor(new_person: Callable[[], Actor]) -> Actor:
    return new_person()
