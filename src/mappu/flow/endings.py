"""Ways a path ends: returns, raises, what catches them, and what the client meets in the end."""

from __future__ import annotations

import re
from collections.abc import Iterator
from http import HTTPStatus
from typing import TYPE_CHECKING

from mappu.flow import branches
from mappu.flow.state import Exit, Frame, Handler, Outcome, State
from mappu.flow.values import NOTHING, Result, Value
from mappu.flow.words import Errors
from mappu.inventory.model import Place
from mappu.symbols.program import Program, Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted, walk

if TYPE_CHECKING:
    from mappu.flow.engine import Engine

# What a catch does that hands the error on to whoever answers errors; and the status of an answer that the error chooses.
PASSED = Result("unknown")
OWN_STATUS = -1

_ERROR_MAKER = re.compile(r"(?i)err|fail|bad|invalid|wrap|forbid|unauthor|notfound|reject|problem|abort|fault")
_STATUSES = {s.name: s.value for s in HTTPStatus} | {"UNPROCESSABLE_CONTENT": 422, "CONTENT_TOO_LARGE": 413,
                                                      "TEAPOT": 418, "REQUEST_URI_TOO_LONG": 414}  # fmt: skip


def leave(engine: Engine, stmt: n.Leave, state: State) -> Outcome:
    outcome = Outcome()
    outcome.falls = False
    place = engine.place(stmt)
    if stmt.kind in ("break", "continue"):
        outcome.exits.append(Exit("loop", Result("unknown"), place))
    elif stmt.kind == "raise":
        value = engine.value(stmt.value, state) if stmt.value is not None else NOTHING
        again = stmt.value is None or value.via == "caught"
        kind = "raise again" if again else "raise"
        outcome.exits.append(Exit(kind, raised(engine, stmt.value, value, place), place, value))
    else:
        value = engine.value(stmt.value, state) if stmt.value is not None else NOTHING
        if engine.words.language.returns_errors and value.truth is None and _makes_an_error(stmt.value):
            value = value.but(truth=True)
        if engine.words.answers_errors and (len(engine.frames) == 1 or engine.frame.goes_on):
            # Given back to the framework, which answers what is an error.
            own = _own_status(engine, value)
            effect = thrown(engine, value.made if value.role == "error" or value.truth else None, own, place)
            for finding in value.facts.if_false if value.facts is not None and not value.truth else ():
                branches.settle(engine, finding, effect, state, value.message)
            if value.truth or (value.role == "error" and own is not None):
                outcome.exits.append(Exit("return", effect, place, value, state.sent))
                return outcome
        status = value.status if value.role == "answer" else None
        if status is None and state.status is not None and (engine.sends or len(engine.frames) == 1):
            status = state.status[0]
        refusal = engine.words.refusal
        if refusal is not None and status is None and len(engine.frames) == 1 and not state.stored:
            # No status tells it; what is given back does.
            status = 400 if refusal.search(place.text or "") else None
        effect = Result("rejects" if status is not None and 400 <= status < 500 else "carries-on", status, place)
        if status is not None and status >= 500:
            effect = Result("breaks", status, place)
        elif status is not None and (300 <= status < 400 or status <= 0):
            # Sent somewhere else: back to a form with an error, or on to where everything goes.
            effect = Result("unknown", status, place)
        again = value.role == "answer" and value.via == "caught"
        outcome.exits.append(Exit("raise again" if again else "return", effect, place, value, state.sent))
        outcome.passed = again
    return outcome


def _makes_an_error(expr: n.Expr | None) -> bool:
    """True for a call that by its name makes an error, as the last of what is given back."""
    last = expr.items[-1] if isinstance(expr, n.Items) and expr.items else expr
    return isinstance(last, n.Call) and _ERROR_MAKER.search(dotted(last.func) or "") is not None


