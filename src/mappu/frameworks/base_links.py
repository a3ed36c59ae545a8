"""Functions handed to a JavaScript framework: found by name, inside others that go around them, or made by a call."""

import msgspec

from mappu.frameworks.base import Link
from mappu.symbols.program import Program, Scope
from mappu.syntax import nodes as n
from mappu.syntax.walk import own

MAX_STEPS = 12


def link_of(program: Program, expr: n.Expr, scope: Scope, steps: int = 0) -> Link:
    """Return the function an expression stands for: itself, by name, inside a function that goes around it, or made by a
    function of the service; without one where that cannot be followed."""
    if isinstance(expr, n.Function):
        return Link(expr, scope, expr, scope)
    if isinstance(expr, n.Name | n.Member):
        target = program.resolve(expr, scope)
        if target is not None and isinstance(target.node, n.Function) and target.scope is not None:
            return Link(expr, scope, target.node, target.scope)
        followed = program.value(expr, scope)
        if followed is not None and followed[0] is not expr and steps < MAX_STEPS:
            return link_of(program, *followed, steps + 1)
        return Link(expr, scope)
    if not isinstance(expr, n.Call):
        return Link(expr, scope)
    if isinstance(expr.func, n.Member) and expr.func.name == "bind":
        return link_of(program, expr.func.value, scope, steps + 1)
    inner = [link_of(program, a.value, scope, steps + 1) for a in expr.args if steps < MAX_STEPS and _may_be(a.value)]
    handed = [x for x in inner if x.function is not None and _takes_a_request(x.function)]
    if handed:
        return msgspec.structs.replace(handed[-1], wrapped=True)
    # A generic function is called with its types.
    func = expr.func.value if isinstance(expr.func, n.Index) else expr.func
    target = program.resolve(func, scope)
    if target is not None and isinstance(target.node, n.Function) and target.scope is not None:
        made = _made(program, target.node, program.scope_of(target.node, target.scope))
        if made is not None:
            return Link(expr, scope, made[0], made[1], made_by=(expr, scope))
    return Link(expr, scope)


def _made(program: Program, function: n.Function, inner: Scope) -> tuple[n.Function, Scope] | None:
    """The function that a function gives back."""
    for stmt in own(*function.body):
        if isinstance(stmt, n.Leave) and stmt.kind == "return":
            value = stmt.value
            if isinstance(value, n.Call) and value.args and isinstance(value.args[-1].value, n.Function):
                value = value.args[-1].value
            if isinstance(value, n.Function):
                return value, inner
            target = program.resolve(value, inner) if isinstance(value, n.Name) else None
            if target is not None and isinstance(target.node, n.Function) and target.scope is not None:
                return target.node, target.scope
    return None


def _takes_a_request(function: n.Function) -> bool:
    """True for a function with the parameters of a handler: two to four, or one that is named like a request or a context."""
    names = [p.name for p in function.params]
    return 2 <= len(names) <= 4 or (len(names) == 1 and names[0].lstrip("_{ ").startswith(_FIRST))


_FIRST = ("req", "c", "ctx", "context", "event", "args", "formData", "input", "data")


def _may_be(expr: n.Expr) -> bool:
    return isinstance(expr, n.Function | n.Name | n.Member | n.Call)
