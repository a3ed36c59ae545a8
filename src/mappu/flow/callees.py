"""Calls of other code: functions and classes of the service, which are walked into, and code outside."""

from __future__ import annotations

from typing import TYPE_CHECKING

from mappu.flow.state import State
from mappu.flow.values import NOTHING, Given, Role, Value, all_touched
from mappu.symbols.program import Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted, walk

if TYPE_CHECKING:
    from mappu.flow.engine import Engine

# Deeper, and after more calls, hardly anything is found any more; what lies there is said to be unknown.
MAX_DEPTH = 3
MAX_CALLS = 50


def inline(engine: Engine, expr: n.Call, target: Target, receiver: Value, given: Given, state: State) -> Value:
    """Walk into a function of the service itself."""
    function = target.node
    assert isinstance(function, n.Function)
    assert target.scope is not None
    carries = [*(v for _, v in given), receiver, *receiver.attrs.values()]
    nested = target.scope.owner is engine.scope.owner and engine.scope.owner is not None
    if not nested and not any(
        v.origin or v.whole or v.role == "request" or (v.via == "text" and v.taints) or v.attrs for v in carries
    ):
        # No client data goes in, or only what was found by it: what comes back is of interest only by its type.
        answer = _answer_of(engine, function, target.scope)
        if answer is not None:
            return answer
        looked_up = [v.taints for v in carries if v.role == "lookup"]
        if looked_up:
            # What a query finds is handed on through the service's own helpers.
            return Value(role="lookup", taints=frozenset().union(*looked_up))
        made = engine.program.class_of(
            Target(function.name, n.Param(function.span, "", function.returns), target.scope)
        )
        return Value(made=made if function.returns is not None else None, taints=all_touched(carries))
    engine.calls += 1
    if len(engine.frames) > MAX_DEPTH or engine.calls > MAX_CALLS or function in engine.calling:
        for _, held in given:
            engine.escape(held, engine.place(expr), f"calls go deeper than {MAX_DEPTH} here ({target.name})")
        return Value(taints=all_touched([v for _, v in given]))
    inner = State()
    if nested:
        # A function declared in the one being walked sees its names.
        inner.env = dict(state.env)
    params = list(function.params)
    is_method = isinstance(target.scope.owner, n.Class)
    if is_method and params and not any((dotted(m.name) or "") == "staticmethod" for m in function.marks):
        inner.env[params.pop(0).name] = receiver if receiver.made or receiver.origin else Value(made=receiver.made)
    plain = [p for p in params if p.kind == "plain"]
    named: dict[str, Value] = {}
    free = iter(plain)
    for arg, held in given:
        name = arg.name or next((p.name for p in free), None) if not arg.spread else None
        if name is not None:
            named[name] = held
    inner.env |= named
    for param in plain:
        if param.name not in named:
            inner.env[param.name] = _typed(engine, param, target.scope)
        elif inner.env[param.name] is NOTHING or inner.env[param.name].made is None:
            inner.env[param.name] = _with_type(engine, inner.env[param.name], param, target.scope)
    inner.stored, inner.staged = state.stored, state.staged
    found, _ = engine.function(function, target.scope, inner)
    state.stored, state.staged = inner.stored, inner.staged
    return found


def _answer_of(engine: Engine, function: n.Function, scope: Scope) -> Value | None:
    """The response or error that a function makes and gives back, where it always is one of the same status."""
    key = id(function)
    if key not in engine.answers and not _may_answer(function, scope):
        engine.answers[key] = None
    if key not in engine.answers:
        inner = engine.program.scope_of(function, scope)
        returned = [s.value for s in walk(*function.body) if isinstance(s, n.Leave) and s.kind == "return"]
        found = [engine.answer(e, inner) for e in returned if isinstance(e, n.Call)]
        same = {(a.role, a.status) for a in found if a is not None}
        engine.answers[key] = found[0] if len(found) == len(returned) and len(same) == 1 and None not in found else None
    return engine.answers[key]


def _may_answer(function: n.Function, scope: Scope) -> bool:
    """False for a function whose source names no response and no error: its body need not be lowered to see that."""
    source, span = scope.module.source, function.span
    return any(source.find(word, span.start, span.end) >= 0 for word in (b"Response", b"Exception(", b"Error("))


def _typed(engine: Engine, param: n.Param, scope: Scope) -> Value:
    made = engine.program.class_of(Target(param.name, param, scope)) if param.type is not None else None
    return Value(made=made) if made is not None else NOTHING


def _with_type(engine: Engine, held: Value, param: n.Param, scope: Scope) -> Value:
    made = _typed(engine, param, scope).made
    if made is None or held.origin is not None or held.role != "data":
        return held
    return held.but(made=made)


def construct(engine: Engine, target: Target, given: Given) -> Value:
    """An instance of a class of the service: what its attributes are built from is kept."""
    attrs = {a.name: v for a, v in given if a.name is not None and not a.spread}
    whole = next((v.origin or v.whole for a, v in given if a.spread and (v.origin or v.whole)), None)
    role: Role = "entity" if engine.words.is_entity(target) else "data"
    return Value(role=role, made=target, attrs=attrs, taints=all_touched([v for _, v in given]), whole=whole)


def outside(engine: Engine, expr: n.Call, name: str, target: Target | None, receiver: Value, given: Given) -> Value:
    """A call that cannot be looked into: what comes back may be anything that outside code made of client data."""
    language = engine.words.language
    touched = all_touched([v for _, v in given]) | receiver.touched
    last = name.rpartition(".")[2] or (expr.func.name if isinstance(expr.func, n.Member) else "")
    # What a list or map made here is given goes no further than that.
    kept = receiver.role == "local" or (receiver.made is not None and receiver.made.name in language.collections)
    known = kept or last in language.pure or last in language.notices
    place = engine.place(expr)
    for _, held in given if not known else ():
        if any(c in last.lower() for c in engine.words.checkers) or expr is engine.dropped:
            engine.escape(held, place, f"`{name or last}` may check this and cannot be looked into")
        elif isinstance(expr.func, n.Name) and target is None:
            engine.escape(held, place, f"`{name}` is not found in the source")
        elif held.origin is not None and not held.origin.path:
            engine.escape(
                Value(held.origin), place, f"all of it goes into `{name or last}`, which cannot be looked into"
            )
    if isinstance(expr.func, n.Member) and receiver.role == "lookup":
        return Value(role="lookup", taints=touched)
    whole = next((v.origin or v.whole for a, v in given if a.spread and (v.origin or v.whole)), None)
    attrs = {a.name: v for a, v in given if a.name is not None and not a.spread}
    entity = target is not None and engine.words.is_entity(target)
    via = "" if entity or not touched else "text" if last in language.pure or last in language.formats else "outside"
    return Value(role="entity" if entity else "data", taints=touched, whole=whole, attrs=attrs, made=target, via=via)
