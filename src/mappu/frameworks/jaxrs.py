"""JAX-RS: resource classes with annotated paths, in either package of the standard, whatever runs them."""

from collections.abc import Iterable, Iterator
from weakref import WeakKeyDictionary

from mappu.flow.endings import error_names, status_name
from mappu.flow.values import Origin
from mappu.flow.words import Words
from mappu.frameworks import base_java
from mappu.frameworks.base import Ran, Route, Service, Taken, Taking
from mappu.frameworks.base_java import (
    OLD_AND_NEW,
    Lineage,
    classes,
    implementation,
    is_done,
    joined,
    lineage_of,
)
from mappu.frameworks.base_java_binding import Binding, Marks
from mappu.frameworks.base_paths import curly
from mappu.frameworks.spring.remedies import REMEDIES
from mappu.inventory.model import Place, PlaceIn, RunBy
from mappu.sources.properties import properties
from mappu.symbols.program import Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted, walk
from mappu.vocabularies.bean_validation.classes import Reading
from mappu.vocabularies.bean_validation.constraints import argument
from mappu.vocabularies.shape import Default, Shape, ShapeField

_VERBS = frozenset({"GET", "POST", "PUT", "PATCH", "DELETE", "HEAD", "OPTIONS"})
PLACES: dict[str, PlaceIn] = {"PathParam": "path", "QueryParam": "query", "HeaderParam": "header", "CookieParam": "cookie",
                              "FormParam": "form", "MatrixParam": "path", "RestPath": "path", "RestQuery": "query",
                              "RestHeader": "header", "RestForm": "form", "RestCookie": "cookie"}  # fmt: skip
_QUARKUS = "org.jboss.resteasy.reactive."
_CONTEXT = frozenset({"Context", "Suspended", "Auth"})
_BASES = ("quarkus.http.root-path", "quarkus.rest.path", "quarkus.resteasy.path", "quarkus.resteasy-reactive.path")
MAX_DEPTH = 10

NO_VALID = "the parameter has no @Valid: nothing goes into it"
NO_PROVIDER = "whether anything runs rules on parameters is not told by the build file"
PROVIDERS = (
    "hibernate-validator",
    "bean-validation",
    "resteasy-validator",
    "dropwizard",
    "bval",
    "openliberty",
    "validat",
)


def _names(last: str) -> tuple[str, ...]:
    return tuple(f"{p}ws.rs.{last}" for p in OLD_AND_NEW)


