"""A change takes for the same field what its create turns away."""

from collections.abc import Iterator

from mappu.compare.limits import Limits, limits, tighter
from mappu.compare.siblings import siblings
from mappu.gaps.base import gap_on, handler_place
from mappu.inventory.model import Constraint, ConstraintKind, Gap
from mappu.pipeline.evidence import FieldEvidence, RouteEvidence, Scan

kind = "sibling-drift"

_SPOKEN_OF = frozenset({"bare", "idle", "unknown", "leaky"})
# A limit of the left kind is kept by any of the right ones as well: what is listed or named has no need of a count.
_KEPT_BY: dict[ConstraintKind, tuple[ConstraintKind, ...]] = {
    "minLength": ("enum", "const", "format", "pattern"), "maxLength": ("enum", "const", "format", "pattern"),
    "minimum": ("enum", "const", "exclusiveMinimum"), "maximum": ("enum", "const", "exclusiveMaximum"),
    "exclusiveMinimum": ("enum", "const", "minimum"), "exclusiveMaximum": ("enum", "const", "maximum"),
    "enum": ("const", "pattern"), "pattern": ("enum", "const", "format", "pattern"),
    "format": ("enum", "const", "format", "pattern"), "minItems": (), "maxItems": (), "multipleOf": (),
}  # fmt: skip
_WORDS: dict[ConstraintKind, str] = {
    "minLength": "fewer than {} characters", "maxLength": "more than {} characters", "minimum": "less than {}",
    "maximum": "more than {}", "exclusiveMinimum": "{} or less", "exclusiveMaximum": "{} or more",
    "minItems": "fewer than {} elements", "maxItems": "more than {} elements", "enum": "other values than those listed",
    "pattern": "text that its pattern does not match", "format": "what is no {}", "multipleOf": "what is no multiple of {}",
}  # fmt: skip


def find(scan: Scan) -> Iterator[Gap]:
    for family in siblings(scan.routes):
        created = {(f.field.place, f.field.path): f for f in family.create.fields}
        for change in family.changes:
            for found in change.fields:
                first = created.get((found.field.place, found.field.path))
                if first is not None and found.field.place in ("body", "form"):
                    yield from _drift(family.create, first, change, found)


def _drift(create: RouteEvidence, first: FieldEvidence, change: RouteEvidence, found: FieldEvidence) -> Iterator[Gap]:
    held, wanted = limits(found.field), limits(first.field)
    if found.field.standing in _SPOKEN_OF or held.any_of({"custom"}) or found.alternatives:
        return
    lost = [c for c in wanted.by_kind.values() if _is_lost(c, held) and (found.raw or _plain(create, c))]
    if not lost:
        return
    said = " and ".join(_WORDS[c.kind].format(c.value) for c in lost[:3])
    at = lost[0].declared
    why = f"{create.endpoint.method} {create.endpoint.path} refuses {said} ({at.file}:{at.line}), and this takes them"
    where = found.field.constraints[0].declared if found.field.constraints else found.read or handler_place(change)
    yield gap_on(kind, change, found, where, why, f"put the limits that `{found.field.path}` has there on it here too")


def _plain(create: RouteEvidence, limit: Constraint) -> bool:
    """False for a check by hand somewhere below the handler: the change may well get there too, on a way not followed."""
    by_hand = limit.run_by is not None and "by hand" in limit.run_by.what
    return not by_hand or limit.declared.file == create.endpoint.handler.file


def _is_lost(limit: Constraint, held: Limits) -> bool:
    """True where what `limit` refuses gets through what is held."""
    if limit.kind not in _KEPT_BY or held.any_of(_KEPT_BY[limit.kind]):
        return False
    own = held.by_kind.get(limit.kind)
    return own is None or tighter(limit, own)
