"""Cattailer: a multitrack capture station worked from the browser."""

__version__ = "0.1.0"