class Resources(Binding):
    """The resource classes of one service."""

    request_types = frozenset(x for name in ("core.UriInfo", "core.HttpHeaders", "core.Request") for x in _names(name))

    def __init__(self, service: Service) -> None:
        super().__init__(service)
        self.prefix = self._prefix()

    def _prefix(self) -> str:
        parts: list[str] = []
        for document in self.service.reader.documents:
            if document.path.rpartition("/")[2].startswith("application."):
                settings = properties(document)
                parts.extend(settings[k] for k in _BASES if k in settings and "${" not in settings[k])
        for class_, scope in classes(self.service, (b"@ApplicationPath",)):
            mark = self.find(class_.marks, scope, _names("ApplicationPath"))
            if mark is not None:
                parts.extend(self.texts(argument(mark, "value"), scope))
        return joined(*parts)

    def rest(self, mark: n.Mark, scope: Scope) -> str | None:
        """The last part of an annotation's name, where it is one of the standard's."""
        name = self.name(mark, scope)
        for package in (*_names(""), _QUARKUS):
            if name.startswith(package):
                return name.rpartition(".")[2]
        return None

    def routes(self) -> Iterator[Route]:
        for class_, scope in classes(self.service, (b"ws.rs",)):
            target = Target(self.program.full_name(scope, class_.name), class_, scope)
            lineage = lineage_of(self.program, target)
            path = next((p for c, s in lineage if (p := self._path(c.marks, s)) is not None), None)
            if (
                path is not None
                and class_.form == "class"
                and not any(dotted(m.name) == "abstract" for m in class_.marks)
            ):
                yield from self._of_class(class_, lineage, joined(self.prefix, path), ())

    def _path(self, marks: tuple[n.Mark, ...], scope: Scope) -> str | None:
        mark = self.find(marks, scope, _names("Path"))
        return next(iter(self.texts(argument(mark, "value"), scope)), "") if mark is not None else None

    def _of_class(self, class_: n.Class, lineage: Lineage, prefix: str,
                  inside: tuple[int, ...]) -> Iterator[Route]:  # fmt: skip
        done: list[tuple[n.Class, n.Function]] = []
        for owner, holder in lineage:
            inner = self.program.scope_of(owner, holder)
            for method in owner.methods:
                verbs = [w for m in method.marks if (w := self.rest(m, inner)) in _VERBS]
                path = self._path(method.marks, inner)
                if not (verbs or path is not None) or is_done(method, owner, done):
                    continue
                done.append((owner, method))
                shown, rules = curly(joined(prefix, path or ""))
                if not verbs:
                    yield from self._below(method, inner, shown, inside)
                    continue
                real, at = implementation(self.program, lineage, method) or (method, inner)
                consumes = next((m for m in method.marks if self.rest(m, inner) == "Consumes"), None)
                only = inner.module.text(consumes) if consumes is not None else ""
                for verb in verbs:
                    yield Route("jax-rs", "http", str(verb), shown, real, at, f"{class_.name}.{method.name}", only=only,
                                path_rules=rules)  # fmt: skip

    def _below(self, method: n.Function, scope: Scope, path: str, inside: tuple[int, ...]) -> Iterator[Route]:
        """A method that only leads on to another resource."""
        made = self._leads_to(method, scope)
        node = made.node if made is not None else None
        if made is None or not isinstance(node, n.Class) or id(node) in inside or len(inside) > MAX_DEPTH:
            self.service.note(method, scope, f"the resource that {method.name} leads on to could not be followed")
            return
        lineage = lineage_of(self.program, made)
        yield from self._of_class(node, lineage, path, (*inside, id(node)))

    def _leads_to(self, method: n.Function, scope: Scope) -> Target | None:
        """The class of the resource that a method gives back: what it makes, else its declared type."""
        inner = self.program.scope_of(method, scope)
        for stmt in walk(*method.body):
            if isinstance(stmt, n.Leave) and stmt.kind == "return" and stmt.value is not None:
                value = stmt.value
                if isinstance(value, n.Name):
                    value = (self.program.value(value, inner) or (value, inner))[0]
                made = self.program.resolve(value.func, inner) if isinstance(value, n.Call) else None
                if made is not None and isinstance(made.node, n.Class):
                    return made
        return self.program.class_of(Target(method.name, n.Param(method.span, "", method.returns), scope))

    # --- parameters ---------------------------------------------------------------------------------------------------

    def bound(self, route: Route, param: n.Param, asked: str | None) -> Taken | None:
        marks = self.marks_of(route, param)
        declared = self.service.place(param, route.scope)
        words = {w: (m, s) for m, s in marks if (w := self.rest(m, s)) is not None}
        rest = tuple((m, s) for m, s in marks if self.rest(m, s) is None)
        if words.keys() & _CONTEXT or self.type_name(param.type, route.scope).startswith(
            ("javax.servlet", "jakarta.servlet")
        ):
            return None
        if "BeanParam" in words:
            return self._bean(route, param, declared)
        kind = next((k for k in words if k in PLACES), None)
        reading = Reading(self.service.reader)
        if kind is None:
            shape = reading.of_type(param.type, route.scope, marks=rest)
            if not self.is_valid(rest) and shape.fields:
                shape = shape.with_(skipped=NO_VALID)
            needed = any(r.kind == "notNull" for r in shape.rules)
            return Taken("body", "", shape.with_(nullable=not needed), needed, declared, Origin("body"))
        mark, scope = words[kind]
        return self._named(route, param.type, param.name, kind, mark, scope, words.get("DefaultValue"), rest, declared)

    def _named(self, route: Route, type_: n.Expr | None, name: str, kind: str, mark: n.Mark, scope: Scope,
               default: tuple[n.Mark, Scope] | None, rest: Marks, declared: Place) -> Taken:  # fmt: skip
        place = PLACES[kind]
        wire = self.program.text(argument(mark, "value"), scope) or name
        shape = Reading(self.service.reader).of_type(type_, route.scope, marks=rest)
        if not shape.known:
            shape = Shape("string", rules=shape.rules)
        given = None
        if default is not None:
            value = self.program.constant(argument(default[0], "value"), default[1])
            given = Default(
                value is not None,
                value.value if value is not None else None,
                self.service.place(default[0], default[1]),
            )
        needed = any(r.kind in ("notNull", "notBlank", "notEmpty") for r in shape.rules) and given is None
        wire = wire.lower() if place == "header" else wire
        return Taken(
            place, wire, shape.with_(nullable=False), place == "path" or needed, declared, Origin(place, (wire,)), given
        )

    def _bean(self, route: Route, param: n.Param, declared: Place) -> Taken | None:
        """A class whose fields say where each comes from; all of the query, the usual case, is what is shown."""
        target = self.program.class_of(Target(param.name, param, route.scope))
        if target is None or not isinstance(target.node, n.Class) or target.scope is None:
            return None
        inner = self.program.scope_of(target.node, target.scope)
        fields = []
        for member in target.node.body:
            words = (
                {w: m for m in member.marks if (w := self.rest(m, inner)) is not None}
                if isinstance(member, n.Variable)
                else {}
            )
            kind = next((k for k in words if PLACES.get(k) == "query"), None)
            if kind is None or not isinstance(member, n.Variable):
                continue
            rest = tuple((m, inner) for m in member.marks if self.rest(m, inner) is None)
            wire = self.program.text(argument(words[kind], "value"), inner) or member.name
            shape = Reading(self.service.reader).of_type(member.type, inner, marks=rest)
            needed = any(r.kind in ("notNull", "notBlank", "notEmpty") for r in shape.rules)
            fields.append(
                ShapeField(member.name, wire, shape.with_(nullable=False), needed, self.service.place(member, inner))
            )
        shape = Shape("object", fields=tuple(fields), model=target.node.name, target=target)
        valid = self.is_valid(self.marks_of(route, param))
        shape = shape if valid or not fields else shape.with_(skipped=NO_VALID)
        return Taken("query", "", shape, False, declared, Origin("query")) if fields else None

    def runs(self, taken: Taken) -> Ran:
        declared = taken.declared
        by = RunBy("request binder", declared.file, declared.line, declared.text or "")
        if taken.shape.skipped is not None:
            return Ran(None, "idle", taken.shape.skipped, by)
        limited = any(not r.typed for r in taken.shape.rules) or taken.shape.fields
        if limited and not self.asks_for(*PROVIDERS):
            return Ran(None, "unknown", NO_PROVIDER, by)
        return Ran(by)


