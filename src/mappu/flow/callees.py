"""Calls of other code: functions and classes of the service, which are walked into, and code outside."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

from mappu.flow import endings, fills
from mappu.flow.state import Frame, Handler, State, element
from mappu.flow.values import NOTHING, Facts, Given, Result, Role, Typed, Value, all_touched
from mappu.symbols.program import Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted, walk

if TYPE_CHECKING:
    from mappu.flow.engine import Engine

# Deeper, and after more calls, hardly anything is found any more; what lies there is said to be unknown.
MAX_DEPTH = 3
MAX_CALLS = 50


def inline(
    engine: Engine, expr: n.Call, target: Target, receiver: Value, given: Given, state: State,
    captured: Mapping[str, Value] | None = None, goes_on: bool = False, always: bool = False,
) -> Value:  # fmt: skip
    """Walk into a function of the service itself. `captured` are the names it sees around it, where it was written out and
    handed over; `goes_on` where it goes on in the handler's place; `always` walks it even where nothing of interest goes in."""
    function = target.node
    assert isinstance(function, n.Function)
    assert target.scope is not None
    carries = [*(v for _, v in given), receiver, *receiver.attrs.values()]
    nested = _is_inside(target.scope, engine.scope)
    if (
        not always
        and not nested
        and not captured
        and not any(
            v.origin or v.whole or v.role in ("request", "reply", "next") or (v.via == "text" and v.taints) or v.attrs
            for v in carries
        )
    ):
        # No client data goes in, or only what was found by it: what comes back is of interest only by its type.
        answer = _answer_of(engine, function, target.scope)
        if answer is None and engine.words.language.returns_errors:
            answer = fills.error_with_status(engine, expr, target)
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
    if nested or captured:
        # A function declared in the one being walked sees its names.
        inner.env = {**(captured or {}), **(state.env if nested else {})}
    params = list(function.params)
    is_method = isinstance(target.scope.owner, n.Class)
    own_word = engine.program.receiver
    if own_word is not None:
        if is_method:
            inner.env[own_word] = receiver
    elif is_method and params and not any((dotted(m.name) or "") == "staticmethod" for m in function.marks):
        inner.env[params.pop(0).name] = receiver if receiver.made or receiver.origin else Value(made=receiver.made)
    plain = [p for p in params if p.kind == "plain"]
    named: dict[str, Value] = {}
    free = iter(plain)
    for arg, held in given:
        name = arg.name or next((p.name for p in free), None) if not arg.spread else None
        if name is not None:
            named[name] = held
            if held.refers is None and held.origin is None and not held.touched and not isinstance(arg.value, n.Opaque):
                # A schema, a class or a table handed over is known by what was written there.
                named[name] = held.but(refers=(arg.value, engine.scope), captured=state.env)
    inner.env |= named
    for param in plain:
        held = named.get(param.name, NOTHING)
        if param.type is not None and held.origin is not None and not held.via:
            engine.report.typed.append(Typed(held.origin, param.type, target.scope, engine.place(expr)))
        if param.name not in named:
            inner.env[param.name] = _typed(engine, param, target.scope)
            default = engine.program.constant(param.default, target.scope) if param.default is not None else None
            if default is not None and inner.env[param.name] is NOTHING:
                inner.env[param.name] = Value(role="local", truth=bool(default.value), literal=default)
        elif inner.env[param.name] is NOTHING or inner.env[param.name].made is None:
            inner.env[param.name] = _with_type(engine, inner.env[param.name], param, target.scope)
    if function.type_params and isinstance(expr.func, n.Index):
        index = expr.func.index
        named_types = index.items if isinstance(index, n.Items) else (index,)
        for name, type_ in zip(function.type_params, named_types, strict=False):
            around = state.env.get(type_.id) if isinstance(type_, n.Name) else None
            refers = around.refers if around is not None and around.refers is not None else (type_, engine.scope)
            inner.env[name] = Value(refers=refers)
    inner.stored, inner.staged = list(state.stored), list(state.staged)
    inner.sent, inner.present = state.sent, state.present
    found, outcome = engine.function(function, target.scope, inner, goes_on)
    if engine.words.language.returns_errors:
        _filled_through(engine, expr, plain, given, inner, state)
    # What a helper stores is stored here, as far as the code around the call goes; all of a body may only be noted somewhere.
    here = engine.place(expr)
    fresh = [(o, here if o.path else p) for o, p in inner.stored if (o, p) not in state.stored]
    state.stored, state.staged = [*state.stored, *fresh], inner.staged
    exits = [e for e in outcome.exits if e.kind == "return"]
    before = state.sent
    state.sent = tuple(dict.fromkeys(s for sents in (inner.sent, *(e.sent for e in exits)) for s in sents))
    state.status = inner.status or state.status
    if answers := [s for s in state.sent if s not in before]:
        # What it answered is the answer of whoever called it.
        state.status = (answers[-1].status, answers[-1].place)
    if nested:
        # What it gave the names around it stays.
        for name, value in inner.env.items():
            if name in state.env and name not in {p.name for p in function.params}:
                state.env[name] = value
    if outcome.exits and not outcome.falls and all(e.kind == "raise" for e in outcome.exits):
        engine.leave_with(outcome.exits[0].result, outcome.exits[0].place)
    return found


