"""The survey as data."""

from collections import Counter
from collections.abc import Iterable
from typing import Any

from mappu.inventory.model import Inventory


def survey(inventory: Inventory) -> dict[str, Any]:
    """Return counts by service, standing and gap kind, and the places that were not followed."""
    services = []
    for service in inventory.services:
        own = [e for e in inventory.endpoints if e.service in (service.name, service.path)]
        services.append({
            "name": service.name,
            "path": service.path,
            "frameworks": list(service.frameworks),
            "endpoints": _counted(e.standing for e in own),
            "fields": _counted(f.standing for e in own for f in e.fields),
        })  # fmt: skip
    return {
        "services": services,
        "gaps": _counted(g.kind for g in inventory.gaps),
        "severities": _counted(g.severity for g in inventory.gaps),
        "unfollowed": len(inventory.unfollowed),
    }


def _counted(words: Iterable[str]) -> dict[str, int]:
    return dict(sorted(Counter(words).items()))
