"""What a FastAPI route takes: the parameters of the handler and of everything it depends on, by FastAPI's own rules."""

import re
from collections.abc import Iterator

import msgspec

from mappu.flow.values import Origin
from mappu.flow.words import Entry
from mappu.frameworks.base import Route, Service, Taken, Taking
from mappu.frameworks.fastapi.words import OTHER_SPECIAL, REQUESTS
from mappu.inventory.model import Place, PlaceIn
from mappu.symbols.program import Program, Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted, walk
from mappu.vocabularies.pydantic import limits, models, reading
from mappu.vocabularies.pydantic import vocabulary as pydantic
from mappu.vocabularies.pydantic.types import ANNOTATED, LISTS, MAPS, SETS
from mappu.vocabularies.shape import Default, Rule, Shape

DEPENDS = frozenset({
    "fastapi.Depends", "fastapi.Security", "fastapi.params.Depends", "fastapi.params.Security",
    "fastapi.param_functions.Depends",
})  # fmt: skip
MAX_DEPENDENCIES = 60
MAX_WRAPPERS = 2
_SECURITY = ("fastapi.security.", "fastapi_users.", "fastapi.openapi.")
# The form the framework's own password login reads.
_LOGIN_FORMS = frozenset({"fastapi.security.OAuth2PasswordRequestForm", "fastapi.security.OAuth2PasswordRequestFormStrict",
                          "fastapi.security.oauth2.OAuth2PasswordRequestForm"})  # fmt: skip
_LOGIN_FIELDS = (("grant_type", False), ("username", True), ("password", True), ("scope", False), ("client_id", False),
                 ("client_secret", False))  # fmt: skip
_PLACES: dict[str, PlaceIn] = {
    "query": "query", "path": "path", "header": "header", "cookie": "cookie", "body": "body", "form": "form",
    "file": "form",
}  # fmt: skip


class Bound(msgspec.Struct, frozen=True, eq=False):
    """One parameter before it is known whether several bodies must be told apart by name."""

    place: PlaceIn
    name: str
    wire: str
    shape: Shape
    required: bool
    declared: Place
    origin: Origin
    default: Default | None
    explicit: bool
    embed: bool = False
    model: bool = False