def _filled_through(
    engine: Engine, expr: n.Call, params: list[n.Param], given: Given, inner: State, state: State
) -> None:
    """Let variables hold what a function filled them with through the pointers it was handed."""
    for param, (arg, held) in zip(params, given, strict=False):
        found = inner.env.get(param.name, NOTHING)
        if found.origin is not None and held.origin is None and found is not held:
            engine.bind(fills.pointee(arg.value), found.but(refers=None, captured={}), state)


def _is_inside(scope: Scope, around: Scope) -> bool:
    """True for a function that stands in the one being walked, or in one inside it."""
    at: Scope | None = scope
    while at is not None and at.owner is not None:
        if at.owner is around.owner:
            return True
        at = at.parent
    return False


def _function(engine: Engine, held: Value) -> tuple[n.Function, Scope] | None:
    """The function that a value stands for."""
    if held.refers is None:
        return None
    named, scope = held.refers
    if isinstance(named, n.Function):
        return named, scope
    target = engine.program.resolve(named, scope)
    if target is not None and isinstance(target.node, n.Function) and target.scope is not None:
        return target.node, target.scope
    return None


def handed_over(
    engine: Engine, expr: n.Call, held: Value, given: list[Value], state: State, goes_on: bool = False
) -> Value:
    """Walk a function that is handed to other code, which calls it with these values."""
    found = _function(engine, held)
    if found is None:
        return NOTHING
    function, scope = found
    args = [(n.Arg(n.Opaque(expr.span, "")), v) for v in given[: len(function.params)]]
    return inline(engine, expr, Target(function.name, function, scope), NOTHING, args, state, held.captured, goes_on)


def each(engine: Engine, expr: n.Call, method: str, receiver: Value, given: Given, state: State) -> Value | None:
    """A method that calls the function it is given for each element; and one that calls it with what comes later."""
    words = engine.words.language
    if method not in words.each and method not in words.then:
        return None
    if _function(engine, given[0][1]) is None:
        return None
    if method in words.then:
        return handed_over(engine, expr, given[0][1], [receiver], state, goes_on=True)
    values = [element(receiver)]
    if method.startswith("reduce"):
        values.insert(0, given[1][1] if len(given) > 1 else NOTHING)
    found = handed_over(engine, expr, given[0][1], values, state)
    facts = found.facts
    if facts is not None and method in words.any_of:
        return Value(taints=receiver.touched, facts=Facts((), facts.if_false))
    if facts is not None and method in words.all_of:
        return Value(taints=receiver.touched, facts=Facts(facts.if_true, ()))
    if receiver.role == "lookup" or receiver.role == "store":
        # What is found among records, by what the test compares.
        asked = frozenset(f.origin for f in (*facts.if_true, *facts.if_false)) if facts is not None else found.touched
        return Value(role="lookup", taints=receiver.taints | asked)
    if method in ("filter", "sort"):
        return receiver
    return Value(
        taints=receiver.touched | found.touched,
        attrs={"[]": found} if found.attrs else {},
        role=("local" if not receiver.touched and not found.touched else "data"),
    )


