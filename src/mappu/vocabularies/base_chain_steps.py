"""What the makers and the methods of a chain do to a schema: one function each, found by its word in two tables."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from typing import TYPE_CHECKING, TypeAlias

import msgspec

from mappu.inventory.model import Place
from mappu.symbols.program import Scope
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted
from mappu.vocabularies.base_chain_parts import Part, merged, over
from mappu.vocabularies.shape import UNKNOWN, Default, Rule, Shape

if TYPE_CHECKING:
    from mappu.vocabularies.base_chains import Reading


def named(call: n.Call, place: Place) -> str:
    """The name of the function handed over, or the source."""
    first = call.positional[0] if call.positional else None
    name = dotted(first) if isinstance(first, n.Name | n.Member) else None
    return name or place.text or ""


# --- what makers do ---------------------------------------------------------------------------------------------------

Maker: TypeAlias = "Callable[[Reading, n.Call, Scope], Part | None]"
Step: TypeAlias = "Callable[[Reading, Part, n.Call, Scope], Part]"


def _first(call: n.Call, position: int = 0) -> n.Expr | None:
    return call.positional[position] if len(call.positional) > position else None


def _make_object(reading: Reading, call: n.Call, scope: Scope) -> Part:
    found = reading.object_of(_first(call), scope, call)
    name = (dotted(call.func) or "").rpartition(".")[2]
    extra = {"strictObject": "forbid", "looseObject": "allow"}.get(name)
    return found.but(extra=extra) if extra is not None else found


def _make_array(reading: Reading, call: n.Call, scope: Scope) -> Part:
    inner = reading.read(_first(call), scope)
    items = inner.shape if inner is not None else Shape() if not call.args else UNKNOWN
    rules = (Rule("uniqueItems", True, scope.module.place(call)),) if (dotted(call.func) or "").endswith("set") else ()
    return Part(Shape("array", items=items, rules=rules), reading.library.optional)


def _make_tuple(reading: Reading, call: n.Call, scope: Scope) -> Part:
    parts = [reading.read(e, s) for e, s in reading.program.elements(_first(call), scope)]
    shapes = [p.shape if p is not None else UNKNOWN for p in parts]
    place = scope.module.place(call)
    rules = (Rule("minItems", len(shapes), place), Rule("maxItems", len(shapes), place))
    return Part(Shape("array", items=merged(shapes, place) if shapes else Shape(), rules=rules))


def _make_record(reading: Reading, call: n.Call, scope: Scope) -> Part:
    last = call.positional[-1] if call.positional else None
    inner = reading.read(last, scope)
    return Part(Shape("object", values=inner.shape if inner is not None else Shape()), reading.library.optional)


def _make_union(reading: Reading, call: n.Call, scope: Scope) -> Part:
    listed: list[tuple[n.Expr, Scope]] = []
    for expr in call.positional:
        if isinstance(expr, n.Literal):
            continue
        listed.extend(reading.program.elements(expr, scope) or [(expr, scope)])
    parts = [p for e, s in listed if (p := reading.read(e, s)) is not None]
    optional = any(p.optional for p in parts) if not reading.library.optional else True
    return Part(merged([p.shape for p in parts], scope.module.place(call)), optional)


def _make_literal(reading: Reading, call: n.Call, scope: Scope) -> Part:
    values = reading.values(call.positional[:1], scope)
    return _listed(reading, Part(Shape(), reading.library.optional), values, call, scope)


def _make_enum(reading: Reading, call: n.Call, scope: Scope) -> Part:
    values = reading.values(call.positional[:1], scope)
    return _listed(reading, Part(Shape(), reading.library.optional), values, call, scope)


def _listed(reading: Reading, part: Part, values: list[object] | None, call: n.Call, scope: Scope) -> Part:
    place = scope.module.place(call)
    message = reading.message(call, scope)
    if values is None:
        return part.but(rules=(*part.shape.rules, Rule("enum", place.text, place, message, known=False)), closed=True)
    nullable = None in values
    real = [v for v in values if v is not None]
    rule = Rule("const", real[0], place, message) if len(real) == 1 else Rule("enum", real, place, message)
    type_ = part.shape.type
    if type_ == "any":
        kinds = {type(v) for v in real}
        type_ = (
            "string"
            if kinds == {str}
            else "boolean"
            if kinds == {bool}
            else "number"
            if kinds <= {int, float} and kinds
            else "any"
        )
    rules = (*part.shape.rules, rule) if real else part.shape.rules
    return part.but(type=type_, closed=True, nullable=nullable or part.shape.nullable, rules=rules, none=not real)


def _make_inner(reading: Reading, call: n.Call, scope: Scope) -> Part | None:
    """A maker around one schema, or around a function that gives it."""
    last = call.positional[-1] if call.positional else None
    if isinstance(last, n.Function):
        inner = reading.program.scope_of(last, scope)
        given = next((s.value for s in last.body if isinstance(s, n.Leave)), None)
        return reading.read(given, inner)
    return reading.read(last, scope)


def _make_optional(reading: Reading, call: n.Call, scope: Scope) -> Part | None:
    found = reading.read(_first(call), scope)
    return Part(found.shape, True, found.default) if found is not None else None


def _make_nullable(reading: Reading, call: n.Call, scope: Scope) -> Part | None:
    found = reading.read(_first(call), scope)
    return found.but(nullable=True) if found is not None else None


def _make_nullish(reading: Reading, call: n.Call, scope: Scope) -> Part | None:
    found = reading.read(_first(call), scope)
    return Part(found.shape.with_(nullable=True), True) if found is not None else None


def _make_both(reading: Reading, call: n.Call, scope: Scope) -> Part | None:
    parts = [reading.read(e, scope) for e in call.positional[:2]]
    if len(parts) < 2 or parts[0] is None or parts[1] is None:
        return parts[0] if parts else None
    return parts[0].but(fields=over(parts[0].shape.fields, parts[1].shape.fields))


def _make_nothing(reading: Reading, call: n.Call, scope: Scope) -> Part:
    return Part(Shape(none=True, nullable=True))


def _make_custom(reading: Reading, call: n.Call, scope: Scope) -> Part:
    place = scope.module.place(call)
    return Part(Shape(rules=(Rule("custom", named(call, place), place),)), reading.library.optional)


MAKE: dict[str, Maker] = {
    "object": _make_object, "array": _make_array, "tuple": _make_tuple, "record": _make_record, "union": _make_union,
    "literal": _make_literal, "enum": _make_enum, "inner": _make_inner, "optional": _make_optional,
    "nullable": _make_nullable, "nullish": _make_nullish, "both": _make_both, "nothing": _make_nothing, "custom": _make_custom,
}  # fmt: skip


# --- what steps do ----------------------------------------------------------------------------------------------------


def _optional(reading: Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    return Part(part.shape, True, part.default)


def _required(reading: Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    return Part(part.shape, False, part.default)


def _nullable(reading: Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    return part.but(nullable=not (call.positional and _is_false(call.positional[0])))


def _nullish(reading: Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    return Part(part.shape.with_(nullable=True), True, part.default)


def _default(reading: Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    given = _first(call)
    constant = reading.program.constant(given, scope) if given is not None else None
    value = constant.value if constant is not None else None
    return Part(part.shape, True, Default(constant is not None, value, scope.module.place(call)))


def _caught(reading: Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    """Bad input is replaced by something else: nothing is ever refused."""
    return Part(Shape("any", model=part.shape.model), True, part.default)


def _extend(reading: Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    given = _first(call)
    if given is None:
        return part
    fields = reading.fields(given, scope)
    if not fields:
        other = reading.read(given, scope)
        fields = list(other.shape.fields) if other is not None else []
    shape = part.shape
    if shape.values is not None and not shape.fields:
        shape = shape.with_(values=None, closed=True)
    return Part(shape.with_(fields=over(shape.fields, fields), model=None), part.optional, part.default)


def _both(reading: Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    other = reading.read(_first(call), scope)
    return part.but(fields=over(part.shape.fields, other.shape.fields)) if other is not None else part


def _or(reading: Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    others = [p for e in call.positional if (p := reading.read(e, scope)) is not None]
    shapes = [part.shape, *(p.shape for p in others)]
    return Part(merged(shapes, scope.module.place(call)), part.optional or any(p.optional for p in others))


def _keys(reading: Reading, call: n.Call, scope: Scope) -> list[str] | None:
    """The names picked or left out, as a list or as an object of trues; None where it is not said which."""
    given = _first(call)
    if given is None:
        return None
    followed = reading.program.value(given, scope)
    if followed is not None and isinstance(followed[0], n.Entries):
        return [t for k, _ in followed[0].entries if (t := reading.program.text(k, followed[1])) is not None]
    found = [reading.program.text(e, s) for e, s in reading.program.elements(given, scope)]
    return [f for f in found if f is not None]


def _pick(reading: Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    names = _keys(reading, call, scope) or []
    return part.but(fields=tuple(f for f in part.shape.fields if f.name in names), model=None)


def _omit(reading: Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    names = _keys(reading, call, scope) or []
    return part.but(fields=tuple(f for f in part.shape.fields if f.name not in names), model=None)


def _partial(reading: Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    names = _keys(reading, call, scope)
    return _presence(part, names, False)


def _all_required(reading: Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    if part.shape.type != "object" or not part.shape.fields:
        return Part(part.shape, False, part.default)
    return _presence(part, _keys(reading, call, scope), True)


def _presence(part: Part, names: list[str] | None, required: bool) -> Part:
    changed = (
        msgspec.structs.replace(f, required=required) if names is None or f.name in names else f
        for f in part.shape.fields
    )  # fmt: skip
    return part.but(fields=tuple(changed))


def _strict(reading: Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    return part.but(extra="forbid" if not (call.positional and _is_false(call.positional[0])) else "allow")


def _open(reading: Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    return part.but(extra="forbid" if call.positional and _is_false(call.positional[0]) else "allow")


def _strip(reading: Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    return part.but(extra="ignore")


def _list(reading: Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    return Part(Shape("array", items=part.shape), reading.library.optional)


def _items(reading: Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    parts = [p for e in call.positional if (p := reading.read(e, scope)) is not None]
    return part.but(items=merged([p.shape for p in parts], scope.module.place(call)) if parts else Shape())


def _valid(reading: Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    same = _same_as(reading, part, call, scope)
    return same or _listed(reading, part, reading.values(call.positional, scope), call, scope)


def _one_of(reading: Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    same = _same_as(reading, part, call, scope)
    return same or _listed(reading, part, reading.values(call.positional[:1], scope), call, scope)


def _same_as(reading: Reading, part: Part, call: n.Call, scope: Scope) -> Part | None:
    """A value that must be another field's."""
    given = _first(call)
    listed = reading.program.elements(given, scope) if given is not None else []
    inner, holder = listed[0] if listed else (given, scope)
    if isinstance(inner, n.Call) and (dotted(inner.func) or "").rpartition(".")[2] == "ref" and inner.positional:
        name = reading.program.text(inner.positional[0], holder)
        return part.but(rules=(*part.shape.rules, Rule("equalsField", name, scope.module.place(call))))
    return None


