"""Apps and routers: where they are made, what is hung on them, and the paths they are reached by."""

from collections.abc import Iterator, Mapping, Sequence

import msgspec

from mappu.frameworks.base import Dependency, Service
from mappu.symbols.program import Binding, Scope, Target, given_to
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted, own, walk

APPS = frozenset({"fastapi.FastAPI", "fastapi.applications.FastAPI"})
ROUTERS = frozenset({"fastapi.APIRouter", "fastapi.routing.APIRouter"})
# Every file that makes an app or a router, or hangs something on one, holds one of these.
TOKENS = (b"fastapi", b"FastAPI", b"APIRouter", b"include_router", b"add_api_route", b"@router.", b"_router.", b"@app.")
# A function's body is looked into only where it holds one of these: it makes, hangs or decorates something.
HANGING = (b"FastAPI", b"APIRouter", b"include_router", b"add_api_route", b"add_route", b"mount(", b"exception_handler",
           b"websocket", b"@")  # fmt: skip
# Methods that hang a route on a site where they stand as a decorator, and the other ones of interest.
METHODS = frozenset({"get", "put", "post", "delete", "options", "head", "patch", "trace"})
VERBS = METHODS | {"api_route"}
ADDING = frozenset({"add_api_route", "add_route", "route"})
SOCKETS = frozenset({"websocket", "websocket_route", "add_api_websocket_route", "add_websocket_route"})
OTHERS = ADDING | SOCKETS | {"include_router", "mount", "exception_handler", "add_exception_handler"}
MAX_STEPS = 30
MAX_INHERITED = 5
MAX_CALLERS = 2
MAX_PATHS = 200
_ENVIRONMENT = frozenset({"os.getenv", "os.environ.get"})

# Names standing for something else here: loop variables and parameters.
Env = Mapping[str, tuple[n.Expr, Scope]]


class Site(msgspec.Struct, eq=False):
    """An app or a router: the call that makes it and where that stands."""

    call: n.Call
    scope: Scope
    is_app: bool


class Inclusion(msgspec.Struct, frozen=True, eq=False):
    """One site hung below another, with the prefix and the dependencies that go with it."""

    parent: Site
    child: Site
    prefix: str
    before: tuple[Dependency, ...]


class Reach(msgspec.Struct, frozen=True, eq=False):
    """One way a site is reached: the whole prefix, and everything that runs before its routes, outermost first."""

    prefix: str
    before: tuple[Dependency, ...]


class Use(msgspec.Struct, frozen=True, eq=False):
    """A method called on a site: as a decorator's call or as a statement, with the names that stand for others and, for
    a decorator, the function below it and the scope where that stands."""

    site: Site
    call: n.Call
    scope: Scope
    env: Env
    function: tuple[n.Function, Scope] | None = None


