"""What a controller's method takes, and what runs the rules of each parameter."""

import re
from collections.abc import Iterable, Iterator

from mappu.flow.values import Origin
from mappu.frameworks.base import Ran, Route, Service, Taken
from mappu.frameworks.base_java import OLD_AND_NEW, version
from mappu.frameworks.base_java_binding import Binding
from mappu.frameworks.spring.controllers import WEB
from mappu.inventory.model import Place, PlaceIn, RunBy, Status
from mappu.symbols.java import is_kotlin
from mappu.symbols.program import Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted
from mappu.vocabularies.bean_validation.annotations import VALID
from mappu.vocabularies.bean_validation.classes import Reading
from mappu.vocabularies.bean_validation.constraints import anchored, argument
from mappu.vocabularies.bean_validation.types import FILES, FREE, LISTS, MAPS, PRIMITIVES, TYPES
from mappu.vocabularies.shape import Default, Rule, Shape, ShapeField

PLACES: dict[str, PlaceIn] = {"RequestBody": "body", "RequestParam": "query", "PathVariable": "path", "RequestHeader": "header",
                              "CookieValue": "cookie", "RequestPart": "form", "ModelAttribute": "form"}  # fmt: skip
VALIDATED = "org.springframework.validation.annotation.Validated"
_REQUESTS = frozenset({f"{p}.servlet.http.HttpServletRequest" for p in ("jakarta", "javax")}
                      | {"org.springframework.web.context.request.WebRequest",
                         "org.springframework.web.context.request.NativeWebRequest",
                         "org.springframework.http.server.reactive.ServerHttpRequest"})  # fmt: skip
_RESULTS = frozenset({"org.springframework.validation.BindingResult", "org.springframework.validation.Errors"})
_ENTITY = tuple(f"{p}persistence.Entity" for p in OLD_AND_NEW)
_PAGEABLE = "org.springframework.data.domain.Pageable"
_PAGE = (("page", Shape("integer")), ("size", Shape("integer")), ("sort", Shape("string")))
_GET = frozenset({"GET", "DELETE", "HEAD"})

NO_VALID = "the parameter has no @Valid: binding it runs none of its rules"
WRITTEN = "the parameter has no @Valid; the storage looks as it writes the row, and its error ends as a 5xx"
NO_PROVIDER = "no package that runs the rules is in the build file: @Valid then does nothing"
NOT_CHECKED = "a rule on a parameter runs here only where the class has @Validated"
NO_NULL = "left out, it is null, which its type has no place for: that ends as a 5xx"
NO_ELEMENTS = "the parameter is a plain list: before version 6.1 @Valid looks at none of its elements"
STARTERS = ("org.springframework.boot:spring-boot-starter-validation", "org.hibernate.validator:hibernate-validator",
            "org.hibernate:hibernate-validator", "org.apache.bval:bval-jsr",
            "io.quarkus:quarkus-hibernate-validator")  # fmt: skip