def raised(engine: Engine, expr: n.Expr | None, value: Value, place: Place, passed: bool = False) -> Result:
    """What raising this ends as: through the catches around it, the framework's own errors, the service's maps. `passed`
    where it is handed on to whoever answers errors, past the catches."""
    if expr is None:
        return Result("unknown", None, place)
    callee = expr.func if isinstance(expr, n.Call) else expr
    target = value.made if value.role == "error" and value.made is not None else None
    target = target or engine.program.resolve(callee, engine.scope)
    if target is not None and not isinstance(target.node, n.Class):
        made = engine.program.class_of(target) if target.node is not None else None
        target = made or target
    return thrown(engine, target, _own_status(engine, value), place, passed)


def _own_status(engine: Engine, value: Value) -> int | None:
    """The status that an error says it wants: told where it was made, or kept in a member."""
    if value.status is not None:
        return value.status
    held = (
        v.literal.value for k, v in value.attrs.items() if k in engine.words.status_members and v.literal is not None
    )
    return next((int(x) for x in held if isinstance(x, int)), None)


def thrown(engine: Engine, target: Target | None, status: int | None, place: Place, passed: bool = False) -> Result:
    """The same for an error known by its class."""
    for handler in reversed(engine.handlers) if not passed else ():
        for catch, scope, result in handler.catches:
            if catches(engine, catch, scope, target):
                if result is None:
                    break
                if result is PASSED:
                    passed = True
                    break
                if result.effect == "unknown" and result.status == OWN_STATUS:
                    # The answer takes its status from the error.
                    return _ending(status or 500, result.place or place)
                return result
        if passed:
            break
    if engine.loses and not passed:
        return Result("breaks", 500, place)
    if target is None and status is None:
        return Result("unknown", None, place)
    if status is None and target is not None and engine.program.derives(target, engine.words.errors) is not None:
        return Result("unknown", None, place)
    nearby = engine.words.nearby
    near = nearby(target, engine.frames[0].scope) if nearby is not None and target is not None else None
    status = near if near is not None else engine.words.mapped(target, status)
    if status == 0:
        # Mapped to a status that is only known when it happens; the error's own class often says which.
        status = status_in_class(engine, target) if target is not None else None
        if status is None:
            return Result("unknown", None, place)
    return _ending(500 if status is None else status, place)


def _ending(status: int, place: Place) -> Result:
    # A redirect turns the request away as well, to a login page say.
    return Result("rejects" if 300 <= status < 500 else "breaks", status, place)


def catches(engine: Engine, catch: n.Catch, scope: Scope, target: Target | None) -> bool:
    if not catch.types:
        return True
    errors = engine.words.known_errors
    names = set(error_names(engine.program, errors, target)) if target is not None else {errors.top}
    aliases = errors.aliases
    last = {x.rpartition(".")[2] for x in names}
    if any(isinstance(t, n.Literal) and t.value in last for t in catch.types):
        # Told by its name alone.
        return True
    listed = (engine.program.name_of(t, scope) or dotted(t) or "" for t in catch.types)
    return any(aliases.get(name, name) in names for name in listed)


def error_names(program: Program, errors: Errors, target: Target) -> Iterator[str]:
    """The error's class and everything it inherits from, the language's own errors included."""
    for ancestor in program.ancestry(target):
        name = errors.aliases.get(ancestor.name, ancestor.name)
        while name:
            yield name
            # A class outside the service whose parent nobody knows is at least an ordinary error.
            name = errors.parents.get(name, errors.top)


def try_(engine: Engine, stmt: n.Try, state: State) -> Outcome:
    outcome, arms = Outcome(), []
    handler = Handler([])
    for clause in stmt.catches:
        arm = state.copy()
        step = catch(engine, clause, arm, handler)
        outcome.exits.extend(e for e in step.exits if e.kind == "return")
        if step.falls:
            arms.append(arm)
    engine.handlers.append(handler)
    body = engine.block(stmt.body, state)
    engine.handlers.pop()
    if body.falls:
        rest = engine.block(stmt.other, state)
        body.absorb(rest)
        body.falls = rest.falls
    outcome.absorb(body)
    outcome.falls = body.falls or bool(arms)
    state.take(([state.copy()] if body.falls else []) + arms)
    final = engine.block(stmt.final, state)
    outcome.absorb(final)
    outcome.falls = outcome.falls and final.falls
    return outcome


