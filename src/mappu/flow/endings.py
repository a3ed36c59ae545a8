"""Ways a path ends: returns, raises, what catches them, and what the client meets in the end."""

from __future__ import annotations

from collections.abc import Iterator
from http import HTTPStatus
from typing import TYPE_CHECKING

from mappu.flow.state import Exit, Frame, Handler, Outcome, State
from mappu.flow.values import NOTHING, Result, Value
from mappu.flow.words import Errors
from mappu.inventory.model import Place
from mappu.symbols.program import Program, Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted, walk

if TYPE_CHECKING:
    from mappu.flow.engine import Engine

_STATUSES = {s.name: s.value for s in HTTPStatus} | {"UNPROCESSABLE_CONTENT": 422, "CONTENT_TOO_LARGE": 413}


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
        status = value.status if value.role == "answer" else None
        if status is None and state.status is not None and len(engine.frames) == 1:
            status = state.status[0]
        effect = Result("rejects" if status is not None and 400 <= status < 500 else "carries-on", status, place)
        if status is not None and status >= 500:
            effect = Result("breaks", status, place)
        elif status is not None and 300 <= status < 400:
            # Sent somewhere else: back to a form with an error, or on to where everything goes.
            effect = Result("unknown", status, place)
        outcome.exits.append(Exit("return", effect, place, value))
    return outcome


def raised(engine: Engine, expr: n.Expr | None, value: Value, place: Place) -> Result:
    """What raising this ends as: through the catches around it, the framework's own errors, the service's maps."""
    if expr is None:
        return Result("unknown", None, place)
    callee = expr.func if isinstance(expr, n.Call) else expr
    target = value.made if value.role == "error" and value.made is not None else None
    target = target or engine.program.resolve(callee, engine.scope)
    if target is not None and not isinstance(target.node, n.Class):
        made = engine.program.class_of(target) if target.node is not None else None
        target = made or target
    return thrown(engine, target, value.status, place)


def thrown(engine: Engine, target: Target | None, status: int | None, place: Place) -> Result:
    """The same for an error known by its class."""
    for handler in reversed(engine.handlers):
        for catch, scope, result in handler.catches:
            if catches(engine, catch, scope, target):
                if result is None:
                    break
                return result
    if target is None:
        return Result("unknown", None, place)
    if status is None and engine.program.derives(target, engine.words.errors) is not None:
        return Result("unknown", None, place)
    if status is None:
        status = engine.words.mapped(target)
    if status == 0:
        # Mapped to a status that is only known when it happens; the error's own class often says which.
        status = status_in_class(engine, target)
        if status is None:
            return Result("unknown", None, place)
    if status is None:
        return Result("breaks", 500, place)
    # A redirect turns the request away as well, to a login page say.
    return Result("rejects" if 300 <= status < 500 else "breaks", status, place)


def catches(engine: Engine, catch: n.Catch, scope: Scope, target: Target | None) -> bool:
    if not catch.types:
        return True
    errors = engine.words.known_errors
    names = set(error_names(engine.program, errors, target)) if target is not None else {errors.top}
    aliases = errors.aliases
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
    for catch in stmt.catches:
        arm = state.copy()
        step = _catch(engine, catch, arm, handler)
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


def _catch(engine: Engine, catch: n.Catch, arm: State, handler: Handler) -> Outcome:
    """Walk the body of a catch, and note with the handler what an error ends as there."""
    if catch.name is not None:
        made = engine.program.resolve(catch.types[0], engine.scope) if catch.types else None
        arm.env[catch.name] = Value(role="error", made=made, via="caught")
    before = dict(arm.env)
    step = engine.block(catch.body, arm)
    caught = _caught(step, engine.place(catch))
    if step.falls and any(v is not before.get(k) for k, v in arm.env.items()):
        # It keeps an error answer for later, or goes on with something else in place of what was refused.
        caught = Result("unknown", None, engine.place(catch))
    handler.catches.append((catch, engine.scope, caught))
    return step


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
            for catch in node.catches:
                _catch(engine, catch, State(), handler)
            engine.frames.pop()
            yield handler


def _goes_on(node: n.Expr | n.Stmt, names: set[str]) -> bool:
    """True for a call of one of the names, or one that is handed one of them; and for a `yield`."""
    if isinstance(node, n.Call):
        return any(isinstance(e, n.Name) and e.id in names for e in (node.func, *node.positional))
    return isinstance(node, n.Unary) and node.op == "yield"


def status_name(expr: n.Expr | None) -> int | None:
    """The number in a name such as `HTTP_422_UNPROCESSABLE_ENTITY` of a package outside."""
    name = dotted(expr) or ""
    digits = [p for p in name.rpartition(".")[2].split("_") if p.isdigit() and len(p) == 3]
    return int(digits[0]) if digits else _STATUSES.get(name.rpartition(".")[2])


def status_of(engine: Engine, expr: n.Expr | None, scope: Scope) -> int | None:
    """A status written as number or name, seen from `scope`."""
    found = engine.program.constant(expr, scope)
    if found is not None and isinstance(found.value, int):
        return found.value
    return status_name(expr)


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