def _allow(reading: Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    values = reading.values(call.positional, scope) or []
    return part.but(nullable=part.shape.nullable or None in values)


def _on_fields(part: Part, rules: Mapping[str, Rule]) -> Part:
    """The same schema with a rule more on some of its fields."""
    fields = tuple(
        msgspec.structs.replace(f, shape=f.shape.with_(rules=(*f.shape.rules, rules[f.name]))) if f.name in rules else f
        for f in part.shape.fields
    )
    return part.but(fields=fields)


def _names(reading: Reading, exprs: Iterable[n.Expr], scope: Scope) -> list[str]:
    """Names of fields, one by one or in lists."""
    listed = [(e, s) for expr in exprs for e, s in (reading.program.elements(expr, scope) or [(expr, scope)])]
    return [t for e, s in listed if (t := reading.program.text(e, s)) is not None]


def _at_least_one(reading: Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    names = _names(reading, call.positional, scope)
    rule = Rule("atLeastOneOf", sorted(names), scope.module.place(call))
    return _on_fields(part, dict.fromkeys(names, rule))


def _with(reading: Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    """One field, and others that must be there where it is."""
    first, *others = _names(reading, call.positional, scope) or [""]
    rule = Rule("requiredWith", [first], scope.module.place(call))
    return _on_fields(part, dict.fromkeys(others, rule))


def _together(reading: Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    """All of them, or none."""
    names, place = _names(reading, call.positional, scope), scope.module.place(call)
    return _on_fields(part, {x: Rule("requiredWith", sorted(set(names) - {x}), place) for x in names})


def _apart(reading: Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    """Fields that may not all be there at once."""
    place = scope.module.place(call)
    return _on_fields(part, dict.fromkeys(_names(reading, call.positional, scope), Rule("custom", place.text, place)))


def _when(reading: Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    """Limits that hold only where another field has a value."""
    place = scope.module.place(call)
    field = reading.program.text(_first(call), scope)
    given = _first(call, 1)
    options = {reading.program.text(k, scope): v for k, v in given.entries} if isinstance(given, n.Entries) else {}
    then = reading.read(options.get("then"), scope)
    alone = then is not None and then.shape.type == "any" and not then.shape.rules and not then.optional
    if field is None or not alone or "is" not in options:
        return part.but(rules=(*part.shape.rules, Rule("custom", place.text, place)))
    values = reading.values([options["is"]], scope)
    held = f"{field} is {values[0]}" if values else field
    return part.but(rules=(*part.shape.rules, Rule("requiredIf", held, place)))


def _piped(reading: Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    """What a schema makes goes into another one, whose limits count as well."""
    other = reading.read(_first(call), scope)
    if other is None:
        return part
    return part.but(rules=(*part.shape.rules, *other.shape.rules), fields=part.shape.fields or other.shape.fields)


def _is_false(expr: n.Expr) -> bool:
    return isinstance(expr, n.Literal) and expr.value is False


STEPS: dict[str, Step] = {
    "optional": _optional, "required": _required, "nullable": _nullable, "nullish": _nullish, "default": _default,
    "caught": _caught, "extend": _extend, "both": _both, "or": _or, "pick": _pick, "omit": _omit, "partial": _partial,
    "all-required": _all_required, "strict": _strict, "open": _open, "strip": _strip, "array": _list, "items": _items,
    "valid": _valid, "one-of": _one_of, "allow": _allow, "at-least-one": _at_least_one, "piped": _piped,
    "with": _with, "together": _together, "apart": _apart, "when": _when,
}  # fmt: skip
