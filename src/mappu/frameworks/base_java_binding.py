"""What the annotated methods of the JVM frameworks take: one parameter after the other, however each framework binds it."""

import re
from collections.abc import Iterable, Iterator

from mappu.flow.values import Origin
from mappu.flow.words import Entry
from mappu.frameworks.base import Route, Service, Taken, Taking
from mappu.frameworks.base_java import Marked, overrides
from mappu.inventory.model import Place
from mappu.symbols.program import Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted
from mappu.vocabularies.bean_validation.annotations import VALID
from mappu.vocabularies.shape import Shape

Marks = tuple[tuple[n.Mark, Scope], ...]


class Binding(Marked):
    """The parameters of one service's methods. A framework says in `bound` what each is bound to, which types are the request
    itself, and which are told the outcome of the rules of the parameter in front."""

    request_types: frozenset[str] = frozenset()
    result_types: frozenset[str] = frozenset()

    def bound(self, route: Route, param: n.Param, asked: str | None) -> Taken | None:
        """What a parameter is bound to; None for what is none of the client's. `asked` is the parameter that the outcome of its
        rules goes to."""
        raise NotImplementedError

    def takes(self, route: Route) -> Taking:
        """What a route's method takes, and the method to walk."""
        method, scope = route.handler, route.scope
        assert isinstance(method, n.Function)
        taken: list[Taken] = []
        data: dict[str, Origin] = {}
        types: dict[str, Target] = {}
        requests: set[str] = set()
        for i, param in enumerate(method.params):
            after = method.params[i + 1] if i + 1 < len(method.params) else None
            type_name = self.type_name(param.type, scope)
            made = self.program.class_of(Target(param.name, param, scope))
            if made is not None:
                types[param.name] = made
            if type_name in self.request_types or type_name in self.result_types:
                requests.add(param.name)
                continue
            asked = after.name if after is not None and self.type_name(after.type, scope) in self.result_types else None
            found = self.bound(route, param, asked)
            if found is not None:
                taken.append(found)
                data[param.name] = found.origin
        taken.extend(unnamed(self.service, route, taken))
        return Taking(tuple(taken), (Entry(method, scope, data, types, frozenset(requests), {}),))

    def type_name(self, type_: n.Expr | None, scope: Scope) -> str:
        """The full name of a type, its arguments left out, and whether null is a value of it."""
        type_ = type_.left if isinstance(type_, n.Binary) else type_
        base = type_.value if isinstance(type_, n.Index) else type_
        return self.program.name_of(base, scope) or dotted(base) or ""

    def marks_of(self, route: Route, param: n.Param) -> Marks:
        """The annotations on a parameter, those on the same one of a method that this one implements included."""
        assert isinstance(route.handler, n.Function)
        found = [(m, route.scope) for m in param.marks]
        owner, around = route.scope.owner, route.scope.parent
        position = next((i for i, p in enumerate(route.handler.params) if p is param), -1)
        if isinstance(owner, n.Class) and around is not None:
            target = Target(self.program.full_name(around, owner.name), owner, around)
            for above in self.program.ancestry(target)[1:]:
                if not isinstance(above.node, n.Class) or above.scope is None:
                    continue
                inner = self.program.scope_of(above.node, above.scope)
                for method in above.node.methods:
                    if overrides(route.handler, method, bool(above.node.type_params)):
                        found.extend((m, inner) for m in method.params[position].marks)
        return tuple(found)

    def is_valid(self, marks: Marks) -> bool:
        """True where `@Valid` is among the annotations."""
        return any(self.name(m, s) in VALID for m, s in marks)

    def asks_for(self, *words: str) -> bool:
        """True where the build file asks for a package with one of the words in its name."""
        return any(w in p.name for m in self.service.root.manifests for p in m.packages for w in words)


def unnamed(service: Service, route: Route, taken: Iterable[Taken]) -> Iterator[Taken]:
    """Path parameters that no parameter of the method takes."""
    mine = [t for t in taken if t.place == "path"]
    if any(not t.wire for t in mine):
        return
    handler = service.place(route.handler, route.scope)
    place = Place(handler.file, handler.line, route.path)
    for name in re.findall(r"\{([\w.-]+)\}", route.path):
        if name not in {t.wire for t in mine}:
            yield Taken("path", name, Shape("string"), True, place, Origin("path", (name,)))
