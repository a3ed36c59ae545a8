"""Endpoints that take the same thing: what creates it, and what changes it afterwards."""

import re
from collections.abc import Iterable, Iterator

import msgspec

from mappu.inventory.model import Endpoint
from mappu.pipeline.evidence import RouteEvidence

_LAST_PARAMETER = re.compile(r"/\{[^/{}]+\}/?$")
_CHANGES = frozenset({"PUT", "PATCH"})


class Siblings(msgspec.Struct, frozen=True, eq=False):
    """What creates a thing, and the endpoints that change one."""

    create: RouteEvidence
    changes: tuple[RouteEvidence, ...]


def siblings(routes: Iterable[RouteEvidence]) -> Iterator[Siblings]:
    """Yield the families of the routes: a POST on a collection's path, and the changes of one element of it."""
    families: dict[tuple[str, str], list[RouteEvidence]] = {}
    for route in routes:
        if route.endpoint.surface == "http":
            families.setdefault((route.endpoint.service, _stem(route.endpoint)), []).append(route)
    for family in families.values():
        create = next((r for r in family if r.endpoint.method == "POST" and not _is_element(r.endpoint)), None)
        changes = tuple(r for r in family if r.endpoint.method in _CHANGES and _is_element(r.endpoint))
        if create is not None and changes:
            yield Siblings(create, changes)


def _is_element(endpoint: Endpoint) -> bool:
    return _LAST_PARAMETER.search(endpoint.path) is not None


def _stem(endpoint: Endpoint) -> str:
    return _LAST_PARAMETER.sub("", endpoint.path).rstrip("/")
