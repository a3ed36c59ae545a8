"""The survey as data."""

from collections import Counter
from typing import Any

from mappu.inventory.model import Inventory


def survey(inventory: Inventory) -> dict[str, Any]:
    """Return counts by service, standing and gap kind, and the places that were not followed."""
    return {
        "services": [
            {
                "name": s.name,
                "path": s.path,
                "frameworks": list(s.frameworks),
                "endpoints": dict(sorted(Counter(e.standing for e in inventory.endpoints if e.service in (s.name, s.path)).items())),
                "fields": dict(sorted(Counter(
                    f.standing for e in inventory.endpoints if e.service in (s.name, s.path) for f in e.fields
                ).items())),
            }
            for s in inventory.services
        ],
        "gaps": dict(sorted(Counter(g.kind for g in inventory.gaps).items())),
        "severities": dict(sorted(Counter(g.severity for g in inventory.gaps).items())),
        "unfollowed": len(inventory.unfollowed),
    }  # fmt: skip
