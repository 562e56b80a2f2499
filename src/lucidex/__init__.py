"""Lucidex: one picture, every place it has to fill."""
