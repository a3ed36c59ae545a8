"""What an expression holds, and above all what a call does with client data."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

from mappu.flow import conditions
from mappu.flow.values import NOTHING, Check, Facts, Finding, ModelRun, Origin, Read, Result, Value
from mappu.flow.words import RunWord
from mappu.inventory.model import ConstraintKind, Place
from mappu.symbols.program import Scope, Target
from mappu.syntax import nodes as n

if TYPE_CHECKING:
    from mappu.flow.engine import Engine, State

MAX_DEPTH = 6
MAX_CALLS = 150
_FLAT = frozenset({"query", "header", "cookie", "path"})


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
            return call(engine, expr, state)
        case n.Literal(value=constant):
            truthy = bool(constant)
            return Value(role="local", status=int(truthy)) if isinstance(constant, bool | str | None) else NOTHING
        case n.Unary(op="yield", value=inner):
            found = value(engine, inner, state)
            engine.frame.yields.append(found)
            return NOTHING
        case n.Unary(op="not"):
            return Value(facts=conditions.facts(engine, expr, state))
        case n.Binary(op="or", left=left, right=right):
            first, second = value(engine, left, state), value(engine, right, state)
            if first.origin is not None:
                return Value(first.origin, first.via, first.taints | second.touched)
            return Value(taints=first.touched | second.touched, facts=conditions.facts(engine, expr, state))
        case n.Binary(op=op) if op in ("and", "==", "!=", "<", "<=", ">", ">=", "in", "not-in", "is", "is-not"):
            facts = conditions.facts(engine, expr, state)
            return Value(taints=frozenset(f.origin for f in (*facts.if_true, *facts.if_false)), facts=facts)
        case n.Choice(test=test, then=then, other=other):
            facts = conditions.facts(engine, test, state)
            first, second = value(engine, then, state), value(engine, other, state)
            kept = first if first.origin is not None else second
            return Value(kept.origin, kept.via, first.taints | second.taints, made=kept.made, role=kept.role)
        case n.Bind(target=target, value=inner):
            found = value(engine, inner, state)
            engine.bind(target, found, state, inner)
            return found
        case n.Comprehension(loops=loops, element=element, tests=tests):
            inner_state = state.copy()
            for target, over in loops:
                engine.bind(target, _element(value(engine, over, inner_state)), inner_state)
            for test in tests:
                value(engine, test, inner_state)
            made = value(engine, element, inner_state)
            return Value(taints=made.touched, attrs={"[]": made}, whole=made.whole)
        case n.Entries(entries=entries):
            return _entries(engine, entries, state)
        case n.Items(items=items):
            parts = [value(engine, i, state) for i in items]
            return Value(role="local", taints=_all_touched(parts))
        case n.Template(parts=pieces):
            return Value(taints=_all_touched([value(engine, p, state) for p in pieces]), role="data", via="text")
        case n.Binary(left=left, right=right):
            parts = [value(engine, left, state), value(engine, right, state)]
            return Value(taints=_all_touched(parts), via="text")
        case n.Unary(value=inner):
            return value(engine, inner, state)
    return NOTHING


def annotated(engine: Engine, stmt: n.Variable, made: Value) -> Value:
    """A local declared with a type: raw client data does not become a model by it."""
    if made.origin is not None and made.made is None and stmt.type is not None:
        run = engine.words.runs(n.Call(stmt.span, n.Name(stmt.span, "typing.cast"),
                                       (n.Arg(stmt.type), n.Arg(stmt.value or stmt.type))), engine.scope)  # fmt: skip
        if run is not None:
            _model_run(engine, stmt, run, made)
    if made is NOTHING and stmt.type is not None:
        target = engine.program.class_of(Target(stmt.name, stmt, engine.scope))
        return Value(made=target) if target is not None else made
    return made


def _element(found: Value) -> Value:
    from mappu.flow.engine import element

    return element(found)


def _all_touched(values: list[Value]) -> frozenset[Origin]:
    return frozenset().union(*(v.touched for v in values))


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
    return _global(engine, target)


def _global(engine: Engine, target: Target | None) -> Value:
    """A name from outside the function: a store kept in memory, an instance, a class, a module."""
    if target is None:
        return NOTHING
    node = target.node
    if isinstance(node, n.Assign | n.Variable) and target.scope is not None and target.scope.owner is None:
        made = node.value
        literal = isinstance(made, n.Entries | n.Items) and not (
            made.entries if isinstance(made, n.Entries) else made.items
        )
        name = engine.program.name_of(made.func, target.scope) if isinstance(made, n.Call) else None
        if literal or name in engine.words.language.collections:
            return Value(role="store")
        found = engine.program.class_of(target)
        return Value(made=found) if found is not None else Value()
    return Value()


def _member(engine: Engine, expr: n.Member, held: Value, name: str, state: State) -> Value:
    if held.role == "request":
        place = engine.words.request.get(name)
        if place is not None:
            return Value(Origin(place))
        return Value(role="data")
    if name in held.attrs:
        return held.attrs[name]
    if held.origin is not None and not held.via:
        return Value(held.origin.child(name), taints=held.taints)
    if held.origin is not None:
        return Value(taints=held.touched)
    if held.role == "lookup":
        # A column of a record that was found says nothing of the request any more.
        return Value(role="lookup", taints=frozenset())
    if held.made is not None:
        target = engine.program.member(held.made, name)
        if target is not None:
            found = engine.program.class_of(target) if target.node is not None else None
            return Value(made=found, taints=held.taints) if found is not None else Value(taints=held.taints)
    if held.touched:
        return Value(taints=held.touched)
    return _global(engine, engine.program.resolve(expr, engine.scope))


def _index(engine: Engine, expr: n.Index, held: Value, index: n.Expr, state: State) -> Value:
    key = engine.program.constant(index, engine.scope)
    used = value(engine, index, state)
    if held.origin is not None:
        if key is not None and isinstance(key.value, str):
            if key.value in held.attrs:
                return held.attrs[key.value]
            child = held.origin.child(key.value)
            missing = engine.thrown(Target(engine.words.language.missing_key), None, engine.place(expr))
            engine.report.reads.append(Read(child, engine.place(expr), strict=True, result=missing))
            return Value(child)
        if held.origin.place in _FLAT and not held.origin.path:
            # A name made at run time: which one is read cannot be told.
            return Value(taints=held.touched)
        step = "[]" if key is not None or isinstance(index, n.Opaque) else "{}"
        return Value(held.origin.child(step), taints=held.taints)
    if key is not None and isinstance(key.value, str) and key.value in held.attrs:
        return held.attrs[key.value]
    if held.role == "store":
        return Value(role="lookup", taints=used.touched)
    return Value(taints=held.touched | used.touched, role=held.role if held.role == "lookup" else "data")


def _entries(engine: Engine, entries: tuple[tuple[n.Expr | None, n.Expr], ...], state: State) -> Value:
    attrs: dict[str, Value] = {}
    whole = None
    taints: set[Origin] = set()
    for key, inner in entries:
        held = value(engine, inner, state)
        text = engine.program.text(key, engine.scope) if key is not None else None
        if key is None:
            whole = held.origin or held.whole or whole
            attrs |= held.attrs
        elif text is not None:
            attrs[text] = held
        taints |= held.touched
    return Value(role="local" if not entries else "data", attrs=attrs, taints=frozenset(taints), whole=whole)


# --- calls ------------------------------------------------------------------------------------------------------------


def call(engine: Engine, expr: n.Call, state: State) -> Value:
    """Return what a call gives back; what it does to client data is recorded."""
    run = engine.words.runs(expr, engine.scope)
    if run is not None:
        return _run_model(engine, expr, run, state)
    method = expr.func.name if isinstance(expr.func, n.Member) else None
    receiver = value(engine, expr.func.value, state) if isinstance(expr.func, n.Member) else NOTHING
    if receiver.role == "request" and method is not None:
        return _request_call(engine, expr, method)
    if method in ("any", "all") or (isinstance(expr.func, n.Name) and expr.func.id in ("any", "all")):
        found = _quantified(engine, expr, state)
        if found is not None:
            return found
    given = [(a, value(engine, a.value, state)) for a in expr.args]
    if method is not None and receiver.touched:
        found = _data_method(engine, expr, method, receiver, given)
        if found is not None:
            return found
    target = _callee(engine, expr, receiver, method)
    name = target.name if target is not None else (n.dotted(expr.func) or "")
    language = engine.words.language
    if target is not None and target.name in engine.words.house:
        _house(engine, expr, engine.words.house[target.name], given)
        return given[0][1] if given else NOTHING
    found = _builtin(engine, expr, name, given)
    if found is not None:
        return found
    answer = _answer(engine, expr, target)
    if answer is not None:
        return answer
    if name in language.sinks:
        for _, held in given:
            engine.sink(held, language.sinks[name], engine.place(expr))
    if name == "setattr" and len(given) == 3:
        return _setattr(engine, expr, given, state)
    if method is not None and _is_storage(engine, receiver, target):
        stored = _storage(engine, expr, method, receiver, given, state)
        if stored is not None:
            return stored
    if target is not None and isinstance(target.node, n.Function) and target.scope is not None:
        return _inline(engine, expr, target, receiver, given, state)
    if target is not None and isinstance(target.node, n.Class):
        return _construct(engine, target, given)
    return _outside(engine, expr, name, target, receiver, given)


Given = list[tuple[n.Arg, Value]]


def _callee(engine: Engine, expr: n.Call, receiver: Value, method: str | None) -> Target | None:
    if method is not None and receiver.made is not None:
        found = engine.program.member(receiver.made, method)
        if found is not None:
            return found
    return engine.program.resolve(expr.func, engine.scope)


def _run_model(engine: Engine, expr: n.Call, run: RunWord, state: State) -> Value:
    held = value(engine, run.argument, state)
    for arg in expr.args:
        if arg.value is not run.argument:
            value(engine, arg.value, state)
    if held.origin is not None and not held.via:
        _model_run(engine, expr, run, held)
        made = engine.program.resolve(run.type, run.scope)
        return Value(held.origin, made=made, taints=held.taints)
    if held.origin is None and not held.touched and run.spread and not held.attrs:
        # Built field by field: each argument keeps what it is.
        attrs = {a.name: value(engine, a.value, state) for a in expr.args if a.name is not None and not a.spread}
        return Value(attrs=attrs, made=engine.program.resolve(run.type, run.scope))
    return Value(
        taints=held.touched, attrs=held.attrs, made=engine.program.resolve(run.type, run.scope), whole=held.whole
    )


def _model_run(engine: Engine, node: n.Node, run: RunWord, held: Value) -> None:
    assert held.origin is not None
    place = engine.place(node)
    result = Result("unknown") if run.skips else engine.thrown(Target(run.throws), None, place)
    found = ModelRun(held.origin, run.type, run.scope, place, result, run.skips)
    if all((r.origin, r.place) != (found.origin, found.place) for r in engine.report.runs):
        engine.report.runs.append(found)


def _request_call(engine: Engine, expr: n.Call, method: str) -> Value:
    place = engine.words.request.get(method)
    if place is None:
        return NOTHING
    error = engine.words.broken.get(method)
    result = engine.thrown(Target(error), None, engine.place(expr)) if error is not None else None
    engine.report.reads.append(Read(Origin(place), engine.place(expr), strict=error is not None, result=result))
    return Value(Origin(place))


def _data_method(engine: Engine, expr: n.Call, method: str, held: Value, given: Given) -> Value | None:
    """A method called on client data itself."""
    words = engine.words.language
    origin = held.origin
    if method in words.tests and origin is not None:
        return Value(
            taints=held.touched, facts=conditions.pattern_facts(engine, origin, words.tests[method], "full", expr)
        )
    if method in ("startswith", "endswith") and origin is not None and expr.positional:
        text = engine.program.text(expr.positional[0], engine.scope)
        if text is not None:
            pattern = f"^{text}" if method == "startswith" else f"{text}$"
            return Value(taints=held.touched, facts=conditions.pattern_facts(engine, origin, pattern, "none", expr))
    if method in words.keeps:
        return held
    if origin is None:
        return None
    if method in ("get", "getlist", "pop", "setdefault") and expr.positional:
        key = engine.program.text(expr.positional[0], engine.scope)
        if key is not None:
            if key in held.attrs:
                return held.attrs[key]
            child = origin.child(key)
            engine.report.reads.append(Read(child, engine.place(expr)))
            return Value(child, taints=_all_touched([v for _, v in given[1:]]))
        return Value(taints=held.touched) if origin.place in _FLAT and not origin.path else Value(origin.child("{}"))
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
            engine.bind(target, _element(value(engine, over, inner)), inner)

    facts = conditions.quantified(engine, name, made, state, bind)
    return Value(facts=facts, taints=frozenset(f.origin for f in (*facts.if_true, *facts.if_false)))


def _builtin(engine: Engine, expr: n.Call, name: str, given: Given) -> Value | None:
    """Calls whose meaning the language fixes."""
    words = engine.words.language
    first = given[0][1] if given else NOTHING
    if name in words.sizes and first.touched:
        return Value(first.origin, via="size", taints=first.taints)
    if name == "isinstance" and first.origin is not None and len(expr.args) == 2:
        return Value(taints=first.touched, facts=_type_facts(engine, expr, first.origin))
    if name in words.converts and first.origin is not None:
        type_, error = words.converts[name]
        result = engine.thrown(Target(error), None, engine.place(expr))
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
    types = [engine.words.language.types.get(n.dotted(t) or "") for t in listed]
    if not types or any(t is None for t in types):
        return Facts()
    found = Finding(origin, "type", types[0] if len(types) == 1 else types, engine.place(expr), presence=True)
    return Facts((found,), ())


def _answer(engine: Engine, expr: n.Call, target: Target | None) -> Value | None:
    """An error or a response made here, with its status where that can be told."""
    if target is None:
        return None
    words = engine.words
    kind = engine.program.derives(target, words.errors)
    if kind is not None:
        own = engine.status_of(expr.argument(words.errors[kind], "status_code"))
        if own is None:
            own = _status_in_class(engine, target)
        message = engine.program.text(expr.argument(words.errors[kind] + 1, "detail"), engine.scope)
        return Value(role="error", status=own, made=target, message=message)
    base = engine.program.derives(target, words.answers)
    if base is None:
        return None
    code = expr.argument(1, "status_code")
    status = engine.status_of(code) if code is not None else words.answers[base]
    return Value(role="answer", status=status)


def _status_in_class(engine: Engine, target: Target) -> int | None:
    """The status an error class of the service's own hands to the framework's, in its constructor or as a member."""
    for ancestor in engine.program.ancestry(target):
        if not isinstance(ancestor.node, n.Class) or ancestor.scope is None:
            continue
        inner = engine.program.scope_of(ancestor.node, ancestor.scope)
        for node in n.walk(*ancestor.node.body):
            code = node.keyword("status_code") if isinstance(node, n.Call) else None
            if code is None and isinstance(node, n.Call) and isinstance(node.func, n.Member):
                code = node.positional[0] if node.func.name == "__init__" and node.positional else None
            if code is None and isinstance(node, n.Variable | n.Assign):
                named = [node.name] if isinstance(node, n.Variable) else [n.dotted(t) for t in node.targets]
                code = node.value if any((x or "").endswith("status_code") for x in named) else None
            found = engine.program.constant(code, inner) if code is not None else None
            status = found.value if found is not None else engine.status_name(code) if code is not None else None
            if isinstance(status, int):
                return status
    return None


def _house(engine: Engine, expr: n.Call, stands_for: Mapping[ConstraintKind, object], given: Given) -> None:
    for _, held in given[:1]:
        for kind, limit in stands_for.items() if held.origin is not None else ():
            assert held.origin is not None
            place = engine.place(expr)
            engine.report.checks.append(Check(held.origin, kind, limit, place, Result("rejects", None, place)))


def _setattr(engine: Engine, expr: n.Call, given: Given, state: State) -> Value:
    key, held = given[1][1], given[2][1]
    if key.via == "key" and key.origin is not None:
        parent = Origin(key.origin.place, key.origin.path[:-1])
        engine.store(Value(parent, whole=parent), engine.place(expr), state, at_once=False)
    elif held.touched:
        engine.store(held, engine.place(expr), state, at_once=False)
    return NOTHING


# --- storage ----------------------------------------------------------------------------------------------------------


def _is_storage(engine: Engine, receiver: Value, target: Target | None) -> bool:
    """A call of the service's own code is looked into instead; a list made here is no storage."""
    if target is not None and isinstance(target.node, n.Function):
        return False
    return receiver.origin is None and receiver.role not in ("local", "answer", "error")


