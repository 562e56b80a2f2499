"""The workshop for a command at the terminal: over the database that runs, or over one started for the while."""

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from lucidex.core.errors import UnavailableError
from lucidex.launch.mariadb import DatabaseServerError, MariaDbServer
from lucidex.records.migration import migrate
from lucidex.services.house.workshop import Workshop


@contextmanager
def opened_workshop(data: Path) -> Iterator[Workshop]:
    """The workshop over a data folder. UnavailableError where there is none, or its database cannot be had."""
    if not (data / "mariadb" / "data").is_dir():
        raise UnavailableError(f"There is no product over {data}. Start it once, or name its folder with --data.")
    server = MariaDbServer(data / "mariadb")
    running = server.find_running()
    try:
        if not running:
            server.start()
        workshop = Workshop(data / "files", server.url)
        try:
            if not running:
                migrate(workshop.database.engine)
            yield workshop
        finally:
            workshop.close()
    except DatabaseServerError as error:
        raise UnavailableError(str(error)) from error
    finally:
        if not running:
            server.stop()