class _Collector:
    """Goes through a route's functions in the order they run."""

    def __init__(self, service: Service, route: Route) -> None:
        self.service, self.route, self.program = service, route, service.program
        self.context = pydantic.context(service.reader)
        self.path_names = {m.partition(":")[0] for m in re.findall(r"{([^{}]*)}", route.path)}
        self.bound: list[Bound] = []
        self.entries: list[Entry] = []
        self.done: dict[int, int] = {}

    # --- dependencies -------------------------------------------------------------------------------------------------

    def depend(self, expr: n.Expr, scope: Scope) -> int | None:
        """Read a dependency (the callable inside `Depends(…)`); return the number of its entry."""
        if len(self.entries) > MAX_DEPENDENCIES:
            return None
        target = self._callable(expr, scope)
        if target is None:
            self.service.note(expr, scope, f"the dependency `{scope.module.text(expr)}` could not be followed")
            return None
        node = target.node
        if isinstance(node, n.Function) and target.scope is not None:
            return self.function(node, target.scope)
        if isinstance(node, n.Class):
            return self._class(target)
        if target.name in _LOGIN_FORMS:
            self._login_form(expr, scope)
        elif not target.name.startswith(_SECURITY):
            self.service.note(expr, scope, f"the dependency `{target.name}` is not in the scanned source")
        return None

    def _callable(self, expr: n.Expr, scope: Scope, steps: int = 0) -> Target | None:
        """What is called for a dependency: a function, a class, an instance with `__call__`, a function that returns one."""
        if isinstance(expr, n.Function):
            return Target("", expr, scope)
        if steps > 10:
            return None
        if isinstance(expr, n.Call):
            made = self.program.resolve(expr.func, scope)
            if made is None or not isinstance(made.node, n.Function | n.Class):
                return made
            if isinstance(made.node, n.Class):
                return self.program.member(made, "__call__")
            assert made.scope is not None
            inner = self.program.scope_of(made.node, made.scope)
            for node in walk(*made.node.body):
                if isinstance(node, n.Leave) and node.kind == "return" and node.value is not None:
                    found = self._callable(node.value, inner, steps + 1)
                    if found is not None:
                        return found
            return None
        target = self.program.resolve(expr, scope)
        if target is not None and isinstance(target.node, n.Assign | n.Variable) and target.node.value is not None:
            assert target.scope is not None
            return self._callable(target.node.value, target.scope, steps + 1)
        return target

    def _class(self, target: Target) -> int | None:
        if pydantic.is_model(self.service.reader, target):
            self._model_class(target)
            return None
        init = self.program.member(target, "__init__")
        if init is not None and isinstance(init.node, n.Function) and init.scope is not None:
            return self.function(init.node, init.scope)
        return None

    def _model_class(self, target: Target) -> None:
        """A model used as a dependency: its fields become parameters with their types and limits, which the binder
        checks. Its validator methods run when the model is made, outside the binder: a failure there is a 5xx."""
        shape = models.of_class(self.context, target)
        for field in shape.fields:
            place: PlaceIn = "path" if field.name in self.path_names else "query"
            rules = tuple(
                msgspec.structs.replace(r, breaks=_MODEL_DEPENDS, mend="parameter-model") if r.kind == "custom" else r
                for r in field.shape.rules
            )
            origin = Origin(place, (field.name,))
            self.bound.append(Bound(place, field.name, field.wire, field.shape.with_(rules=rules), field.required,
                                    field.declared, origin, field.default, explicit=False))  # fmt: skip

    def _login_form(self, expr: n.Expr, scope: Scope) -> None:
        place = self.service.place(expr, scope)
        for name, required in _LOGIN_FIELDS:
            rules = (Rule("pattern", "^password$", place),) if name == "grant_type" else ()
            shape = Shape("string", nullable=not required, rules=rules)
            self.bound.append(Bound("form", name, name, shape, required, place, Origin("form", (name,)), None, True))

    # --- parameters ---------------------------------------------------------------------------------------------------

    def function(self, function: n.Function, scope: Scope) -> int:
        """Read one function's parameters; what it depends on comes before it. Each function is run once a request."""
        if id(function) in self.done:
            return self.done[id(function)]
        self.done[id(function)] = -1
        data: dict[str, Origin] = {}
        types: dict[str, Target] = {}
        requests: set[str] = set()
        earlier: dict[str, int] = {}
        in_class = isinstance(scope.owner, n.Class)
        inner = self.program.scope_of(function, scope)
        params = function.params[1:] if in_class and not _is_static(function) else function.params
        for param in params:
            if param.kind == "plain":
                self._param(param, scope, inner, data, types, requests, earlier)
        if in_class:
            self._class_dependencies(scope)
            receiver = function.params[0].name if function.params else ""
            assert isinstance(scope.owner, n.Class)
            assert scope.parent is not None
            types[receiver] = Target(self.program.full_name(scope.parent, scope.owner.name), scope.owner, scope.parent)
        known = {name: number for name, number in earlier.items() if number >= 0}
        entry = Entry(function, scope, data, types, frozenset(requests), known, tuple(self._wrappers(function, scope)))
        self.entries.append(entry)
        self.done[id(function)] = len(self.entries) - 1
        return len(self.entries) - 1

    def _wrappers(self, function: n.Function, scope: Scope) -> Iterator[tuple[n.Function, Scope]]:
        """The service's own decorators around a function; one above the route's decorator has no effect."""
        for mark in function.marks:
            target = self.program.resolve(mark.name, scope)
            if target is not None:
                yield from self._wrapper(target, 0)

    def _wrapper(self, target: Target, depth: int) -> Iterator[tuple[n.Function, Scope]]:
        """A decorator, and the functions it hands what it decorates on to."""
        if not isinstance(target.node, n.Function) or target.scope is None or depth > MAX_WRAPPERS:
            return
        yield target.node, target.scope
        inner = self.program.scope_of(target.node, target.scope)
        names = {p.name for f in walk(target.node) if isinstance(f, n.Function) for p in f.params}
        for node in walk(*target.node.body):
            if isinstance(node, n.Call) and any(isinstance(a, n.Name) and a.id in names for a in node.positional):
                further = self.program.resolve(node.func, inner)
                if further is not None and further.node is not target.node:
                    yield from self._wrapper(further, depth + 1)

    def _class_dependencies(self, scope: Scope) -> None:
        """Dependencies declared as members of a class whose methods are handlers."""
        assert isinstance(scope.owner, n.Class)
        for stmt in scope.owner.body:
            if isinstance(stmt, n.Variable):
                depends = self._depends(stmt.value, scope)
                if depends is not None and depends.positional:
                    self.depend(depends.positional[0], scope)

    def _param(
        self, param: n.Param, scope: Scope, inner: Scope, data: dict[str, Origin], types: dict[str, Target],
        requests: set[str], earlier: dict[str, int],
    ) -> None:  # fmt: skip
        type_, items, holder = self._annotation(param.type, scope)
        made = self.program.class_of(Target(param.name, msgspec.structs.replace(param, type=type_), holder))
        if made is not None:
            types[param.name] = made
            if made.name in REQUESTS:
                requests.add(param.name)
                return
            if made.name in OTHER_SPECIAL:
                return
        depends = self._depends(param.default, scope) or next(
            (d for i, s in items if (d := self._depends(i, s)) is not None), None
        )
        if depends is not None:
            where = next((s for i, s in items if self._depends(i, s) is depends), scope)
            callee = depends.argument(0, "dependency")
            number = self.depend(callee, where) if callee is not None else self.depend(type_, holder) if type_ else None
            if number is not None:
                earlier[param.name] = number
            elif made is not None and pydantic.is_model(self.service.reader, made):
                called = self.program.resolve(callee, where) if callee is not None else made
                if called is not None and called.node is made.node:
                    data[param.name] = Origin("query")
            return
        self._bind(param, type_, items, holder, scope, data)

    def _annotation(
        self, expr: n.Expr | None, scope: Scope, steps: int = 0
    ) -> tuple[n.Expr | None, list[tuple[n.Expr, Scope]], Scope]:
        """Take an `Annotated[…]` apart, also behind an alias: the type, the items, and where the type stands."""
        if isinstance(expr, n.Name | n.Member) and steps < 10:
            target = self.program.resolve(expr, scope)
            node = target.node if target is not None else None
            if target is not None and target.scope is not None and isinstance(node, n.Assign | n.Variable | n.Alias):
                inner = self._annotation(node.value, target.scope, steps + 1)
                if inner[1]:
                    return inner
        if isinstance(expr, n.Index) and self.program.name_of(expr.value, scope) in ANNOTATED:
            listed = expr.index.items if isinstance(expr.index, n.Items) else (expr.index,)
            type_, items, holder = self._annotation(listed[0], scope, steps + 1)
            return type_, [*items, *((i, scope) for i in listed[1:])], holder
        return expr, [], scope

    def _depends(self, expr: n.Expr | None, scope: Scope) -> n.Call | None:
        if isinstance(expr, n.Call) and self.program.name_of(expr.func, scope) in DEPENDS:
            return expr
        return None

    def _parameter_call(self, expr: n.Expr | None, scope: Scope) -> n.Call | None:
        followed = self.program.value(expr, scope) if isinstance(expr, n.Name) else (expr, scope)
        inner = followed[0] if followed is not None else expr
        if isinstance(inner, n.Call) and self.program.name_of(inner.func, scope) in limits.PARAMETER_CALLS:
            return inner
        return None

    def _bind(
        self, param: n.Param, type_: n.Expr | None, items: list[tuple[n.Expr, Scope]], holder: Scope, scope: Scope,
        data: dict[str, Origin],
    ) -> None:  # fmt: skip
        shape = reading.read(self.context, type_, holder)
        for item, where in items:
            shape = reading.annotated(self.context, shape, (item,), where)
        calls = [(c, s) for i, s in items if (c := self._parameter_call(i, s)) is not None]
        own = self._parameter_call(param.default, scope)
        if own is not None:
            shape = limits.apply(shape, own, limits.At(self.program, scope), self.context.version)
            calls.append((own, scope))
        word = limits.PARAMETER_CALLS[self.program.name_of(calls[-1][0].func, calls[-1][1]) or ""] if calls else None
        place = self._place(param, shape, type_, holder, word)
        wire = self._wire(param.name, place, calls)
        required, default = self._default(param, own, calls, scope)
        if place == "path":
            required, default = True, None
        declared = self.service.place(param, scope)
        is_model = bool(shape.fields) and shape.model is not None
        keyed = not (is_model and place in ("query", "header", "cookie") and word is not None)
        origin = Origin(place, (wire,)) if keyed else Origin(place)
        embed = any(_true(self.program, c.keyword("embed"), s) for c, s in calls)
        if word == "file" and shape.type == "string":
            shape = shape.with_(type="file")
        if place == "header" and not keyed:
            shape = _hyphened(shape)
        data[param.name] = origin
        self.bound.append(Bound(place, param.name, wire, shape, required, declared, origin, default, word is not None,
                                embed, model=not keyed))  # fmt: skip

    def _place(self, param: n.Param, shape: Shape, type_: n.Expr | None, scope: Scope, word: str | None) -> PlaceIn:
        if param.name in self.path_names and word in (None, "path"):
            return "path"
        if word is not None:
            return _PLACES[word]
        if shape.type == "file" or (shape.items is not None and shape.items.type == "file"):
            return "form"
        if self._is_complex(type_, scope):
            return "body"
        return "query"

    def _is_complex(self, type_: n.Expr | None, scope: Scope, steps: int = 0) -> bool:
        """True for a type that FastAPI reads from the body when nothing says otherwise: models, maps and lists."""
        if steps > 10:
            return False
        match type_:
            case n.Literal(value=str() as text):
                from mappu.syntax import python

                return self._is_complex(python.expression(text, type_.span), scope, steps + 1)
            case n.Binary(op="|", left=left, right=right):
                return self._is_complex(left, scope, steps + 1) or self._is_complex(right, scope, steps + 1)
            case n.Index(value=base, index=index):
                name = self.program.name_of(base, scope) or ""
                args = index.items if isinstance(index, n.Items) else (index,)
                if name.rpartition(".")[2] in ("Optional", "Union"):
                    return any(self._is_complex(a, scope, steps + 1) for a in args)
                if name in ANNOTATED:
                    return self._is_complex(args[0], scope, steps + 1)
                if name in LISTS or name in SETS or name in MAPS:
                    return True
                return self._is_complex(base, scope, steps + 1)
            case n.Name() | n.Member():
                target = self.program.resolve(type_, scope)
                if target is None:
                    return False
                if target.name in LISTS or target.name in SETS or target.name in MAPS:
                    return True
                if isinstance(target.node, n.Class):
                    return pydantic.is_model(self.service.reader, target)
                if isinstance(target.node, n.Assign | n.Variable | n.Alias) and target.scope is not None:
                    return self._is_complex(target.node.value, target.scope, steps + 1)
            case n.Call(func=func):
                made = (self.program.name_of(func, scope) or "").rpartition(".")[2]
                return made in ("conlist", "conset", "confrozenset", "create_model")
        return False

    def _wire(self, name: str, place: PlaceIn, calls: list[tuple[n.Call, Scope]]) -> str:
        for call, scope in reversed(calls):
            for word in ("validation_alias", "alias"):
                text = self.program.text(call.keyword(word), scope)
                if text is not None:
                    return text
        if place == "header" and not any(_false(self.program, c.keyword("convert_underscores"), s) for c, s in calls):
            return name.replace("_", "-")
        return name

    def _default(
        self, param: n.Param, own: n.Call | None, calls: list[tuple[n.Call, Scope]], scope: Scope
    ) -> tuple[bool, Default | None]:
        place = self.service.place(param, scope)
        if own is None and param.default is not None:
            if isinstance(param.default, n.Opaque):
                return True, None
            return False, Default(*_constant(self.program, param.default, scope), place)
        for call, where in reversed(calls):
            value = call.keyword("default") or (call.positional[0] if call.positional else None)
            if isinstance(value, n.Opaque):
                return True, None
            if value is not None:
                return False, Default(*_constant(self.program, value, where), place)
            if call.keyword("default_factory") is not None:
                return False, Default(False, None, place)
        return True, None

    # --- the whole ----------------------------------------------------------------------------------------------------

    def taking(self) -> Taking:
        """Return everything taken, bodies told apart by name where there are several."""
        bodies = {b.wire: b for b in self.bound if b.place == "body"}
        forms = [b for b in self.bound if b.place == "form"]
        first = next(iter(bodies.values()), None)
        keyed = len(bodies) > 1 or bool(forms) or (first is not None and first.embed)
        one_form = len({b.wire for b in forms}) == 1 and not bodies and bool(forms[0].shape.fields)
        taken = []
        seen: set[tuple[str, str]] = set()
        for b in self.bound:
            place: PlaceIn = "form" if b.place == "body" and forms else b.place
            whole = b.model or (b.place == "body" and not keyed) or (b.place == "form" and one_form)
            key = (place, "" if whole else b.wire)
            if key in seen and not (whole and b.model):
                continue
            seen.add(key)
            taken.append(Taken(place, "" if whole else b.wire, b.shape, b.required, b.declared, b.origin, b.default))
        return Taking(tuple(taken), tuple(self.entries))