def _storage(engine: Engine, expr: n.Call, method: str, receiver: Value, given: Given, state: State) -> Value | None:
    words = engine.words
    place = engine.place(expr)
    if method in words.commits:
        state.stored.extend(x for x in state.staged if x not in state.stored)
        return NOTHING
    held = [_spread(a, v) for a, v in given]
    touched = _all_touched(held)
    if method in words.lookups:
        if touched:
            _query_text(engine, given, place)
        return Value(role="lookup", taints=touched | (receiver.taints if receiver.role == "lookup" else frozenset()))
    if receiver.role == "store" and method in ("append", "add", "update", "setdefault", "insert", "extend"):
        for each in held:
            engine.store(each, place, state, at_once=True)
        return Value(taints=touched)
    if method in words.stores or method in words.stages:
        if method in ("execute", "exec", "scalars", "scalar"):
            _query_text(engine, given, place)
            if not any(_writes(a.value, engine) for a, _ in given):
                return Value(role="lookup", taints=touched)
        for each in held:
            if each.touched or each.whole is not None:
                engine.store(each, place, state, at_once=method in words.stores)
        return Value(role="entity", taints=touched)
    return None


def _spread(arg: n.Arg, held: Value) -> Value:
    """A value spread into a call goes there whole."""
    return (
        Value(held.origin, "dump", held.taints, whole=held.origin or held.whole, attrs=held.attrs)
        if arg.spread
        else held
    )


