"""Calls that fill a variable with client data and give back an error, and values that come together with one."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from typing import TYPE_CHECKING

from mappu.flow import conditions
from mappu.flow.state import Sent, State
from mappu.flow.values import (
    FLAT,
    NOTHING,
    Event,
    Facts,
    Finding,
    Given,
    ModelRun,
    OpenRun,
    Origin,
    Read,
    Result,
    Value,
    all_touched,
)
from mappu.flow.words import Fill
from mappu.inventory.model import ConstraintKind, PlaceIn
from mappu.symbols.program import Scope, Target
from mappu.syntax import nodes as n

if TYPE_CHECKING:
    from mappu.flow.engine import Engine

Typed = tuple[n.Expr, Scope]
_POINTER, _LIST, _MAP = "*", "[]", "map"
# Left on a reader that refuses names it does not know.
STRICT = "()strict"
_ANYTHING = frozenset({"any", "interface{}"})


def word_for(engine: Engine, expr: n.Call, receiver: Value, target: Target | None) -> Fill | None:
    """What a call fills a variable with, where it is one that does."""
    words, method = engine.words, expr.func.name if isinstance(expr.func, n.Member) else None
    if method is not None and receiver.role in ("request", "reply") and method in words.fills:
        return words.fills[method]
    if target is not None and target.scope is None:
        found = words.fills.get(target.name) or words.language.fills.get(target.name)
        if found is not None:
            return found
    return words.language.fills.get(f".{method}") if receiver.origin is not None or receiver.made is not None else None


def fill(engine: Engine, expr: n.Call, word: Fill, receiver: Value, state: State) -> Value | None:
    """Let the variable hold the data, and return the error; None where there is no variable or no data."""
    if len(expr.positional) <= max(word.target, word.data or 0):
        return None
    target = pointee(expr.positional[word.target])
    given = receiver if word.data is None else engine.value(expr.positional[word.data], state)
    sources = _sources(engine, word, given)
    if not sources:
        return None
    place = engine.place(expr)
    declared = declared_type(engine, target, state)
    known = declared is not None and not _is_anything(declared[0])
    origin = sources[-1][0]
    strict = STRICT in given.attrs
    opened = OpenRun(origin, declared[0] if declared else target, declared[1] if declared else engine.scope, place)
    # Whoever goes on uses what is made of it.
    opened.taken = True
    if known:
        opened.runs = tuple(
            ModelRun(o, opened.type, opened.scope, place, Result("unknown"), view=view, keys=word.keys, decodes=True,
                     strict=strict)
            for o, view in sources
        )  # fmt: skip
    else:
        opened.limit = Finding(origin, "type", "object", place)
    same = next((o for o in engine.open_runs if (o.place, o.origin) == (place, origin)), None)
    if same is None:
        engine.open_runs.append(opened)
    opened = same or opened
    engine.report.reads.append(Read(origin, place))
    finding = Finding(origin, "custom", place.text, place, run=opened)
    if word.answers is not None:
        sent = Sent(word.answers, place, opened)
        engine.sents.append(sent)
        state.sent = (*state.sent, sent)
        finding = Finding(origin, "custom", place.text, place, run=opened, sent=sent)
    _hold(engine, target, sources, declared, place_of=expr, state=state)
    thrown = Target(word.throws) if word.throws else None
    return Value(role="error", made=thrown, facts=Facts((), (finding,)))


def _sources(engine: Engine, word: Fill, given: Value) -> list[tuple[Origin, str]]:
    method = engine.kept.get("method")
    own: tuple[tuple[PlaceIn, str], ...] = word.sources
    if method is not None and method.literal is not None:
        own = word.by_method.get(str(method.literal.value), own)
    if own:
        return [(Origin(place), view) for place, view in own]
    return [(given.origin, word.view)] if given.origin is not None and given.via in ("", "dump") else []


def _hold(
    engine: Engine, target: n.Expr, sources: list[tuple[Origin, str]], declared: Typed | None, place_of: n.Call, state: State
) -> None:  # fmt: skip
    """Let a variable hold what came in the places: each field what came where its tag says."""
    name = target.id if isinstance(target, n.Name) else None
    early = engine.frame.early.pop(name, None) if name is not None else None
    if early is not None:
        run, keys = early
        why = f"the check looks at it before it is bound on line {place_of.line}: there is nothing in it yet"
        engine.event(Event("late-check", run, why, sources[-1][0]))
        for origin, _ in sources if declared is not None else ():
            found = ModelRun(origin, declared[0], declared[1], run, Result("unknown"), why, keys=keys)  # type: ignore[index]
            engine.report.runs.append(found)
    held = typed(engine, Value(sources[-1][0]), declared)
    before = state.env.get(name) if name is not None else None
    attrs: dict[str, Value] = {}
    if before is not None and before.origin is not None and before.made is held.made:
        # Filled from one place after another: what was there stays where this place says nothing.
        attrs = dict(before.attrs)
    fields_in = engine.words.fields_in
    for origin, view in sources[:-1] if declared is not None and fields_in is not None else ():
        assert declared is not None
        assert fields_in is not None
        for field in fields_in(declared[0], declared[1], view):
            attrs[field] = typed(engine, Value(origin.child(field)), member_type(engine, held, field))
    if (
        before is not None
        and before.origin not in (None, sources[-1][0])
        and declared is not None
        and fields_in is not None
    ):
        own = fields_in(declared[0], declared[1], sources[-1][1])
        for field in own:
            attrs[field] = typed(engine, Value(sources[-1][0].child(field)), member_type(engine, held, field))
        held = before
    engine.bind(target, held.but(attrs=attrs), state)
    if name is not None:
        engine.frame.filled.add(name)


# --- types ------------------------------------------------------------------------------------------------------------


def pointee(expr: n.Expr) -> n.Expr:
    """What a pointer written out points to; any other expression as it is."""
    return expr.value if isinstance(expr, n.Unary) and expr.op == "&" else expr


def declared_type(engine: Engine, expr: n.Expr, state: State) -> Typed | None:
    """The type that a variable is declared with, also one handed over by a pointer to it."""
    scope = engine.scope
    held = state.env.get(expr.id) if isinstance(expr, n.Name) else None
    if held is not None and held.type is not None:
        return held.type
    if held is not None and held.refers is not None:
        expr, scope = pointee(held.refers[0]), held.refers[1]
    found = engine.program.resolve(expr, scope) if isinstance(expr, n.Name | n.Member) else None
    type_: Typed | None = None
    if isinstance(expr, n.Call):
        type_ = expr.func, scope
    elif isinstance(expr, n.Entries):
        return n.Name(expr.span, "any"), scope
    elif found is not None and found.scope is not None:
        node = found.node
        if isinstance(node, n.Variable | n.Param) and node.type is not None:
            type_ = node.type, found.scope
        elif isinstance(node, n.Variable | n.Assign):
            made = pointee(node.value) if node.value is not None else None
            if isinstance(made, n.Call):
                type_ = _made_type(engine, made, found)
    return _plain(engine, type_, state) if type_ is not None else None


def _made_type(engine: Engine, call: n.Call, held: Target) -> Typed | None:
    """The type of what a variable was given: made in place, or by a function."""
    assert held.scope is not None
    func = call.func.value if isinstance(call.func, n.Index) else call.func
    target = engine.program.resolve(func, held.scope)
    if target is None or not isinstance(target.node, n.Function):
        return call.func, held.scope
    made = engine.program.class_of(held)
    if made is None or not isinstance(made.node, n.Class) or made.scope is None:
        return None
    return n.Name(call.span, made.node.name), made.scope


def _plain(engine: Engine, type_: Typed, state: State) -> Typed | None:
    """The type itself: behind a pointer, or handed over as a type parameter."""
    expr, scope = type_
    while isinstance(expr, n.Index) and isinstance(expr.value, n.Name) and expr.value.id == _POINTER:
        expr = expr.index
    held = state.env.get(expr.id) if isinstance(expr, n.Name) else None
    if held is not None and held.refers is not None and isinstance(held.refers[0], n.Name | n.Member | n.Index):
        return held.refers
    return expr, scope


def _is_anything(expr: n.Expr) -> bool:
    return isinstance(expr, n.Name) and expr.id in _ANYTHING


def typed(engine: Engine, held: Value, type_: Typed | None) -> Value:
    """A value with its declared type: what its members and elements are can then be told."""
    if type_ is None:
        return held
    expr, scope = type_
    while isinstance(expr, n.Index) and isinstance(expr.value, n.Name) and expr.value.id == _POINTER:
        expr = expr.index
    base = expr.value if isinstance(expr, n.Index) else expr
    if isinstance(base, n.Name) and base.id in (_LIST, _MAP):
        return held.but(type=(expr, scope), made=Target(base.id))
    made = engine.program.class_of(Target("", n.Param(expr.span, "", expr), scope))
    return held.but(type=(expr, scope), made=made)


def member_type(engine: Engine, held: Value, name: str) -> Typed | None:
    """The type that a member is declared with."""
    found = engine.program.member(held.made, name) if held.made is not None and held.made.node is not None else None
    node = found.node if found is not None else None
    if found is None or found.scope is None or not isinstance(node, n.Variable) or node.type is None:
        return None
    return node.type, found.scope


def is_embedded(engine: Engine, held: Value, name: str) -> bool:
    """True for a member whose own members are those of what it is in."""
    found = engine.program.member(held.made, name) if held.made is not None and held.made.node is not None else None
    marks = found.node.marks if found is not None and isinstance(found.node, n.Variable) else ()
    return any(isinstance(m.name, n.Name) and m.name.id == "embedded" for m in marks) and all(
        not isinstance(m.name, n.Name) or m.name.id != "json" for m in marks
    )


def element_type(type_: Typed | None) -> Typed | None:
    """The type of what a list or map holds."""
    if type_ is None or not isinstance(type_[0], n.Index) or not isinstance(type_[0].value, n.Name):
        return None
    index = type_[0].index
    if type_[0].value.id == _MAP and isinstance(index, n.Items):
        return index.items[1], type_[1]
    return (index, type_[1]) if type_[0].value.id == _LIST else None


# --- values that come together with an error --------------------------------------------------------------------------


def special(engine: Engine, expr: n.Call, name: str, given: Given, state: State) -> Value | None:
    """What Go says by syntax: the elements of a loop, a part of a list, a value together with whether there is one."""
    first = given[0][1] if given else NOTHING
    if name == ".range":
        if first.origin is None:
            return first
        if first.origin.place in FLAT and not first.origin.path:
            # All names there are: which they are, nobody says.
            return first.made_from()
        is_map = first.made is not None and first.made.name == _MAP
        inner = typed(engine, Value(first.origin), element_type(first.type))
        return inner.but(via="pairs" if is_map else "numbered", attrs=first.attrs)
    if name == ".slice":
        return first.but(via="text") if first.origin is not None else first.made_from()
    if name == ".assert":
        return _asserted(engine, expr, first)
    return _with_ok(engine, expr, first, state) if name == ".ok" else None


def _asserted(engine: Engine, expr: n.Call, held: Value) -> Value:
    """`x.(T)`: the handler ends there where it is of another type."""
    if held.origin is not None and held.origin.path:
        place = engine.place(expr)
        result = Result("breaks", 500, place)
        named = _named(expr)
        what = f"something that is no {named}"
        engine.report.reads.append(Read(held.origin, place, strict=True, result=result, what=what))
        if (type_ := engine.words.language.types.get(named)) is not None:
            engine.report.reads.append(Read(held.origin, place, type=type_, result=result))  # type: ignore[arg-type]
    return held


def _named(expr: n.Call) -> str:
    type_ = expr.positional[1] if len(expr.positional) > 1 else None
    base = type_.value if isinstance(type_, n.Index) else type_
    return base.id if isinstance(base, n.Name) else ""


def _with_ok(engine: Engine, expr: n.Call, held: Value, state: State) -> Value:
    """`x, ok := m[k]` and `x, ok := v.(T)`."""
    place = engine.place(expr)
    if len(expr.positional) > 1 and held.role == "error" and held.made is not None and held.facts is not None:
        named = expr.positional[1]
        bare = named.index if isinstance(named, n.Index) else named
        is_it = engine.program.name_of(bare, engine.scope) == held.made.name
        return Value(parts=(held, Value(truth=is_it)))
    if len(expr.positional) > 1:
        type_ = engine.words.language.types.get(_named(expr))
        if held.origin is None or type_ is None:
            return Value(parts=(held, NOTHING))
        finding = Finding(held.origin, "type", type_, place, presence=True)
        return Value(parts=(held, Value(facts=Facts((finding,), ()))))
    index = expr.positional[0]
    if isinstance(index, n.Index):
        key = engine.value(index.index, state)
        around = engine.value(index.value, state)
        if key.origin is not None and around.origin is None:
            called = n.Call(expr.span, index.value, (n.Arg(index.index),))
            return Value(
                parts=(held, Value(facts=conditions.contained(engine, called, index.value, key, around, state)))
            )
    if held.origin is not None:
        there = Finding(held.origin, "notNull", None, place, presence=True)
        return Value(parts=(held, Value(facts=Facts((there,), ()))))
    if held.role == "lookup":
        return Value(parts=(held, held))
    return Value(parts=(held, NOTHING))


def text_test(engine: Engine, expr: n.Call, name: str, given: Given, state: State) -> Value | None:
    """A function that is true of a text, or of a list with something in it; and one that adds to a list."""
    words = engine.words.language
    if name in words.reads_all and given:
        return Value(parts=(given[0][1], Value(role="error")))
    if name in words.error_tests and len(given) == 2:
        return _is_error(engine, expr, given[0][1], state)
    if name == "append" and given:
        first, others = given[0][1], [v for _, v in given[1:]]
        if first.role == "store":
            for held in others:
                engine.store(held, engine.place(expr), state, at_once=True)
            return first
        return Value(role="local", taints=first.touched | all_touched(others))
    if len(given) < 2:
        return None
    if name in words.text_functions and given[0][1].origin is not None:
        text = engine.text(expr.positional[1], state)
        if text is None:
            return None
        pattern = words.text_functions[name].format(re.escape(text))
        return Value(facts=conditions.pattern_facts(engine, given[0][1].origin, pattern, "none", expr))
    if name in words.list_functions and given[1][1].origin is not None:
        return Value(facts=conditions.contained(engine, expr, expr.positional[0], given[1][1], given[0][1], state))
    return None


def is_error(engine: Engine, target: Target) -> bool:
    """True for a type of the service's own that is an error: it has the method that all errors have."""
    found = engine.program.member(target, "Error")
    return found is not None and isinstance(found.node, n.Function)