_MODEL_DEPENDS = "a model used as a dependency is built outside the request binder: its ValidationError is a 5xx"


def takes(service: Service, route: Route) -> Taking:
    """Return what a route takes, and the functions that run on it in order."""
    assert isinstance(route.handler, n.Function)
    collector = _Collector(service, route)
    for dependency in route.before:
        call = collector._depends(dependency.expr, dependency.scope)
        if call is not None and call.argument(0, "dependency") is not None:
            collector.depend(call.argument(0, "dependency") or call, dependency.scope)
    collector.function(route.handler, route.scope)
    for bound in collector.bound:
        service.unfollowed.extend(u for u in bound.shape.unfollowed if u not in service.unfollowed)
    return collector.taking()


def _hyphened(shape: Shape) -> Shape:
    fields = tuple(
        msgspec.structs.replace(f, wire=f.wire.replace("_", "-")) if f.wire == f.name else f for f in shape.fields
    )
    return shape.with_(fields=fields)


def _constant(program: Program, expr: n.Expr, scope: Scope) -> tuple[bool, object]:
    found = program.constant(expr, scope)
    if found is not None:
        return True, found.value
    return (True, []) if isinstance(expr, n.Items) and not expr.items else (False, None)


def _true(program: Program, expr: n.Expr | None, scope: Scope) -> bool:
    found = program.constant(expr, scope)
    return found is not None and found.value is True


def _false(program: Program, expr: n.Expr | None, scope: Scope) -> bool:
    found = program.constant(expr, scope)
    return found is not None and found.value is False


def _is_static(function: n.Function) -> bool:
    return any(dotted(m.name) == "staticmethod" for m in function.marks)
