"""The service, one router for each noun, found here by what is in the folder.

A noun's file holds `router = APIRouter(...)`; its models stand beside it.
"""

from __future__ import annotations

import importlib
import pkgutil

from fastapi import APIRouter


def routers() -> list[APIRouter]:
    """Every router."""
    names = sorted(m.name for m in pkgutil.iter_modules(__path__))
    return [importlib.import_module(f"{__name__}.{name}").router for name in names]
