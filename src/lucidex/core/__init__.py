"""Pixels and arithmetic: no database, no HTTP, no screen, no clock, no environment."""
