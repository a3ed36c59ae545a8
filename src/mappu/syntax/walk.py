"""Going through the neutral tree."""

from collections.abc import Callable, Iterable, Iterator
from typing import Any, TypeAlias

from mappu.syntax import nodes as n

Node: TypeAlias = n.Expr | n.Stmt


def dotted(expr: n.Expr | None) -> str | None:
    """Return "a.b.c" for a name or a chain of members, None for anything else."""
    parts: list[str] = []
    while isinstance(expr, n.Member):
        parts.append(expr.name)
        expr = expr.value
    if not isinstance(expr, n.Name):
        return None
    parts.append(expr.id)
    return ".".join(reversed(parts))


def entry(entries: n.Expr | None, name: str) -> n.Expr | None:
    """The value under a name in an object written out."""
    for key, value in entries.entries if isinstance(entries, n.Entries) else ():
        if isinstance(key, n.Literal) and key.value == name:
            return value
    return None


def children(node: Node) -> Iterable[Node]:
    """Return the nodes directly inside `node`, in source order; a function's or class's body is lowered for it."""
    inside = _INSIDE.get(type(node))
    return inside(node) if inside is not None else ()


def walk(*nodes: Node) -> Iterator[Node]:
    """Yield the nodes and all inside them, parents first."""
    stack = list(reversed(nodes))
    while stack:
        node = stack.pop()
        yield node
        inside = _INSIDE.get(type(node))
        if inside is not None:
            stack.extend(reversed(inside(node)))


def own(*nodes: Node, classes: bool = True) -> Iterator[Node]:
    """Yield the nodes and all inside them, but for what lies inside functions (and, without `classes`, classes) declared there;
    those come by themselves."""
    closed = (n.Function,) if classes else (n.Function, n.Class)
    stack = list(reversed(nodes))
    while stack:
        node = stack.pop()
        yield node
        inside = _INSIDE.get(type(node)) if not isinstance(node, closed) else None
        if inside is not None:
            stack.extend(reversed(inside(node)))


def _some(*nodes: Node | None) -> tuple[Node, ...]:
    return tuple(x for x in nodes if x is not None)


def _try(node: n.Try) -> tuple[Node, ...]:
    caught = [x for c in node.catches for x in (*c.types, *c.body)]
    return (*node.body, *caught, *node.other, *node.final)


def _switch(node: n.Switch) -> tuple[Node, ...]:
    return (node.subject, *(x for c in node.cases for x in (*c.patterns, *_some(c.guard), *c.body)))


def _function(node: n.Function) -> tuple[Node, ...]:
    marks = (m.as_call() for m in node.marks)
    return (*marks, *(x for p in node.params for x in _some(p.type, p.default)), *_some(node.returns), *node.body)


def _class(node: n.Class) -> tuple[Node, ...]:
    return (*(m.as_call() for m in node.marks), *(a.value for a in node.bases), *node.body)


# What lies inside each kind of node; the kinds that are not here hold nothing.
_INSIDE: dict[type, Callable[[Any], tuple[Node, ...]]] = {
    n.Member: lambda x: (x.value,),
    n.Unary: lambda x: (x.value,),
    n.Do: lambda x: (x.value,),
    n.Alias: lambda x: (x.value,),
    n.Export: lambda x: (x.value,),
    n.Index: lambda x: (x.value, x.index),
    n.Call: lambda x: (x.func, *[a.value for a in x.args]),
    n.Template: lambda x: x.parts,
    n.Items: lambda x: x.items,
    n.Entries: lambda x: tuple(part for entry in x.entries for part in _some(*entry)),
    n.Binary: lambda x: (x.left, x.right),
    n.Choice: lambda x: (x.test, x.then, x.other),
    n.Comprehension: lambda x: (*[part for loop in x.loops for part in loop], *x.tests, x.element),
    n.Bind: lambda x: (x.target, x.value),
    n.Assign: lambda x: (x.value, *x.targets),
    n.Variable: lambda x: _some(x.type, x.value),
    n.If: lambda x: (x.test, *x.then, *x.other),
    n.Loop: lambda x: (*_some(x.over, x.target, x.test), *x.body, *x.other),
    n.Leave: lambda x: _some(x.value),
    n.Try: _try,
    n.With: lambda x: (*[part for item in x.items for part in _some(*item)], *x.body),
    n.Switch: _switch,
    n.Function: _function,
    n.Class: _class,
}