def caught(engine: Engine, expr: n.Call, promise: n.Expr, state: State) -> Value:
    """`promise.catch(handler)`: what the call in front throws goes to the handler."""
    handler = engine.value(expr.positional[0], state) if expr.positional else NOTHING
    result: Result | None = Result("unknown", None, engine.place(expr))
    found = _function(engine, handler)
    if handler.role == "next":
        result = endings.PASSED
    elif found is not None:
        function, scope = found
        engine.frames.append(Frame(engine.program.scope_of(function, scope), scope.module))
        arm = state.copy()
        arm.env |= handler.captured
        name = function.params[0].name if function.params else None
        catch = n.Catch(function.span, (), name, function.body)
        noted = Handler([])
        endings.catch(engine, catch, arm, noted)
        engine.frames.pop()
        result = noted.catches[0][2]
    engine.handlers.append(Handler([(n.Catch(expr.span, (), None, ()), engine.scope, result)]))
    value = engine.value(promise, state)
    engine.handlers.pop()
    return value


def _answer_of(engine: Engine, function: n.Function, scope: Scope) -> Value | None:
    """The response or error that a function makes and gives back, where it always is one of the same status."""
    key = id(function)
    if key not in engine.answers and not (engine.words.language.returns_errors or _may_answer(function, scope)):
        engine.answers[key] = None
    if key not in engine.answers:
        inner = engine.program.scope_of(function, scope)
        returned = [s.value for s in walk(*function.body) if isinstance(s, n.Leave) and s.kind == "return"]
        made = (fills.pointee(e) for e in returned if e is not None)
        found = [engine.answer(e, inner) for e in made if isinstance(e, n.Call)]
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
    if engine.words.language.returns_errors and len(given) == 1 and not attrs:
        # A conversion: the same value as another type.
        return given[0][1].but(made=target)
    if engine.words.language.accessors and not attrs:
        attrs = dict(zip(_made_of(target, len(given)), (v for _, v in given), strict=False))
    whole = next((v.origin or v.whole for a, v in given if a.spread and (v.origin or v.whole)), None)
    role: Role = "entity" if engine.words.is_entity(target) else "data"
    if role == "entity" and whole is None and engine.words.language.takes_objects and len(given) == 1:
        # A record made from an object takes over all that is in it.
        whole, attrs = given[0][1].whole or given[0][1].origin, dict(given[0][1].attrs)
    truth = True if engine.words.language.returns_errors else None
    return Value(
        role=role, made=target, attrs=attrs, taints=all_touched([v for _, v in given]), whole=whole, truth=truth
    )


def _made_of(target: Target, count: int) -> list[str]:
    """The names of what a class is made from: a constructor's parameters, a record's components."""
    assert isinstance(target.node, n.Class)
    made = next((m for m in target.node.methods if m.name == "constructor" and len(m.params) == count), None)
    if made is not None:
        return [p.name for p in made.params]
    fields = [m.name for m in target.node.body if isinstance(m, n.Variable)]
    return fields if len(fields) == count else []


def outside(
    engine: Engine, expr: n.Call, name: str, target: Target | None, receiver: Value, given: Given, state: State
) -> Value:
    """A call that cannot be looked into: what comes back may be anything that outside code made of client data."""
    language = engine.words.language
    for _, held in given:
        if held.refers is not None and isinstance(held.refers[0], n.Function):
            # It calls the function it is given, sooner or later.
            handed_over(engine, expr, held, [], state, goes_on=True)
    touched = all_touched([v for _, v in given]) | receiver.touched
    last = name.rpartition(".")[2] or (expr.func.name if isinstance(expr.func, n.Member) else "")
    # What a list or map made here is given goes no further than that.
    kept = receiver.role == "local" or (receiver.made is not None and receiver.made.name in language.collections)
    own = target is not None and target.scope is None and name.split(".")[0] in language.collections
    known = kept or own or name in language.sinks or last in language.pure or last in language.notices
    place = engine.place(expr)
    for _, held in given if not known else ():
        # What gives its errors back refuses nothing where nobody takes them.
        dropped = expr is engine.dropped
        if language.returns_errors and dropped:
            continue
        if any(c in last.lower() for c in engine.words.checkers) or dropped:
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
    if entity and language.takes_objects and len(given) == 1:
        whole, attrs = whole or given[0][1].whole or given[0][1].origin, dict(given[0][1].attrs)
    via = "" if entity or not touched else "text" if last in language.pure or last in language.formats else "outside"
    return Value(role="entity" if entity else "data", taints=touched, whole=whole, attrs=attrs, made=target, via=via)
