"""Routers of Go servers: which values take routes, what hangs on each, and how a client reaches it.

Every framework shares this; it says by `GoRouterWords` what its names are. A router is found by its type wherever it is: a
variable, a parameter, a field of a struct, what a call gives back.
"""

from collections.abc import Iterator

from mappu.frameworks.base import Link, Service
from mappu.frameworks.base_go_sites import (
    ALL,
    Edge,
    Given,
    GoRouterWords,
    Hung,
    Row,
    Site,
    filled,
    key,
    last_name,
    may_make,
    put,
    summands,
)
from mappu.frameworks.base_links import link_of
from mappu.frameworks.base_sites import joined
from mappu.symbols.program import Scope, Target, given_to
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted, own, walk

MAX_STEPS = 12
MAX_PATHS = 16


class Routers:
    """The routers of one service and what hangs on them."""

    def __init__(self, service: Service, words: GoRouterWords) -> None:
        self.service, self.program, self.words = service, service.program, words
        self.sites: dict[int, Site] = {}
        self.edges: dict[int, list[Edge]] = {}
        self.hung: list[Hung] = []
        self.uses: dict[int, list[tuple[tuple[Link, ...], n.Call, Scope]]] = {}
        self._limited: dict[tuple[str, int, int], tuple[n.Expr, ...]] = {}
        self._reaches: dict[int, list[tuple[str, tuple[Link, ...]]]] = {}
        self._edged: set[tuple[int, int]] = set()
        self._stripped: dict[int, str] = {}
        self._none: set[tuple[str, int]] = set()
        self._by_name: dict[str, list[tuple[n.Call, Scope]]] = {}
        # A file, or a function, without any of its names makes no router, hangs nothing on one, and hands none on.
        holding = [top for top in service.scopes if words.hint.search(top.module.source)]
        found = [pair for top in holding for pair in self.program.calls(top, top.module.body, words.hint)]
        for call, scope in found:
            self._by_name.setdefault(last_name(call.func), []).append((call, scope))
            self._note_methods(call, scope)
            self._note_prefix(call, scope)
        known = -1
        while known < len(self.sites):
            # A router handed on may be handed on again.
            known = len(self.sites)
            self._none.clear()
            for call, scope in found:
                self._hand_over(call, scope)
                self._open(call, scope)
        self._none.clear()
        for call, scope in found:
            for row in self._turns(call, scope):
                self._take(filled(call, row), scope, row)

    # --- what hangs where ---------------------------------------------------------------------------------------------

    def _note_methods(self, call: n.Call, scope: Scope) -> None:
        """`.Methods("GET")` behind a route limits it."""
        if isinstance(call.func, n.Member) and call.func.name == self.words.methods:
            inner: n.Expr = call.func.value
            while isinstance(inner, n.Call):
                self._limited.setdefault(key(inner, scope), call.positional)
                inner = inner.func.value if isinstance(inner.func, n.Member) else inner.func

    def _methods(self, call: n.Call, scope: Scope, row: Row) -> tuple[str, ...]:
        """The HTTP methods that a route is limited to behind it."""
        listed = self._limited.get(key(call, scope), ())
        return tuple(m for a in listed if (m := self.method(put(a, row), scope)) is not None)

    def _note_prefix(self, call: n.Call, scope: Scope) -> None:
        """`http.StripPrefix("/api", router)`: the router sees a path without what stands in front."""
        named = last_name(call.func) == "StripPrefix" and len(call.positional) == 2
        if named and self.program.name_of(call.func, scope) == "net/http.StripPrefix":
            site = self.site_of(call.positional[1], scope)
            if site is not None:
                self._stripped[id(site)] = self.path(call.positional[0], scope)

    def method(self, expr: n.Expr, scope: Scope) -> str | None:
        """An HTTP method, as text or by the name that a package gives it."""
        text = self.program.text(expr, scope)
        if text is None:
            name = (self.program.name_of(expr, scope) or "").rpartition(".")[2]
            text = name.removeprefix("Method") if name.startswith("Method") else name if name.isupper() else None
        return text.upper() if text else None

    def _turns(self, call: n.Call, scope: Scope) -> list[Row]:
        """The rows of a table that a call stands in a loop over; one without anything where it stands in none."""
        func = call.func
        if not isinstance(func, n.Member) or func.name not in self.words.all:
            return [{}]
        for expr in (x for a in (*call.args, n.Arg(func)) for x in walk(a.value) if isinstance(x, n.Name)):
            found = self.program.lookup(expr.id, scope)
            binding = found[0][0] if found is not None else None
            if not isinstance(binding, n.Loop) or found is None or not isinstance(binding.over, n.Call):
                continue
            rows = self._table(binding.over.args[0].value, found[1])
            if rows and all(r is not None for r in rows):
                return [{(expr.id, k): v for k, v in r.items()} for r in rows if r is not None]
        return [{}]

    def _table(self, expr: n.Expr, scope: Scope) -> list[dict[str, n.Expr] | None]:
        """The rows of a list of structs written out, by the names of their members."""
        followed = self.program.value(expr, scope)
        if followed is not None and isinstance(followed[0], n.Call):
            # A list of a type with a name of its own.
            listed, holder = followed
            assert isinstance(listed, n.Call)
            target = self.program.resolve(listed.func, holder)
            base = (
                target.node.bases[0].value
                if target is not None and isinstance(target.node, n.Class) and target.node.bases
                else None
            )
            if (
                target is None
                or target.scope is None
                or not isinstance(base, n.Index)
                or any(a.name for a in listed.args)
            ):
                return []
            return [self._row(a.value, holder, base.index, target.scope) for a in listed.args]
        return [self._row(e, s) for e, s in self.program.elements(expr, scope)]

    def _row(
        self, expr: n.Expr, scope: Scope, type_: n.Expr | None = None, holder: Scope | None = None
    ) -> dict[str, n.Expr] | None:  # fmt: skip
        """The members of a struct written out, by name; `type_` is its type where it leaves that out."""
        made = expr.value if isinstance(expr, n.Unary) else expr
        if not isinstance(made, n.Call):
            return None
        if all(a.name is not None for a in made.args):
            return {a.name or "": a.value for a in made.args}
        if isinstance(made.func, n.Opaque) and type_ is not None and holder is not None:
            target = self.program.resolve(type_.index if isinstance(type_, n.Index) else type_, holder)
        else:
            target = self.program.resolve(made.func, scope)
        body = target.node.body if target is not None and isinstance(target.node, n.Class) else ()
        names = [m.name for m in body if isinstance(m, n.Variable)]
        return dict(zip(names, made.positional, strict=False)) if len(names) >= len(made.positional) else None

    def _open(self, call: n.Call, scope: Scope) -> None:
        """A call that hands a router to a function it is given."""
        if isinstance(call.func, n.Member) and call.func.name in self.words.inside and call.args:
            site = self.site_of(call.func.value, scope)
            if site is not None:
                self._hand_inside(site, call, scope)

    def _take(self, call: n.Call, scope: Scope, row: Row) -> None:
        func, words = call.func, self.words
        if not isinstance(func, n.Member) or func.name not in words.all:
            return
        name, args = func.name, call.positional
        site = self.site_of(func.value, scope)
        if site is None:
            return
        if name in words.uses:
            links = tuple(self.link(a, scope) for a in args if not isinstance(a, n.Literal))
            self.uses.setdefault(id(site), []).append((links, call, scope))
        elif name in words.mounts and len(args) > 1:
            child = self.site_of(args[-1], scope)
            if child is not None and child is not site:
                # The standard library hands the whole path on, or what is left of it without a prefix.
                prefix = self._stripped.get(id(child), "") if name in words.plain else self.path(args[0], scope)
                self._edge(child, Edge(site, prefix, (), call, scope))
            elif name not in words.plain:
                self.service.note(call, scope, "what is mounted here could not be followed")
        for given in self._handed_in([(a, scope) for a in args], scope):
            self._hang_given(site, name, given, call, scope, row)

    def _handed_in(self, args: Given, scope: Scope, depth: int = 0) -> list[Given]:
        """The arguments of a call, where a function of the service stands around it that is handed them: once for each call of
        that."""
        own = [p for e, s in args for x in summands(e) if (p := self._param(x, s)) is not None]
        function = own[0][1].owner if own else None
        if not isinstance(function, n.Function) or not function.name or depth > 2:
            return [args]
        names = [p.name for p in function.params]
        shift = 1 if own[0][1].parent is not None and isinstance(own[0][1].parent.owner, n.Class) else 0
        found: list[Given] = []
        for call, holder in self._by_name.get(function.name, ()):
            target = self.program.resolve(call.func, holder)
            if target is None or target.node is not function:
                continue
            given = dict(zip(names[shift:], call.args, strict=False))
            rest = list(call.args[len(names) - shift - 1 :]) if function.params[-1].kind == "rest" else []
            row: Given = []
            for expr, inner in args:
                param = self._param(expr, inner)
                if isinstance(expr, n.Binary):
                    texts = [
                        self.path(given[p[0].name].value, holder) if (p := self._param(x,
                        inner)) is not None and p[0].name in given
                        else self.path(x, inner) for x in summands(expr)
                    ]  # fmt: skip
                    row.append((n.Literal(expr.span, "".join(texts)), inner))
                elif param is None or param[0].name not in given:
                    row.append((expr, inner))
                elif param[0].kind == "rest":
                    row.extend((a.value, holder) for a in rest)
                else:
                    row.append((given[param[0].name].value, holder))
            found.extend(self._handed_in(row, holder, depth + 1))
        return found or [args]

    def _param(self, expr: n.Expr, scope: Scope) -> tuple[n.Param, Scope] | None:
        """The parameter of a function around that an expression names."""
        target = self.program.resolve(expr, scope) if isinstance(expr, n.Name) else None
        if target is None or target.scope is None or not isinstance(target.node, n.Param):
            return None
        return target.node, target.scope

    def _hang_given(self, site: Site, name: str, given: Given, call: n.Call, scope: Scope, row: Row) -> None:
        words = self.words
        if name in words.verbs and given:
            self._hang(site, (words.verbs[name],), given, call, scope)
        elif name in words.named and len(given) > 2:
            first, holder = given[0]
            methods = [self.method(a, s) for a, s in self.program.elements(first, holder)] or [
                self.method(first, holder)
            ]
            self._hang(site, tuple(m for m in methods if m), given[1:], call, scope)
        elif name in words.plain and len(given) > 1 and self.site_of(*given[-1]) is None:
            self._hang(site, self._methods(call, scope, row), given, call, scope)
        elif name in words.ends and given:
            self._end(site, call, scope, row)

    def _hang(self, site: Site, methods: tuple[str, ...], given: Given, call: n.Call, scope: Scope) -> None:
        """Note a route: its path, and the functions behind that."""
        links = [self.link(*h) for h in given[1:]]
        if not links:
            return
        if self.words.first:
            links = [*links[1:], links[0]]
        text = self.path(*given[0])
        found = tuple(m for m in methods if m != ALL)
        verb, blank, rest = text.partition(" ")
        if blank and verb.isupper():
            # The path says the method itself.
            found, text = (verb,), rest.strip()
        if not text.startswith(("/", "<", ":")) and "/" in text and self.words.packages:
            # A host in front of it.
            text = text[text.index("/") :]
        self.hung.append(Hung(site, found, text, tuple(links), call, scope))

    def _end(self, site: Site, call: n.Call, scope: Scope, row: Row) -> None:
        """`r.Methods("GET").Path("/x").HandlerFunc(h)`."""
        inner: n.Expr = call.func
        path = None
        while isinstance(inner, n.Member) and isinstance(inner.value, n.Call):
            chained = inner.value
            inner = chained.func
            if isinstance(inner, n.Member) and inner.name in self.words.paths and chained.positional:
                path = chained.positional[0]
        if path is not None:
            methods = self._methods(call, scope, row) or self._in_chain(call, scope)
            self._hang(site, methods, [(path, scope), *((a, scope) for a in call.positional)], call, scope)

    def _in_chain(self, call: n.Call, scope: Scope) -> tuple[str, ...]:
        inner: n.Expr = call
        while isinstance(inner, n.Call) and isinstance(inner.func, n.Member):
            if inner.func.name == self.words.methods:
                return tuple(m for a in inner.positional if (m := self.method(a, scope)) is not None)
            inner = inner.func.value
        return ()

    def link(self, expr: n.Expr, scope: Scope) -> Link:
        found = link_of(self.program, expr, scope)
        value = expr.value if isinstance(expr, n.Unary) else expr
        if found.function is None and isinstance(value, n.Name | n.Member | n.Call):
            # A value with the method that the standard library calls.
            target = self.program.resolve(value.func if isinstance(value, n.Call) else value, scope)
            made = (
                self.program.class_of(target) if target is not None and not isinstance(target.node, n.Class) else target
            )
            serves = self.program.member(made, "ServeHTTP") if made is not None and made.node is not None else None
            if serves is not None and isinstance(serves.node, n.Function) and serves.scope is not None:
                return Link(expr, scope, serves.node, serves.scope)
        return found

    def path(self, expr: n.Expr, scope: Scope) -> str:
        """A path as text; a part that cannot be told is shown as `<its source>` and listed as unfollowed."""
        found = self.program.text(expr, scope)
        if found is not None:
            return found
        if isinstance(expr, n.Binary) and expr.op == "+":
            return self.path(expr.left, scope) + self.path(expr.right, scope)
        source = scope.module.text(expr)
        self.service.note(expr, scope, f"part of a path is built at run time: {source}")
        return f"<{source}>"

    # --- routers ------------------------------------------------------------------------------------------------------

    def _site(self, key: object, scope: Scope, is_app: bool) -> Site:
        return self.sites.setdefault(id(key), Site(key, scope, is_app))

    def _edge(self, child: Site, edge: Edge) -> None:
        key = (id(child), id(edge.call))
        if key not in self._edged and child is not edge.above:
            self._edged.add(key)
            self.edges.setdefault(id(child), []).append(edge)

    def site_of(self, expr: n.Expr, scope: Scope, steps: int = 0) -> Site | None:
        """Return the router that an expression stands for."""
        if steps > MAX_STEPS:
            return None
        if isinstance(expr, n.Unary):
            return self.site_of(expr.value, scope, steps + 1)
        if isinstance(expr, n.Call):
            return self._called(expr, scope, steps)
        if not isinstance(expr, n.Name | n.Member):
            return None
        key = (dotted(expr) or "", id(scope))
        if key not in self._none:
            found = self._named(expr, scope, steps)
            if found is not None or not key[0]:
                return found
            # Until another router is found, it is none.
            self._none.add(key)
        return None

    def _named(self, expr: n.Expr, scope: Scope, steps: int) -> Site | None:
        target = self.program.resolve(expr, scope)
        if target is None:
            return None
        if target.scope is None or target.is_module:
            # The package itself has one.
            return self._site(target.name, scope, True) if target.name in self.words.packages else None
        node = target.node
        if id(node) in self.sites:
            # Whatever its type says: a router was handed to it.
            return self.sites[id(node)]
        if isinstance(node, n.Variable | n.Assign):
            value = given_to(node, target.name.rpartition(".")[2])
            found = self.site_of(value, target.scope, steps + 1) if value is not None else None
            if found is not None:
                return found
        type_ = node.type if isinstance(node, n.Variable | n.Param) else None
        if type_ is not None and (is_app := self._is_router(type_, target.scope)) is not None:
            return self._site(node, target.scope, is_app and not isinstance(node, n.Param))
        return None

    def _is_router(self, type_: n.Expr, scope: Scope) -> bool | None:
        """Whether a router of that type is reached by itself; None for what is no router."""
        made = self.program.class_of(Target("", n.Param(type_.span, "", type_), scope))
        if made is None:
            return None
        return next((self.words.types[a.name] for a in self.program.ancestry(made) if a.name in self.words.types), None)

    def _called(self, call: n.Call, scope: Scope, steps: int) -> Site | None:
        func, words = call.func, self.words
        name = self.program.name_of(func, scope) or ""
        if name in words.makers:
            return self._site(call, scope, True)
        if name == "net/http.StripPrefix" and len(call.positional) == 2:
            return self.site_of(call.positional[1], scope, steps + 1)
        if isinstance(func, n.Member) and (
            func.name in words.groups or func.name in words.same or func.name in words.paths
        ):
            above = self.site_of(func.value, scope, steps + 1)
            if above is None:
                return None
            if func.name in words.same or func.name in words.paths:
                return above
            if call.positional and isinstance(call.positional[0], n.Function):
                return above
            site = self._site(call, scope, False)
            texts = call.positional[:1] if func.name != "With" else ()
            prefix = self.path(texts[0], scope) if texts else ""
            links = tuple(self.link(a, scope) for a in call.positional[len(texts) :])
            self._edge(site, Edge(above, prefix, links, call, scope))
            return site
        target = self.program.resolve(func.value if isinstance(func, n.Index) else func, scope)
        if target is not None and isinstance(target.node, n.Function) and target.scope is not None:
            inner = self.program.scope_of(target.node, target.scope)
            for stmt in own(*target.node.body):
                if isinstance(stmt, n.Leave) and stmt.kind == "return" and stmt.value is not None:
                    first = stmt.value.items[0] if isinstance(stmt.value, n.Items) and stmt.value.items else stmt.value
                    found = self.site_of(first, inner, steps + 1)
                    if found is not None:
                        return found
        return None

    def _hand_inside(self, site: Site, call: n.Call, scope: Scope) -> None:
        """`r.Route("/x", func(r chi.Router) {…})`, and the same without a path."""
        args = call.positional
        link = link_of(self.program, args[-1], scope)
        if link.function is None or link.holder is None or not link.function.params:
            return
        inner = self.program.scope_of(link.function, link.holder)
        child = self._site(link.function.params[-1], inner, False)
        prefix = self.path(args[0], scope) if len(args) > 1 else ""
        self._edge(child, Edge(site, prefix, (), call, scope))

    def _hand_over(self, call: n.Call, scope: Scope) -> None:
        """A router handed to a function of the service, or kept in a struct: what hangs there, hangs on it."""
        for i, arg in enumerate(call.args):
            if not isinstance(arg.value, n.Name | n.Member | n.Call):
                continue
            if isinstance(arg.value, n.Call) and not may_make(arg.value, self.words):
                continue
            site = self.site_of(arg.value, scope)
            target = self.program.resolve(call.func, scope) if site is not None else None
            if site is None or target is None or target.scope is None:
                continue
            target = self.program.method(target, len(call.args))
            if target.scope is None:
                continue
            if isinstance(target.node, n.Class):
                kept = self.program.member(target, arg.name) if arg.name is not None else None
                if kept is not None and isinstance(kept.node, n.Variable) and kept.scope is not None:
                    self._edge(self._site(kept.node, kept.scope, False), Edge(site, "", (), call, scope))
            if not isinstance(target.node, n.Function):
                continue
            position = i + (1 if isinstance(target.scope.owner, n.Class) else 0)
            if position < len(target.node.params):
                inner = self.program.scope_of(target.node, target.scope)
                param = target.node.params[position]
                self._edge(self._site(param, inner, False), Edge(site, "", (), call, scope))

    # --- ways to a router ---------------------------------------------------------------------------------------------

    def reaches(self, site: Site, around: tuple[Site, ...] = ()) -> list[tuple[str, tuple[Link, ...]]]:
        """Return every way a client gets to a router: the path in front, and the functions on the way."""
        if id(site) in self._reaches:
            return self._reaches[id(site)]
        edges = [e for e in self.edges.get(id(site), ()) if e.above is not site and e.above not in around]
        own = self._stripped.get(id(site), "")
        found: list[tuple[str, tuple[Link, ...]]] = [(own, ())] if not edges else []
        for edge in edges:
            for prefix, links in self.reaches(edge.above, (*around, site)):
                way = (*links, *self.before(edge.above, edge.call, edge.scope), *edge.links)
                found.append((joined(prefix, edge.prefix) if edge.prefix.strip("/") or prefix else "", way))
        if not around:
            self._reaches[id(site)] = found[:MAX_PATHS]
        return found[:MAX_PATHS]

    def is_lost(self, site: Site) -> bool:
        """True for a router that hangs below none that is reached by itself."""
        return not site.is_app and not self.edges.get(id(site))

    def before(self, site: Site, call: n.Call, scope: Scope) -> Iterator[Link]:
        """Yield the functions that a router puts in front of what a call hangs on it."""
        for links, used, holder in self.uses.get(id(site), ()):
            if holder.module is not scope.module or used.span.end < call.span.end:
                yield from links
