"""Folios, with whom they are shared, and what those see who may only look."""
