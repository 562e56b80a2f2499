"""Routines: kept, seen before they are used, and used."""
