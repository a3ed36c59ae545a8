"""What one function of a FastAPI route declares: its parameters by FastAPI's own rules, and what it depends on."""

from collections.abc import Container, Iterator, Mapping

import msgspec

from mappu.flow.values import Origin
from mappu.frameworks.base import Service
from mappu.frameworks.fastapi.sites import ADDING, VERBS
from mappu.frameworks.fastapi.words import OTHER_SPECIAL, REQUESTS
from mappu.inventory.model import Place, PlaceIn
from mappu.symbols.program import Program, Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax import python
from mappu.syntax.walk import dotted, own, walk
from mappu.vocabularies.pydantic import limits, reading
from mappu.vocabularies.pydantic import vocabulary as pydantic
from mappu.vocabularies.pydantic.types import ANNOTATED, LISTS, MAPS, SETS
from mappu.vocabularies.shape import Default, Shape

DEPENDS = frozenset({
    "fastapi.Depends", "fastapi.Security", "fastapi.params.Depends", "fastapi.params.Security",
    "fastapi.param_functions.Depends",
})  # fmt: skip
MAX_WRAPPERS = 2
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


class Needed(msgspec.Struct, frozen=True, eq=False):
    """A dependency: the parameter that gets it, what is called for it, and whether that is the parameter's own model."""

    name: str
    expr: n.Expr
    scope: Scope
    is_model: bool


class Signature(msgspec.Struct, frozen=True, eq=False):
    """One function as FastAPI reads it.

    - `bound`: what it takes from the client; `data` where each such parameter's data comes from.
    - `types`: the classes of its parameters; `requests` those that are the request itself.
    - `depends`: what must be called before it; `wrappers` the service's own decorators around it.
    """

    bound: tuple[Bound, ...]
    depends: tuple[Needed, ...]
    data: Mapping[str, Origin]
    types: Mapping[str, Target]
    requests: frozenset[str]
    wrappers: tuple[tuple[n.Function, Scope], ...]


