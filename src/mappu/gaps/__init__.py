"""Kinds of gap, one module each, found by their place in this folder."""

import datetime
import importlib
import pkgutil
from functools import cache

import msgspec

from mappu.gaps.base import GapKind
from mappu.inventory.model import SEVERITIES, Gap, Inventory
from mappu.pipeline.evidence import Scan
from mappu.sources.settings import Accepted, Settings


class Judgement(msgspec.Struct, frozen=True):
    """An inventory with its gaps. `accepted` were left out because the settings accept them; `unmatched` are entries
    of the settings that accept nothing (any more)."""

    inventory: Inventory
    accepted: tuple[Gap, ...]
    unmatched: tuple[Accepted, ...]


@cache
def gap_kinds() -> tuple[GapKind, ...]:
    """Every kind at hand, by module name."""
    package = importlib.import_module(__name__)
    names = sorted(info.name for info in pkgutil.iter_modules(package.__path__))
    modules = [importlib.import_module(f"{__name__}.{name}") for name in names]
    return tuple(m for m in modules if hasattr(m, "find"))


def judge(scan: Scan, today: datetime.date | None = None) -> Judgement:
    """Return the scan's inventory with every gap found, graded and sorted as the settings say."""
    day = today or datetime.date.today()
    found: dict[tuple[object, ...], Gap] = {}
    for kind in gap_kinds():
        for gap in kind.find(scan):
            graded = _graded(gap, scan.settings)
            if graded is not None:
                key = (gap.kind, gap.endpoint, gap.field, gap.place, gap.where.file, gap.where.line, gap.why)
                found.setdefault(key, graded)
    kept, accepted, used = [], [], set()
    for gap in sorted(found.values(), key=_order):
        entry = next((a for a in scan.settings.accepted if _accepts(a, gap, day)), None)
        if entry is None:
            kept.append(gap)
        else:
            accepted.append(gap)
            used.add(entry)
    unmatched = tuple(a for a in scan.settings.accepted if a not in used)
    inventory = msgspec.structs.replace(scan.inventory, gaps=tuple(kept))
    return Judgement(inventory, tuple(accepted), unmatched)


def _graded(gap: Gap, settings: Settings) -> Gap | None:
    severity = settings.severity.get(gap.kind)
    if severity is None:
        return gap
    return None if severity == "off" else msgspec.structs.replace(gap, severity=severity)


def _accepts(entry: Accepted, gap: Gap, day: datetime.date) -> bool:
    if entry.kind != gap.kind or (entry.until is not None and entry.until < day):
        return False
    asked = ((entry.endpoint, gap.endpoint), (entry.field, gap.field), (entry.file, gap.where.file))
    return all(wanted is None or wanted == real for wanted, real in asked)


def _order(gap: Gap) -> tuple[int, str, str, str, str, str, int]:
    rank = len(SEVERITIES) - SEVERITIES.index(gap.severity)
    return (rank, gap.endpoint or "", gap.kind, gap.place or "", gap.field or "", gap.where.file, gap.where.line)
