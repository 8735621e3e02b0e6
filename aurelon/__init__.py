"""Aurelon puts light into a photograph."""

__version__ = "0.1.0"