class Sites:
    """All apps and routers of one service."""

    def __init__(self, service: Service) -> None:
        self.service = service
        self.program = service.program
        self._made: dict[tuple[str, int], Site] = {}
        self._found: dict[tuple[int, int, str], list[Site]] = {}
        self._calls: dict[str, list[tuple[n.Call, Scope]]] = {}
        self.uses: list[Use] = []
        self.inclusions: list[Inclusion] = []
        self.lost_includes = False
        self._collect()

    @property
    def all(self) -> list[Site]:
        return list(self._made.values())

    # --- finding ------------------------------------------------------------------------------------------------------

    def _below(self, top: Scope, words: tuple[bytes, ...], inside: tuple[bytes, ...]) -> Iterator[Scope]:
        """Yield the scope of a file whose source holds one of the words, and of its functions that hold one of `inside`."""
        if any(word in top.module.source for word in words):
            yield top
            for function, holder in self.program.functions(top, inside):
                yield self.program.scope_of(function, holder)

    def _collect(self) -> None:
        calls: list[Use] = []
        constructors = self._constructors()
        for top in (s for file in self.service.scopes for s in self._below(file, TOKENS, HANGING)):
            for node, below, scope in self._own_calls(top, HANGING):
                hung, handler = node, (below, scope) if below is not None else None
                if isinstance(node.func, n.Call):
                    # `router.get("/x")(function)`: a decorator called by hand.
                    hung, handler = node.func, self._function(node.positional, scope)
                if (dotted(node.func) or "").rpartition(".")[2] in constructors:
                    self._made_here(node, scope)
                elif not isinstance(hung.func, n.Member):
                    continue
                elif hung.func.name in OTHERS or (hung.func.name in VERBS and handler is not None):
                    for env in self._environments(hung, scope):
                        for site in self.sites(hung.func.value, scope, env):
                            calls.append(Use(site, hung, scope, env, handler))
        for use in calls:
            assert isinstance(use.call.func, n.Member)
            if use.call.func.name in ("include_router", "mount"):
                self._include(use, use.call.func.name)
            else:
                self.uses.append(use)

    def _own_calls(self, scope: Scope, words: tuple[bytes, ...]) -> Iterator[tuple[n.Call, n.Function | None, Scope]]:
        """Yield the calls of a scope, and of the classes in it that hold one of the words, without those inside the functions
        declared there, each with the scope it stands in; the calls of a function's decorators come with the function."""
        body = scope.owner.body if scope.owner is not None else scope.module.body
        for node in own(*body, classes=False):
            if isinstance(node, n.Class):
                span = node.span
                if any(scope.module.source.find(word, span.start, span.end) >= 0 for word in words):
                    yield from self._own_calls(self.program.scope_of(node, scope), words)
            elif isinstance(node, n.Function):
                yield from ((mark.as_call(), node, scope) for mark in node.marks)
            elif isinstance(node, n.Call):
                yield node, None, scope

    def _constructors(self) -> set[str]:
        """The names by which the service's files call what makes an app or a router, classes of its own included."""
        names = {name.rpartition(".")[2] for name in APPS | ROUTERS}
        for _ in range(MAX_INHERITED):
            before = len(names)
            for top in self.service.scopes:
                for name, bindings in top.names.items():
                    if any(_stands_for(b, names) for b in bindings):
                        names.add(name)
            if len(names) == before:
                break
        return names

    def _function(self, given: tuple[n.Expr, ...], scope: Scope) -> tuple[n.Function, Scope] | None:
        target = self.program.resolve(given[0], scope) if given else None
        if target is None or not isinstance(target.node, n.Function) or target.scope is None:
            return None
        return target.node, target.scope

    def _include(self, use: Use, method: str) -> None:
        call, scope, env = use.call, use.scope, use.env
        child_expr = call.argument(0, "router") if method == "include_router" else call.argument(1, "app")
        children = self.sites(child_expr, scope, env)
        prefix_expr = call.keyword("prefix") if method == "include_router" else call.argument(0, "path")
        if not children:
            if method == "include_router":
                self.lost_includes = True
                self.service.note(call, scope, "the router included here could not be followed")
            return
        prefix = self.text(prefix_expr, scope, env, call) if prefix_expr is not None else ""
        before = self.dependencies(call.keyword("dependencies"), scope)
        for child in children:
            if child is not use.site:
                self.inclusions.append(Inclusion(use.site, child, prefix.rstrip("/"), before))

    def _environments(self, call: n.Call, scope: Scope, depth: int = 0) -> list[Env]:
        """Every way the loop variables and parameters used in a call stand for something else: a turn of the loop, or a call
        of the function around it."""
        found: list[Env] = [{}]
        seen: list[n.Loop | n.Function] = []
        for name in sorted({x.id for x in walk(call) if isinstance(x, n.Name)}):
            bound = self.program.lookup(name, scope)
            loops = [b for b in bound[0] if isinstance(b, n.Loop) and _within(call, b)] if bound is not None else []
            owner = bound[1].owner if bound is not None and isinstance(bound[0][0], n.Param) else None
            ways: Sequence[Env] = [{}]
            if loops and loops[-1] not in seen:
                seen.append(loops[-1])
                ways = self._turns(loops[-1], scope)
            elif isinstance(owner, n.Function) and owner not in seen and depth < MAX_CALLERS:
                seen.append(owner)
                ways = self._called_with(owner, depth)
            together: list[Env] = [{**env, **one} for env in found for one in ways]
            found = together[:MAX_PATHS]
        return found

    def _called_with(self, function: n.Function, depth: int) -> list[Env]:
        """What a function's parameters stand for, a call of it at a time."""
        ways: list[Env] = []
        for call, holder in self._calls_of(function.name):
            target = self.program.resolve(call.func, holder)
            if target is None or target.node is not function:
                continue
            for outer in self._environments(call, holder, depth + 1):
                env: dict[str, tuple[n.Expr, Scope]] = {}
                for position, param in enumerate(function.params):
                    given = call.argument(position, param.name)
                    if given is not None:
                        stands = outer.get(given.id) if isinstance(given, n.Name) else None
                        env[param.name] = stands or (given, holder)
                ways.append(env)
        return ways or [{}]

    def _turns(self, loop: n.Loop, scope: Scope) -> list[Env]:
        turns: list[Env] = []
        for item, holder in self.program.elements(loop.over, scope):
            if isinstance(loop.target, n.Name):
                turns.append({loop.target.id: (item, holder)})
            elif isinstance(loop.target, n.Items) and isinstance(item, n.Items):
                pairs = zip(loop.target.items, item.items, strict=False)
                turns.append({t.id: (v, holder) for t, v in pairs if isinstance(t, n.Name)})
        return turns or [{}]

    def sites(self, expr: n.Expr | None, scope: Scope, env: Env | None = None, steps: int = 0) -> list[Site]:
        """Return the apps and routers an expression may be."""
        if expr is None or steps > MAX_STEPS:
            return []
        match expr:
            case n.Name(id=name) if env and name in env:
                return self.sites(*env[name], None, steps + 1)
            case n.Name() | n.Member():
                return self._named(expr, scope, env, steps)
            case n.Call():
                return self._called(expr, scope, steps)
            case n.Items(items=items):
                return [s for i in items for s in self.sites(i, scope, env, steps + 1)]
            case n.Choice(then=then, other=other):
                return self.sites(then, scope, env, steps + 1) + self.sites(other, scope, env, steps + 1)
        return []

    def _named(self, expr: n.Name | n.Member, scope: Scope, env: Env | None, steps: int) -> list[Site]:
        if isinstance(expr, n.Member) and env:
            base = expr.value
            if isinstance(base, n.Name) and base.id in env:
                inner, holder = env[base.id]
                return self.sites(n.Member(expr.span, inner, expr.name), holder, None, steps + 1)
        if isinstance(expr, n.Member) and expr.name == "router":
            # An app's own router takes what is hung on it for the app.
            apps = [s for s in self.sites(expr.value, scope, env, steps + 1) if s.is_app]
            if apps:
                return apps
        target = self.program.resolve(expr, scope)
        return self._of_target(target, steps) if target is not None and target.scope is not None else []

    def _of_target(self, target: Target, steps: int) -> list[Site]:
        # What is being looked for already leads nowhere new; what was found once stays found.
        key = (id(target.node), id(target.scope), target.name)
        if key not in self._found:
            self._found[key] = []
            self._found[key] = self._find(target, steps)
        return self._found[key]

    def _find(self, target: Target, steps: int) -> list[Site]:
        node, scope = target.node, target.scope
        assert scope is not None
        if isinstance(node, n.Assign | n.Variable):
            return self.sites(given_to(node, target.name.rpartition(".")[2]), scope, None, steps + 1)
        if isinstance(node, n.Loop):
            return [s for e, h in self.program.elements(node.over, scope) for s in self.sites(e, h, None, steps + 1)]
        if isinstance(node, n.Param):
            return self._given(node, scope, steps)
        return []

    def _given(self, param: n.Param, scope: Scope, steps: int) -> list[Site]:
        """What callers of a function hand it for a parameter."""
        function = scope.owner
        if not isinstance(function, n.Function):
            return []
        found: list[Site] = []
        names = [p.name for p in function.params]
        position = names.index(param.name)
        in_class = scope.parent is not None and isinstance(scope.parent.owner, n.Class)
        called = scope.parent.owner.name if in_class and scope.parent and scope.parent.owner else function.name
        called = called if function.name == "__init__" else function.name
        position -= 1 if in_class else 0
        for call, holder in self._calls_of(called):
            target = self.program.resolve(call.func, holder)
            if target is not None and (target.node is function or (scope.parent and target.node is scope.parent.owner)):
                given = call.argument(position, param.name) if position >= 0 else None
                found.extend(s for s in self.sites(given, holder, None, steps + 1) if s not in found)
        return found

    def _called(self, call: n.Call, scope: Scope, steps: int) -> list[Site]:
        made = self._made_here(call, scope)
        if made is not None:
            return [made]
        target = self.program.resolve(call.func, scope)
        if target is None or not isinstance(target.node, n.Function) or target.scope is None:
            return []
        key = (id(target.node), id(target.scope), "")
        if key not in self._found:
            self._found[key] = []
            self._found[key] = self._returned(target.node, target.scope, steps)
        return self._found[key]

    def _returned(self, function: n.Function, scope: Scope, steps: int) -> list[Site]:
        """The apps and routers a function gives back."""
        if not any(word in scope.module.source for word in TOKENS):
            return []
        inner = self.program.scope_of(function, scope)
        found: list[Site] = []
        for node in own(*function.body):
            if isinstance(node, n.Leave) and node.kind == "return":
                found.extend(s for s in self.sites(node.value, inner, None, steps + 1) if s not in found)
        return found

    def _made_here(self, call: n.Call, scope: Scope) -> Site | None:
        key = (scope.module.path, call.span.start)
        if key not in self._made:
            target = self.program.resolve(call.func, scope)
            known = self.program.derives(target, APPS | ROUTERS) if target is not None else None
            if known is None or (target is not None and isinstance(target.node, n.Function)):
                return None
            self._made[key] = Site(call, scope, known in APPS)
        return self._made[key]

    def _calls_of(self, name: str) -> list[tuple[n.Call, Scope]]:
        """Every call in the service of something of this name, also under the name it was imported as."""
        if name not in self._calls:
            self._calls[name] = []
            for top in self.service.scopes:
                bound = [b for bs in top.names.values() for b in bs if isinstance(b, n.Import) and b.name == name]
                called = {name, *(b.alias for b in bound)}
                words = tuple(c.encode() for c in called)
                for scope in self._below(top, words, words):
                    for node, _, holder in self._own_calls(scope, words):
                        if (dotted(node.func) or "").rpartition(".")[2] in called:
                            self._calls[name].append((node, holder))
        return self._calls[name]

    # --- reading ------------------------------------------------------------------------------------------------------

    def text(self, expr: n.Expr | None, scope: Scope, env: Env, at: n.Node) -> str:
        """Return a path or prefix; a part that cannot be told is shown as `<its source>` and listed as unfollowed."""
        for inner, holder in self._stand_ins(expr, scope, env):
            found = self.program.text(inner, holder)
            if found is not None:
                return found
            if isinstance(inner, n.Call) and self.program.name_of(inner.func, holder) in _ENVIRONMENT:
                default = self.program.text(inner.argument(1, "default"), holder)
                if default is not None:
                    self.service.note(
                        at, scope, f"part of a path comes from the environment; its default {default!r} is used"
                    )
                    return default
            if isinstance(inner, n.Template | n.Binary):
                parts = inner.parts if isinstance(inner, n.Template) else (inner.left, inner.right)
                return "".join(self.text(p, holder, env, at) for p in parts)
        source = scope.module.text(expr) if expr is not None else "?"
        self.service.note(at, scope, f"part of a path is built at run time: {source}")
        return f"<{source}>"

    def _stand_ins(self, expr: n.Expr | None, scope: Scope, env: Env) -> list[tuple[n.Expr, Scope]]:
        if expr is None:
            return []
        if isinstance(expr, n.Name) and expr.id in env:
            return [env[expr.id]]
        target = self.program.resolve(expr, scope) if isinstance(expr, n.Name) else None
        if target is not None and isinstance(target.node, n.Param) and isinstance(target.scope, Scope):
            owner = target.scope.owner
            if isinstance(owner, n.Function):
                position = [p.name for p in owner.params].index(target.node.name)
                given = [
                    (value, holder)
                    for call, holder in self._calls_of(owner.name)
                    if (value := call.argument(position, target.node.name)) is not None
                ]
                default = [(target.node.default, target.scope)] if target.node.default is not None else []
                return [*given[:1], *default]
        followed = self.program.value(expr, scope)
        return [followed] if followed is not None else [(expr, scope)]

    def dependencies(self, expr: n.Expr | None, scope: Scope) -> tuple[Dependency, ...]:
        """Return what a `dependencies=[…]` argument lists."""
        if expr is None:
            return ()
        elements = self.program.elements(expr, scope) or self._when_left_out(expr, scope)
        listed = tuple(Dependency(e, s) for e, s in elements)
        if not listed and not (isinstance(expr, n.Items) and not expr.items):
            self.service.note(expr, scope, "the dependencies listed here could not be followed")
        return listed

    def _when_left_out(self, expr: n.Expr, scope: Scope) -> list[tuple[n.Expr, Scope]]:
        """What a parameter is set to where nobody gives it: `if listed is None: listed = […]`."""
        bound = self.program.lookup(expr.id, scope) if isinstance(expr, n.Name) else None
        param = next((b for b in bound[0] if isinstance(b, n.Param)), None) if bound is not None else None
        if bound is None or param is None or not isinstance(param.default, n.Literal):
            return []
        owner = bound[1].owner
        position = [p.name for p in owner.params].index(param.name) if isinstance(owner, n.Function) else 0
        if owner is None or any(c.argument(position, param.name) for c, _ in self._calls_of(owner.name)):
            return []
        assigned = [b.value for b in bound[0] if isinstance(b, n.Assign)]
        return [e for value in assigned for e in self.program.elements(value, bound[1])]

    def reaches(self, site: Site, inside: tuple[Site, ...] = ()) -> list[Reach]:
        """Return every way a site is reached by a client; none for a router that no app includes."""
        own = self.dependencies(site.call.keyword("dependencies"), site.scope)
        prefix_expr = None if site.is_app else site.call.keyword("prefix")
        prefix = self.text(prefix_expr, site.scope, {}, site.call) if prefix_expr is not None else ""
        above = [i for i in self.inclusions if i.child is site and i.parent not in inside]
        found: list[Reach] = []
        if site.is_app and not above:
            return [Reach("", own)]
        for inclusion in above:
            for reach in self.reaches(inclusion.parent, (*inside, site)):
                before = reach.before if not site.is_app else ()
                found.append(Reach(reach.prefix + inclusion.prefix + prefix, (*before, *inclusion.before, *own)))
        return found[:MAX_PATHS]

    def loose(self, site: Site) -> Reach:
        """The way a router would be reached by itself, where no app is in sight."""
        prefix_expr = site.call.keyword("prefix")
        prefix = self.text(prefix_expr, site.scope, {}, site.call) if prefix_expr is not None else ""
        return Reach(prefix, self.dependencies(site.call.keyword("dependencies"), site.scope))


def _within(node: n.Node, around: n.Node) -> bool:
    return around.span.start <= node.span.start and node.span.end <= around.span.end


def _stands_for(binding: Binding, names: set[str]) -> bool:
    """True for an import, a subclass or an alias of one of the names."""
    if isinstance(binding, n.Import):
        return binding.name in names
    if isinstance(binding, n.Class):
        return any((dotted(b.value) or "").rpartition(".")[2] in names for b in binding.bases)
    value = binding.value if isinstance(binding, n.Assign) else None
    return isinstance(value, n.Name | n.Member) and (dotted(value) or "").rpartition(".")[2] in names
