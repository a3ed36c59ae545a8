"""Web frameworks, one module or package each, found by their place in this folder."""

import importlib
from functools import cache

from mappu.frameworks.base import Framework
from mappu.vocabularies import modules_of


@cache
def frameworks() -> tuple[Framework, ...]:
    """Every framework at hand, by name."""
    package = importlib.import_module(__name__)
    return modules_of(package, "framework", "mappu.frameworks")  # type: ignore[return-value]
