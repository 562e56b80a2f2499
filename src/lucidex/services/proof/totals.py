"""Weights before and after: of originals, and of the files that are made of them."""

from collections.abc import Iterable
from dataclasses import dataclass

from lucidex.core.units import format_weight
from lucidex.services.proof.proof_sheet import ProofRow


@dataclass(frozen=True)
class Totals:
    """Bytes of originals and of files; how many files there are, and how many of them are made already."""

    before: int
    after: int
    files: int
    made: int

    @property
    def words(self) -> str:
        """For example: 48 MB of originals, 3.1 MB in 78 of 80 files."""
        files = f"{self.made} of {self.files} files" if self.made < self.files else f"{self.files} files"
        return f"{format_weight(self.before)} of originals, {format_weight(self.after)} in {files}"


def totals_of(rows: Iterable[ProofRow]) -> Totals:
    """Of some rows of the sheet; an original counts once, however many files are made of it."""
    rows = list(rows)
    cells = [cell for row in rows for cell in row.cells if cell.is_made and cell.placed is not None]
    made = [cell.byte_count for cell in cells if cell.byte_count is not None]
    return Totals(sum(row.state.byte_count for row in rows), sum(made), len(cells), len(made))
