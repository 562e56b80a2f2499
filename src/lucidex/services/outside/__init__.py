"""Devices and services outside, reached only through adapters that speak open standards.

`settings` knows which ones are set up, `client` is the only way out to them, and each kind has an adapter of its own.
"""
