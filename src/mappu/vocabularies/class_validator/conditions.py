"""Conditions on a field's rules, looked at for a request that sends nothing else."""

from collections.abc import Callable, Mapping

from mappu.syntax import nodes as n


class _Absent:
    """No value at all, which is not null."""


ABSENT = _Absent()
_UNKNOWN = object()
_TESTS: Mapping[str, Callable[[object, object], bool]] = {
    "==": lambda a, b: _loose(a) == _loose(b), "!=": lambda a, b: _loose(a) != _loose(b),
    "is": lambda a, b: a is b, "is-not": lambda a, b: a is not b,
}  # fmt: skip


def holds_for(test: n.Expr | None, value: object) -> bool | None:
    """Whether `(object, value) => …` holds where the field has this value and the object nothing else; None if unknown."""
    if not isinstance(test, n.Function) or len(test.body) != 1 or not isinstance(test.body[0], n.Leave):
        return None
    names = [p.name for p in test.params]
    known: dict[str, object] = dict(zip(names[1:2], [value], strict=False))
    whole = names[0] if names else ""
    returned = test.body[0].value
    found = _value(returned, known, whole) if returned is not None else _UNKNOWN
    return None if found is _UNKNOWN else _truth(found)


def _value(expr: n.Expr, known: Mapping[str, object], whole: str) -> object:
    match expr:
        case n.Literal(value=value):
            return value
        case n.Name(id="undefined"):
            return ABSENT
        case n.Name(id=name):
            return known.get(name, _UNKNOWN)
        case n.Member(value=n.Name(id=name)) if name == whole:
            return ABSENT
        case n.Unary(op="not", value=inner):
            found = _value(inner, known, whole)
            return _UNKNOWN if found is _UNKNOWN else not _truth(found)
        case n.Unary(op="absent", value=inner):
            found = _value(inner, known, whole)
            return _UNKNOWN if found is _UNKNOWN else found is ABSENT
        case n.Binary(op="and" | "or", left=left, right=right):
            first = _value(left, known, whole)
            if first is _UNKNOWN:
                return _UNKNOWN
            return first if _truth(first) == (expr.op == "or") else _value(right, known, whole)
        case n.Binary(op=op, left=left, right=right) if op in _TESTS:
            a, b = _value(left, known, whole), _value(right, known, whole)
            return _UNKNOWN if _UNKNOWN in (a, b) else _TESTS[op](a, b)
    return _UNKNOWN


def _truth(value: object) -> bool:
    return value is not ABSENT and bool(value)


def _loose(value: object) -> object:
    return None if value is ABSENT else value
