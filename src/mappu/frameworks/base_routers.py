"""Routers of JavaScript servers: which objects take routes, what hangs on each and in which order, and how a client reaches it.

Every framework that is written as `router.get(path, …functions)` shares this; it says by `RouterWords` what its names are.
"""

import re
from collections.abc import Iterable, Iterator
from weakref import WeakKeyDictionary

import msgspec

from mappu.frameworks.base import Link, Service
from mappu.frameworks.base_links import link_of
from mappu.frameworks.base_sites import (
    METHODS,
    Env,
    Event,
    Reach,
    RouterWords,
    Site,
    Use,
    answers_errors,
    is_pattern,
    joined,
)
from mappu.symbols.program import Scope, Target, given_to
from mappu.syntax import nodes as n
from mappu.syntax.walk import own, walk

MAX_STEPS = 12
MAX_PATHS = 16
# Names under which a router is handed to a function whose parameter has no type.
_NAMES = re.compile(
    r"^(app|application|server|router|routes?|fastify|instance|api|web|express|hono|koa|\w+Router|\w+App)$"
)


class RouterFramework:
    """A framework whose routes hang on routers; its class says in `router_words` what they are called. What was read of a
    service is kept while the service is."""

    language = "javascript"
    router_words: RouterWords

    def __init__(self) -> None:
        self._routers: WeakKeyDictionary[Service, Routers] = WeakKeyDictionary()

    def routers(self, service: Service) -> "Routers":
        if service not in self._routers:
            self._routers[service] = Routers(service, self.router_words)
        return self._routers[service]


