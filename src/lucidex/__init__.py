"""Lucidex: one picture, every place it has to fill."""

__version__ = "0.1.0"
