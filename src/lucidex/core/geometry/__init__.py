"""Sizes, windows, transforms, and the one geometry that the steps of a picture compose."""
