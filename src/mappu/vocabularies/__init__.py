"""Ways of writing rules, one module or package each, found by their place in this folder."""

import importlib
import pkgutil
from functools import cache
from importlib.metadata import entry_points
from types import ModuleType

from mappu.vocabularies.shape import Vocabulary


def modules_of(package: ModuleType, attribute: str, group: str) -> tuple[object, ...]:
    """Return what every module of a folder offers under `attribute`, then what other installed packages add."""
    found = []
    for info in sorted(pkgutil.iter_modules(package.__path__), key=lambda i: i.name):
        module = importlib.import_module(f"{package.__name__}.{info.name}")
        if hasattr(module, attribute):
            found.append(getattr(module, attribute))
    found.extend(entry.load() for entry in sorted(entry_points(group=group), key=lambda e: e.name))
    return tuple(found)


@cache
def vocabularies() -> tuple[Vocabulary, ...]:
    """Every vocabulary at hand, by name."""
    package = importlib.import_module(__name__)
    return modules_of(package, "vocabulary", "mappu.vocabularies")  # type: ignore[return-value]
