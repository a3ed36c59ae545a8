"""Names across files: what a name, a member or a type in the source really is, and the constant behind it.

A `Program` loads files when a name leads to them. `Program.resolve` turns an expression, seen from a scope, into a
`Target`: something of the service's own (with its node) or of a package outside (with its dotted name only).
"""

from collections.abc import Callable

from mappu.symbols.names import Names, given_to
from mappu.symbols.scopes import MAX_STEPS, Binding, Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted

__all__ = ["Binding", "Program", "Scope", "Target", "given_to"]

_COLLECTIONS = frozenset({"list", "tuple", "set", "frozenset", "Set", "Array.from"})
_TEXT_METHODS: dict[str, Callable[[str], str]] = {"lower": str.lower, "upper": str.upper, "strip": str.strip}
_ARITHMETIC = frozenset({"+", "-", "*", "**"})


# Calls that give back what they are given.
_SAME = frozenset({"Object.freeze", "Object.seal"})


class Program(Names):
    """All modules of one scan, with the values that names stand for."""

    def value(self, expr: n.Expr | None, scope: Scope, steps: int = 0) -> tuple[n.Expr, Scope] | None:
        """Follow a name to the expression it was assigned, once; the expression itself where it is no name."""
        if expr is None or steps > MAX_STEPS:
            return None
        if isinstance(expr, n.Call) and dotted(expr.func) in _SAME and expr.positional:
            return self.value(expr.positional[0], scope, steps + 1)
        if not isinstance(expr, n.Name | n.Member):
            return expr, scope
        target = self.resolve(expr, scope)
        if target is None or target.scope is None:
            return None
        node = target.node
        if isinstance(node, n.Variable | n.Assign) and node.value is not None:
            name = target.name.rpartition(".")[2]
            if len(target.scope.names.get(name, ())) > 1 or (isinstance(node, n.Assign) and node.op):
                return None
            held = given_to(node, name)
            return self.value(held, target.scope, steps + 1) if held is not None else None
        return None

    def constant(self, expr: n.Expr | None, scope: Scope, steps: int = 0) -> n.Literal | None:
        """Return the literal an expression stands for: itself, a name for one, or text and numbers put together."""
        if expr is None or steps > MAX_STEPS:
            return None
        if isinstance(expr, n.Literal):
            return expr
        if isinstance(expr, n.Template):
            parts = [self.constant(p, scope, steps + 1) for p in expr.parts]
            if any(p is None for p in parts):
                return None
            return n.Literal(expr.span, "".join(str(p.value) for p in parts if p is not None))
        if isinstance(expr, n.Unary) and expr.op == "-":
            inner = self.constant(expr.value, scope, steps + 1)
            if inner is None or not isinstance(inner.value, int | float):
                return None
            return n.Literal(expr.span, -inner.value)
        if isinstance(expr, n.Binary) and expr.op in _ARITHMETIC:
            left, right = self.constant(expr.left, scope, steps + 1), self.constant(expr.right, scope, steps + 1)
            return _combine(expr, left, right)
        if isinstance(expr, n.Call) and isinstance(expr.func, n.Member):
            done = _TEXT_METHODS.get(expr.func.name)
            base = self.constant(expr.func.value, scope, steps + 1) if done is not None else None
            if done is not None and base is not None and isinstance(base.value, str) and not expr.args:
                return n.Literal(expr.span, done(base.value))
            return None
        if isinstance(expr, n.Member) and expr.name == "value":
            # An enum member's value.
            found = self.constant(expr.value, scope, steps + 1)
            if found is not None:
                return found
        followed = self.value(expr, scope, steps + 1) if isinstance(expr, n.Name | n.Member) else None
        return self.constant(followed[0], followed[1], steps + 1) if followed is not None else None

    def text(self, expr: n.Expr | None, scope: Scope) -> str | None:
        """The constant text an expression stands for, or None."""
        found = self.constant(expr, scope)
        return found.value if found is not None and isinstance(found.value, str) else None

    def elements(self, expr: n.Expr | None, scope: Scope, steps: int = 0) -> list[tuple[n.Expr, Scope]]:
        """Return the elements of a list written out, behind a name, several joined by `+`, or what a map written out lists;
        [] if not followed."""
        followed = self.value(expr, scope) if steps <= MAX_STEPS else None
        if followed is None:
            return []
        value, holder = followed
        if isinstance(value, n.Binary) and value.op == "+":
            left, right = (self.elements(part, holder, steps + 1) for part in (value.left, value.right))
            return left + right
        if isinstance(value, n.Call) and value.positional and dotted(value.func) in _COLLECTIONS:
            return self.elements(value.positional[0], holder, steps + 1)
        if isinstance(value, n.Call) and isinstance(value.func, n.Member) and value.func.name in _OF_MAPS:
            if dotted(value.func.value) == "Object" and value.positional:
                return self._of_map(n.Member(value.span, value.positional[0], value.func.name), holder)
            return self._of_map(value.func, holder)
        if not isinstance(value, n.Items):
            return []
        found: list[tuple[n.Expr, Scope]] = []
        for item in value.items:
            if isinstance(item, n.Unary) and item.op == "spread":
                found.extend(self.elements(item.value, holder, steps + 1))
            else:
                found.append((item, holder))
        return found

    def _of_map(self, called: n.Member, scope: Scope) -> list[tuple[n.Expr, Scope]]:
        named = self.resolve(called.value, scope)
        if (
            named is not None
            and isinstance(named.node, n.Class)
            and named.node.form == "enum"
            and named.scope is not None
        ):
            members = [m for m in named.node.body if isinstance(m, n.Variable) and m.value is not None]
            written = [(n.Literal(m.span, m.name), m.value) for m in members]
            holder = self.scope_of(named.node, named.scope)
        else:
            followed = self.value(called.value, scope)
            if followed is None or not isinstance(followed[0], n.Entries):
                return []
            written, holder = list(followed[0].entries), followed[1]  # type: ignore[arg-type]
        pairs = [(key, value) for key, value in written if key is not None and value is not None]
        listed: dict[str, list[n.Expr]] = {
            "items": [n.Items(value.span, "tuple", (key, value)) for key, value in pairs],
            "keys": [key for key, _ in pairs],
            "values": [value for _, value in pairs],
        }
        return [(item, holder) for item in listed[called.name]]


# Methods that list what is in a map.
_OF_MAPS = frozenset({"items", "keys", "values"})


def _combine(expr: n.Binary, left: n.Literal | None, right: n.Literal | None) -> n.Literal | None:
    if left is None or right is None:
        return None
    a, b = left.value, right.value
    if isinstance(a, str) and isinstance(b, str) and expr.op == "+":
        return n.Literal(expr.span, a + b)
    if isinstance(a, int | float) and isinstance(b, int | float):
        if expr.op == "**" and (abs(a) > 1000 or abs(b) > 100):
            return None
        results: dict[str, Callable[[], int | float]] = {
            "+": lambda: a + b, "-": lambda: a - b, "*": lambda: a * b, "**": lambda: float(a**b) if b < 0 else a**b,
        }  # fmt: skip
        try:
            return n.Literal(expr.span, results[expr.op]())
        except ArithmeticError:
            return None
    return None