def _query_text(engine: Engine, given: Given, place: Place) -> None:
    """Client data put into the text of a query; bound parameters come as data of their own and are fine."""
    for arg, held in given[:1]:
        if held.via == "text" and isinstance(arg.value, n.Template | n.Binary | n.Name):
            engine.sink(held, "query text", place)


def _writes(expr: n.Expr, engine: Engine) -> bool:
    """True for a query that changes something: built by insert/update/delete calls, or text that starts so."""
    followed = engine.program.value(expr, engine.scope)
    node = followed[0] if followed is not None else expr
    for part in n.walk(node):
        if isinstance(part, n.Call):
            name = (n.dotted(part.func) or (part.func.name if isinstance(part.func, n.Member) else "")).rpartition(".")[
                2
            ]
            if name in ("insert", "update", "delete", "values", "text"):
                texts = [p.value for p in n.walk(part) if isinstance(p, n.Literal) and isinstance(p.value, str)]
                return name != "text" or _change_text(texts)
        if isinstance(part, n.Literal) and isinstance(part.value, str):
            return _change_text([part.value])
    return False


def _change_text(texts: list[str]) -> bool:
    return any(t.lstrip().lower().startswith(("insert", "update", "delete", "replace", "merge")) for t in texts)


# --- other code -------------------------------------------------------------------------------------------------------


