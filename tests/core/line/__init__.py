"""Tests of what typed lines mean."""
