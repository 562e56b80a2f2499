"""Addresses that answer with pixels: previews, finished files, samples of faces."""
