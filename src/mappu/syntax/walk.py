"""Going through the neutral tree."""

from collections.abc import Iterator

from mappu.syntax import nodes as n


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


def children(node: n.Expr | n.Stmt) -> Iterator[n.Expr | n.Stmt]:
    """Yield the nodes directly inside `node`, in source order; a function's body is lowered for it."""
    match node:
        case n.Member(value=value) | n.Unary(value=value) | n.Do(value=value) | n.Alias(value=value):
            yield value
        case n.Index(value=value, index=index):
            yield value
            yield index
        case n.Call(func=func, args=args):
            yield func
            yield from (a.value for a in args)
        case n.Template(parts=items) | n.Items(items=items):
            yield from items
        case n.Entries(entries=entries):
            for key, value in entries:
                if key is not None:
                    yield key
                yield value
        case n.Binary(left=left, right=right):
            yield left
            yield right
        case n.Choice(test=test, then=then, other=other):
            yield from (test, then, other)
        case n.Comprehension(element=element, loops=loops, tests=tests):
            for target, over in loops:
                yield target
                yield over
            yield from tests
            yield element
        case n.Bind(target=target, value=value):
            yield target
            yield value
        case n.Assign(targets=targets, value=value):
            yield value
            yield from targets
        case n.Variable(type=type_, value=value):
            yield from (x for x in (type_, value) if x is not None)
        case n.If(test=test, then=body, other=rest):
            yield test
            yield from body
            yield from rest
        case n.Loop(target=target_, over=over_, test=test_, body=body, other=rest):
            yield from (x for x in (over_, target_, test_) if x is not None)
            yield from body
            yield from rest
        case n.Leave(value=left_value):
            if left_value is not None:
                yield left_value
        case n.Try(body=body, catches=catches, other=rest, final=final):
            yield from body
            for catch in catches:
                yield from catch.types
                yield from catch.body
            yield from rest
            yield from final
        case n.With(items=resources, body=body):
            for value, opened in resources:
                yield value
                if opened is not None:
                    yield opened
            yield from body
        case n.Switch(subject=subject, cases=cases):
            yield subject
            for case in cases:
                yield from case.patterns
                if case.guard is not None:
                    yield case.guard
                yield from case.body
        case n.Function():
            for mark in node.marks:
                yield mark.as_call()
            for param in node.params:
                yield from (x for x in (param.type, param.default) if x is not None)
            if node.returns is not None:
                yield node.returns
            yield from node.body
        case n.Class():
            for mark in node.marks:
                yield mark.as_call()
            yield from (a.value for a in node.bases)
            yield from node.body


def walk(*nodes: n.Expr | n.Stmt) -> Iterator[n.Expr | n.Stmt]:
    """Yield the nodes and all inside them, parents first."""
    stack = list(reversed(nodes))
    while stack:
        node = stack.pop()
        yield node
        stack.extend(reversed(list(children(node))))