class Routers:
    """The sites of one service and what hangs on them."""

    def __init__(self, service: Service, words: RouterWords) -> None:
        self.service, self.program, self.words = service, service.program, words
        self.sites: dict[int, Site] = {}
        self.events: list[Event] = []
        self.edges: list[tuple[Site, Site, Event]] = []
        self.lost_mounts = False
        self._links: dict[int, list[Link]] = {}
        self._reaches: dict[int, list[Reach]] = {}
        self._around: dict[int, tuple[n.Call, Scope]] = {}
        self._calls_of: dict[int, list[tuple[n.Call, Scope]]] = {}
        holding = [top for top in service.scopes if _MAY_HOLD.search(top.module.source)]
        found = [pair for top in holding for pair in self.calls(top, top.module.body)]
        known = -1
        while known < len(self.sites):
            # A router handed on may be handed on again.
            known = len(self.sites)
            self.edges.clear()
            for call, scope in found:
                self._handed(call, scope)
        for call, scope in found:
            self._take(call, scope)
        self.events.sort(key=lambda e: e.order)
        self._join()

    # --- collecting ---------------------------------------------------------------------------------------------------

    def calls(self, scope: Scope, body: Iterable[n.Stmt | n.Expr]) -> Iterator[tuple[n.Call, Scope]]:
        """Yield every call in a body and in the functions inside, with the scope it stands in."""
        for node in own(*body, classes=False):
            if isinstance(node, n.Function | n.Class):
                source = scope.module.source
                if any(source.find(w, node.span.start, node.span.end) >= 0 for w in _CALLED):
                    yield from self.calls(self.program.scope_of(node, scope), node.body)
            elif isinstance(node, n.Call):
                for arg in node.args:
                    if isinstance(arg.value, n.Function):
                        self._around[id(arg.value)] = (node, scope)
                yield node, scope

    def _take(self, call: n.Call, scope: Scope) -> None:
        func = call.func
        if not isinstance(func, n.Member):
            return
        name = func.name
        known = name in METHODS or name in self.words.mounts or name in self.words.plugins or name in _OTHERS
        if not known or not call.args:
            return
        for env in self._environments(call, scope):
            found = self.site_of(func.value, scope, env)
            if found is None:
                return
            site, below = found
            args = self._flat(call, scope, env)
            path = ""
            if name not in _PATHLESS and args and self._is_path(*args[0]):
                path = self.path_text(*args.pop(0), call, scope, env)
            elif name in METHODS and not below:
                # One argument, or no path: a setting that is read, not a route.
                return
            self.events.append(Event(site, name, below + path, call, scope, args, env))

    def _handed(self, call: n.Call, scope: Scope) -> None:
        """A router handed to a function of the service: what that hangs on its parameter, it hangs on the router."""
        if isinstance(call.func, n.Member) and call.func.name in self.words.plugins and call.args:
            link = link_of(self.program, call.args[0].value, scope)
            if link.function is not None and link.holder is not None and self.site_of(call.func.value, scope, {}):
                self._param_site(link.function, 0, link.holder)
        for i, arg in enumerate(call.args):
            if not isinstance(arg.value, n.Name | n.Member):
                continue
            last = arg.value.name if isinstance(arg.value, n.Member) else arg.value.id
            if not _NAMES.match(last):
                continue
            found = self.site_of(arg.value, scope, {})
            target = self.program.resolve(call.func, scope) if found is not None else None
            if found is None or target is None or not isinstance(target.node, n.Function) or target.scope is None:
                continue
            child = self._param_site(target.node, i, target.scope)
            if child is not None and child is not found[0]:
                self._calls_of.setdefault(id(target.node), []).append((call, scope))
                event = Event(found[0], "use", found[1], call, scope, [])
                self.edges.append((found[0], child, event))

    def _param_site(self, function: n.Function, position: int, scope: Scope) -> Site | None:
        if position >= len(function.params):
            return None
        param = function.params[position]
        if id(param) not in self.sites:
            inner = self.program.scope_of(function, scope)
            self.sites[id(param)] = Site(param, inner, False, is_param=True)
        return self.sites[id(param)]

    def _flat(self, call: n.Call, scope: Scope, env: Env) -> list[tuple[n.Expr, Scope]]:
        """The arguments, lists among them taken apart."""
        found: list[tuple[n.Expr, Scope]] = []
        for arg in call.args:
            expr, holder = (
                env.get(arg.value.id, (arg.value, scope)) if isinstance(arg.value, n.Name) else (arg.value, scope)
            )
            expr, holder = self._entry(expr, holder, env)
            elements = (
                self.program.elements(expr, holder) if not isinstance(expr, n.Function | n.Call | n.Literal) else []
            )
            found.extend(elements if elements else [(expr, holder)])
        return found

    def _entry(self, expr: n.Expr, scope: Scope, env: Env) -> tuple[n.Expr, Scope]:
        """`route.path`, where `route` stands for an object written out."""
        if isinstance(expr, n.Member) and isinstance(expr.value, n.Name) and expr.value.id in env:
            held, holder = env[expr.value.id]
            followed = self.program.value(held, holder)
            if followed is not None and isinstance(followed[0], n.Entries):
                for key, value in followed[0].entries:
                    if isinstance(key, n.Literal) and key.value == expr.name:
                        return value, followed[1]
        return expr, scope

    def _environments(self, call: n.Call, scope: Scope) -> list[Env]:
        """What the names of a call stand for, one environment a turn, where it stands in a loop over a list written out."""
        for name in {x.id for a in call.args for x in walk(a.value) if isinstance(x, n.Name)}:
            found = self.program.lookup(name, scope)
            binding = found[0][0] if found is not None else None
            if isinstance(binding, n.Loop) and binding.over is not None and isinstance(binding.target, n.Name):
                turns = self.program.elements(binding.over, found[1] if found is not None else scope)
                if turns:
                    return [{name: turn} for turn in turns]
            if isinstance(binding, n.Param) and found is not None and isinstance(found[1].owner, n.Function):
                around = self._around.get(id(found[1].owner))
                if (
                    around is not None
                    and isinstance(around[0].func, n.Member)
                    and around[0].func.name in ("forEach", "map")
                ):
                    turns = self.program.elements(around[0].func.value, around[1])
                    if turns and found[1].owner.params[0] is binding:
                        return [{binding.name: turn} for turn in turns]
        return [{}]

    # --- sites --------------------------------------------------------------------------------------------------------

    def site_of(self, expr: n.Expr, scope: Scope, env: Env, steps: int = 0) -> tuple[Site, str] | None:
        """Return the site an expression stands for, with the path below it where it is a part of one."""
        if steps > MAX_STEPS:
            return None
        expr, scope = self._entry(expr, scope, env)
        if isinstance(expr, n.Name) and expr.id in env:
            expr, scope = env[expr.id]
        if isinstance(expr, n.Bind):
            expr = expr.value
        if isinstance(expr, n.Call):
            return self._called(expr, scope, env, steps)
        if not isinstance(expr, n.Name | n.Member):
            return None
        target = self.program.resolve(expr, scope)
        if target is None and isinstance(expr, n.Member) and _NAMES.match(expr.name):
            return self._handed_in(expr, scope)
        if target is None or target.scope is None:
            return None
        node = target.node
        if isinstance(node, n.Variable | n.Assign):
            value = given_to(node, target.name.rpartition(".")[2])
            if value is None and isinstance(node, n.Variable):
                value, holder = self._set_later(node, target.scope)
                if value is not None:
                    return self.site_of(value, holder, {}, steps + 1)
                return (self._declared(node, target.scope), "") if self._is_typed(node.type, target.scope) else None
            return self.site_of(value, target.scope, {}, steps + 1) if value is not None else None
        if isinstance(node, n.Param) and isinstance(target.scope.owner, n.Function):
            if id(node) in self.sites:
                return self.sites[id(node)], ""
            if self._is_typed(node.type, target.scope) or (node.type is None and _NAMES.match(node.name)):
                position = target.scope.owner.params.index(node)
                around = target.scope.parent
                found = self._param_site(target.scope.owner, position, around) if around is not None else None
                return (found, "") if found is not None else None
        return None

    def _handed_in(self, expr: n.Member, scope: Scope) -> tuple[Site, str] | None:
        """`args.app`, where `args` is a parameter: a router handed in inside something else."""
        found = self.program.lookup(expr.value.id, scope) if isinstance(expr.value, n.Name) else None
        param = found[0][0] if found is not None else None
        if not isinstance(param, n.Param) or found is None:
            return None
        key = hash((id(param), expr.name))
        return self.sites.setdefault(key, Site(param, found[1], False, is_param=True)), ""

    def _set_later(self, node: n.Variable, scope: Scope) -> tuple[n.Expr | None, Scope]:
        """The value of a name or member that is declared first and given one afterwards."""
        for binding in scope.names.get(node.name, ()):
            if isinstance(binding, n.Assign):
                return binding.value, scope
        if isinstance(scope.owner, n.Class) and scope.parent is not None:
            target = Target(scope.owner.name, scope.owner, scope.parent)
            found = self.program.set_on_self(target, node.name)
            if found is not None and isinstance(found.node, n.Assign) and found.scope is not None:
                return found.node.value, found.scope
        return None, scope

    def _is_typed(self, type_: n.Expr | None, scope: Scope) -> bool:
        name = self.program.name_of(type_.value if isinstance(type_, n.Index) else type_, scope) if type_ else None
        return name in self.words.types

    def _declared(self, node: n.Node, scope: Scope) -> Site:
        return self.sites.setdefault(id(node), Site(node, scope, False))

    def _called(self, call: n.Call, scope: Scope, env: Env, steps: int) -> tuple[Site, str] | None:
        func = call.func
        name = self.program.name_of(func, scope) or ""
        if name in self.words.apps or name in self.words.routers:
            if id(call) not in self.sites:
                prefix = self._option(call, scope)
                self.sites[id(call)] = Site(call, scope, name in self.words.apps, prefix)
            return self.sites[id(call)], ""
        if isinstance(func, n.Member):
            if func.name in self.words.below and call.positional and len(call.args) == 1:
                found = self.site_of(func.value, scope, env, steps + 1)
                if found is None:
                    return None
                expr, holder = self._flat(call, scope, env)[0]
                return found[0], found[1] + self.path_text(expr, holder, call, scope)
            if (
                func.name in self.words.same
                or func.name in METHODS
                or func.name in _OTHERS
                or func.name in self.words.mounts
            ):
                return self.site_of(func.value, scope, env, steps + 1)
        target = self.program.resolve(func, scope)
        if target is not None and isinstance(target.node, n.Function) and target.scope is not None:
            return self._made_by(call, target.node, target.scope, scope, steps)
        return None

    def _made_by(
        self, call: n.Call, function: n.Function, holder: Scope, scope: Scope, steps: int
    ) -> tuple[Site, str] | None:
        """The router that a function of the service gives back: each call makes one of its own, below which whatever the
        function itself has hung on it is reached."""
        if id(call) in self.sites:
            return self.sites[id(call)], ""
        inner = self.program.scope_of(function, holder)
        for stmt in own(*function.body):
            if isinstance(stmt, n.Leave) and stmt.kind == "return" and stmt.value is not None:
                found = self.site_of(stmt.value, inner, {}, steps + 1)
                if found is not None:
                    made = Site(call, scope, found[0].is_app)
                    self.sites[id(call)] = made
                    self.edges.append((made, found[0], Event(made, "use", "", call, scope, [])))
                    return made, found[1]
        return None

    def _option(self, call: n.Call, scope: Scope) -> str:
        """The prefix among the options a router is made with."""
        if self.words.prefix_option is None or not call.positional:
            return ""
        followed = self.program.value(call.positional[0], scope)
        for key, value in followed[0].entries if followed is not None and isinstance(followed[0], n.Entries) else ():
            if isinstance(key, n.Literal) and key.value == self.words.prefix_option and followed is not None:
                return self.path_text(value, followed[1], call, scope)
        return ""

    # --- paths --------------------------------------------------------------------------------------------------------

    def _is_path(self, expr: n.Expr, scope: Scope) -> bool:
        if isinstance(expr, n.Literal | n.Template):
            return isinstance(expr, n.Template) or isinstance(expr.value, str)
        if isinstance(expr, n.Call):
            return is_pattern(expr)
        if isinstance(expr, n.Binary):
            return expr.op == "+"
        if isinstance(expr, n.Name | n.Member):
            followed = self.program.value(expr, scope)
            return followed is not None and followed[0] is not expr and self._is_path(*followed)
        return False

    def path_text(self, expr: n.Expr, scope: Scope, at: n.Node, holder: Scope, env: Env | None = None) -> str:
        """Return a path as text; a part that cannot be told is shown as `<its source>` and listed as unfollowed."""
        if isinstance(expr, n.Name) and env and expr.id in env:
            expr, scope = env[expr.id]
        found = self.program.text(expr, scope)
        if found is not None:
            return found
        given = self._given(expr, scope)
        if given is not None:
            return self.path_text(*given, at, holder)
        followed = self.program.value(expr, scope) if isinstance(expr, n.Name | n.Member) else None
        if followed is not None and followed[0] is not expr:
            return self.path_text(*followed, at, holder)
        if isinstance(expr, n.Template | n.Binary):
            parts = expr.parts if isinstance(expr, n.Template) else (expr.left, expr.right)
            return "".join(self.path_text(p, scope, at, holder, env) for p in parts)
        if isinstance(expr, n.Binary) and expr.op == "or":
            return self.path_text(expr.right, scope, at, holder)
        source = scope.module.text(expr)
        what = "a path is given as a pattern" if is_pattern(expr) else "part of a path is built at run time"
        self.service.note(at, holder, f"{what}: {source}")
        return f"<{source}>"

    def _given(self, expr: n.Expr, scope: Scope) -> tuple[n.Expr, Scope] | None:
        """What a parameter is given where its function is called with a router, if that is one and the same everywhere."""
        target = self.program.resolve(expr, scope) if isinstance(expr, n.Name) else None
        if target is None or not isinstance(target.node, n.Param) or target.scope is None:
            return None
        function = target.scope.owner
        calls = self._calls_of.get(id(function), [])
        if not isinstance(function, n.Function) or len({id(c) for c, _ in calls}) != 1:
            return None
        position = function.params.index(target.node)
        call, holder = calls[0]
        return (call.positional[position], holder) if position < len(call.positional) else None

    # --- how sites are reached ----------------------------------------------------------------------------------------

    def _join(self) -> None:
        """Find which events hang a site below another."""
        for event in list(self.events):
            if event.method not in self.words.mounts and event.method not in self.words.plugins:
                continue
            for expr, scope in event.args:
                found = self.site_of(expr, scope, event.env)
                if found is not None:
                    inner = msgspec.structs.replace(event, path=event.path + found[1]) if found[1] else event
                    self.edges.append((event.site, found[0], inner))
                elif event.method in self.words.plugins:
                    self._plugin(event, expr, scope)
                elif isinstance(expr, n.Call | n.Index) and _looks_like_routes(expr, scope):
                    self.lost_mounts = True

    def _plugin(self, event: Event, expr: n.Expr, scope: Scope) -> None:
        """A function that is called with the router, to hang routes on it."""
        link = link_of(self.program, expr, scope)
        if link.function is None or link.holder is None:
            if not isinstance(expr, n.Entries):
                self.lost_mounts = self.lost_mounts or isinstance(expr, n.Call)
            return
        child = self._param_site(link.function, 0, link.holder)
        if child is not None:
            prefix = next(
                (self._entries_text(e, s, "prefix", event) for e, s in event.args if isinstance(e, n.Entries)), ""
            )
            self.edges.append((event.site, child, msgspec.structs.replace(event, path=event.path + prefix)))

    def _entries_text(self, expr: n.Expr, scope: Scope, name: str, event: Event) -> str:
        for key, value in expr.entries if isinstance(expr, n.Entries) else ():
            if isinstance(key, n.Literal) and key.value == name:
                return self.path_text(value, scope, event.call, event.scope)
        return ""

    def reaches(self, site: Site, inside: tuple[Site, ...] = ()) -> list[Reach]:
        """Return every way a client gets to a site; none for a router that hangs below no app."""
        if id(site) in self._reaches and not inside:
            return self._reaches[id(site)]
        above = [(p, e) for p, c, e in self.edges if c is site and p not in inside and p is not site]
        found: list[Reach] = []
        if site.is_app and not above:
            found = [Reach(site.prefix, whole=b".listen(" in site.scope.module.source)]
        for parent, event in above:
            for reach in self.reaches(parent, (*inside, site)):
                uses = (
                    *reach.uses,
                    *self.uses_before(parent, reach.prefix, event),
                    *self._own_uses(event, reach.prefix),
                )
                found.append(Reach(joined(reach.prefix, event.path, site.prefix), uses, reach.whole))
        if not inside:
            self._reaches[id(site)] = found[:MAX_PATHS]
        return found[:MAX_PATHS]

    def uses_before(self, site: Site, prefix: str, event: Event) -> list[Use]:
        """What hangs on a site in front of an event."""
        found = []
        for each in self.events:
            if (
                each.site is site
                and each.method in ("use", "all")
                and each is not event
                and self._is_before(each, event)
            ):
                links = tuple(x for x in self.links(each) if not answers_errors(x))
                if each.method == "all" and not any(_goes_on(x) for x in links):
                    continue
                if links:
                    found.append(Use(joined(prefix, each.path), links, each))
        return found

    def _is_before(self, one: Event, other: Event) -> bool:
        if one.scope.module is other.scope.module:
            return one.call.span.end < other.call.span.end
        # In other files: what a file hangs on a router it was handed comes with the call that hands it over.
        return True

    def _own_uses(self, event: Event, prefix: str) -> list[Use]:
        """The functions that stand beside a router where it is hung."""
        links = tuple(
            x for x in self.links(event) if x.function is not None or self.site_of(x.expr, x.scope, {}) is None
        )
        links = tuple(x for x in links if not answers_errors(x))
        return [Use(joined(prefix, event.path), links, event)] if links and event.method in self.words.mounts else []

    # --- functions ----------------------------------------------------------------------------------------------------

    def links(self, event: Event) -> list[Link]:
        """The functions given to an event, routers left out."""
        if id(event) not in self._links:
            found = []
            for expr, scope in event.args:
                if isinstance(expr, n.Literal | n.Entries) or self.site_of(expr, scope, event.env) is not None:
                    continue
                found.append(link_of(self.program, expr, scope))
            self._links[id(event)] = found
        return self._links[id(event)]


