"""Routes made by calls: a router function is put together from verbs, paths and the functions that handle them."""

from collections.abc import Iterator

from mappu.flow.words import Entry
from mappu.frameworks.base import Route, Service, Taking
from mappu.frameworks.base_java import Marked, joined
from mappu.frameworks.base_java_binding import unnamed
from mappu.frameworks.base_paths import curly
from mappu.symbols.program import Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted, own

_VERBS = frozenset({"GET", "POST", "PUT", "PATCH", "DELETE", "HEAD", "OPTIONS"})
_NESTING = frozenset({"nest", "path"})
MAX_DEPTH = 6


class Functional(Marked):
    """The router functions of one service."""

    def __init__(self, service: Service, prefix: str) -> None:
        super().__init__(service)
        self.prefix = prefix

    def routes(self) -> Iterator[Route]:
        for top in self.service.scopes:
            if b"RouterFunction" not in top.module.source and b"router {" not in top.module.source:
                continue
            for function, scope in self.program.functions(top, (b"route(", b"nest(", b"router {")):
                inner = self.program.scope_of(function, scope)
                made = [s.value for s in own(*function.body) if isinstance(s, n.Leave) and s.value is not None]
                for value in made:
                    yield from self._of(value, inner, self.prefix, 0)

    def _of(self, expr: n.Expr, scope: Scope, prefix: str, depth: int) -> Iterator[Route]:
        """The routes of a chain: `route(GET("/x"), handler).andRoute(…)`, or `route().GET("/x", handler).build()`."""
        while isinstance(expr, n.Call) and depth < MAX_DEPTH:
            name = expr.func.name if isinstance(expr.func, n.Member) else getattr(expr.func, "id", "")
            args = expr.positional
            if name in _VERBS and len(args) > 1:
                yield from self._route(name, args[0], args[-1], scope, prefix)
            elif name in ("route", "andRoute") and len(args) == 2 and isinstance(args[0], n.Call):
                verb, path = self._asked(args[0])
                if verb is not None and path is not None:
                    yield from self._route(verb, path, args[1], scope, prefix)
            elif name in _NESTING and len(args) == 2:
                path = args[0] if not isinstance(args[0], n.Call) else (args[0].positional or (None,))[0]
                below = joined(prefix, self.text(path, scope)) if path is not None else prefix
                yield from self._below(args[1], scope, below, depth)
            elif name in ("and", "andOther", "add"):
                for arg in args:
                    yield from self._of(arg, scope, prefix, depth + 1)
            expr = expr.func.value if isinstance(expr.func, n.Member) else n.Opaque(expr.span, "")

    def _below(self, given: n.Expr, scope: Scope, prefix: str, depth: int) -> Iterator[Route]:
        """What stands below a path: a chain, or a function that adds to the builder it is given."""
        if not isinstance(given, n.Function):
            yield from self._of(given, scope, prefix, depth + 1)
            return
        inner = self.program.scope_of(given, scope)
        for stmt in given.body:
            if isinstance(stmt, n.Leave | n.Do) and stmt.value is not None:
                yield from self._of(stmt.value, inner, prefix, depth + 1)

    def _asked(self, call: n.Call) -> tuple[str | None, n.Expr | None]:
        """`GET("/x")`, also with more that is asked of the request."""
        found: n.Expr = call
        while isinstance(found, n.Call):
            name = found.func.name if isinstance(found.func, n.Member) else getattr(found.func, "id", "")
            if name in _VERBS and found.positional:
                return name, found.positional[0]
            found = found.func.value if isinstance(found.func, n.Member) else n.Opaque(call.span, "")
        return None, None

    def _route(self, verb: str, path: n.Expr, handler: n.Expr, scope: Scope, prefix: str) -> Iterator[Route]:
        function, holder = self._handler(handler, scope)
        shown, rules = curly(joined(prefix, self.text(path, scope)))
        if function is None or holder is None:
            self.service.note(handler, scope, f"the handler of {verb} {shown} could not be followed")
            return
        symbol = function.name or "anonymous"
        owner = holder.owner
        symbol = f"{owner.name}.{symbol}" if isinstance(owner, n.Class) and function.name else symbol
        yield Route("spring", "http", verb, shown, function, holder, symbol, path_rules=rules)

    def _handler(self, expr: n.Expr, scope: Scope) -> tuple[n.Function | None, Scope | None]:
        if isinstance(expr, n.Function):
            return expr, scope
        target: Target | None = self.program.resolve(expr, scope)
        if target is not None and isinstance(target.node, n.Function):
            return target.node, target.scope
        return None, None


def takes(service: Service, route: Route) -> Taking:
    """What such a handler takes: the request itself, which it reads by hand."""
    function = route.handler
    assert isinstance(function, n.Function)
    names = frozenset(p.name for p in function.params[:1])
    return Taking(tuple(unnamed(service, route, ())), (Entry(function, route.scope, {}, {}, names, {}),))


def is_functional(route: Route) -> bool:
    """True for a handler that is given the request as a whole."""
    function = route.handler
    assert isinstance(function, n.Function)
    first = dotted(function.params[0].type) if len(function.params) == 1 else None
    return not function.name or (first or "").endswith("ServerRequest")
