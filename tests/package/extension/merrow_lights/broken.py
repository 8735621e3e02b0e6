"""Raises as it is imported."""

raise RuntimeError("a library of mine is missing")