class Parameters(Binding):
    """The parameters of one service's controllers."""

    request_types = _REQUESTS
    result_types = _RESULTS

    def __init__(self, service: Service) -> None:
        super().__init__(service)
        self.boot = version(service, ("plugin:org.springframework.boot", "org.springframework.boot:spring-boot-starter-parent",
                                      "org.springframework.boot:spring-boot-dependencies",
                                      "org.springframework.boot:spring-boot-starter-web",
                                      "org.springframework.boot:spring-boot-starter"))  # fmt: skip
        self.framework = version(service, ("org.springframework:spring-web", "org.springframework:spring-webmvc",
                                           "org.springframework:spring-framework-bom"))  # fmt: skip

    @property
    def validates_methods(self) -> bool | None:
        """True where rules on plain parameters run by themselves (6.1 of the framework, 3.2 of Boot); None if unknown."""
        if self.framework is not None:
            return self.framework >= (6, 1)
        return self.boot >= (3, 2) if self.boot is not None else None

    @property
    def has_provider(self) -> bool | None:
        """Whether anything is installed that runs the rules; None where the build file does not tell."""
        root = self.service.root
        names = [p.name for m in root.manifests for p in m.packages]
        if any(x in names for x in STARTERS) or any("validat" in x for x in names):
            return True
        own = any(x.startswith("org.springframework.boot:spring-boot-starter-web") for x in names)
        if not own or not root.lists_packages or (self.boot is not None and self.boot < (2, 3)):
            return None
        known = ("org.springframework", "com.fasterxml", "org.projectlombok", "com.h2database", "org.postgresql", "org.mapstruct",
                 "org.junit", "org.flywaydb", "org.liquibase", "com.mysql", "jakarta.", "javax.", "plugin:",
                 "io.micrometer")  # fmt: skip
        return False if all(x.startswith(known) for x in names) else None

    # --- what is taken ------------------------------------------------------------------------------------------------

    def bound(self, route: Route, param: n.Param, asked: str | None) -> Taken | None:
        """What a parameter is bound to; None for what is none of the client's. `asked` where the outcome of its rules goes to
        the parameter behind it."""
        scope = route.scope
        marks = self.marks_of(route, param)
        binding = next(((m, s, x) for m, s in marks if (x := self.name(m, s).removeprefix(WEB)) in PLACES
                        and self.name(m, s).startswith(WEB)), None)  # fmt: skip
        type_name = self.type_name(param.type, scope)
        declared = self.service.place(param, scope)
        rest = tuple((m, s) for m, s in marks if not self.name(m, s).startswith(WEB))
        if binding is None:
            return self._implicit(route, param, type_name, declared, rest, asked)
        mark, holder, kind = binding
        place = PLACES[kind]
        if kind == "ModelAttribute" or (kind == "RequestBody" and place == "body"):
            return self._whole(route, param, place if kind == "RequestBody" else self._form(route), declared, rest, asked,
                               self.is_true(mark, "required", holder) is not False)  # fmt: skip
        return self._named(route, param, mark, holder, place, type_name, declared, rest)

    def _form(self, route: Route) -> PlaceIn:
        return "query" if route.method in _GET else "form"

    def _named(self, route: Route, param: n.Param, mark: n.Mark, holder: Scope, place: PlaceIn, type_name: str, declared: Place,
               rest: tuple[tuple[n.Mark, Scope], ...]) -> Taken:  # fmt: skip
        given = argument(mark, "name") or argument(mark, "value")
        wire = self.program.text(given, holder) or param.name
        reading = Reading(self.service.reader)
        if given is None and type_name in MAPS:
            return Taken(place, "", Shape("object", values=Shape()), False, declared, Origin(place))
        shape = reading.of_type(param.type, route.scope, marks=rest)
        if type_name in FILES or (place == "form" and shape.type == "file"):
            place = "form"
        if not shape.known and place != "form":
            # Some type that a converter makes of the text.
            shape = Shape("string", rules=shape.rules)
        rules = tuple(
            Rule("pattern", anchored(p), declared) for w, p in route.path_rules.items() if w == wire and place == "path"
        )
        default = self._default(mark, holder)
        optional = (
            self.is_true(mark, "required", holder) is False
            or type_name == "java.util.Optional"
            or default is not None
            or _may_be_left_out(param)
        )
        if place == "header":
            wire = wire.lower()
        nullable = False if place != "form" else shape.nullable
        shape = shape.with_(rules=(*rules, *shape.rules), nullable=nullable)
        return Taken(place, wire, shape, place == "path" or not optional, declared, Origin(place, (wire,)), default)

    def _default(self, mark: n.Mark, scope: Scope) -> Default | None:
        given = argument(mark, "defaultValue")
        if given is None:
            return None
        found = self.program.constant(given, scope)
        value: object = found.value if found is not None else None
        if isinstance(value, str) and re.fullmatch(r"-?\d+", value):
            value = int(value)
        return Default(found is not None, value, self.service.place(given, scope), checked=True)

    def _implicit(self, route: Route, param: n.Param, type_name: str, declared: Place, rest: tuple[tuple[n.Mark, Scope], ...],
                  asked: str | None) -> Taken | None:  # fmt: skip
        """A parameter without a binding annotation: simple ones are query parameters, classes of the service's own take query
        parameters or a form."""
        if type_name == _PAGEABLE:
            fields = tuple(ShapeField(name, name, shape, False, declared) for name, shape in _PAGE)
            return Taken(
                "query", "", Shape("object", fields=fields, model="Pageable"), False, declared, Origin("query")
            )
        if type_name in FILES:
            return Taken("form", param.name, Shape("file"), True, declared, Origin("form", (param.name,)))
        if type_name in TYPES or type_name in LISTS:
            shape = Reading(self.service.reader).of_type(param.type, route.scope, marks=rest)
            kotlin = is_kotlin(route.scope)
            if not _may_be_left_out(param) and (kotlin or (type_name in PRIMITIVES and type_name != "boolean")):
                rule = Rule("notNull", True, declared, breaks=NO_NULL, mend="ask-for-it")
                shape = shape.with_(rules=(*shape.rules, rule))
            return Taken(
                "query", param.name, shape.with_(nullable=False), False, declared, Origin("query", (param.name,))
            )
        target = self.program.class_of(Target(param.name, param, route.scope))
        if (
            target is None
            or target.scope is None
            or not isinstance(target.node, n.Class)
            or target.node.form != "class"
        ):
            return None
        return self._whole(route, param, self._form(route), declared, rest, asked, True)

    def _whole(self, route: Route, param: n.Param, place: PlaceIn, declared: Place, rest: tuple[tuple[n.Mark, Scope], ...],
               asked: str | None, required: bool) -> Taken:  # fmt: skip
        """A body, or an object made of the parameters."""
        type_name = self.type_name(param.type, route.scope)
        groups = self._groups(rest)
        reading = Reading(self.service.reader, groups) if groups else Reading(self.service.reader)
        shape = reading.of_type(param.type, route.scope)
        if place != "body":
            # No converter there: what is left out stays null, and is not told apart from what is empty.
            shape = shape.with_(nullable=False)
        if not shape.known and type_name not in FREE:
            shape = Shape(known=False)
        why = self._skipped(route, rest, shape, type_name, param)
        if why is not None:
            shape = shape.with_(skipped=why)
        if why == NO_PROVIDER:
            shape = shape.with_(needs=((STARTERS[0], declared),))
        if shape.type == "string" and not shape.rules:
            shape = Shape()
        awaits = asked is not None and why is None and bool(shape.fields)
        needed = required and place == "body"
        return Taken(place, "", shape.with_(nullable=False), needed, declared, Origin(place), awaits=awaits,
                     told_to=asked)  # fmt: skip

    def _groups(self, marks: Iterable[tuple[n.Mark, Scope]]) -> frozenset[str]:
        """The groups that `@Validated(…)` names, with those they inherit."""
        found: set[str] = set()
        for mark, scope in marks:
            if self.name(mark, scope) != VALIDATED:
                continue
            given = argument(mark, "value")
            for expr, holder in self.program.elements(given, scope) or ([(given, scope)] if given is not None else []):
                target = self.program.resolve(expr, holder)
                lineage = self.program.ancestry(target) if target is not None else []
                found |= {a.name.rpartition(".")[2] for a in lineage} or {(dotted(expr) or "").rpartition(".")[2]}
        return frozenset(found)

    def _skipped(self, route: Route, marks: tuple[tuple[n.Mark, Scope], ...], shape: Shape, type_name: str,
                 param: n.Param) -> str | None:  # fmt: skip
        """Why nothing runs the rules of a whole parameter; None where they run."""
        has_rules = any(True for _ in _rules(shape))
        if not self.starts_rules(marks):
            return NO_VALID if has_rules and not self._inner_valid(param, route.scope) else None
        if has_rules and self.has_provider is False:
            return NO_PROVIDER
        if shape.type in ("array", "object") and not shape.fields and type_name in LISTS | MAPS and has_rules:
            if self.validates_methods is False and not self._class_validated(route):
                return NO_ELEMENTS
        return None

    def _inner_valid(self, param: n.Param, scope: Scope) -> bool:
        """True for `List<@Valid X>`."""
        text = scope.module.text(param.type) if param.type is not None else ""
        return "@Valid" in text and self.validates_methods is not False

    def starts_rules(self, marks: Iterable[tuple[n.Mark, Scope]]) -> bool:
        """True where one of the annotations makes the binder run the rules: by its name alone, as the framework looks for it."""
        return any(
            self.name(m, s) in VALID or (dotted(m.name) or "").rpartition(".")[2].startswith("Valid") for m, s in marks
        )

    def _class_validated(self, route: Route) -> bool:
        owner, around = route.scope.owner, route.scope.parent
        if not isinstance(owner, n.Class) or around is None:
            return False
        return self.find(owner.marks, around, (VALIDATED,)) is not None

    # --- what runs ----------------------------------------------------------------------------------------------------

    def runs(self, route: Route, taken: Taken, mapped: int | None) -> Ran:
        """Tell what runs the rules of a parameter. `mapped` is the status that a failed rule is answered with where it is not the
        binder that checks it: None for a 5xx, 0 where it cannot be told."""
        declared = taken.declared
        by = RunBy("request binder", declared.file, declared.line, declared.text or "")
        if taken.shape.skipped is not None:
            # Its types are checked all the same; its rules are not.
            return Ran(None, "idle", taken.shape.skipped, by, self._written(taken, mapped))
        if not taken.wire or not _limits(taken.shape):
            return Ran(by)
        if self.has_provider is False:
            return Ran(None, "idle", NO_PROVIDER, by)
        if self._class_validated(route):
            interceptor = RunBy("method interceptor", declared.file, declared.line, declared.text or "")
            if mapped == 0:
                return Ran(interceptor, "unknown", "what its error is answered with could not be followed", by)
            if mapped is None or mapped >= 500:
                why = "the interceptor's ConstraintViolationException is mapped by nothing: it ends as a 5xx"
                return Ran(interceptor, "breaks", why, by)
            return Ran(interceptor)
        if self.validates_methods is None:
            return Ran(
                None,
                "unknown",
                "whether rules on parameters run depends on a version that the build file does not tell",
            )
        return Ran(by) if self.validates_methods else Ran(None, "idle", NOT_CHECKED, by)

    def _written(self, taken: Taken, mapped: int | None) -> tuple[Status, str | None] | None:
        """What becomes of the rules of an entity that nothing checks before its row is written. Whoever writes it wraps the
        error, and error handlers look at what is inside."""
        target = taken.shape.target
        if (
            taken.shape.skipped != NO_VALID
            or target is None
            or not isinstance(target.node, n.Class)
            or target.scope is None
        ):
            return None
        if self.find(target.node.marks, target.scope, _ENTITY) is None:
            return None
        if mapped == 0:
            return "unknown", "what its error is answered with could not be followed"
        return ("breaks", WRITTEN) if mapped is None or mapped >= 500 else ("runs", None)


def _may_be_left_out(param: n.Param) -> bool:
    """True where Kotlin gives a parameter a default, or a type with null in it."""
    return param.default is not None or (isinstance(param.type, n.Binary) and param.type.op == "|")


def _rules(shape: Shape) -> Iterator[Rule]:
    yield from (r for r in shape.rules if not r.typed)
    for field in shape.fields:
        yield from _rules(field.shape)
    for part in (shape.items, shape.values):
        if part is not None:
            yield from _rules(part)


def _limits(shape: Shape) -> bool:
    """True for rules beyond what the type says by itself."""
    return any(True for r in _rules(shape))
