"""What follows from a condition on client data, when it is true and when it is false."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import TYPE_CHECKING

import msgspec

from mappu.flow.values import NOTHING, Facts, Finding, Origin, Value, ordered
from mappu.inventory.model import ConstraintKind, Place
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted

if TYPE_CHECKING:
    from mappu.flow.engine import Engine
    from mappu.flow.state import State

# What `value OP limit` says when it is true. The opposite operator says what holds when it is false.
_LIMITS: dict[str, ConstraintKind] = {
    "<": "exclusiveMaximum", "<=": "maximum", ">": "exclusiveMinimum", ">=": "minimum",
}  # fmt: skip
_OPPOSITE = {"<": ">=", "<=": ">", ">": "<=", ">=": "<", "==": "!=", "!=": "==", "in": "not-in", "not-in": "in",
             "is": "is-not", "is-not": "is"}  # fmt: skip
_MIRROR = {"<": ">", "<=": ">=", ">": "<", ">=": "<=", "==": "==", "!=": "!=", "is": "is", "is-not": "is-not"}
_IDENTIFIER = re.compile(r"[A-Za-z_][\w-]*")
_NOW = frozenset({"today", "now", "utcnow", "time", "Date"})


def facts(engine: Engine, expr: n.Expr, state: State) -> Facts:
    """Return what follows from a condition; every value in it is looked at on the way."""
    match expr:
        case n.Unary(op="not", value=value):
            return facts(engine, value, state).swapped()
        case n.Binary(op="and", left=left, right=right):
            first = facts(engine, left, state)
            return _both(engine, expr, first, _then(engine, right, first, state))
        case n.Binary(op="or", left=left, right=right):
            first = facts(engine, left, state).swapped()
            return _both(engine, expr, first, _then(engine, right, first, state).swapped()).swapped()
        case n.Unary(op="absent", value=value):
            return _absent(engine, expr, engine.value(value, state))
        case n.Binary(op="is-a", left=left, right=right):
            return _is_a(engine, expr, engine.value(left, state), right)
        case n.Binary(op=op) if op in _OPPOSITE:
            return _compare(engine, expr, state)
        case n.Literal():
            return Facts()
    return truth(engine, expr, engine.value(expr, state))


def _then(engine: Engine, expr: n.Expr, before: Facts, state: State) -> Facts:
    """What follows from the second part of a condition, which is only looked at where the first part held."""
    known = state.present
    state.learn(before.if_true)
    found = facts(engine, expr, state)
    state.present = known
    return found


def decided(engine: Engine, expr: n.Expr, state: State) -> bool | None:
    """What a condition comes to where it only asks what the route says itself; None for any other."""
    if isinstance(expr, n.Unary) and expr.op == "not":
        inner = decided(engine, expr.value, state)
        return None if inner is None else not inner
    if engine.words.language.returns_errors and isinstance(expr, n.Name | n.Call):
        # Whether an error is of the type that is asked for.
        held = state.env.get(expr.id) if isinstance(expr, n.Name) else _asked_for_type(engine, expr, state)
        return held.truth if held is not None and held.role == "data" and held.facts is None else None
    if isinstance(expr, n.Binary) and expr.op in ("==", "!=") and isinstance(expr.left, n.Member):
        if expr.left.name not in engine.kept:
            return None
        held, constant = engine.value(expr.left, state), engine.constant(expr.right, state)
        if held.literal is not None and constant is not None:
            return (held.literal.value == constant.value) == (expr.op == "==")
    if isinstance(expr, n.Binary) and expr.op in ("and", "or"):
        left, right = decided(engine, expr.left, state), decided(engine, expr.right, state)
        if left is not None and right is not None:
            return (left and right) if expr.op == "and" else (left or right)
    return None


def _asked_for_type(engine: Engine, expr: n.Call, state: State) -> Value | None:
    name = engine.program.name_of(expr.func, engine.scope)
    return engine.value(expr, state) if name in engine.words.language.error_tests else None


def compares(expr: n.Expr) -> bool:
    """True for a comparison, also the opposite of one."""
    inner = expr.value if isinstance(expr, n.Unary) and expr.op == "not" else expr
    return isinstance(inner, n.Binary) and inner.op in _OPPOSITE


def truth(engine: Engine, expr: n.Expr, value: Value) -> Facts:
    """What follows from a value used as a condition by itself."""
    if value.facts is not None:
        return value.facts
    place = engine.place(expr)
    if value.role == "lookup":
        return _looked_up(value, place)
    if value.origin is not None and isinstance(expr, n.Member | n.Call | n.Index):
        engine.report.compared.append(place)
    if value.origin is not None and value.via in ("", "number", "file"):
        present = Finding(value.origin, "notEmpty", None, place, presence=True, falsy=bool(engine.words.language.falsy))
        return Facts((present,), (_custom(engine, expr, value.origin),))
    if value.origin is not None and value.via == "size":
        return Facts((Finding(value.origin, "notEmpty", None, place),), ())
    # What client data merely went into (a record it found, say) states no limit on the data itself.
    return _customs(engine, expr, Value(value.origin) if value.origin is not None else NOTHING)


def from_verdicts(
    verdicts: list[tuple[bool, tuple[Finding, ...]]], returned: list[Value], admits: list[tuple[bool, Finding]]
) -> Facts | None:
    """What a helper's result says: of one that returns false (or an error text) for what it does not like."""
    last = returned[-1].facts if returned else None
    if admits and returned and returned[-1].truth is not None and len({truth_ for truth_, _ in admits}) == 1:
        # Some constants are let through at once, and all else comes to the opposite.
        good, first = admits[0]
        values = [v for _, f in admits for v in (f.value if isinstance(f.value, list) else [])]
        if returned[-1].truth is not good and all(f.origin == first.origin for _, f in admits):
            verdicts = [*verdicts, (not good, (msgspec.structs.replace(first, value=values),))]
    when_true = tuple(f for truth_, found in verdicts if not truth_ for f in found)
    when_false = tuple(f for truth_, found in verdicts if truth_ for f in found)
    if last is not None:
        # What the last word says holds only where no earlier one may have been the same.
        when_true += last.if_true if all(not truth_ for truth_, _ in verdicts) else ()
        when_false += last.if_false if all(truth_ for truth_, _ in verdicts) else ()
    return Facts(when_true, when_false) if when_true or when_false else None


