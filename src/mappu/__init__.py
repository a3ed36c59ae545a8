"""Mappu reads a service's source and says which request fields are really validated.

`mappu.survey(path)` returns an Inventory; importing this package loads nothing else until then.
"""

from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from mappu.api import survey

__all__ = ["__version__", "survey"]
__version__ = "0.1.0"


def __getattr__(name: str) -> Any:
    if name == "survey":
        from mappu.api import survey

        return survey
    raise AttributeError(f"module 'mappu' has no attribute {name!r}")
