"""What an expression holds, as far as client data goes."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from mappu.flow import calls, conditions, endings, fills, model_runs
from mappu.flow.state import State, element
from mappu.flow.values import FLAT, NOTHING, Facts, Origin, Read, Typed, Value, all_touched
from mappu.symbols.program import Target
from mappu.syntax import nodes as n

if TYPE_CHECKING:
    from mappu.flow.engine import Engine

_ERROR = re.compile(r"Err[A-Z]")
_COMPARISONS = frozenset({"and", "==", "!=", "<", "<=", ">", ">=", "in", "not-in", "is", "is-not", "is-a"})


def value(engine: Engine, expr: n.Expr | None, state: State) -> Value:
    """Return what an expression holds, and record what happens to client data on the way."""
    match expr:
        case n.Name(id=name):
            return _name(engine, expr, name, state)
        case n.Member(value=base, name=name):
            return _member(engine, expr, value(engine, base, state), name, state)
        case n.Index(value=base, index=index):
            return _index(engine, expr, value(engine, base, state), index, state)
        case n.Call():
            return calls.call(engine, expr, state)
        case n.Literal(value=constant):
            return Value(role="local", truth=bool(constant), literal=expr)
        case n.Unary(op="yield", value=inner):
            found = value(engine, inner, state)
            engine.frame.yields.append(found)
            return NOTHING
        case n.Unary(op="not" | "absent"):
            return Value(facts=conditions.facts(engine, expr, state))
        case n.Binary(op="or", left=left, right=right):
            first, second = value(engine, left, state), value(engine, right, state)
            if first.origin is not None:
                state.present |= {first.origin}
                return Value(first.origin, first.via, first.taints | second.touched, whole=first.whole)
            if "lookup" in (first.role, second.role):
                return Value(role="lookup", taints=first.taints | second.taints)
            via = "outside" if "outside" in (first.via, second.via) else ""
            return Value(via=via, taints=first.touched | second.touched, facts=conditions.facts(engine, expr, state))
        case n.Binary(op=op) if op in _COMPARISONS:
            facts = conditions.facts(engine, expr, state)
            return Value(taints=frozenset(f.origin for f in (*facts.if_true, *facts.if_false)), facts=facts)
        case n.Choice(test=test, then=then, other=other):
            facts = conditions.facts(engine, test, state)
            first, second = value(engine, then, state), value(engine, other, state)
            kept = first if first.origin is not None else second
            via = "outside" if kept.origin is None and "outside" in (first.via, second.via) else kept.via
            return Value(kept.origin, via, first.taints | second.taints, made=kept.made, role=kept.role)
        case n.Bind(target=target, value=inner):
            found = value(engine, inner, state)
            engine.bind(target, found, state, inner)
            return found
        case n.Comprehension(loops=loops, element=made_of, tests=tests):
            inner_state = state.copy()
            for target, over in loops:
                engine.bind(target, element(value(engine, over, inner_state)), inner_state)
            for test in tests:
                inner_state.learn(conditions.facts(engine, test, inner_state).if_true)
            made = value(engine, made_of, inner_state)
            return Value(taints=made.touched, attrs={"[]": made}, whole=made.whole)
        case n.Entries(entries=entries):
            return _entries(engine, entries, state)
        case n.Items(items=items, kind=kind):
            parts = [value(engine, i, state) for i in items]
            if kind == "tuple" and parts and engine.words.language.returns_errors:
                # The last of what a function gives back tells how it went.
                last = parts[-1]
                return Value(role=last.role, status=last.status, made=last.made, facts=last.facts, truth=last.truth,
                             message=last.message, via=last.via, parts=tuple(parts))  # fmt: skip
            return Value(role="local", taints=all_touched(parts))
        case n.Template(parts=pieces):
            return _text_of([value(engine, p, state) for p in pieces])
        case n.Binary():
            return _combined(engine, expr, state)
        case n.Unary(op="typeof", value=inner):
            held = value(engine, inner, state)
            return Value(held.origin, via="typeof") if held.origin is not None else held.made_from()
        case n.Unary(value=inner):
            return value(engine, inner, state)
        case n.Function():
            return Value(refers=(expr, engine.scope), captured=dict(state.env))
    return NOTHING


def _combined(engine: Engine, expr: n.Binary, state: State) -> Value:
    """Two values put together: arithmetic on client data gives something derived from it, anything else may be text."""
    left, right = value(engine, expr.left, state), value(engine, expr.right, state)
    taints = all_touched([left, right])
    constants = [engine.constant(e, state) for e in (expr.left, expr.right)]
    texts = any(c is not None and isinstance(c.value, str) for c in constants)
    numbers = any(c is not None and isinstance(c.value, int | float) for c in constants)
    if not texts and (expr.op != "+" or numbers):
        origin = left.origin if right.origin is None else right.origin if left.origin is None else None
        return Value(origin, via="derived", taints=taints)
    return _text_of([left, right])


def _text_of(parts: list[Value]) -> Value:
    """Text put together from parts; what outside code made of client data is no longer that data."""
    return Value(taints=all_touched(p for p in parts if p.via != "outside"), via="text")


def annotated(engine: Engine, stmt: n.Variable, made: Value) -> Value:
    """A local declared with a type: raw client data does not become a model by it."""
    plain = made.made is None or made.made.node is None
    if made.origin is not None and plain and stmt.type is not None:
        run = engine.words.casts(stmt.type, stmt.value or stmt.type, engine.scope)
        if run is not None:
            model_runs.model_run(engine, stmt, run, made)
        elif not made.via:
            engine.report.typed.append(Typed(made.origin, stmt.type, engine.scope, engine.place(stmt)))
    if made.role == "lookup" and made.made is None and stmt.type is not None and engine.words.language.accessors:
        return made.but(made=engine.program.class_of(Target(stmt.name, stmt, engine.scope)))
    if made is NOTHING and stmt.type is not None:
        target = engine.program.class_of(Target(stmt.name, stmt, engine.scope))
        return Value(made=target) if target is not None else made
    return made


# --- names, members, elements -----------------------------------------------------------------------------------------


def _name(engine: Engine, expr: n.Name, name: str, state: State) -> Value:
    if name in state.env:
        held = state.env[name]
        pending = engine.frame.pending.pop(name, None)
        if pending and held.facts is None:
            # A list of errors is looked at: being empty means that every check behind it passed.
            return Value(role="local", facts=Facts((), tuple(pending)))
        return held
    target = engine.program.resolve(expr, engine.scope)
    if target is not None and isinstance(target.node, n.Class | n.Function):
        return Value(refers=(expr, engine.scope))
    return _global(engine, target)


def _global(engine: Engine, target: Target | None) -> Value:
    """A name from outside the function: a store kept in memory, an instance, a class, a module."""
    if target is None:
        return NOTHING
    node = target.node
    if isinstance(node, n.Assign | n.Variable) and target.scope is not None and target.scope.owner is None:
        made = node.value
        if engine.words.language.returns_errors and made is None and _keeps(node):
            return Value(role="store")
        literal = isinstance(made, n.Entries | n.Items) and not (
            made.entries if isinstance(made, n.Entries) else made.items
        )
        name = engine.program.name_of(made.func, target.scope) if isinstance(made, n.Call) else None
        empty = isinstance(made, n.Call) and not made.args
        if literal or (empty and name in engine.words.language.collections):
            return Value(role="store")
        if (
            isinstance(made, n.Items)
            and engine.words.language.takes_objects
            and all(isinstance(i, n.Entries) for i in made.items)
        ):
            # Records written out to begin with.
            return Value(role="store")
        if name is not None and name in engine.words.language.error_makers:
            return Value(role="error", truth=True, made=Target("error"))
        found = engine.program.class_of(target)
        return Value(made=found) if found is not None else Value()
    return Value()


def _member(engine: Engine, expr: n.Member, held: Value, name: str, state: State) -> Value:
    return member_of(engine, expr, held, name, state)


def _may_be_missing(engine: Engine, expr: n.Expr, body: Origin, state: State) -> None:
    """A member asked of a body that may not be there at all: the language throws then."""
    if isinstance(expr, n.Member) and expr.safe:
        return
    if not any(body.covers(p) for p in state.present) and body not in engine.seen:
        missing = endings.thrown(engine, Target(engine.words.language.no_value), None, engine.place(expr))
        read = Read(body, engine.place(expr), strict=True, result=missing, what="a request without a body")
        engine.report.reads.append(read)


def member_of(engine: Engine, expr: n.Expr, held: Value, name: str, state: State) -> Value:
    """What a member of a value holds."""
    if held.role in ("request", "reply") and (held.role == "request" or name in engine.words.request):
        if name in engine.kept:
            return engine.kept[name]
        place = engine.words.request.get(name)
        if place == "request":
            return Value(role="request")
        if name in engine.words.files:
            uploaded = Origin("form", ("file",))
            engine.report.reads.append(Read(uploaded, engine.place(expr), type="file"))
            return Value(uploaded, via="file")
        if place is not None:
            if place in ("body", "form"):
                engine.report.reads.append(Read(Origin(place), engine.place(expr)))
            return Value(Origin(place))
        return Value(role="data")
    if held.role == "reply" and name not in engine.words.request:
        return held if name in engine.words.replies else NOTHING
    if name in held.attrs:
        found = held.attrs[name]
        if found.checked is not None:
            found.checked.taken = True
        return found
    if held.via == "faults" or (name in engine.words.language.size_members and held.facts is not None):
        # How many faults there are tells whether there are any.
        return held
    if held.origin is not None and not held.origin.path and held.origin.place == "body" and engine.words.empty_body:
        _may_be_missing(engine, expr, held.origin, state)
    if name in engine.words.language.size_members and held.origin is not None and (held.origin.path or held.via):
        return Value(held.origin, via="size", taints=held.taints)
    if held.origin is not None and held.via in ("", "dump"):
        child = held.origin.child(name.lower() if held.origin.place == "header" else name)
        if engine.words.language.no_value:
            engine.report.reads.append(Read(child, engine.place(expr)))
        if held.type is not None:
            if fills.is_embedded(engine, held, name):
                return fills.typed(engine, held, fills.member_type(engine, held, name))
            return fills.typed(engine, Value(child, taints=held.taints), fills.member_type(engine, held, name))
        return Value(child, taints=held.taints)
    if held.origin is not None:
        return held.made_from()
    if held.role == "lookup":
        # A column of a record that was found says nothing of the request any more.
        return Value(role="lookup", taints=frozenset())
    if held.made is not None:
        target = engine.program.member(held.made, name)
        if target is not None and engine.words.language.returns_errors and _keeps(target.node):
            return Value(role="store")
        if target is not None:
            return held.made_from().but(made=engine.program.class_of(target) if target.node is not None else None)
    if held.touched:
        return held.made_from()
    if not isinstance(expr, n.Member):
        return NOTHING
    target = engine.program.resolve(expr, engine.scope)
    known = engine.words.language.constants.get(target.name) if target is not None and target.scope is None else None
    if known is not None:
        return Value(role="local", literal=n.Literal(expr.span, known))
    if engine.words.language.returns_errors and target is not None and target.scope is None and _ERROR.match(name):
        # An error that a package keeps under a name.
        return Value(role="error", truth=True, made=target, status=engine.words.named_errors.get(target.name))
    return _global(engine, target)


def _keeps(node: object) -> bool:
    """True for a member that is a list or map: what an object that outlives the request keeps records in."""
    type_ = node.type if isinstance(node, n.Variable) else None
    return isinstance(type_, n.Index) and isinstance(type_.value, n.Name) and type_.value.id in ("[]", "map")


def _index(engine: Engine, expr: n.Index, held: Value, index: n.Expr, state: State) -> Value:
    key = engine.constant(index, state)
    used = value(engine, index, state)
    if held.role == "request" and key is not None and isinstance(key.value, str):
        return member_of(engine, expr, held, key.value, state)
    if held.origin is not None:
        if key is not None and isinstance(key.value, str):
            if key.value in held.attrs:
                return held.attrs[key.value]
            child = held.origin.child(key.value.lower() if held.origin.place == "header" else key.value)
            key_error = engine.words.language.missing_key
            missing = endings.thrown(engine, Target(key_error), None, engine.place(expr)) if key_error else None
            strict = bool(key_error) and child not in state.present
            engine.report.reads.append(Read(child, engine.place(expr), strict, result=missing))
            return Value(child)
        if held.origin.place in FLAT and not held.origin.path:
            # A name made at run time: which one is read cannot be told.
            return held.made_from()
        if held.origin.place in FLAT and engine.words.language.returns_errors:
            # One name sent several times: each is the field itself.
            return held
        step = "[]" if key is not None or isinstance(index, n.Opaque) else "{}"
        if held.type is not None:
            step = "{}" if held.made is not None and held.made.name == "map" else "[]"
            inner = fills.element_type(held.type)
            return fills.typed(engine, Value(held.origin.child(step), taints=held.taints), inner)
        return Value(held.origin.child(step), taints=held.taints)
    if key is not None and isinstance(key.value, str) and key.value in held.attrs:
        return held.attrs[key.value]
    if held.role == "store":
        return Value(role="lookup", taints=used.touched)
    return held.made_from().but(taints=held.touched | used.touched, role=held.role if held.role == "lookup" else "data")


def _entries(engine: Engine, entries: tuple[tuple[n.Expr | None, n.Expr], ...], state: State) -> Value:
    attrs: dict[str, Value] = {}
    whole = None
    taints: set[Origin] = set()
    for key, inner in entries:
        held = value(engine, inner, state)
        text = engine.text(key, state) if key is not None else None
        if key is None:
            whole = held.origin or held.whole or whole
            attrs |= held.attrs
        elif text is not None:
            attrs[text] = held
        taints |= held.touched
    return Value(role="local" if not entries else "data", attrs=attrs, taints=frozenset(taints), whole=whole)
