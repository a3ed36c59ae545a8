"""What an expression holds, and above all what a call does with client data."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

from mappu.flow import callees, conditions, endings, storage
from mappu.flow.state import State, element
from mappu.flow.values import (
    FLAT,
    NOTHING,
    Check,
    Facts,
    Finding,
    Given,
    ModelRun,
    Origin,
    Read,
    Result,
    Value,
    all_touched,
)
from mappu.flow.words import RunWord
from mappu.inventory.model import ConstraintKind
from mappu.symbols.program import Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted

if TYPE_CHECKING:
    from mappu.flow.engine import Engine


def call(engine: Engine, expr: n.Call, state: State) -> Value:
    """Return what a call gives back; what it does to client data is recorded."""
    expr, holder = _by_reference(engine, expr, state)
    run = engine.words.runs(expr, holder)
    if run is not None:
        return _run_model(engine, expr, run, state)
    method = expr.func.name if isinstance(expr.func, n.Member) else None
    receiver = engine.value(expr.func.value, state) if isinstance(expr.func, n.Member) else NOTHING
    if receiver.role == "request" and method is not None:
        return _request_call(engine, expr, method)
    if method in ("any", "all") or (isinstance(expr.func, n.Name) and expr.func.id in ("any", "all")):
        found = _quantified(engine, expr, state)
        if found is not None:
            return found
    given = [(a, engine.value(a.value, state)) for a in expr.args]
    if method is not None and receiver.touched:
        found = _data_method(engine, expr, method, receiver, given, state)
        if found is not None:
            return found
    target = _callee(engine, expr, receiver, method, holder)
    name = target.name if target is not None else (dotted(expr.func) or "")
    language = engine.words.language
    position = language.callers.get(name, language.callers.get(method or ""))
    if position is not None and len(expr.positional) > position:
        # A function handed over to be called with the arguments behind it, in a thread of its own say.
        return call(engine, n.Call(expr.span, expr.positional[position], expr.args[position + 1 :]), state)
    if target is not None and target.name in engine.words.house:
        _house(engine, expr, engine.words.house[target.name], given)
        return given[0][1] if given else NOTHING
    found = _builtin(engine, expr, name, given)
    if found is not None:
        return found
    made = answer(engine, expr, target, engine.scope)
    if made is not None:
        return made
    if name in language.sinks:
        for _, held in given:
            engine.sink(held, language.sinks[name], engine.place(expr))
    if name == "setattr" and len(given) == 3:
        return storage.assign_member(engine, expr, given, state)
    if method is not None and storage.is_storage(engine, expr, receiver, target):
        stored = storage.storage(engine, expr, method, receiver, given, state)
        if stored is not None:
            return stored
    if target is not None and isinstance(target.node, n.Function) and target.scope is not None:
        return callees.inline(engine, expr, target, receiver, given, state)
    if target is not None and isinstance(target.node, n.Class):
        return callees.construct(engine, target, given)
    return callees.outside(engine, expr, name, target, receiver, given)


def _by_reference(engine: Engine, expr: n.Call, state: State) -> tuple[n.Call, Scope]:
    """A call of, or on, a parameter that stands for a function or class: the call with what it stands for instead, and
    the scope from which that is seen."""
    func = expr.func
    base = func.value if isinstance(func, n.Member) else func
    held = state.env.get(base.id) if isinstance(base, n.Name) else None
    if held is None or held.refers is None:
        return expr, engine.scope
    named, scope = held.refers
    func = n.Member(func.span, named, func.name) if isinstance(func, n.Member) else named
    return n.Call(expr.span, func, expr.args), scope


def _callee(engine: Engine, expr: n.Call, receiver: Value, method: str | None, scope: Scope) -> Target | None:
    if method is not None and receiver.made is not None:
        found = engine.program.member(receiver.made, method)
        if found is not None:
            return found
    return engine.program.resolve(expr.func, scope)


def _run_model(engine: Engine, expr: n.Call, run: RunWord, state: State) -> Value:
    held = engine.value(run.argument, state)
    for arg in expr.args:
        if arg.value is not run.argument:
            engine.value(arg.value, state)
    if held.origin is not None and not held.via:
        model_run(engine, expr, run, held)
        made = engine.program.resolve(run.type, run.scope)
        return Value(held.origin, made=made, taints=held.taints)
    if held.origin is None and not held.touched and run.spread and not held.attrs:
        # Built field by field: each argument keeps what it is.
        attrs = {a.name: engine.value(a.value, state) for a in expr.args if a.name is not None and not a.spread}
        return Value(attrs=attrs, made=engine.program.resolve(run.type, run.scope))
    return Value(
        taints=held.touched, attrs=held.attrs, made=engine.program.resolve(run.type, run.scope), whole=held.whole
    )


def model_run(engine: Engine, node: n.Node, run: RunWord, held: Value) -> None:
    assert held.origin is not None
    place = engine.place(node)
    result = Result("unknown") if run.skips else endings.thrown(engine, Target(run.throws), None, place)
    found = ModelRun(held.origin, run.type, run.scope, place, result, run.skips)
    if all((r.origin, r.place) != (found.origin, found.place) for r in engine.report.runs):
        engine.report.runs.append(found)


def _request_call(engine: Engine, expr: n.Call, method: str) -> Value:
    place = engine.words.request.get(method)
    if place is None:
        return NOTHING
    error = engine.words.broken.get(method)
    result = endings.thrown(engine, Target(error), None, engine.place(expr)) if error is not None else None
    engine.report.reads.append(Read(Origin(place), engine.place(expr), strict=error is not None, result=result))
    return Value(Origin(place))


def _data_method(engine: Engine, expr: n.Call, method: str, held: Value, given: Given, state: State) -> Value | None:
    """A method called on client data itself."""
    words = engine.words.language
    origin = held.origin
    if method in words.tests and origin is not None:
        return Value(
            taints=held.touched, facts=conditions.pattern_facts(engine, origin, words.tests[method], "full", expr)
        )
    if method in ("startswith", "endswith") and origin is not None and expr.positional:
        text = engine.text(expr.positional[0], state)
        if text is not None:
            pattern = f"^{text}" if method == "startswith" else f"{text}$"
            return Value(taints=held.touched, facts=conditions.pattern_facts(engine, origin, pattern, "none", expr))
    if method in words.keeps:
        return held
    if origin is None:
        return None
    if method in ("get", "getlist", "pop", "setdefault") and expr.positional:
        key = engine.text(expr.positional[0], state)
        if key is not None:
            if key in held.attrs:
                return held.attrs[key]
            child = origin.child(key)
            engine.report.reads.append(Read(child, engine.place(expr)))
            if method == "getlist":
                return Value(child, via="many")
            return Value(child, taints=all_touched([v for _, v in given[1:]]))
        return held.made_from() if origin.place in FLAT and not origin.path else Value(origin.child("{}"))
    if method in engine.words.dumps:
        return Value(origin, via="dump", made=None)
    if method in ("items", "multi_items"):
        return Value(origin, via="pairs")
    if method in ("values", "keys"):
        return Value(origin, via=method)
    return None


def _quantified(engine: Engine, expr: n.Call, state: State) -> Value | None:
    if len(expr.args) != 1 or not isinstance(expr.args[0].value, n.Comprehension):
        return None
    made = expr.args[0].value
    name = expr.func.id if isinstance(expr.func, n.Name) else ""

    def bind(inner: State) -> None:
        for target, over in made.loops:
            engine.bind(target, element(engine.value(over, inner)), inner)

    facts = conditions.quantified(engine, name, made, state, bind)
    return Value(facts=facts, taints=frozenset(f.origin for f in (*facts.if_true, *facts.if_false)))


def _builtin(engine: Engine, expr: n.Call, name: str, given: Given) -> Value | None:
    """Calls whose meaning the language fixes."""
    words = engine.words.language
    first = given[0][1] if given else NOTHING
    if name in words.sizes and first.via == "many":
        return first.made_from()
    if name in words.sizes and first.touched:
        return Value(first.origin, via="size", taints=first.taints)
    if name == "isinstance" and first.origin is not None and len(expr.args) == 2:
        return Value(taints=first.touched, facts=_type_facts(engine, expr, first.origin))
    if name in words.converts and first.origin is not None:
        type_, error = words.converts[name]
        result = endings.thrown(engine, Target(error), None, engine.place(expr))
        engine.report.reads.append(Read(first.origin, engine.place(expr), type=type_, result=result))
        return Value(first.origin, via="number" if type_ in ("integer", "number") else "", taints=first.taints)
    if name == "enumerate" and first.origin is not None:
        return Value(first.origin, via="numbered")
    if name in ("typing.cast", "cast") and len(given) == 2:
        return given[1][1]
    if name in words.keeps_call and first.touched:
        return first
    if name in words.collections and not given:
        return Value(role="local")
    matcher = words.matchers.get(name)
    if matcher is not None and len(expr.positional) >= 2:
        return _matched(engine, expr, expr.positional[0], given[1][1], matcher)
    if isinstance(expr.func, n.Member) and expr.func.name in words.matchers and len(given) == 1:
        made = engine.program.value(expr.func.value, engine.scope)
        if made is not None and isinstance(made[0], n.Call) and made[0].positional:
            if (engine.program.name_of(made[0].func, made[1]) or "").endswith("compile"):
                return _matched(engine, expr, made[0].positional[0], first, words.matchers[expr.func.name], made[1])
    return None


def _matched(
    engine: Engine, expr: n.Call, pattern: n.Expr, held: Value, anchored: str, scope: Scope | None = None
) -> Value:
    text = engine.program.text(pattern, scope or engine.scope)
    return Value(taints=held.touched, facts=conditions.pattern_facts(engine, held.origin, text, anchored, expr))


def _type_facts(engine: Engine, expr: n.Call, origin: Origin) -> Facts:
    names = expr.args[1].value
    listed = names.items if isinstance(names, n.Items) else (names,)
    types = [engine.words.language.types.get(dotted(t) or "") for t in listed]
    if not types or any(t is None for t in types):
        return Facts()
    found = Finding(origin, "type", types[0] if len(types) == 1 else types, engine.place(expr), presence=True)
    return Facts((found,), ())


def answer(engine: Engine, expr: n.Call, target: Target | None, scope: Scope) -> Value | None:
    """An error or a response made here, with its status where that can be told."""
    if target is None:
        return None
    words = engine.words
    kind = engine.program.derives(target, words.errors)
    if kind is not None:
        own = endings.status_of(engine, expr.argument(words.errors[kind], "status_code"), scope)
        if own is None:
            own = endings.status_in_class(engine, target)
        message = engine.program.text(expr.argument(words.errors[kind] + 1, "detail"), scope)
        return Value(role="error", status=own, made=target, message=message)
    base = engine.program.derives(target, words.answers)
    if base is None:
        return None
    code = expr.argument(1, "status_code")
    status = endings.status_of(engine, code, scope) if code is not None else words.answers[base]
    return Value(role="answer", status=status)


def _house(engine: Engine, expr: n.Call, stands_for: Mapping[ConstraintKind, object], given: Given) -> None:
    for _, held in given[:1]:
        for kind, limit in stands_for.items() if held.origin is not None else ():
            assert held.origin is not None
            place = engine.place(expr)
            engine.report.checks.append(Check(held.origin, kind, limit, place, Result("rejects", None, place)))
