"""Storage libraries, one module each, found by their place in this folder: which columns a write ends up in."""

import importlib
from functools import cache

from mappu.storages.base import Storage
from mappu.vocabularies import modules_of


@cache
def storages() -> tuple[Storage, ...]:
    """Every storage library at hand, by name."""
    package = importlib.import_module(__name__)
    return modules_of(package, "storage", "mappu.storages")  # type: ignore[return-value]
