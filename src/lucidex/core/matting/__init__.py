"""Cutting out: what belongs to a subject, how much of each pixel at its edge, and which colour it has there."""