def _inline(engine: Engine, expr: n.Call, target: Target, receiver: Value, given: Given, state: State) -> Value:
    """Walk into a function of the service itself."""
    from mappu.flow.engine import State as NewState

    function = target.node
    assert isinstance(function, n.Function)
    assert target.scope is not None
    carries = [*(v for _, v in given), receiver, *receiver.attrs.values()]
    if not any(v.touched or v.whole or v.role == "request" or v.attrs for v in carries):
        # No client data goes in: what it gives back is of interest only by its type.
        made = engine.program.class_of(
            Target(function.name, n.Param(function.span, "", function.returns), target.scope)
        )
        return Value(made=made) if made is not None and function.returns is not None else NOTHING
    engine.calls += 1
    if len(engine.frames) > MAX_DEPTH or engine.calls > MAX_CALLS or function in engine.calling:
        for _, held in given:
            engine.escape(held, engine.place(expr), f"calls go deeper than {MAX_DEPTH} here ({target.name})")
        return Value(taints=_all_touched([v for _, v in given]))
    inner = NewState()
    params = list(function.params)
    is_method = isinstance(target.scope.owner, n.Class)
    if is_method and params and not any((n.dotted(m.name) or "") == "staticmethod" for m in function.marks):
        inner.env[params.pop(0).name] = receiver if receiver.made or receiver.origin else Value(made=receiver.made)
    plain = [p for p in params if p.kind == "plain"]
    position = 0
    for arg, held in given:
        if arg.spread:
            continue
        if arg.name is not None:
            inner.env[arg.name] = held
        elif position < len(plain):
            inner.env[plain[position].name] = held
            position += 1
    for param in plain:
        if param.name not in inner.env:
            inner.env[param.name] = _typed(engine, param, target.scope)
        elif inner.env[param.name] is NOTHING or inner.env[param.name].made is None:
            inner.env[param.name] = _with_type(engine, inner.env[param.name], param, target.scope)
    inner.stored, inner.staged = state.stored, state.staged
    found, _ = engine.function(function, target.scope, inner)
    state.stored, state.staged = inner.stored, inner.staged
    return found


