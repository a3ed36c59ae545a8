"""How a Spring service answers errors: its own advice first, then what the framework does by itself."""

from mappu.flow.endings import error_names, status_name
from mappu.flow.words import Errors
from mappu.frameworks.base import Service
from mappu.frameworks.base_java import Marked, classes
from mappu.frameworks.spring.controllers import WEB
from mappu.symbols.program import Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted, walk
from mappu.vocabularies.bean_validation.constraints import argument

UNKNOWN = 0
VIOLATIONS = tuple(f"{p}.validation.ConstraintViolationException" for p in ("jakarta", "javax"))
_STARTS = (b"SpringApplication", b"SpringBootApplication", b"runApplication")
_MAKERS = {"badRequest": 400, "unprocessableEntity": 422, "notFound": 404, "internalServerError": 500, "ok": 200, "accepted": 202,
           "noContent": 204}  # fmt: skip
_STATUS_CALLS = frozenset({"status", "forStatus", "forStatusAndDetail", "setStatus", "sendError", "ResponseEntity"})


class Answers(Marked):
    """The exception handlers of one service."""

    def __init__(self, service: Service) -> None:
        super().__init__(service)
        self.handlers: list[tuple[frozenset[str], int]] = []
        # Those that answer for some controllers alone, by their class and by the package that they lie in.
        self.own: list[tuple[Target, frozenset[str], int]] = []
        self.packages: list[tuple[str, frozenset[str], int]] = []
        # Where nothing in the source starts the service, errors may be answered by code that is not at hand.
        self.starts = any(word in data for _, data in service.sources() for word in _STARTS)
        for class_, scope in classes(service, (b"ExceptionHandler",)):
            inner = self.program.scope_of(class_, scope)
            advice = next((m for m in class_.marks if (dotted(m.name) or "").endswith("Advice")), None)
            for method in class_.methods:
                mark = self.find(method.marks, inner, (WEB + "ExceptionHandler",))
                if mark is None:
                    continue
                found = self._caught(mark, method, inner), self._status(method, inner)
                if advice is None:
                    full = self.program.full_name(scope, class_.name)
                    self.own.append((Target(full, class_, scope), *found))
                else:
                    self._advised(advice, scope, *found)

    def _advised(self, advice: n.Mark, scope: Scope, caught: frozenset[str], status: int) -> None:
        """Take a handler of a class of them, for the controllers that its annotation names, or else for all."""
        types, packages = (
            argument(advice, "assignableTypes"),
            argument(advice, "basePackages") or argument(advice, "value"),
        )
        for expr, holder in self.program.elements(types, scope) or ([(types, scope)] if types is not None else []):
            target = self.program.resolve(expr, holder)
            if target is not None:
                self.own.append((target, caught, status))
        self.packages.extend((name, caught, status) for name in self.texts(packages, scope))
        if types is None and packages is None:
            # By annotation, or by a class of the package: for which of them is not looked at.
            self.handlers.append((caught, UNKNOWN if advice.args else status))

    def _caught(self, mark: n.Mark, method: n.Function, scope: Scope) -> frozenset[str]:
        """The classes that a handler is for: listed, or its parameter's."""
        given = argument(mark, "value") or argument(mark, "exception")
        listed = self.program.elements(given, scope) or ([(given, scope)] if given is not None else [])
        listed = listed or [(p.type, scope) for p in method.params if p.type is not None]
        return frozenset(self.program.name_of(e, s) or dotted(e) or "?" for e, s in listed)

    def _status(self, method: n.Function, scope: Scope) -> int:
        """The status that a handler answers with; 0 where that cannot be told."""
        mark = self.find(method.marks, scope, (WEB + "ResponseStatus",))
        if mark is not None:
            return self.status_of(argument(mark, "value") or argument(mark, "code"), scope) or 500
        inner = self.program.scope_of(method, scope)
        for node in walk(*method.body):
            if isinstance(node, n.Call):
                name = (
                    node.func.name if isinstance(node.func, n.Member) else (dotted(node.func) or "").rpartition(".")[2]
                )
                if name in _MAKERS and isinstance(node.func, n.Member) and dotted(node.func.value) == "ResponseEntity":
                    return _MAKERS[name]
                if name in _STATUS_CALLS and node.positional:
                    codes = [c for e in node.positional if (c := self.status_of(e, inner)) is not None]
                    return codes[0] if codes else UNKNOWN
        return UNKNOWN if method.body else 200

    def status_of(self, expr: n.Expr | None, scope: Scope) -> int | None:
        found = self.program.constant(expr, scope)
        if found is not None and isinstance(found.value, int):
            return found.value
        return status_name(expr)

    def nearby(self, target: Target, scope: Scope, known: Errors) -> int | None:
        """The status that the handlers of the class around `scope`, or of one above or below it, give an error; None where
        they have none for it."""
        inside: Scope | None = scope
        while inside is not None and not isinstance(inside.owner, n.Class):
            inside = inside.parent
        if (
            not (self.own or self.packages)
            or inside is None
            or inside.parent is None
            or not isinstance(inside.owner, n.Class)
        ):
            return None
        mine = Target(self.program.full_name(inside.parent, inside.owner.name), inside.owner, inside.parent)
        lineage = {a.name for a in self.program.ancestry(mine)}
        near = [
            (caught, status)
            for owner, caught, status in self.own
            if owner.name in lineage or mine.name in {a.name for a in self.program.ancestry(owner)}
        ]
        near.extend((caught, status) for name, caught, status in self.packages if mine.name.startswith(f"{name}."))
        names = error_names(self.program, known, target)
        return next((s for name in names for caught, s in near if name in caught), None)

    def of(self, target: Target | None, own: int | None, known: Errors) -> int | None:
        """The status that an error is answered with; None where nothing maps it, 0 where it cannot be told."""
        if target is None:
            return own
        names = list(error_names(self.program, known, target))
        for name in names:
            # The handler of the nearest class is the one that is called.
            found = next((s for caught, s in self.handlers if name in caught), None)
            if found is not None:
                return found
        if own is not None:
            return own
        for ancestor in self.program.ancestry(target):
            if isinstance(ancestor.node, n.Class) and ancestor.scope is not None:
                mark = self.find(ancestor.node.marks, ancestor.scope, (WEB + "ResponseStatus",))
                if mark is not None:
                    return self.status_of(argument(mark, "value") or argument(mark, "code"), ancestor.scope) or 500
        strange = target.scope is None and target.name not in known.parents and "." in target.name
        return UNKNOWN if strange or not self.starts else None
