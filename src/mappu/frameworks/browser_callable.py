"""Classes whose public methods are called straight from a browser: every one is a way in, and its parameters are checked.

The invoker checks each parameter by itself, a bean without @Valid too: read in the source it is published with.
"""

from collections.abc import Iterable, Iterator
from weakref import WeakKeyDictionary

from mappu.flow.values import Origin
from mappu.flow.words import Words
from mappu.frameworks import base_java
from mappu.frameworks.base import Ran, Route, Service, Taken, Taking
from mappu.frameworks.base_java import classes
from mappu.frameworks.base_java_binding import Binding
from mappu.frameworks.spring.remedies import REMEDIES
from mappu.inventory.model import RunBy
from mappu.symbols.java import is_kotlin
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted
from mappu.vocabularies.bean_validation.classes import Reading

_PACKAGES = ("com.vaadin.hilla.", "dev.hilla.", "com.vaadin.fusion.", "com.vaadin.flow.server.connect.")
MARKS = tuple(f"{p}{x}" for p in _PACKAGES for x in ("BrowserCallable", "Endpoint"))
_INVOKER = "browser-call invoker"


class Callables(Binding):
    """The callable classes of one service."""

    def routes(self) -> Iterator[Route]:
        for class_, scope in classes(self.service, (b"BrowserCallable", b"Endpoint")):
            mark = self.find(class_.marks, scope, MARKS)
            if mark is None:
                continue
            inner = self.program.scope_of(class_, scope)
            name = next(iter(self.texts(mark.args[0].value, scope)), class_.name) if mark.args else class_.name
            for method in class_.methods:
                source = scope.module.source[method.span.start : method.span.end].partition(b"(")[0]
                public = b"public " in source or is_kotlin(scope)
                if (
                    public
                    and method.name != "constructor"
                    and not any(dotted(m.name) == "static" for m in method.marks)
                ):
                    path = f"{name}/{method.name}"
                    yield Route("browser-callable", "rpc", "RPC", path, method, inner, f"{class_.name}.{method.name}")

    def bound(self, route: Route, param: n.Param, asked: str | None) -> Taken | None:
        marks = self.marks_of(route, param)
        shape = Reading(self.service.reader).of_type(param.type, route.scope, marks=marks)
        needed = any(r.kind in ("notNull", "notBlank", "notEmpty") for r in shape.rules)
        return Taken(
            "body", param.name, shape, needed, self.service.place(param, route.scope), Origin("body", (param.name,))
        )


class BrowserCallable:
    """The framework."""

    name = "browser-callable"
    language = "java"
    tokens = (b"BrowserCallable", b"hilla", b"com.vaadin")
    remedies = {**REMEDIES, "map-error": "throw an EndpointException there", "refuse": "leave there: throw an EndpointException",
                "bind-body": "take it as a class with constraints on its fields"}  # fmt: skip

    def __init__(self) -> None:
        self._callables: WeakKeyDictionary[Service, Callables] = WeakKeyDictionary()

    def callables(self, service: Service) -> Callables:
        if service not in self._callables:
            self._callables[service] = Callables(service)
        return self._callables[service]

    def routes(self, service: Service) -> Iterable[Route]:
        return self.callables(service).routes()

    def takes(self, service: Service, route: Route) -> Taking:
        return self.callables(service).takes(route)

    def runs(self, service: Service, route: Route, taken: Taken) -> Ran:
        declared = taken.declared
        return Ran(RunBy(_INVOKER, declared.file, declared.line, declared.text or ""))

    def words(self, service: Service) -> Words:
        errors = {f"{p}exception.EndpointException": -400 for p in _PACKAGES}
        return base_java.words(service, lambda target, own: own, errors)


framework = BrowserCallable()
