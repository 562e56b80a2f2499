"""Finishing: runs, the workers that make their files, and archives of them."""