def catch(engine: Engine, clause: n.Catch, arm: State, handler: Handler) -> Outcome:
    """Walk the body of a catch, and note with the handler what an error ends as there."""
    if clause.name is not None:
        made = engine.program.resolve(clause.types[0], engine.scope) if clause.types else None
        arm.env[clause.name] = Value(role="error", made=made, via="caught")
    before = dict(arm.env)
    step = engine.block(clause.body, arm)
    caught = _caught(step, engine.place(clause))
    if step.falls and not step.passed and engine.sends and arm.status is not None and arm.sent:
        # An answer was sent there; what the handler does after the catch is its last word all the same.
        caught = _sent(arm.status, engine.place(clause))
    elif step.falls and engine.sends and arm.status is not None and arm.status[0] == OWN_STATUS:
        caught = _sent(arm.status, engine.place(clause))
    elif step.falls and any(v is not before.get(k) for k, v in arm.env.items()):
        # It keeps an error answer for later, or goes on with something else in place of what was refused.
        caught = Result("unknown", None, engine.place(clause))
    handler.catches.append((clause, engine.scope, caught))
    return step


def _sent(status: tuple[int, Place], place: Place) -> Result:
    code = status[0]
    if code <= 0:
        return Result("unknown", code or None, place)
    return Result("rejects" if code < 500 else "breaks", code, place)


def wrapping(engine: Engine, decorator: n.Function, scope: Scope) -> Iterator[Handler]:
    """Yield what a decorator or context manager does with the errors of what it goes around: by each `try` around the call
    of what it was given, or around its `yield`."""
    # The function that is decorated is a parameter of one that declares another in its place.
    around = [
        f
        for f in walk(decorator)
        if isinstance(f, n.Function) and any(isinstance(s, n.Function) for s in walk(*f.body))
    ]
    names = {p.name for f in around for p in f.params if p.kind == "plain"}
    frame = Frame(engine.program.scope_of(decorator, scope), scope.module)
    for node in walk(*decorator.body):
        if isinstance(node, n.Try) and any(_goes_on(inner, names) for inner in walk(*node.body)):
            handler = Handler([])
            engine.frames.append(frame)
            for clause in node.catches:
                catch(engine, clause, State(), handler)
            engine.frames.pop()
            yield handler


def _goes_on(node: n.Expr | n.Stmt, names: set[str]) -> bool:
    """True for a call of one of the names, or one that is handed one of them; and for a `yield`."""
    if isinstance(node, n.Call):
        return any(isinstance(e, n.Name) and e.id in names for e in (node.func, *node.positional))
    return isinstance(node, n.Unary) and node.op == "yield"


def status_name(expr: n.Expr | None) -> int | None:
    """The number in a name such as `HTTP_422_UNPROCESSABLE_ENTITY` of a package outside."""
    last = (dotted(expr) or "").rpartition(".")[2]
    digits = [p for p in last.split("_") if p.isdigit() and len(p) == 3]
    if last.startswith("Status"):
        last = re.sub(r"(?<=[a-z])(?=[A-Z])", "_", last.removeprefix("Status")).upper()
    return int(digits[0]) if digits else _STATUSES.get(last)


def status_of(engine: Engine, expr: n.Expr | None, scope: Scope) -> int | None:
    """A status written as number or name, seen from `scope`."""
    found = engine.program.constant(expr, scope)
    if found is not None and isinstance(found.value, int):
        return found.value
    return status_name(expr)