def _typed(engine: Engine, param: n.Param, scope: Scope) -> Value:
    made = engine.program.class_of(Target(param.name, param, scope)) if param.type is not None else None
    return Value(made=made) if made is not None else NOTHING


def _with_type(engine: Engine, held: Value, param: n.Param, scope: Scope) -> Value:
    made = _typed(engine, param, scope).made
    if made is None or held.origin is not None or held.role != "data":
        return held
    return Value(held.origin, held.via, held.taints, held.role, held.status, made, held.attrs, held.facts, held.whole,
                 held.message)  # fmt: skip


def _construct(engine: Engine, target: Target, given: Given) -> Value:
    """An instance of a class of the service: what its attributes are built from is kept."""
    attrs = {a.name: v for a, v in given if a.name is not None and not a.spread}
    whole = next((v.origin or v.whole for a, v in given if a.spread and (v.origin or v.whole)), None)
    role = "entity" if engine.words.is_entity(target) else "data"
    return Value(role=role, made=target, attrs=attrs, taints=_all_touched([v for _, v in given]), whole=whole)  # type: ignore[arg-type]


def _outside(engine: Engine, expr: n.Call, name: str, target: Target | None, receiver: Value, given: Given) -> Value:
    """A call that cannot be looked into."""
    touched = _all_touched([v for _, v in given]) | receiver.touched
    last = name.rpartition(".")[2].lower()
    if touched and any(c in last for c in engine.words.checkers) and last not in engine.words.language.pure:
        for _, held in given:
            engine.escape(held, engine.place(expr), f"`{name}` may check this and cannot be looked into")
    if isinstance(expr.func, n.Name) and target is None and last not in engine.words.language.pure:
        for _, held in given:
            engine.escape(held, engine.place(expr), f"`{name}` is not found in the source")
    if isinstance(expr.func, n.Member) and receiver.role == "lookup":
        return Value(role="lookup", taints=touched)
    whole = next((v.origin or v.whole for a, v in given if a.spread and (v.origin or v.whole)), None)
    attrs = {a.name: v for a, v in given if a.name is not None and not a.spread}
    entity = target is not None and engine.words.is_entity(target)
    return Value(role="entity" if entity else "data", taints=touched, whole=whole, attrs=attrs, made=target,
                 via="text" if touched else "")  # fmt: skip
