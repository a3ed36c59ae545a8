"""Micronaut: controllers whose parameters are bound by name, and checked where the validation module is in the build."""

from collections.abc import Iterable, Iterator
from weakref import WeakKeyDictionary

from mappu.flow.endings import error_names
from mappu.flow.values import Origin
from mappu.flow.words import Words
from mappu.frameworks import base_java
from mappu.frameworks.base import Ran, Route, Service, Taken, Taking
from mappu.frameworks.base_java import classes, joined
from mappu.frameworks.base_java_binding import Binding
from mappu.frameworks.base_paths import curly
from mappu.frameworks.spring.remedies import REMEDIES
from mappu.inventory.model import PlaceIn, RunBy
from mappu.sources.properties import properties
from mappu.symbols.program import Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted
from mappu.vocabularies.bean_validation.classes import Reading
from mappu.vocabularies.bean_validation.constraints import argument
from mappu.vocabularies.shape import Default, Shape

HTTP = "io.micronaut.http.annotation."
_VERBS = {
    "Get": "GET",
    "Post": "POST",
    "Put": "PUT",
    "Patch": "PATCH",
    "Delete": "DELETE",
    "Head": "HEAD",
    "Options": "OPTIONS",
}
_PLACES: dict[str, PlaceIn] = {"QueryValue": "query", "PathVariable": "path", "Header": "header", "CookieValue": "cookie",
                               "Body": "body", "Part": "form", "RequestBean": "query"}  # fmt: skip
_CONTEXT = ("micronaut.server.context-path",)
_BODILESS = frozenset({"GET", "HEAD", "DELETE", "OPTIONS"})
NO_VALID = "the parameter has no @Valid: nothing goes into it"
NO_MODULE = "whether the validation module is in the build is not told by the build file"


class Controllers(Binding):
    """The controllers of one service."""

    request_types = frozenset({"io.micronaut.http.HttpRequest", "io.micronaut.http.HttpHeaders"})

    def __init__(self, service: Service) -> None:
        super().__init__(service)
        found = (
            properties(d) for d in service.reader.documents if d.path.rpartition("/")[2].startswith("application.")
        )
        self.prefix = next((s[k] for s in found for k in _CONTEXT if k in s), "")

    def routes(self) -> Iterator[Route]:
        for class_, scope in classes(self.service, (HTTP.encode(),)):
            mark = self.find(class_.marks, scope, (HTTP + "Controller",))
            if mark is None:
                continue
            inner = self.program.scope_of(class_, scope)
            above = next(iter(self.texts(argument(mark, "value"), scope)), "")
            for method in class_.methods:
                for each in method.marks:
                    name = self.name(each, inner).removeprefix(HTTP)
                    if name not in _VERBS or not self.name(each, inner).startswith(HTTP):
                        continue
                    given = argument(each, "value") or argument(each, "uri") or argument(each, "uris")
                    for path in self.texts(given, inner) or [""]:
                        # `{?page,size}` only says which query parameters there are.
                        plain = path.partition("{?")[0]
                        shown, rules = curly(joined(self.prefix, above, plain))
                        yield Route("micronaut", "http", _VERBS[name], shown, method, inner, f"{class_.name}.{method.name}",
                                    path_rules=rules)  # fmt: skip

    def bound(self, route: Route, param: n.Param, asked: str | None) -> Taken | None:
        marks = self.marks_of(route, param)
        declared = self.service.place(param, route.scope)
        binding = next(((m, s, x) for m, s in marks if (x := self.name(m, s).removeprefix(HTTP)) in _PLACES), None)
        rest = tuple((m, s) for m, s in marks if not self.name(m, s).startswith(HTTP))
        place: PlaceIn = "query"
        wire, given = param.name, None
        if binding is not None:
            mark, scope, kind = binding
            place = _PLACES[kind]
            named = self.program.text(argument(mark, "value"), scope)
            wire = named or ("" if kind in ("Body", "RequestBean") else param.name)
            if argument(mark, "defaultValue") is not None:
                given = Default(True, self.program.text(argument(mark, "defaultValue"), scope), declared)
        elif f"{{{param.name}}}" in route.path:
            place = "path"
        elif route.method not in _BODILESS:
            place = "body"
        shape = Reading(self.service.reader).of_type(param.type, route.scope, marks=rest)
        if shape.fields and not self.is_valid(rest):
            shape = shape.with_(skipped=NO_VALID)
        if not shape.known and place != "body":
            shape = Shape("string", rules=shape.rules)
        # What may be nothing says so; all else has to be sent.
        free = given is not None or any((dotted(m.name) or "").endswith("Nullable") for m, _ in marks)
        free = (
            free or self.type_name(param.type, route.scope) == "java.util.Optional" or isinstance(param.type, n.Binary)
        )
        required = place == "path" or not free
        wire = wire.lower() if place == "header" else wire
        origin = Origin(place, (wire,) if wire else ())
        return Taken(place, wire, shape.with_(nullable=False), required, declared, origin, given)

    def runs(self, taken: Taken) -> Ran:
        declared = taken.declared
        by = RunBy("request binder", declared.file, declared.line, declared.text or "")
        if taken.shape.skipped is not None:
            return Ran(None, "idle", taken.shape.skipped, by)
        if (taken.shape.fields or any(not r.typed for r in taken.shape.rules)) and not self.asks_for("validat"):
            return Ran(None, "unknown", NO_MODULE, by)
        return Ran(by)


class Micronaut:
    """The framework."""

    name = "micronaut"
    language = "java"
    tokens = (b"io.micronaut",)
    remedies = {**REMEDIES, "map-error": "throw an HttpStatusException with a 4xx there, or map the error in an ExceptionHandler",
                "refuse": "leave there: `return HttpResponse.badRequest()`"}  # fmt: skip

    def __init__(self) -> None:
        self._controllers: WeakKeyDictionary[Service, Controllers] = WeakKeyDictionary()

    def controllers(self, service: Service) -> Controllers:
        if service not in self._controllers:
            self._controllers[service] = Controllers(service)
        return self._controllers[service]

    def routes(self, service: Service) -> Iterable[Route]:
        return self.controllers(service).routes()

    def takes(self, service: Service, route: Route) -> Taking:
        return self.controllers(service).takes(route)

    def runs(self, service: Service, route: Route, taken: Taken) -> Ran:
        return self.controllers(service).runs(taken)

    def words(self, service: Service) -> Words:
        known = base_java.known_errors()

        def mapped(target: Target | None, own: int | None) -> int | None:
            names = list(error_names(service.program, known, target)) if target is not None else []
            if any(x.endswith("validation.ConstraintViolationException") for x in names):
                return 400
            return own

        response = "io.micronaut.http.HttpResponse."
        answers = {f"{response}{name}": status for name, status in (
            ("ok", 200), ("created", 201), ("accepted", 202), ("noContent", 204), ("badRequest", 400), ("unauthorized", 401),
            ("notFound", 404), ("unprocessableEntity", 422), ("serverError", 500), ("status", 200))}  # fmt: skip
        return base_java.words(
            service, mapped, {"io.micronaut.http.exceptions.HttpStatusException": 0}, answers=answers,
            answer_status={f"{response}status": 0}, request={"getBody": "body", "getParameters": "query", "getHeaders": "header"},
        )  # fmt: skip


framework = Micronaut()
