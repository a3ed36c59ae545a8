"""Limits of one field told together: what really holds on a route, whatever words it was written in."""

from collections.abc import Iterable

import msgspec

from mappu.inventory.model import Constraint, ConstraintKind, Field

# Kinds that limit what a text may be without counting its characters.
NAMED: frozenset[ConstraintKind] = frozenset({"enum", "const", "format", "pattern", "custom", "exists", "equalsField"})
_NOT_EMPTY: frozenset[ConstraintKind] = frozenset({"notEmpty", "notBlank"})


class Limits(msgspec.Struct, frozen=True):
    """What runs on a field, by kind; of several of a kind the tightest."""

    by_kind: dict[ConstraintKind, Constraint]

    def value(self, kind: ConstraintKind) -> object:
        found = self.by_kind.get(kind)
        return found.value if found is not None else None

    def any_of(self, kinds: Iterable[ConstraintKind]) -> bool:
        return any(k in self.by_kind for k in kinds)

    @property
    def longest(self) -> int | None:
        """The most characters that get through, where that is known."""
        listed = self.listed
        sizes = [len(v) for v in listed if isinstance(v, str)] if listed is not None else []
        most = self.value("maxLength")
        if isinstance(most, int | float):
            sizes.append(int(most))
            return min(sizes)
        return max(sizes) if sizes else None

    @property
    def listed(self) -> tuple[object, ...] | None:
        """The values it is limited to."""
        values = self.value("enum")
        if isinstance(values, list | tuple):
            return tuple(values)
        return (self.value("const"),) if "const" in self.by_kind else None


_LOWER: frozenset[ConstraintKind] = frozenset({"minimum", "exclusiveMinimum", "minLength", "minItems", "minProperties"})


def limits(field: Field) -> Limits:
    """Return what runs on a field."""
    found: dict[ConstraintKind, Constraint] = {}
    for each in field.constraints:
        if each.status != "runs":
            continue
        before = found.get(each.kind)
        if before is None or tighter(each, before):
            found[each.kind] = each
    if found.keys() & _NOT_EMPTY and "minLength" not in found:
        empty = next(c for k, c in found.items() if k in _NOT_EMPTY)
        found["minLength"] = msgspec.structs.replace(empty, kind="minLength", value=1)
    return Limits(found)


def tighter(one: Constraint, other: Constraint) -> bool:
    """True where the first limit of two of one kind refuses something that the second lets through."""
    a, b = one.value, other.value
    if isinstance(a, int | float) and isinstance(b, int | float):
        return a > b if one.kind in _LOWER else a < b
    if one.kind == "enum" and isinstance(a, list | tuple) and isinstance(b, list | tuple):
        return not all(v in a for v in b)
    return False
