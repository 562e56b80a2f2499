"""The README's figures: put between their marks and nowhere else, with what they are of; and how old they are."""

import pytest
from bench.figures import README, age, in_short, replaced

TEXT = "# Before\n<!-- figures of abc123 on 2026-01-01 -->\n\nold\n\n<!-- end of the figures -->\n## After\n"


def test_figures_take_the_place_of_the_older_ones_alone() -> None:
    made = replaced(TEXT, "\\1 | new |", "def456", "2026-02-02")
    assert made == TEXT.replace("abc123", "def456").replace("2026-01-01", "2026-02-02").replace("old", "\\1 | new |")
    assert replaced(made, "third", "0", "2026-03-03").count("<!-- figures of") == 1
    with pytest.raises(ValueError, match="marks"):
        replaced("# Nothing here\n", "new", "0", "2026-01-01")


def test_the_readme_has_room_for_them_and_says_how_old_they_are() -> None:
    assert replaced(README.read_text(), "new", "0", "2026-01-01") != README.read_text()
    assert "figures are of 20" in age()


def test_what_a_bench_indents_stays_out_and_tables_stay_whole() -> None:
    assert (
        in_short("| a |\n|---|\n| 1 |\n  detail\nIn all: 3\nAnd 4\n") == "| a |\n|---|\n| 1 |\n\nIn all: 3\n\nAnd 4"
    )
