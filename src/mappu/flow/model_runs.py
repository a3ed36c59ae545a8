"""Calls that run a model's rules on client data, and what becomes of the outcome."""

from __future__ import annotations

from typing import TYPE_CHECKING

import msgspec

from mappu.flow import endings, fills
from mappu.flow.state import State
from mappu.flow.values import ALL, NOTHING, Facts, Finding, Given, ModelRun, OpenRun, Origin, Result, Value, ordered
from mappu.flow.words import RunWord
from mappu.symbols.program import Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted

if TYPE_CHECKING:
    from mappu.flow.engine import Engine


def run(engine: Engine, expr: n.Call, word: RunWord, state: State) -> Value:
    held = engine.value(word.argument, state)
    for arg in expr.args:
        if arg.value is not word.argument:
            engine.value(arg.value, state)
    if word.outcome:
        return _told(engine, expr, word, held, state)
    whole = _put_together(held)
    if whole is not None and engine.words.language.takes_objects:
        model_run(engine, expr, word, Value(whole))
        return Value(attrs=held.attrs, taints=held.touched, made=engine.program.resolve(word.type, word.scope))
    if held.origin is not None and not held.via:
        model_run(engine, expr, word, held)
        made = engine.program.resolve(word.type, word.scope)
        return Value(held.origin, made=made, taints=held.taints)
    if held.origin is None and not held.touched and word.spread and not held.attrs:
        # Built field by field: each argument keeps what it is.
        attrs = {a.name: engine.value(a.value, state) for a in expr.args if a.name is not None and not a.spread}
        return Value(attrs=attrs, made=engine.program.resolve(word.type, word.scope))
    return Value(
        taints=held.touched, attrs=held.attrs, made=engine.program.resolve(word.type, word.scope), whole=held.whole
    )


def model_run(engine: Engine, node: n.Node, run: RunWord, held: Value) -> None:
    assert held.origin is not None
    place = engine.place(node)
    if not run.skips and held.origin.place in ("body", "form"):
        engine.seen |= {Origin(held.origin.place)}
    result = Result("unknown") if run.skips else endings.thrown(engine, Target(run.throws), None, place)
    opened = OpenRun(held.origin, run.type, run.scope, place)
    opened.taken = node is not engine.dropped
    found = ModelRun(held.origin, run.type, run.scope, place, result, run.skips, opened)
    if all((r.origin, r.place) != (found.origin, found.place) for r in engine.report.runs):
        engine.report.runs.append(found)


def _put_together(held: Value) -> Origin | None:
    """What an object written out of members of client data stands for, each under its own name: that data."""
    parts = [(k, v.origin) for k, v in held.attrs.items() if v.origin is not None and v.origin.path]
    if held.origin is not None or not parts or any(o.path[-1] != k for k, o in parts):
        return None
    parents = {(o.place, o.path[:-1]) for _, o in parts}
    return Origin(*parents.pop()) if len(parents) == 1 else None


def _told(engine: Engine, expr: n.Call, run: RunWord, held: Value, state: State) -> Value:
    """The outcome of a model's rules as something to be looked at."""
    origin, place = held.origin, engine.place(expr)
    built: dict[str, Value] = {}
    inner = fills.pointee(run.argument)
    name = inner.id if isinstance(inner, n.Name) else None
    if (
        engine.words.language.returns_errors
        and origin is None
        and name is not None
        and not held.attrs
        and not held.touched
    ):
        # Nothing of what the client sent is in it yet.
        engine.frame.early[name] = place, run.keys or frozenset()
        return Value(role="error", made=Target(run.throws))
    if held.role == "request":
        origin, held = ALL, NOTHING
    elif run.keys is None and (whole := _put_together(held)) is not None:
        origin = whole
    elif origin is None or held.via not in ("", "number", "dump"):
        fields = {k: v for k, v in held.attrs.items() if v.origin is not None}
        if not fields:
            # Only what was made from client data is checked: what it refuses is not told field by field.
            return Value(taints=held.touched, attrs={k: held for k, v in run.outcome.items() if v == "value"})
        if run.keys is not None:
            # Made here of what came: the rules on each of its members are rules on what went into it.
            built = {k: v for k, v in fields.items() if v.via in ("", "number")}
        origin = Origin(next(iter(fields.values())).origin.place)  # type: ignore[union-attr]
    if origin.place in ("body", "form"):
        engine.seen |= {Origin(origin.place)}
    type_, scope = run.type, run.scope
    if run.keys is not None and not isinstance(run.type, n.Call):
        type_, scope = fills.declared_type(engine, fills.pointee(run.argument), state) or (type_, scope)
    opened = OpenRun(origin, type_, scope, place)
    opened.fault = run.fault
    if run.keys is not None:
        opened.taken = True
        listed = isinstance(run.type, n.Call)
        record = ModelRun(origin, type_, scope, place, Result("unknown"), run.skips, keys=run.keys, listed=listed)
        opened.runs = tuple(msgspec.structs.replace(record, origin=o) for o in _places(held, origin))
        if built:
            opened.runs = tuple(
                msgspec.structs.replace(record, origin=v.origin, member=k, listed=True) for k, v in built.items()
            )
    if any((o.place, o.origin) == (place, origin) for o in engine.open_runs):
        opened = next(o for o in engine.open_runs if (o.place, o.origin) == (place, origin))
    else:
        engine.open_runs.append(opened)
    finding = Finding(origin, "custom", place.text, place, run=opened)
    passed = Facts((finding,), ())
    kinds = {
        "passed": Value(facts=passed), "failed": Value(facts=passed.swapped()),
        "faults": Value(facts=passed.swapped(), via="faults"),
        "value": Value(origin, taints=held.taints, checked=opened),
    }  # fmt: skip
    attrs = {name: kinds[told] for name, told in run.outcome.items()}
    told = attrs.pop("", NOTHING).but(attrs=attrs)
    return told.but(role="error", made=Target(run.throws)) if run.keys is not None else told


def _places(held: Value, origin: Origin) -> list[Origin]:
    """The data that a value is made of: itself, and (where a type is filled from several places) the others."""
    others = {Origin(v.origin.place) for v in held.attrs.values() if v.origin is not None and len(v.origin.path) == 1}
    return [origin, *(o for o in ordered(others) if not origin.path and o != origin)]


def faults_used(engine: Engine, expr: n.Call, method: str | None, receiver: Value, given: Given) -> None:
    """Faults that go on to other code than a log, one by one or together: it may act on them."""
    words = engine.words.language
    last = method or (dotted(expr.func) or "")
    held = [v for _, v in given] if last not in words.notices else []
    if method is not None and method not in words.size_calls and method not in words.empty_tests:
        held.append(receiver)
    for each in held:
        if each.via == "faults" and each.facts is not None:
            faults_looked_at(each)


def faults_looked_at(held: Value) -> None:
    """Note that somebody looks at the faults a check gave back."""
    for finding in (*held.facts.if_true, *held.facts.if_false) if held.facts is not None else ():
        if finding.run is not None:
            finding.run.looked = True