_ERRORS = {"WebApplicationException": 1, "ClientErrorException": 1, "ServerErrorException": 1, "BadRequestException": -400,
           "NotAuthorizedException": -401, "ForbiddenException": -403, "NotFoundException": -404, "NotAllowedException": -405,
           "NotAcceptableException": -406, "NotSupportedException": -415, "InternalServerErrorException": -500,
           "ServiceUnavailableException": -503}  # fmt: skip
_MAKERS = {"ok": 200, "created": 201, "accepted": 202, "noContent": 204, "serverError": 500, "status": 200, "notModified": 304,
           "seeOther": 303, "temporaryRedirect": 307}  # fmt: skip


class Mappers(Binding):
    """The classes of one service that map errors to answers."""

    def __init__(self, service: Service) -> None:
        super().__init__(service)
        self.statuses: dict[str, int] = {}
        for class_, scope in classes(service, (b"ExceptionMapper",)):
            for base in class_.bases:
                if isinstance(base.value, n.Index) and (dotted(base.value.value) or "").endswith("ExceptionMapper"):
                    caught = self.program.name_of(base.value.index, scope) or dotted(base.value.index)
                    if caught:
                        self.statuses[caught] = self._status(class_, scope)

    def _status(self, class_: n.Class, scope: Scope) -> int:
        """The status that a mapper answers with; 0 where that cannot be told."""
        method = next((m for m in class_.methods if m.name == "toResponse"), None)
        for node in walk(*method.body) if method is not None else ():
            if (
                isinstance(node, n.Call)
                and isinstance(node.func, n.Member)
                and node.func.name == "status"
                and node.positional
            ):
                inner = self.program.scope_of(class_, scope)
                found = self.program.constant(node.positional[0], inner)
                status = found.value if found is not None else status_name(node.positional[0])
                return status if isinstance(status, int) else 0
        return 0


class JaxRs:
    """The framework."""

    name = "jax-rs"
    language = "java"
    tokens = (b"ws.rs",)
    remedies = {**REMEDIES, "map-error": "throw a BadRequestException there, or map the error in an ExceptionMapper",
                "refuse": "leave there: `return Response.status(400).build()`, or throw a BadRequestException",
                "act-on-it": "act on it: `throw new BadRequestException(…)` where the check fails",
                "bind-query": "give it a type and a limit: `@QueryParam @Size(max = …) String {name}`",
                "bind-path": "give it a type and a limit: `@PathParam @Pattern(regexp = …) String {name}`",
                "bind-body": "take it as a class with constraints on its fields, and put @Valid in front"}  # fmt: skip

    def __init__(self) -> None:
        self._resources: WeakKeyDictionary[Service, Resources] = WeakKeyDictionary()

    def resources(self, service: Service) -> Resources:
        if service not in self._resources:
            self._resources[service] = Resources(service)
        return self._resources[service]

    def routes(self, service: Service) -> Iterable[Route]:
        return self.resources(service).routes()

    def takes(self, service: Service, route: Route) -> Taking:
        return self.resources(service).takes(route)

    def runs(self, service: Service, route: Route, taken: Taken) -> Ran:
        return self.resources(service).runs(taken)

    def words(self, service: Service) -> Words:
        known, statuses = base_java.known_errors(), Mappers(service).statuses

        def mapped(target: Target | None, own: int | None) -> int | None:
            names = error_names(service.program, known, target) if target is not None else ()
            found = next((statuses[x] for x in names if x in statuses), None)
            return found if found is not None else own

        errors = {x: position for name, position in _ERRORS.items() for x in _names(name)}
        answers = {x: status for name, status in _MAKERS.items() for x in _names(f"core.Response.{name}")}
        return base_java.words(
            service, mapped, errors, answers=answers, answer_status=dict.fromkeys(_names("core.Response.status"), 0),
            request={"getQueryParameters": "query", "getPathParameters": "path", "getRequestHeaders": "header"},
            getters={"getHeaderString": "header", "getRequestHeader": "header"},
        )  # fmt: skip


framework = JaxRs()
