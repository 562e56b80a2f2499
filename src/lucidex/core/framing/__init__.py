"""Framing by itself: what a picture is of, and the part of it that a place shows."""