def statuses(engine: Engine, given: Iterable[n.Expr], scope: Scope) -> Iterator[int]:
    """Yield the statuses of errors among some values, written as numbers or by the names that packages give them."""
    known = engine.words.language.constants
    for expr in given:
        found = engine.program.constant(expr, scope)
        value = found.value if found is not None else known.get(engine.program.name_of(expr, scope) or "")
        if isinstance(value, int) and 400 <= value < 600:
            yield value


def error_with_status(engine: Engine, expr: n.Call, target: Target) -> Value | None:
    """The error that a function of the service makes of a status it is handed."""
    status = next(statuses(engine, (a.value for a in expr.args), engine.scope), None)
    function = target.node
    if status is None or not isinstance(function, n.Function) or target.scope is None:
        return None
    last = function.returns.items[-1] if isinstance(function.returns, n.Items) else function.returns
    made = (
        engine.program.class_of(Target("", n.Param(function.span, "", last), target.scope))
        if last is not None
        else None
    )
    if made is None or not (made.name == "error" or is_error(engine, made)):
        return None
    return Value(role="error", status=status, made=made, truth=True)


def _is_error(engine: Engine, expr: n.Call, held: Value, state: State) -> Value | None:
    """`errors.As(err, &target)`: plain where the call that gave the error back gives one of a known type."""
    asked = declared_type(engine, pointee(expr.positional[1]), state)
    if held.made is None or held.facts is None or asked is None:
        return None
    return Value(truth=engine.program.name_of(asked[0], asked[1]) == held.made.name)


def parse(engine: Engine, expr: n.Call, name: str, given: Given) -> Value | None:
    """A function that makes a value of text, and gives back an error where that is none."""
    word = engine.words.language.parses.get(name)
    if word is None or len(given) <= word[0]:
        return None
    position, kind, value = word
    held = given[position][1]
    if held.origin is None:
        return Value(parts=(held.made_from().but(literal=held.literal), Value(role="error")))
    return parsed(engine, expr, held.origin, kind, value)


def parsed(engine: Engine, expr: n.Call, origin: Origin, kind: ConstraintKind, value: object) -> Value:
    """A value made of client data, together with the error where it is none."""
    place = engine.place(expr)
    via = "number" if value in ("integer", "number") else ""
    limit = Finding(origin, kind, value, place, demands=True)
    opened = OpenRun(origin, expr, engine.scope, place, limit=limit)
    same = next((o for o in engine.open_runs if (o.place, o.origin) == (place, origin)), None)
    if same is None:
        engine.open_runs.append(opened)
    finding = Finding(origin, kind, value, place, demands=True, run=same or opened)
    return Value(parts=(Value(origin, via=via), Value(role="error", facts=Facts((), (finding,)))))
