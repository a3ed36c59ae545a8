"""A schema written as a chain, as far as it was read; and several put together."""

from collections.abc import Iterable
from typing import Any

import msgspec

from mappu.inventory.model import FieldType, Place
from mappu.vocabularies.shape import Default, Rule, Shape, ShapeField


class Part(msgspec.Struct, frozen=True):
    """A schema with what it says of the field that has it: whether it may be left out, and its default."""

    shape: Shape
    optional: bool = False
    default: Default | None = None

    def but(self, **changes: Any) -> "Part":
        """The same with some of the shape changed."""
        return Part(self.shape.with_(**changes), self.optional, self.default)


def merged(shapes: list[Shape], place: Place) -> Shape:
    """One shape of several alternatives: the fields of all; limits that all of the same type share are kept."""
    real = [s for s in shapes if not s.none]
    nullable = len(real) < len(shapes) or any(s.nullable for s in real)
    if len(real) == 1:
        return real[0].with_(nullable=nullable)
    if not real:
        return Shape(none=True, nullable=True)
    types = sorted({s.type for s in real})
    same: FieldType = types[0] if len(types) == 1 else "number" if types == ["integer", "number"] else "any"
    rules: list[Rule] = []
    if same == "any" and "any" not in types:
        rules.append(Rule("type", types, place))
    listed = [r for s in real for r in s.rules if r.kind in ("enum", "const")]
    if len(listed) >= len(real) and all(any(r.kind in ("enum", "const") for r in s.rules) for s in real):
        values: list[object] = []
        for rule in listed:
            values.extend(v for v in (rule.value if isinstance(rule.value, list) else [rule.value]) if v not in values)
        rules.append(Rule("enum", values, listed[0].declared))
    else:
        for shape in real:
            for rule in shape.rules:
                others = [s for s in real if s is not shape and s.type in (shape.type, "any")]
                if all(any(r.kind == rule.kind for r in s.rules) for s in others) and rule not in rules:
                    rules.append(rule)
    by_name: dict[str, list[ShapeField]] = {}
    for shape in real:
        for field in shape.fields:
            by_name.setdefault(field.name, []).append(field)
    objects = sum(bool(s.fields) for s in real)
    fields = []
    for each in by_name.values():
        inner = merged([f.shape for f in each], place) if len(each) > 1 else each[0].shape
        required = len(each) == objects and all(f.required for f in each)
        fields.append(msgspec.structs.replace(each[0], shape=inner, required=required))
    return Shape(
        same, nullable, closed=all(s.closed for s in real), known=all(s.known for s in real), rules=tuple(rules),
        fields=tuple(fields), items=next((s.items for s in real if s.items), None),
        values=next((s.values for s in real if s.values), None), alternatives=True,
        model=" | ".join(dict.fromkeys(s.model for s in real if s.model)) or None,
        unfollowed=tuple(x for s in real for x in s.unfollowed),
    )  # fmt: skip


def over(first: tuple[ShapeField, ...], second: Iterable[ShapeField]) -> tuple[ShapeField, ...]:
    """The fields of both, the second's winning."""
    return tuple(({f.name: f for f in first} | {f.name: f for f in second}).values())
