"""What an expression holds, and above all what a call does with client data."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import TYPE_CHECKING

from mappu.flow import callees, conditions, endings, fills, model_runs, replies, spoken_of, storage
from mappu.flow.state import State, element
from mappu.flow.values import (
    FLAT,
    NOTHING,
    Check,
    Facts,
    Finding,
    Given,
    Origin,
    Read,
    Result,
    Value,
    all_touched,
)
from mappu.inventory.model import ConstraintKind
from mappu.symbols.program import Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted

if TYPE_CHECKING:
    from mappu.flow.engine import Engine


def call(engine: Engine, expr: n.Call, state: State) -> Value:
    """Return what a call gives back; what it does to client data is recorded."""
    expr, holder, captured = _by_reference(engine, expr, state)
    run = engine.words.runs(expr, holder, lambda e: _referred(engine, e, holder, state))
    if run is not None:
        return model_runs.run(engine, expr, run, state)
    method = expr.func.name if isinstance(expr.func, n.Member) else None
    if isinstance(expr.func, n.Member) and method in engine.words.language.catch:
        return callees.caught(engine, expr, expr.func.value, state)
    receiver = engine.value(expr.func.value, state) if isinstance(expr.func, n.Member) else NOTHING
    if f"{method}()" in receiver.attrs:
        return receiver.attrs[f"{method}()"]
    if engine.words.language.returns_errors and (found := _with_error(engine, expr, method, receiver, holder, state)):
        return found
    keeps = engine.words.keeping.get(method or "") if receiver.role in ("request", "reply") else None
    if keeps is not None and expr.positional:
        return _keep(engine, expr, keeps, state)
    reads = receiver.role == "reply" and engine.words.one_object and method not in engine.words.replies
    if (receiver.role == "request" or reads) and method is not None:
        return _request_call(engine, expr, method, state)
    if receiver.role == "answer" and method is not None:
        # More is put into the answer that is being made.
        for arg in expr.args:
            engine.value(arg.value, state)
        return receiver
    if method is not None and (spoken := spoken_of.by_method(engine, expr, method, receiver, state)) is not None:
        return spoken
    if method in ("any", "all") or (isinstance(expr.func, n.Name) and expr.func.id in ("any", "all")):
        found = _quantified(engine, expr, state)
        if found is not None:
            return found
    given = [(a, engine.value(a.value, state)) for a in expr.args]
    model_runs.faults_used(engine, expr, method, receiver, given)
    if receiver.role == "reply" and method is not None:
        return replies.call(engine, expr, engine.words.replies.get(method), receiver, given, state)
    if isinstance(expr.func, n.Name) and (called := state.env.get(expr.func.id)) is not None and called.role == "next":
        return replies.go_on(engine, expr, given, state)
    if (
        method is not None
        and given
        and (found := callees.each(engine, expr, method, receiver, given, state)) is not None
    ):
        return found
    if method in engine.words.language.positions and isinstance(expr.func, n.Member) and given:
        facts = conditions.contained(engine, expr, expr.func.value, given[0][1], receiver, state)
        return Value(taints=receiver.touched | given[0][1].touched, facts=facts, via="position")
    if method in engine.words.language.contains and isinstance(expr.func, n.Member) and given:
        if given[0][1].origin is not None or (expr.func.value is not None and receiver.origin is not None):
            facts = conditions.contained(engine, expr, expr.func.value, given[0][1], receiver, state)
            return Value(taints=receiver.touched | given[0][1].touched, facts=facts)
    if method is not None and receiver.touched:
        found = _data_method(engine, expr, method, receiver, given, state)
        if found is not None:
            return found
    target = _callee(engine, expr, receiver, method, holder)
    if target is not None and target.scope is None and (found := _handed(engine, expr, target.name, given, state)):
        return found
    name = target.name if target is not None else (dotted(expr.func) or "")
    language = engine.words.language
    position = language.callers.get(name, language.callers.get(method or ""))
    if position is not None and len(expr.positional) > position:
        # A function handed over to be called with the arguments behind it, in a thread of its own say.
        return call(engine, n.Call(expr.span, expr.positional[position], expr.args[position + 1 :]), state)
    if target is not None and target.name in engine.words.house:
        _house(engine, expr, engine.words.house[target.name], given)
        return given[0][1] if given else NOTHING
    if language.returns_errors:
        told = fills.special(engine, expr, name, given, state) or fills.parse(engine, expr, name, given)
        told = told or fills.text_test(engine, expr, name, given, state)
        if told is not None:
            return told
    found = _builtin(engine, expr, name, given) or spoken_of.by_function(engine, expr, name, given)
    if found is not None:
        return found
    made = answer(engine, expr, target, engine.scope)
    if made is not None:
        return made
    if name in language.sinks:
        for _, held in given if name.endswith("join") else given[:1]:
            engine.sink(held, language.sinks[name], engine.place(expr))
        for _, held in given[1:] if name.rpartition(".")[2] in language.writers else ():
            engine.store(held, engine.place(expr), state, at_once=True)
    if name in language.mergers and len(given) > 1:
        return storage.merged(engine, expr, given, state)
    if name == "setattr" and len(given) == 3:
        return storage.assign_member(engine, expr, given, state)
    if method is not None and storage.is_storage(engine, expr, receiver, target):
        stored = storage.storage(engine, expr, method, receiver, given, state)
        if stored is not None:
            return stored
    if isinstance(expr.func, n.Function):
        target = Target("", expr.func, holder)
    if target is not None and isinstance(target.node, n.Function) and target.scope is not None:
        return callees.inline(engine, expr, target, receiver, given, state, captured)
    if target is not None and isinstance(target.node, n.Class):
        return callees.construct(engine, target, given)
    return callees.outside(engine, expr, name, target, receiver, given, state)


def _by_reference(engine: Engine, expr: n.Call, state: State) -> tuple[n.Call, Scope, Mapping[str, Value]]:
    """A call of, or on, something that stands for a function or class: the call with what it stands for instead, the scope
    from which that is seen, and the names a function written out sees around it."""
    func = expr.func
    base = func.value if isinstance(func, n.Member) else func
    held = state.env.get(base.id) if isinstance(base, n.Name) else None
    if isinstance(base, n.Member):
        held = _member_handed_over(base, state)
    if held is None or held.refers is None:
        return expr, engine.scope, {}
    named, scope = held.refers
    func = n.Member(func.span, named, func.name) if isinstance(func, n.Member) else named
    return n.Call(expr.span, func, expr.args), scope, held.captured


def _member_handed_over(expr: n.Member, state: State) -> Value | None:
    """`schemas.body`, where `schemas` is an object handed over: written out there, or known by its name."""
    around = state.env.get(expr.value.id) if isinstance(expr.value, n.Name) else None
    if around is None:
        return None
    if expr.name in around.attrs or around.refers is None:
        return around.attrs.get(expr.name)
    named, scope = around.refers
    return Value(refers=(n.Member(expr.span, named, expr.name), scope))


def _referred(engine: Engine, expr: n.Expr, scope: Scope, state: State) -> tuple[n.Expr, Scope]:
    """What an expression stands for, where it names something handed to the function being walked."""
    held = state.env.get(expr.id) if isinstance(expr, n.Name) else None
    if isinstance(expr, n.Member):
        held = _member_handed_over(expr, state)
    return held.refers if held is not None and held.refers is not None else (expr, scope)


def _callee(engine: Engine, expr: n.Call, receiver: Value, method: str | None, scope: Scope) -> Target | None:
    found = engine.program.member(receiver.made, method) if method is not None and receiver.made is not None else None
    if found is None:
        func = expr.func
        if isinstance(func, n.Index) and engine.words.language.returns_errors:
            # A generic function with its types.
            func = func.value
        found = engine.program.resolve(func, scope)
    return engine.program.method(found, len(expr.args)) if found is not None else None


def _request_call(engine: Engine, expr: n.Call, method: str, state: State) -> Value:
    part = engine.words.parts.get(method)
    if part is not None and expr.positional:
        named = part.get(engine.text(expr.positional[0], state) or "")
        return Value(Origin(named)) if named is not None else NOTHING
    getter = engine.words.getters.get(method)
    if getter is not None and expr.positional:
        key = engine.text(expr.positional[0], state)
        if key is None:
            return Value(taints=frozenset({Origin(getter)}))
        child = Origin(getter).child(key.lower() if getter == "header" else key)
        engine.report.reads.append(Read(child, engine.place(expr)))
        if method in engine.words.defaulted:
            state.present |= {child}
        return _told_with(engine, expr, method, child)
    if method in engine.kept:
        return engine.kept[method]
    place = engine.words.request.get(method)
    if place is None:
        return NOTHING
    if place == "request":
        return Value(role="request")
    error = engine.words.broken.get(method)
    result = endings.thrown(engine, Target(error), None, engine.place(expr)) if error is not None else None
    engine.report.reads.append(Read(Origin(place), engine.place(expr), strict=error is not None, result=result))
    return Value(Origin(place))


def _with_error(
    engine: Engine, expr: n.Call, method: str | None, receiver: Value, scope: Scope, state: State
) -> Value | None:
    """A call whose meaning is what it fills, or what it makes an error of."""
    words = engine.words.language
    if method in words.stricter and isinstance(expr.func, n.Member) and isinstance(expr.func.value, n.Name):
        strict = {**receiver.attrs, fills.STRICT: Value(truth=True)}
        engine.bind(expr.func.value, receiver.but(attrs=strict), state)
        return Value(role="local")
    target = _callee(engine, expr, receiver, method, scope)
    word = fills.word_for(engine, expr, receiver, target)
    if word is not None:
        found = fills.fill(engine, expr, word, receiver, state)
        if found is not None:
            return found
    if target is not None and target.name in words.error_makers:
        made = [engine.value(a.value, state) for a in expr.args]
        return Value(role="error", made=Target("error"), truth=True, message=_first_text(engine, expr, scope),
                     taints=all_touched(made))  # fmt: skip
    return None


def _keep(engine: Engine, expr: n.Call, keeps: str, state: State) -> Value:
    """Something left with the request for those who come later, or taken up again."""
    key = f"kept {engine.text(expr.positional[0], state)}"
    if keeps == "keep" or (keeps == "either" and len(expr.positional) > 1):
        engine.kept[key] = engine.value(expr.positional[1], state) if len(expr.positional) > 1 else NOTHING
        return NOTHING
    held = engine.kept.get(key, NOTHING)
    return Value(parts=(held, NOTHING)) if keeps == "pair" else held


def _handed(engine: Engine, expr: n.Call, name: str, given: Given, state: State) -> Value | None:
    """A function that is handed the request to read from, or the response to answer through."""
    words = engine.words
    reader = words.readers.get(name)
    if reader is not None and any(v.role in ("request", "reply") for _, v in given):
        place, position = reader
        if position is None:
            return Value(Origin(place))
        key = engine.text(expr.positional[position], state) if position < len(expr.positional) else None
        if key is None:
            return Value(taints=frozenset({Origin(place)}))
        child = Origin(place).child(key)
        engine.report.reads.append(Read(child, engine.place(expr)))
        return Value(child)
    if name in words.answerers and given and any(v.role == "reply" for _, v in given):
        held = next(v for _, v in given if v.role == "reply")
        return replies.call(engine, expr, words.answerers[name], held, given, state)
    return None


def _told_with(engine: Engine, expr: n.Call, method: str, child: Origin) -> Value:
    """What one name reads: alone, or together with whether it is there, or an error where it is not."""
    words, place = engine.words, engine.place(expr)
    if method in words.parsed:
        return fills.parsed(engine, expr, child, *words.parsed[method])
    is_file = method in words.uploads
    if is_file:
        engine.report.reads.append(Read(child, place, type="file"))
    held = Value(child, via="file" if is_file else "")
    told = words.pairs.get(method)
    there = Finding(child, "notNull", None, place, presence=True)
    if told == "ok":
        return Value(parts=(held, Value(facts=Facts((there,), ()))))
    return Value(parts=(held, Value(role="error", facts=Facts((), (there,))))) if told == "error" else held


def _data_method(engine: Engine, expr: n.Call, method: str, held: Value, given: Given, state: State) -> Value | None:
    """A method called on client data itself."""
    words = engine.words.language
    origin = held.origin
    if method in words.tests and origin is not None:
        return Value(
            taints=held.touched, facts=conditions.pattern_facts(engine, origin, words.tests[method], "full", expr)
        )
    if method in words.text_tests and origin is not None and expr.positional:
        text = engine.text(expr.positional[0], state)
        if text is not None:
            pattern = words.text_tests[method].format(re.escape(text))
            return Value(taints=held.touched, facts=conditions.pattern_facts(engine, origin, pattern, "none", expr))
    if origin is not None and words.no_value and origin.path and not held.via:
        # A method of something that is not there.
        _asked_of_nothing(engine, expr, origin, state)
    if method in words.keeps:
        return held
    if origin is None:
        return None
    if (
        given
        and (matcher := words.matchers.get(method)) is not None
        and (made := _pattern(engine, expr.args[0].value, engine.scope))
    ):
        return Value(taints=held.touched, facts=conditions.pattern_facts(engine, origin, made, matcher, expr))
    if method in ("get", "getlist", "pop", "setdefault", "Get", "Values") and expr.positional:
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
    if method in ("items", "multi_items", "entries"):
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
    if name in words.sizes and first.facts is not None:
        # How many faults there are tells whether there are any.
        return first
    if name in words.sizes and first.touched:
        return Value(first.origin, via="size", taints=first.taints)
    if name == "isinstance" and first.origin is not None and len(expr.args) == 2:
        return Value(taints=first.touched, facts=_type_facts(engine, expr, first.origin))
    if name in words.keys_of and (first.origin is not None or first.facts is not None):
        via = {"keys": "keys", "entries": "pairs"}.get(name.rpartition(".")[2], "values")
        return first.but(via=via) if first.origin is not None else first
    if name in words.dates and first.touched:
        return Value(first.origin, via="date" if first.origin is not None else "", taints=first.taints)
    if name in words.type_faults and first.origin is not None and first.via == "date":
        dated = Finding(first.origin, "format", "date-time", engine.place(expr))
        return Value(taints=first.touched, facts=Facts((), (dated,)))
    if name in words.lax_numbers and first.touched:
        return Value(first.origin, via="number" if first.origin is not None else "", taints=first.taints)
    if name in words.converts and first.origin is not None:
        type_, error = words.converts[name]
        result = endings.thrown(engine, Target(error), None, engine.place(expr))
        engine.report.reads.append(Read(first.origin, engine.place(expr), type=type_, result=result))
        return Value(first.origin, via="number" if type_ in ("integer", "number") else "", taints=first.taints)
    if name == "enumerate" and first.touched:
        return Value(first.origin, via="numbered", taints=first.taints)
    if name in ("typing.cast", "cast") and len(given) == 2:
        return given[1][1]
    if name in words.keeps_call:
        # What is read through several hands, a limit on it say, is what comes out of them.
        through = next((v for _, v in given if v.origin is not None), first) if words.returns_errors else first
        if through.touched or through.role in ("request", "reply"):
            return through
    if name in words.collections and not given:
        return Value(role="local")
    matcher = words.matchers.get(name)
    if matcher is not None and len(expr.positional) >= 2 and not isinstance(expr.func, n.Name):
        return _matched(engine, expr, expr.positional[0], given[1][1], matcher)
    if isinstance(expr.func, n.Member) and expr.func.name in words.matchers and len(given) == 1:
        text = _pattern(engine, expr.func.value, engine.scope)
        if text is not None:
            facts = conditions.pattern_facts(engine, first.origin, text, words.matchers[expr.func.name], expr)
            return Value(taints=first.touched, facts=facts)
    if name in words.type_tests and first.origin is not None:
        found = Finding(first.origin, "type", words.type_tests[name], engine.place(expr), presence=True)
        return Value(taints=first.touched, facts=Facts((found,), ()))
    if name in words.type_faults and first.origin is not None and first.via == "number":
        found = Finding(first.origin, "type", words.type_faults[name], engine.place(expr), presence=True)
        return Value(taints=first.touched, facts=Facts((), (found,)))
    return None


def _pattern(engine: Engine, expr: n.Expr, scope: Scope) -> str | None:
    """The text of a pattern made beforehand, here or behind a name."""
    text = engine.program.text(expr, scope) if engine.words.language.text_patterns else None
    if text is not None:
        return text
    made = engine.program.value(expr, scope)
    if made is None or not isinstance(made[0], n.Call) or not made[0].positional:
        return None
    name = engine.program.name_of(made[0].func, made[1]) or ""
    return engine.program.text(made[0].positional[0], made[1]) if name in engine.words.language.pattern_makers else None


def _asked_of_nothing(engine: Engine, expr: n.Call, origin: Origin, state: State) -> None:
    """A method called on client data that may not be there: the language throws then."""
    assert isinstance(expr.func, n.Member)
    safe = expr.func.safe or origin.path[-1] in ("[]", "{}") or any(p.covers(origin) for p in state.present)
    if not safe and origin.place != "path":
        missing = endings.thrown(engine, Target(engine.words.language.no_value), None, engine.place(expr))
        engine.report.reads.append(Read(origin, engine.place(expr), strict=True, result=missing))


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
        position = words.errors[kind]
        # A position below nought is the status that this class always has.
        own = -position if position < 0 else endings.status_of(engine, expr.argument(position, "status_code"), scope)
        if own is None:
            own = endings.status_made(engine, expr, target, scope) or endings.status_in_class(engine, target)
        message = engine.program.text(expr.argument(max(position, -1) + 1, "detail"), scope)
        return Value(role="error", status=own, made=target, message=message)
    if isinstance(target.node, n.Class) and words.known_errors.top in {a.name for a in engine.program.ancestry(target)}:
        own = endings.status_made(engine, expr, target, scope)
        if own is not None:
            return Value(role="error", status=own, made=target, message=_first_text(engine, expr, scope))
    if words.language.returns_errors and isinstance(target.node, n.Class) and fills.is_error(engine, target):
        kept = (a.value for a in expr.args if a.name in words.status_members)
        return Value(role="error", status=next(fills.statuses(engine, kept, scope), None), made=target, truth=True,
                     message=_first_text(engine, expr, scope))  # fmt: skip
    base = engine.program.derives(target, words.answers)
    if base is None:
        return None
    code = expr.argument(words.answer_status.get(base, 1), "status_code")
    if code is None and base in words.answer_status and len(expr.positional) == 1:
        code = expr.positional[0]
    if isinstance(code, n.Entries):
        # Options: the status is one of them.
        code = next((v for k, v in code.entries if isinstance(k, n.Literal) and k.value == "status"), None)
    status = endings.status_of(engine, code, scope) if code is not None else words.answers[base]
    return Value(role="answer", status=status)


def _first_text(engine: Engine, expr: n.Call, scope: Scope) -> str | None:
    return next((t for e in expr.positional if (t := engine.program.text(e, scope)) is not None), None)


def _house(engine: Engine, expr: n.Call, stands_for: Mapping[ConstraintKind, object], given: Given) -> None:
    for _, held in given[:1]:
        for kind, limit in stands_for.items() if held.origin is not None else ():
            assert held.origin is not None
            place = engine.place(expr)
            engine.report.checks.append(Check(held.origin, kind, limit, place, Result("rejects", None, place)))
