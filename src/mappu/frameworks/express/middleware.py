"""Functions of well-known packages on a route's way that check what it takes."""

from collections.abc import Iterator

from mappu.frameworks.base import Link, Ran, Service, Taken
from mappu.inventory.model import RunBy


def taken(service: Service, link: Link) -> Iterator[Taken]:
    """What such a function checks."""
    yield from ()


def runs(found: Taken) -> Ran:
    declared = found.declared
    if found.place == "path" and not found.shape.rules:
        return Ran(None)
    what = "router" if found.place == "path" else "middleware"
    return Ran(RunBy(what, declared.file, declared.line, declared.text or ""))
