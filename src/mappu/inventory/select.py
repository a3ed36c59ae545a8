"""Narrowing an inventory to what was asked for."""

from collections.abc import Callable, Iterable
from fnmatch import fnmatchcase

import msgspec

from mappu.inventory.model import Endpoint, Field, Gap, Inventory


def endpoint_matches(id_: str | None, wanted: str | None) -> bool:
    """True where `wanted` is part of the endpoint's id, upper and lower case alike; a None wants everything."""
    return wanted is None or wanted.lower() in (id_ or "").lower()


def fields(
    inventory: Inventory, *, endpoint: str | None = None, places: Iterable[str] = (), field: str | None = None,
    standings: Iterable[str] = (),
) -> Inventory:  # fmt: skip
    """Return the inventory with only the fields asked for, the endpoints that still have any, and their gaps.

    `endpoint` is part of an endpoint's id, `field` a name or pattern with `*`, matched against the whole path or its last
    part. With nothing asked the inventory comes back whole.
    """
    wanted_places, wanted_standings = frozenset(places), frozenset(standings)
    if endpoint is None and field is None and not wanted_places and not wanted_standings:
        return inventory
    narrow = field is not None or bool(wanted_places) or bool(wanted_standings)

    def keep(found: Field) -> bool:
        last = found.path.rpartition(".")[2]
        named = field is None or found.path == field or fnmatchcase(found.path, field) or fnmatchcase(last, field)
        return (
            named
            and (not wanted_places or found.place in wanted_places)
            and (not wanted_standings or found.standing in wanted_standings)
        )

    kept: list[Endpoint] = []
    for each in inventory.endpoints:
        if endpoint_matches(each.id, endpoint):
            found = tuple(f for f in each.fields if keep(f))
            if found or not narrow:
                kept.append(msgspec.structs.replace(each, fields=found))
    ids = {e.id: {f.path for f in e.fields} for e in kept}
    return _with(inventory, kept, lambda g: g.endpoint in ids and (not narrow or g.field in ids[g.endpoint or ""]))


def gaps(inventory: Inventory, *, kinds: Iterable[str] = (), endpoint: str | None = None) -> Inventory:
    """Return the inventory with only the gaps of these kinds (all where none is named) on matching endpoints."""
    wanted = frozenset(kinds)
    kept = tuple(
        g for g in inventory.gaps if (not wanted or g.kind in wanted) and endpoint_matches(g.endpoint, endpoint)
    )
    return msgspec.structs.replace(inventory, gaps=kept)


def _with(inventory: Inventory, endpoints: list[Endpoint], keep_gap: Callable[[Gap], bool]) -> Inventory:
    services = {e.service for e in endpoints}
    return msgspec.structs.replace(
        inventory,
        services=tuple(s for s in inventory.services if s.name in services or s.path in services),
        endpoints=tuple(endpoints),
        gaps=tuple(g for g in inventory.gaps if keep_gap(g)),
    )
