"""Client data whose presence is checked and whose type is not."""

from collections.abc import Iterator

from mappu.gaps.base import gap, listed, remedy
from mappu.inventory.model import Gap
from mappu.pipeline.evidence import FieldEvidence, Scan

kind = "untyped"

_PRESENCE = frozenset({"required", "notNull", "notEmpty", "nullable"})


def find(scan: Scan) -> Iterator[Gap]:
    for route in scan.routes:
        found = [f for f in route.fields if _untyped(f)]
        if not found:
            continue
        where = found[0].field.constraints[0].declared
        names = listed(f.field.path for f in found)
        verb = "is" if len(found) == 1 else "are"
        why = f"{names} {verb} checked to be there and not looked at any further: a list or an object passes as well"
        field = found[0].field.path if len(found) == 1 else "*"
        yield gap(kind, route, where, why, remedy(route, "check-type"), field=field, place=found[0].field.place)


def _untyped(found: FieldEvidence) -> bool:
    """True for a part of a JSON body, read by hand, that only has to be there."""
    field = found.field
    return (
        found.raw
        and field.place == "body"
        and field.path != "*"
        and field.type == "any"
        and field.standing == "shape-only"
        and bool(field.constraints)
        and all(c.kind in _PRESENCE for c in field.constraints)
    )
