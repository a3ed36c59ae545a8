"""Calls that languages without operators for it use to read, set, count and compare: accessors, `isEmpty`, `equals`."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from mappu.flow import branches, conditions, endings, expressions
from mappu.flow.state import State
from mappu.flow.values import NOTHING, Facts, Finding, Given, Result, Value
from mappu.symbols.program import Target
from mappu.syntax import nodes as n

if TYPE_CHECKING:
    from mappu.flow.engine import Engine

_READS = re.compile(r"(?:get|is)([A-Z]\w*)")
_SETS = re.compile(r"set([A-Z]\w*)")


def by_method(engine: Engine, expr: n.Call, method: str, receiver: Value, state: State) -> Value | None:
    """What a method of a value says of it; None for any other method."""
    words = engine.words.language
    assert isinstance(expr.func, n.Member)
    if method in words.equal_tests and len(expr.positional) == 1:
        same = n.Binary(expr.span, "==", expr.func.value, expr.positional[0])
        return Value(facts=conditions.facts(engine, same, state))
    if method in words.key_tests and receiver.origin is not None and len(expr.positional) == 1:
        key = engine.text(expr.positional[0], state)
        if key is not None:
            there = Finding(receiver.origin.child(key), "notNull", None, engine.place(expr), presence=True)
            return Value(taints=receiver.touched, facts=Facts((there,), ()))
    if method in words.or_throw and receiver.role == "lookup":
        return _or_throw(engine, expr, receiver, state)
    kind = words.empty_tests.get(method) if not expr.args else None
    if kind is not None:
        if receiver.facts is not None:
            return receiver.but(facts=receiver.facts.swapped(), via="")
        if receiver.role == "lookup":
            return Value(facts=conditions.truth(engine, expr.func.value, receiver).swapped())
        if receiver.origin is not None:
            found = Finding(receiver.origin, kind, None, engine.place(expr))
            return Value(taints=receiver.touched, facts=Facts((), (found,)))
    if method == "isPresent" and receiver.role == "lookup" and words.or_throw:
        return Value(facts=conditions.truth(engine, expr.func.value, receiver))
    if method in words.size_calls and not expr.args:
        if receiver.facts is not None:
            return receiver
        if receiver.origin is not None:
            return Value(receiver.origin, via="size", taints=receiver.taints)
    return _accessor(engine, expr, method, receiver, state) if words.accessors else None


def _accessor(engine: Engine, expr: n.Call, method: str, receiver: Value, state: State) -> Value | None:
    """`x.getName()`, `x.name()` of a record, `x.setName(v)`."""
    assert isinstance(expr.func, n.Member)
    sets = _SETS.fullmatch(method) if len(expr.positional) == 1 else None
    if sets is not None and receiver.origin is None:
        name = sets[1][:1].lower() + sets[1][1:]
        held = engine.value(expr.positional[0], state)
        engine.bind_member(
            n.Member(expr.span, expr.func.value, name), expr.func.value, name, held, expr.positional[0], state
        )
        return NOTHING
    if expr.args or (receiver.origin is None and not receiver.attrs):
        return None
    reads = _READS.fullmatch(method)
    name = reads[1][:1].lower() + reads[1][1:] if reads is not None else method
    if receiver.origin is None:
        return receiver.attrs.get(name)
    if receiver.via not in ("", "dump"):
        return None
    known = engine.program.member(receiver.made, name) if receiver.made is not None else None
    is_field = known is not None and isinstance(known.node, n.Variable)
    if not is_field and (reads is None or (receiver.made is not None and receiver.made.scope is None)):
        return None
    return expressions.member_of(engine, expr.func, receiver, name, state)


def _or_throw(engine: Engine, expr: n.Call, receiver: Value, state: State) -> Value:
    """`found.orElseThrow(() -> new NotFound())`: what is looked up must exist."""
    place = engine.place(expr)
    result = endings.thrown(engine, Target("java.util.NoSuchElementException"), None, place)
    given = expr.positional[0] if expr.positional else None
    made = None
    if isinstance(given, n.Function):
        made = next((s.value for s in given.body if isinstance(s, n.Leave)), None)
    elif isinstance(given, n.Member) and given.name == "new":
        made = n.Call(given.span, given.value, ())
    if made is not None:
        result = endings.raised(engine, made, engine.value(made, state), place)
    elif given is not None:
        result = Result("unknown", None, place)
    for finding in conditions.truth(engine, expr.func, receiver).if_true:
        branches.settle(engine, finding, result, state, None)
    return Value(role="lookup", taints=receiver.taints)


def by_function(engine: Engine, expr: n.Call, name: str, given: Given) -> Value | None:
    """A function that tells whether a value is there or empty."""
    found = engine.words.language.empty_functions.get(name)
    held = given[0][1] if given else NOTHING
    if found is None or held.origin is None:
        return None
    kind, when_true = found
    facts = Facts((Finding(held.origin, kind, None, engine.place(expr), presence=kind == "notNull"),), ())
    return Value(taints=held.touched, facts=facts if when_true else facts.swapped())
