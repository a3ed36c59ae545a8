"""Pipes: which run on a parameter, and what each does to it."""

from collections.abc import Iterator, Mapping
from typing import Any

import msgspec

from mappu.frameworks.base import Service
from mappu.frameworks.nestjs.controllers import COMMON, calls, classes
from mappu.inventory.model import FieldType, Place
from mappu.symbols.program import Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted
from mappu.vocabularies.class_validator.classes import Options

VALIDATION = COMMON + "ValidationPipe"

# Pipes that look at one value: the type it then has, its format, and whether that leaves room to limit.
PARSERS: Mapping[str, tuple[FieldType, str | None, bool]] = {
    "ParseIntPipe": ("integer", None, False), "ParseFloatPipe": ("number", None, False), "ParseBoolPipe": ("boolean", None, True),
    "ParseUUIDPipe": ("string", "uuid", True), "ParseDatePipe": ("string", "date-time", True),
    "ParseEnumPipe": ("string", None, True), "ParseArrayPipe": ("array", None, False), "ParseFilePipe": ("file", None, False),
}  # fmt: skip


class Pipe(msgspec.Struct, frozen=True, eq=False):
    """One pipe: its class, how it was made, and where that stands."""

    target: Target
    made: n.Call | None
    scope: Scope
    place: Place

    def entries(self, service: Service, position: int = 0) -> tuple[dict[Any, n.Expr], Scope]:
        """The options it was made with."""
        given = self.made.positional if self.made is not None else ()
        followed = service.program.value(given[position], self.scope) if len(given) > position else None
        if followed is None or not isinstance(followed[0], n.Entries):
            return {}, self.scope
        found: dict[Any, n.Expr] = {}
        for key, value in followed[0].entries:
            if key is None:
                inner = service.program.value(value, followed[1])
                if inner is not None and isinstance(inner[0], n.Entries):
                    found |= {k.value: v for k, v in inner[0].entries if isinstance(k, n.Literal)}
            elif isinstance(key, n.Literal):
                found[key.value] = value
        return found, followed[1]


class Pipes:
    """The pipes of one service."""

    def __init__(self, service: Service) -> None:
        self.service, self.program = service, service.program
        self.everywhere: list[Pipe] = []
        # Only where the service is started can pipes be bound for all of it.
        self.starts = any(b"NestFactory" in s.module.source for s in service.scopes)
        for scope in service.scopes:
            source = scope.module.source
            if b"useGlobalPipes" in source:
                for call, holder in calls(self.program, scope):
                    if isinstance(call.func, n.Member) and call.func.name == "useGlobalPipes":
                        for expr, inner in self._flat(call, holder):
                            self.everywhere.extend(self.pipe(expr, inner))
            if b"APP_PIPE" in source:
                for class_ in classes(scope):
                    self.everywhere.extend(self._provided(class_, scope))

    def _flat(self, call: n.Call, scope: Scope) -> Iterator[tuple[n.Expr, Scope]]:
        for arg in call.args:
            elements = self.program.elements(arg.value, scope) if arg.spread else []
            yield from elements or [(arg.value, scope)]

    def _provided(self, class_: n.Class, scope: Scope) -> Iterator[Pipe]:
        """`{ provide: APP_PIPE, useClass: … }` among a module's providers."""
        for mark in class_.marks:
            options = mark.args[0].value if mark.args else None
            for key, value in options.entries if isinstance(options, n.Entries) else ():
                if not (isinstance(key, n.Literal) and key.value == "providers"):
                    continue
                for item, holder in self.program.elements(value, scope):
                    if not isinstance(item, n.Entries):
                        continue
                    entries = {k.value: v for k, v in item.entries if isinstance(k, n.Literal)}
                    if (dotted(entries.get("provide")) or "") != "APP_PIPE":
                        continue
                    made = entries.get("useClass") or entries.get("useValue") or entries.get("useExisting")
                    factory = entries.get("useFactory")
                    if isinstance(factory, n.Function):
                        made = next((s.value for s in factory.body if isinstance(s, n.Leave)), None)
                        holder = self.program.scope_of(factory, holder)
                    if made is not None:
                        yield from self.pipe(made, holder)

    def pipe(self, expr: n.Expr, scope: Scope) -> Iterator[Pipe]:
        """The pipe an expression is: a class, or one made from it; behind a name too."""
        followed = self.program.value(expr, scope) if isinstance(expr, n.Name | n.Member) else None
        if followed is not None and isinstance(followed[0], n.Call):
            expr, scope = followed
        made = expr if isinstance(expr, n.Call) else None
        target = self.program.resolve(made.func if made is not None else expr, scope)
        if target is not None and isinstance(target.node, n.Function) and target.scope is not None:
            # A function of the service that makes one.
            inner = self.program.scope_of(target.node, target.scope)
            given = next((s.value for s in target.node.body if isinstance(s, n.Leave)), None)
            if isinstance(given, n.Call):
                yield from self.pipe(given, inner)
            return
        if target is not None:
            yield Pipe(target, made, scope, self.service.place(expr, scope))

    def of_marks(self, marks: tuple[n.Mark, ...], scope: Scope) -> Iterator[Pipe]:
        """The pipes of `@UsePipes(…)`, also in decorators made of several."""
        for mark in marks:
            if self.program.name_of(mark.name, scope) == COMMON + "UsePipes":
                for arg in mark.args or ():
                    yield from self.pipe(arg.value, scope)

    def validation(self, pipe: Pipe) -> bool:
        """True for the pipe that runs the rules of classes, or a subclass of it."""
        return self.program.derives(pipe.target, (VALIDATION,)) is not None

    def options(self, pipe: Pipe) -> Options:
        """The options of a validation pipe, those its subclass sets included."""
        entries, scope = pipe.entries(self.service)
        node = pipe.target.node
        if isinstance(node, n.Class) and pipe.target.scope is not None:
            inner = self.program.scope_of(node, pipe.target.scope)
            for method in node.methods:
                for stmt in method.body if method.name == "constructor" else ():
                    call = stmt.value if isinstance(stmt, n.Do) else None
                    if isinstance(call, n.Call) and dotted(call.func) == "super" and call.positional:
                        if isinstance(call.positional[0], n.Entries):
                            own = {k.value: v for k, v in call.positional[0].entries if isinstance(k, n.Literal)}
                            entries, scope = {**entries, **own}, inner

        def is_true(name: str, table: dict[Any, n.Expr] = entries) -> bool:
            constant = self.program.constant(table[name], scope) if name in table else None
            return constant is not None and constant.value is True

        transforming = entries.get("transformOptions")
        inner_options = {}
        if isinstance(transforming, n.Entries):
            inner_options = {k.value: v for k, v in transforming.entries if isinstance(k, n.Literal)}
        groups = self.program.elements(entries["groups"], scope) if "groups" in entries else []
        return Options(
            frozenset(t for e, s in groups if (t := self.program.text(e, s)) is not None),
            is_true("skipUndefinedProperties"), is_true("skipNullProperties"), is_true("skipMissingProperties"),
            is_true("whitelist"), is_true("whitelist") and is_true("forbidNonWhitelisted"),
            is_true("enableImplicitConversion", inner_options),
        )  # fmt: skip
