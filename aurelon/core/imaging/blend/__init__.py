"""Blend modes: how light is laid on a picture. `modes.py` has an entry for each."""
