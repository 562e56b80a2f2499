"""Faces in a picture."""