def _goes_on(link: Link) -> bool:
    """True for a function that may hand on to what comes after it."""
    return link.function is None or len(link.function.params) >= 3 or link.made_by is not None


def _looks_like_routes(expr: n.Expr, scope: Scope) -> bool:
    """True for something made at run time that may well hold routes."""
    return "rout" in scope.module.text(expr).lower() or "require(" in scope.module.text(expr)


# Methods beside verbs and mounts that hang something on a site, and those of them that take no path.
_OTHERS = frozenset({"all", "route", "param", "addHook", "on", "setErrorHandler", "onError", "prefix", "ws"})
_PATHLESS = frozenset({"param", "addHook", "setErrorHandler", "onError", "prefix"})
# A file without any of these makes no router, hangs nothing on one, and hands none on.
_MAY_HOLD = re.compile(
    rb"(?:express|Router|Hono|Koa|astify)\s*\(|"
    rb"(?:outer|pp|erver|astify|nstance|api|outes?)\s*\.\s*(?:get|post|put|patch|delete|del|all|use|route|register)\(|"
    rb"\)\s*\.\s*(?:get|post|put|patch|delete|all|use)\(|\(\s*(?:app|router|server|fastify)\s*[,)]"
)
_CALLED = (
    *(f".{m}(".encode() for m in (*METHODS, *_OTHERS, "use", "route", "register", "routes")),
    b"express(", b"Router(", b"fastify(", b"Hono(", b"Koa(", b"(app", b"(router", b"(server", b"(fastify", b"app)", b"outer)",
)  # fmt: skip