def _absent(engine: Engine, expr: n.Expr, value: Value) -> Facts:
    if value.facts is not None:
        return value.facts.swapped()
    if value.role == "lookup":
        return _looked_up(value, engine.place(expr)).swapped()
    if value.origin is None:
        return Facts()
    return Facts((), (Finding(value.origin, "required", True, engine.place(expr), presence=True),))


def _is_a(engine: Engine, expr: n.Expr, value: Value, type_: n.Expr) -> Facts:
    """`value instanceof Type`."""
    if value.origin is None:
        return Facts()
    named = engine.words.language.types.get(dotted(type_) or "")
    if named is None:
        return _customs(engine, expr, Value(value.origin))
    return Facts((Finding(value.origin, "type", named, engine.place(expr), presence=True),), ())


def contained(engine: Engine, expr: n.Call, container: n.Expr, item: Value, receiver: Value, state: State) -> Facts:
    """`container.includes(item)`: an allow-list, records, a text or list of the client's own."""
    place = engine.place(expr)
    if receiver.origin is not None and item.origin is None and not receiver.via:
        text = engine.text(expr.positional[0], state)
        if text is None:
            return _customs(engine, expr, Value(receiver.origin))
        return pattern_facts(engine, receiver.origin, re.escape(text).replace(r"\@", "@"), "none", expr) or Facts()
    if item.origin is None or item.via not in ("", "number"):
        return _customs(engine, expr, _direct(item, receiver))
    if receiver.role in ("store", "lookup"):
        return _looked_up(Value(taints=frozenset({item.origin})), place)
    allowed = constants_in(engine, container)
    if allowed:
        return Facts((Finding(item.origin, "enum", allowed, place),), (_custom(engine, expr, item.origin),))
    return _customs(engine, expr, _direct(item, receiver))


def _custom(engine: Engine, expr: n.Expr, origin: Origin) -> Finding:
    place = engine.place(expr)
    return Finding(origin, "custom", place.text, place)


def _customs(engine: Engine, expr: n.Expr, value: Value) -> Facts:
    found = tuple(_custom(engine, expr, o) for o in ordered(value.touched))
    return Facts(found, found)


def _looked_up(value: Value, place: Place) -> Facts:
    """A record found or not found: refusing the one means it must exist, refusing the other that it must not."""
    origins = ordered(value.taints)
    return Facts(
        tuple(Finding(o, "exists", None, place) for o in origins),
        tuple(Finding(o, "unique", None, place) for o in origins),
    )