def status_made(engine: Engine, call: n.Call, target: Target, scope: Scope, steps: int = 0) -> int | None:
    """The status that making an error of the service's own gives it: an argument of the call that its constructor, or that of
    a class it inherits from, keeps as the status."""
    node, holder = target.node, target.scope
    if not isinstance(node, n.Class) or holder is None or steps > 5:
        return None
    inside = engine.program.scope_of(node, holder)
    members = engine.words.status_members
    for member in node.body:
        if isinstance(member, n.Variable) and member.name in members and member.value is not None:
            return status_of(engine, member.value, inside)
    made = next((m for m in node.methods if m.name in _CONSTRUCTORS), None)
    base = next((engine.program.resolve(b.value, holder) for b in node.bases if b.name is None), None)
    if made is None:
        return status_made(engine, call, base, scope, steps + 1) if base is not None else None
    names = [p.name for p in made.params if p.name != "self"]
    given = dict(zip(names, call.positional, strict=False))

    def status(value: n.Expr | None) -> int | None:
        if isinstance(value, n.Binary) and value.op == "or":
            return status(value.left) or status(value.right)
        if isinstance(value, n.Name) and value.id in names:
            default = next((p.default for p in made.params if p.name == value.id), None)
            return status_of(engine, given.get(value.id) or default, scope if value.id in given else inside)
        return status_of(engine, value, inside)

    for part in walk(*made.body):
        if isinstance(part, n.Assign) and any(isinstance(t, n.Member) and t.name in members for t in part.targets):
            return status(part.value)
        if isinstance(part, n.Call) and isinstance(part.func, n.Name) and part.func.id == "super" and base is not None:
            if isinstance(base.node, n.Class):
                handed = tuple(
                    n.Arg(given.get(a.value.id, a.value) if isinstance(a.value, n.Name) else a.value) for a in part.args
                )
                found = status_made(engine, n.Call(part.span, part.func, handed), base, scope, steps + 1)
                if found is not None:
                    return found
            kind = engine.program.derives(base, engine.words.errors)
            position = engine.words.errors[kind] if kind is not None else None
            if position is not None and position >= 0 and len(part.positional) > position:
                return status(part.positional[position])
    return None


_CONSTRUCTORS = frozenset({"constructor", "__init__"})


def status_in_class(engine: Engine, target: Target) -> int | None:
    """The status an error class of the service's own hands to the framework's, in its constructor or as a member."""
    for ancestor in engine.program.ancestry(target):
        if not isinstance(ancestor.node, n.Class) or ancestor.scope is None:
            continue
        inner = engine.program.scope_of(ancestor.node, ancestor.scope)
        for node in walk(*ancestor.node.body):
            code = node.keyword("status_code") if isinstance(node, n.Call) else None
            if code is None and isinstance(node, n.Call) and isinstance(node.func, n.Member):
                code = node.positional[0] if node.func.name == "__init__" and node.positional else None
            if code is None and isinstance(node, n.Variable | n.Assign):
                named = [node.name] if isinstance(node, n.Variable) else [dotted(t) for t in node.targets]
                code = node.value if any((x or "").endswith("status_code") for x in named) else None
            found = engine.program.constant(code, inner) if code is not None else None
            status = found.value if found is not None else status_name(code) if code is not None else None
            if isinstance(status, int):
                return status
    return None


def _caught(step: Outcome, place: Place) -> Result | None:
    """What an error ends as in a catch whose body ends like this; None where it is raised on unchanged."""
    if step.passed:
        return PASSED
    if step.falls:
        # An error answer that was made there and not returned does not make the catch leave.
        return Result("swallowed", None, step.dropped or place)
    if any(e.kind == "raise again" for e in step.exits):
        return None
    ends = [e for e in step.exits if e.kind in ("return", "raise")]
    results = [e.result for e in ends]
    if not results:
        return Result("swallowed", None, place)
    if any(r.effect == "carries-on" for r in results):
        # It leaves with something that is no error answer by itself: whoever gets that may act on it or not.
        return Result("unknown", None, place)
    return next((r for r in results if r.effect == "breaks"), results[0])