class Signatures:
    """The signatures of one service, each read once: dependencies are shared by many routes."""

    def __init__(self, service: Service) -> None:
        self.service, self.program = service, service.program
        self.context = pydantic.context(service.reader)
        self._read: dict[tuple[int, int, frozenset[str]], Signature] = {}

    def read(self, function: n.Function, scope: Scope, path_names: set[str]) -> Signature:
        """Return the signature of a function on a route whose path has these names."""
        named = frozenset(p.name for p in function.params) & path_names
        key = (id(function), id(scope), named)
        if key not in self._read:
            self._read[key] = self._signature(function, scope, named)
        return self._read[key]

    def _signature(self, function: n.Function, scope: Scope, path_names: frozenset[str]) -> Signature:
        bound: list[Bound] = []
        needed: list[Needed] = []
        data: dict[str, Origin] = {}
        types: dict[str, Target] = {}
        requests: set[str] = set()
        in_class = isinstance(scope.owner, n.Class)
        params = function.params[1:] if in_class and not _is_static(function) else function.params
        for param in (p for p in params if p.kind == "plain"):
            type_, items, holder = self._annotation(param.type, scope)
            made = self.program.class_of(Target(param.name, msgspec.structs.replace(param, type=type_), holder))
            if made is not None:
                types[param.name] = made
                if made.name in REQUESTS:
                    requests.add(param.name)
                if made.name in REQUESTS or made.name in OTHER_SPECIAL:
                    continue
            found = self._needed(param, type_, items, holder, scope, made)
            if found is not None:
                needed.append(found)
            elif type_ is None and self._from_outside(param.default, scope):
                self.service.note(param, scope, f"what `{param.name}` is given could not be followed")
            elif not self._is_dependency(param, items, scope):
                bound.append(self._bound(param, type_, items, holder, scope, path_names))
                data[param.name] = bound[-1].origin
        if in_class and function.params:
            assert isinstance(scope.owner, n.Class)
            assert scope.parent is not None
            name = self.program.full_name(scope.parent, scope.owner.name)
            types[function.params[0].name] = Target(name, scope.owner, scope.parent)
        wrappers = tuple(self._wrappers(function, scope))
        return Signature(tuple(bound), tuple(needed), data, types, frozenset(requests), wrappers)

    # --- dependencies -------------------------------------------------------------------------------------------------

    def depends(self, expr: n.Expr | None, scope: Scope) -> n.Call | None:
        """Return the `Depends(…)` that an expression is, or None."""
        found = self._call(expr, scope, DEPENDS)
        return found[0] if found is not None else None

    def _call(self, expr: n.Expr | None, scope: Scope, names: Container[str]) -> tuple[n.Call, Scope] | None:
        """The call of one of these that an expression is: itself, behind a name, or given back by a function called here."""
        followed = self.program.value(expr, scope) if isinstance(expr, n.Name) else (expr, scope)
        inner, holder = followed if followed is not None else (expr, scope)
        if not isinstance(inner, n.Call):
            return None
        target = self.program.resolve(inner.func, holder)
        if target is not None and target.name in names:
            return inner, holder
        if target is None or not isinstance(target.node, n.Function) or target.scope is None:
            return None
        returned = [s.value for s in own(*target.node.body) if isinstance(s, n.Leave) and s.kind == "return"]
        made = returned[0] if len(returned) == 1 else None
        seen_from = self.program.scope_of(target.node, target.scope)
        direct = isinstance(made, n.Call) and self.program.name_of(made.func, seen_from) in names
        return (made, seen_from) if direct and isinstance(made, n.Call) else None

    def _from_outside(self, default: n.Expr | None, scope: Scope) -> bool:
        """True for a default that is an object of another package: it may well be a dependency."""
        target = self.program.resolve(default, scope) if isinstance(default, n.Name | n.Member) else None
        return target is not None and target.node is None and not target.is_module

    def _is_dependency(self, param: n.Param, items: list[tuple[n.Expr, Scope]], scope: Scope) -> bool:
        return any(self.depends(e, s) is not None for e, s in ((param.default, scope), *items))

    def _needed(
        self, param: n.Param, type_: n.Expr | None, items: list[tuple[n.Expr, Scope]], holder: Scope, scope: Scope,
        made: Target | None,
    ) -> Needed | None:  # fmt: skip
        for given, where in ((param.default, scope), *items):
            found = self._call(given, where, DEPENDS)
            if found is not None:
                callee = found[0].argument(0, "dependency")
                expr, seen_from = (callee, found[1]) if callee is not None else (type_, holder)
                if expr is None:
                    return None
                called = self.program.resolve(expr, seen_from)
                is_model = made is not None and called is not None and called.node is made.node
                model = is_model and made is not None and pydantic.is_model(self.service.reader, made)
                return Needed(param.name, expr, seen_from, model)
        return None

    def _wrappers(self, function: n.Function, scope: Scope) -> Iterator[tuple[n.Function, Scope]]:
        """The service's own decorators around a function; one above the route's decorator has no effect."""
        hung = [
            i for i, m in enumerate(function.marks) if isinstance(m.name, n.Member) and m.name.name in VERBS | ADDING
        ]
        for mark in function.marks[hung[-1] + 1 if hung else 0 :]:
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

    # --- parameters ---------------------------------------------------------------------------------------------------

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

    def _bound(
        self, param: n.Param, type_: n.Expr | None, items: list[tuple[n.Expr, Scope]], holder: Scope, scope: Scope,
        path_names: frozenset[str],
    ) -> Bound:  # fmt: skip
        shape = reading.read(self.context, type_, holder)
        for item, where in items:
            shape = reading.annotated(self.context, shape, (item,), where)
        calls = [c for i, s in items if (c := self._call(i, s, limits.PARAMETER_CALLS)) is not None]
        own_call = self._call(param.default, scope, limits.PARAMETER_CALLS)
        if own_call is not None:
            shape = limits.apply(shape, own_call[0], limits.At(self.program, own_call[1]), self.context.version)
            calls.append(own_call)
        word = limits.PARAMETER_CALLS[self.program.name_of(calls[-1][0].func, calls[-1][1]) or ""] if calls else None
        place = self._place(param, shape, type_, holder, word, path_names)
        wire = self._wire(param.name, place, calls)
        required, default = self._default(param, own_call is not None, calls, scope)
        if place == "path":
            required, default = True, None
        declared = self.service.place(param, scope)
        is_model = bool(shape.fields) and shape.model is not None
        keyed = not (is_model and place in ("query", "header", "cookie") and word is not None)
        origin = Origin(place, (wire,)) if keyed else Origin(place)
        embed = any(_true(self.program, c.keyword("embed"), s) for c, s in calls)
        if word == "file":
            shape = _as_file(shape)
        if place == "header" and not keyed:
            shape = _hyphened(shape)
        return Bound(place, param.name, wire, shape, required, declared, origin, default, word is not None, embed,
                     model=not keyed)  # fmt: skip

    def _place(
        self, param: n.Param, shape: Shape, type_: n.Expr | None, scope: Scope, word: str | None,
        path_names: frozenset[str],
    ) -> PlaceIn:  # fmt: skip
        if param.name in path_names and word in (None, "path"):
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
        self, param: n.Param, called: bool, calls: list[tuple[n.Call, Scope]], scope: Scope
    ) -> tuple[bool, Default | None]:
        place = self.service.place(param, scope)
        if not called and param.default is not None:
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


def _as_file(shape: Shape) -> Shape:
    """Bytes, or a list of them, that come as files."""
    if shape.items is not None:
        return shape.with_(items=_as_file(shape.items))
    return shape.with_(type="file") if shape.type == "string" else shape


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