def _both(engine: Engine, expr: n.Binary, left: Facts, right: Facts) -> Facts:
    """`left and right`. True means both hold. False means one of them fails: exact only where the left side just asks
    whether there is a value to look at."""
    if_true = left.if_true + right.if_true
    asked = {f.origin for f in left.if_true if f.asks_presence}
    judged = {f.origin for f in right.if_false}
    only_presence = bool(left.if_true) and all(f.asks_presence for f in left.if_true)
    if only_presence and judged and all(any(a.covers(j) for a in asked) for j in judged):
        return Facts(if_true, tuple(msgspec.structs.replace(f, lenient=True) for f in right.if_false))
    either = (*left.if_false, *right.if_false)
    listed = [f for f in either if f.kind in ("const", "enum")]
    if len(listed) == len(either) > 1 and len({f.origin for f in either}) == 1:
        # One of several constants.
        values: list[object] = []
        for found in listed:
            values.extend(found.value if isinstance(found.value, list) else [found.value])
        return Facts(if_true, (Finding(listed[0].origin, "enum", values, engine.place(expr)),))
    if left.if_false and right.if_false and all(f.presence for f in either):
        # `not a and not b` is false where one of them is there.
        names = sorted({".".join(f.origin.path) for f in either})
        place = engine.place(expr)
        origins = ordered({f.origin for f in either})
        return Facts(if_true, tuple(Finding(o, "atLeastOneOf", names, place, presence=True) for o in origins))
    touched = {f.origin for f in (*left.if_false, *left.if_true, *right.if_false, *right.if_true)}
    place = engine.place(expr)
    vague = tuple(Finding(o, "custom", place.text, place) for o in ordered(touched))
    return Facts(if_true, vague)


def _compare(engine: Engine, expr: n.Binary, state: State) -> Facts:
    left, right = engine.value(expr.left, state), engine.value(expr.right, state)
    place = engine.place(expr)
    op = expr.op
    if op in ("in", "not-in"):
        found = _membership(engine, expr, left, right, state)
        return found if op == "in" else found.swapped()
    left_constant = engine.constant(expr.left, state) if left.origin is None else None
    right_constant = engine.constant(expr.right, state) if right.origin is None else None
    if left.via == "position" and left.facts is not None and right_constant is not None:
        # -1 where it is not there.
        there = op in ("!=", "is-not", ">=") or (op == ">" and right_constant.value == -1)
        return left.facts if there else left.facts.swapped()
    if (
        left.facts is not None
        and right_constant is not None
        and right_constant.value in (0, 1)
        and op in (">", "<", ">=", "<=")
    ):
        # More faults than none.
        return left.facts if op in (">", ">=") else left.facts.swapped()
    if left.facts is not None and right_constant is not None and op in ("is", "is-not", "==", "!="):
        # A verdict held against true, false or nothing: it came out so, or it did not.
        return left.facts if bool(right_constant.value) == (op in ("is", "==")) else left.facts.swapped()
    if left.role == "lookup" and right_constant is not None and right_constant.value is None:
        found = _looked_up(left, place)
        return found.swapped() if op in ("is", "==") else found
    if left.via == "typeof" and left.origin is not None and right_constant is not None:
        return _typeof(engine, left.origin, op, str(right_constant.value), place)
    if left.origin is None and right.origin is not None and left_constant is not None:
        left, right_constant, op = right, left_constant, _MIRROR[op]
    elif left.origin is None or right_constant is None:
        return _unknown_limit(engine, expr, left, right, op)
    assert left.origin is not None
    engine.bounded.add(left.origin)
    for side in (expr.left, expr.right):
        if isinstance(side, n.Member | n.Call | n.Index):
            engine.report.compared.append(engine.place(side))
    if op in ("is", "is-not") and right_constant.value is None and not engine.words.language.null_is_absent:
        null = Facts((), (Finding(left.origin, "nullable", False, place),))
        return null if op == "is" else null.swapped()
    if right_constant.value is False and op == "==" and left.facts is not None:
        return left.facts.swapped()
    true = _holds(left, op, right_constant.value, place, True)
    false = _holds(left, _OPPOSITE[op], right_constant.value, place, False)
    vague = (_custom(engine, expr, left.origin),)
    return Facts(true if true is not None else vague, false if false is not None else vague)


def _typeof(engine: Engine, origin: Origin, op: str, named: str, place: Place) -> Facts:
    type_ = engine.words.language.types.get(named)
    if type_ is None:
        return Facts()
    found = Facts((Finding(origin, "type", type_, place, presence=True),), ())
    return found if op in ("==", "is") else found.swapped()


def _holds(value: Value, op: str, limit: object, place: Place, held: bool) -> tuple[Finding, ...] | None:
    """What `value OP limit` says of the client data when it is true; None where no kind says it. `held` where that is what was
    written, not its opposite: nothing at all then does not hold it."""
    origin = value.origin
    assert origin is not None
    if limit is None or limit == "":
        if op in ("is-not", "!="):
            return (Finding(origin, "notNull" if limit is None else "notEmpty", None, place, presence=limit is None),)
        return None
    if value.via == "size" and isinstance(limit, int) and not isinstance(limit, bool):
        return _size(origin, op, limit, place)
    if value.via not in ("", "number"):
        return None
    if op in _LIMITS and isinstance(limit, int | float) and not isinstance(limit, bool):
        return (Finding(origin, _LIMITS[op], limit, place, demands=held),)
    if op in ("==", "is"):
        return (Finding(origin, "const", limit, place),)
    return None


