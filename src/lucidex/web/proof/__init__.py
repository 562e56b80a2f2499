"""The proof sheet, the runs from its foot, and how its files are written."""
