"""Everything the services share: the database, the stores, the isolated runner."""

from pathlib import Path
from typing import TYPE_CHECKING

import pyvips

from lucidex.core.intake import Facts
from lucidex.records.database import Database
from lucidex.records.decoded import DecodedStore
from lucidex.records.store import FileStore, FolderStore
from lucidex.services.caching import CappedCache
from lucidex.work.isolated import IsolatedRunner

if TYPE_CHECKING:
    from lucidex.services.prepare import PictureState
    from lucidex.services.wanted import PlacedPicture

RENDER_THREADS = 2  # of one libvips pipeline; pixels do not depend on it, encoders are fixed apart from it

STATES_KEPT = 4_096
PLACED_KEPT = 8_192
LOGOS_KEPT = 64
COLUMNS_KEPT = 256


class Workshop:
    """One running product over one data folder and one database."""

    def __init__(self, data_folder: Path, database_url: str) -> None:
        self.data_folder = data_folder
        self.database = Database(database_url)
        self.originals: FileStore = FolderStore(data_folder / "originals")
        self.results: FileStore = FolderStore(data_folder / "results")
        self.decoded = DecodedStore(data_folder / "decoded")
        self.isolated = IsolatedRunner()
        self.states: CappedCache[PictureState] = CappedCache(STATES_KEPT, lambda state: 1)
        self.pinned: CappedCache[object] = CappedCache(STATES_KEPT, lambda kept: 1)  # what a run sees throughout
        self.logo_facts: CappedCache[Facts] = CappedCache(LOGOS_KEPT, lambda facts: 1)
        self.placed: CappedCache[PlacedPicture] = CappedCache(PLACED_KEPT, lambda placed: 1)  # cells of sheets
        # how fine the cells of a proof sheet's columns are, by their pictures
        self.fineness: CappedCache[dict[int, float]] = CappedCache(COLUMNS_KEPT, lambda column: 1)
        pyvips.concurrency_set(RENDER_THREADS)
        pyvips.cache_set_max(0)
        pyvips.block_untrusted_set(True)

    def sweep(self) -> None:
        """Clear away what a killed process left behind."""
        self.originals.sweep()
        self.results.sweep()
        self.decoded.sweep()

    def close(self) -> None:
        """Let go of the database."""
        self.database.close()