def _size(origin: Origin, op: str, limit: int, place: Place) -> tuple[Finding, ...] | None:
    least = {">": limit + 1, ">=": limit, "==": limit}.get(op)
    most = {"<": limit - 1, "<=": limit, "==": limit}.get(op)
    if op == "!=" and limit == 0:
        return (Finding(origin, "notEmpty", None, place),)
    found = []
    if least == 1 and most is None:
        return (Finding(origin, "notEmpty", None, place),)
    if least is not None:
        found.append(Finding(origin, "minLength", least, place, sized=True))
    if most is not None:
        found.append(Finding(origin, "maxLength", most, place, sized=True))
    return tuple(found) or None


def _unknown_limit(engine: Engine, expr: n.Binary, left: Value, right: Value, op: str) -> Facts:
    """A comparison with something that is not a constant: another field, the clock, a record."""
    place = engine.place(expr)
    if left.origin is not None and right.origin is not None and left.via == right.via == "":
        same = Finding(left.origin, "equalsField", ".".join(right.origin.path), place)
        other = Finding(left.origin, "differsFrom", ".".join(right.origin.path), place)
        if op in ("==", "is"):
            return Facts((same,), (other,))
        if op in ("!=", "is-not"):
            return Facts((other,), (same,))
    if left.origin is not None and isinstance(expr.right, n.Call) and right.origin is None and not right.touched:
        name = (dotted(expr.right.func) or "").rpartition(".")[2]
        if name in _NOW and op in _LIMITS:
            past = Finding(left.origin, "past", None, place)
            future = Finding(left.origin, "future", None, place)
            return Facts((past,), (future,)) if op in ("<", "<=") else Facts((future,), (past,))
    return _customs(engine, expr, _direct(left, right))


def _direct(left: Value, right: Value) -> Value:
    """The client data that is itself compared, not what it merely went into."""
    return Value(taints=frozenset(v.origin for v in (left, right) if v.origin is not None))


def _membership(engine: Engine, expr: n.Binary, left: Value, right: Value, state: State) -> Facts:
    """`left in right`."""
    place = engine.place(expr)
    key = engine.text(expr.left, state) if left.origin is None else None
    if key is not None and right.origin is not None:
        if right.via in ("keys", "dump") or (not _is_text(engine, right) and _IDENTIFIER.fullmatch(key)):
            return Facts((Finding(right.origin.child(key), "notNull", None, place, presence=True),), ())
        return Facts((Finding(right.origin, "pattern", re.escape(key), place),), (_custom(engine, expr, right.origin),))
    if left.origin is None:
        return _customs(engine, expr, _direct(left, right))
    if right.role in ("store", "lookup"):
        return _looked_up(Value(taints=frozenset({left.origin})), place)
    allowed = constants_in(engine, expr.right)
    if allowed:
        kind: ConstraintKind = "enum"
        return Facts((Finding(left.origin, kind, allowed, place),), (_custom(engine, expr, left.origin),))
    return _customs(engine, expr, _direct(left, right))


def _is_text(engine: Engine, value: Value) -> bool:
    return value.made is not None and engine.words.language.types.get(value.made.name) == "string"


def constants_in(engine: Engine, expr: n.Expr) -> list[object]:
    """The constants of a list, set, tuple or map's keys written out or behind a name; [] where it is none."""
    followed = engine.program.value(expr, engine.scope)
    if followed is not None and isinstance(followed[0], n.Entries):
        keys = [k for k, _ in followed[0].entries if k is not None]
        found = [engine.program.constant(k, followed[1]) for k in keys]
    else:
        found = [engine.program.constant(e, s) for e, s in engine.program.elements(expr, engine.scope)]
    if not found or any(f is None for f in found):
        return []
    return [f.value for f in found if f is not None]


def quantified(engine: Engine, name: str, expr: n.Comprehension, state: State, bind: Callable[[State], None]) -> Facts:
    """`any(test for x in xs)` and `all(test for x in xs)`: what the test says of each element."""
    inner = state.copy()
    bind(inner)
    found = facts(engine, expr.element, inner)
    if name == "any":
        return Facts((), found.if_false)
    return Facts(found.if_true, ())


def pattern_facts(engine: Engine, origin: Origin | None, pattern: object, anchored: str, node: n.Expr) -> Facts | None:
    """A match against a pattern: written with the anchors that the way of matching adds by itself."""
    if origin is None or not isinstance(pattern, str):
        return None
    text = pattern
    if anchored in ("start", "full") and not text.startswith(("^", r"\A")):
        text = "^" + (f"(?:{text})" if "|" in text else text)
    if anchored == "full" and not text.endswith(("$", r"\Z", r"\z")):
        text += "$"
    found = Finding(origin, "pattern", text, engine.place(node))
    return Facts((found,), (_custom(engine, node, origin),))
