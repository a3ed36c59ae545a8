"""Frameworks of Go whose routes hang on routers: their endpoints, what each takes and what runs on it."""

from collections.abc import Iterable, Iterator, Mapping
from weakref import WeakKeyDictionary

from mappu.flow.words import Entry
from mappu.frameworks.base import Link, Ran, Route, Service, Taken, Taking
from mappu.frameworks.base_go_routers import Routers
from mappu.frameworks.base_go_sites import ALL, GoRouterWords, Hung
from mappu.frameworks.base_paths import braces, curly, path_parameters
from mappu.frameworks.base_sites import joined, stub
from mappu.inventory.model import RunBy
from mappu.symbols.program import Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted, walk

_VERBS = ("GET", "HEAD", "POST", "PUT", "PATCH", "DELETE", "OPTIONS")


class GoFramework:
    """A framework of this kind; its module says the names. `contexts` are the types of what is request and response in one, or of
    the response alone; `requests` those of the request. What was read of a service is kept while the service is."""

    language = "go"
    name: str
    # Words one of which every file with a route holds: what it imports.
    tokens: tuple[bytes, ...]
    router_words: GoRouterWords
    contexts: frozenset[str]
    requests: frozenset[str] = frozenset()
    # True where parameters of a path stand in braces.
    curly: bool = False

    def __init__(self) -> None:
        self._routers: WeakKeyDictionary[Service, Routers] = WeakKeyDictionary()

    def routers(self, service: Service) -> Routers:
        if service not in self._routers:
            self._routers[service] = Routers(service, self.router_words)
        return self._routers[service]

    def used(self, service: Service) -> bool:
        return any(t in s.module.source for s in service.scopes for t in self.tokens)

    # --- routes -------------------------------------------------------------------------------------------------------

    def routes(self, service: Service) -> Iterable[Route]:
        """Every route that hangs on a router of this framework."""
        if not self.used(service):
            return
        routers = self.routers(service)
        any_app = any(s.is_app for s in routers.sites.values())
        for hung in routers.hung:
            if routers.is_lost(hung.site):
                what = "nothing hangs it on a server" if any_app else "no server is"
                said = f"this router's prefix may be incomplete: {what} in the source"
                service.note(hung.call, hung.scope, said)
            yield from self._routes(service, routers, hung)

    def _routes(self, service: Service, routers: Routers, hung: Hung) -> Iterator[Route]:
        last = hung.links[-1]
        if last.function is None or last.holder is None:
            if self._is_library(service, last):
                return
            service.note(hung.call, hung.scope, "the handler here could not be followed")
            last = stub(service.program, last)
        assert last.function is not None
        assert last.holder is not None
        methods = hung.methods or self.methods_in(service, last)
        for prefix, links in routers.reaches(hung.site):
            path = joined(prefix, hung.path) or "/"
            if hung.path.endswith("/") and len(path) > 1:
                path += "/"
            shown, rules = self.shown(path)
            way = (*links, *routers.before(hung.site, hung.call, hung.scope), *hung.links[:-1], last)
            symbol = last.function.name or "anonymous"
            for method in methods:
                yield Route(self.name, "http", method, shown, last.function, last.holder, symbol, links=way,
                            path_rules={k: v for k, v in rules.items() if v})  # fmt: skip

    def shown(self, path: str) -> tuple[str, dict[str, str]]:
        """A path with its parameters in braces, and the patterns of those that are limited in it."""
        if not self.curly:
            return braces(path)
        shown, rules = curly(path)
        # The router anchors them by itself.
        return shown, {name: f"^(?:{p})$" if "|" in p else f"^{p}$" for name, p in rules.items() if p}

    def _is_library(self, service: Service, link: Link) -> bool:
        """True for a handler that a package brings: what it takes is the package's own affair."""
        expr = link.expr.func if isinstance(link.expr, n.Call) else link.expr
        target = service.program.resolve(expr, link.scope)
        if target is not None and target.scope is not None and not isinstance(target.node, n.Function):
            target = service.program.class_of(target)
        return target is not None and target.scope is None

    def methods_in(self, service: Service, link: Link) -> tuple[str, ...]:
        """The HTTP methods that a handler tells apart by itself, where its route does not."""
        assert link.function is not None
        assert link.holder is not None
        inner = service.program.scope_of(link.function, link.holder)
        found: list[str] = []
        routers = self.routers(service)
        for node in walk(*link.function.body):
            asked: tuple[n.Expr, ...] = ()
            if isinstance(node, n.Switch) and _is_method(node.subject):
                asked = tuple(p for c in node.cases for p in c.patterns)
            elif isinstance(node, n.Binary) and node.op in ("==", "!=") and _is_method(node.left):
                asked = (node.right,)
            found.extend(m for a in asked if (m := routers.method(a, inner)) in _VERBS)
        kept = [m for m in dict.fromkeys(found) if m != "OPTIONS"]
        return tuple(kept) or (ALL,)

    # --- what they take and what runs ---------------------------------------------------------------------------------

    def takes(self, service: Service, route: Route) -> Taking:
        """The parameters of the path, and the functions on the way that are the service's own."""
        entries = [e for link in route.links if (e := self.entry(service, link)) is not None]
        method = n.Literal(route.handler.span, route.method)
        known: Mapping[str, n.Literal] = {"method": method, "Method": method} if route.method != ALL else {}
        return Taking(tuple(path_parameters(service, route)), tuple(entries), known=known)

    def entry(self, service: Service, link: Link) -> Entry | None:
        function, holder = link.function, link.holder
        if function is None or holder is None:
            return None
        replies, requests, types = set[str](), set[str](), dict[str, Target]()
        inner = service.program.scope_of(function, holder)
        for param in function.params:
            made = service.program.class_of(Target(param.name, param, inner))
            if made is None:
                continue
            names = {a.name for a in service.program.ancestry(made)}
            if names & self.contexts:
                replies.add(param.name)
            elif names & self.requests:
                requests.add(param.name)
            else:
                types[param.name] = made
        if not replies and not requests and function.body:
            return None
        return Entry(
            function, holder, {}, types, frozenset(requests), {}, replies=frozenset(replies), made_by=link.made_by
        )

    def runs(self, service: Service, route: Route, taken: Taken) -> Ran:
        """The router checks what the path says of its parameters; all else is up to the handler."""
        declared = taken.declared
        if not taken.shape.rules:
            return Ran(None)
        return Ran(RunBy("router", declared.file, declared.line, declared.text or ""))


def _is_method(expr: n.Expr) -> bool:
    return isinstance(expr, n.Member) and expr.name == "Method" and (dotted(expr) or "").count(".") <= 2
