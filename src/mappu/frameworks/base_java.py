"""What the JVM frameworks share: their words for the flow engine, marks by full name, versions, and answers to errors."""

import re
from collections.abc import Callable, Iterable, Iterator, Mapping
from typing import Any

from mappu.flow.java import language
from mappu.flow.words import Errors, Words
from mappu.frameworks import base_storage_java as storage
from mappu.frameworks.base import Service
from mappu.frameworks.base_words import casting, errors_of, house_rules, running, vocabularies_of
from mappu.symbols.program import Program, Scope, Target
from mappu.symbols.scopes import declared
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted
from mappu.vocabularies.bean_validation.constraints import argument

LANGUAGE = "java"
CHECKERS = ("valid", "check", "verify", "ensure", "assert", "require", "guard")
# Annotations that stand in one of two packages, by the standard's age.
OLD_AND_NEW = ("jakarta.", "javax.")
# A class and what it inherits from, nearest first.
Lineage = list[tuple[n.Class, Scope]]


def words(
    service: Service, mapped: Callable[[Target | None, int | None], int | None], errors: Mapping[str, int], **own: Any
) -> Words:
    """Return the words of a JVM framework; `own` are those it has itself."""
    reader = service.reader
    used = vocabularies_of(LANGUAGE)
    defaults: dict[str, Any] = {
        "request": {}, "request_types": frozenset(), "broken": {}, "answers": {}, "status_member": "status", "dumps": frozenset(),
    }  # fmt: skip
    return Words(
        language=language, errors=errors, mapped=mapped, runs=running(reader, used), casts=casting(reader, used),
        known_errors=known_errors(), is_entity=lambda target: storage.is_entity(service.program, target),
        stores=storage.STORES, stages=storage.STAGES,
        commits=frozenset(), plain_stores=storage.PLAIN_STORES, storage_packages=storage.PACKAGES,
        storage_names=storage.NAMES, queries=storage.QUERIES, lookups=storage.LOOKUPS, checkers=CHECKERS,
        house=house_rules(service.settings.rule),
        keyed=storage.KEYED, lookup_prefixes=storage.LOOKUP_PREFIXES, **{**defaults, **own},
    )  # fmt: skip


def known_errors() -> Errors:
    """The error classes of the language and of the ways to write rules, with what each inherits from."""
    return errors_of(language, vocabularies_of(LANGUAGE))


class Marked:
    """Annotations of one service, by their full names."""

    def __init__(self, service: Service) -> None:
        self.service = service
        self.program: Program = service.program

    def name(self, mark: n.Mark, scope: Scope) -> str:
        return self.program.name_of(mark.name, scope) or ""

    def find(self, marks: Iterable[n.Mark], scope: Scope, names: Iterable[str]) -> n.Mark | None:
        """The first of the annotations that is one of the names."""
        wanted = frozenset(names)
        return next((m for m in marks if self.name(m, scope) in wanted), None)

    def texts(self, expr: n.Expr | None, scope: Scope) -> list[str]:
        """The texts that an element lists: one, or several."""
        if expr is None:
            return []
        listed = self.program.elements(expr, scope) or [(expr, scope)]
        return [self.text(e, s) for e, s in listed]

    def text(self, expr: n.Expr, scope: Scope) -> str:
        """A text, with what is only known when it runs shown as it is written, and listed."""
        found = self.program.text(expr, scope)
        if found is not None:
            return found
        source = scope.module.text(expr)
        self.service.note(expr, scope, f"part of a path is built at run time: {source}")
        return f"<{source}>"

    def is_true(self, mark: n.Mark, element: str, scope: Scope) -> bool | None:
        found = self.program.constant(argument(mark, element), scope)
        return found.value if found is not None and isinstance(found.value, bool) else None


def classes(service: Service, words_: tuple[bytes, ...] = ()) -> Iterator[tuple[n.Class, Scope]]:
    """Yield the classes of a service, nested ones too; with `words_` only of files that hold one of them."""
    for scope in service.scopes:
        if not words_ or any(w in scope.module.source for w in words_):
            yield from _classes(service.program, scope, scope.module.body)


def _classes(program: Program, scope: Scope, body: Iterable[n.Stmt]) -> Iterator[tuple[n.Class, Scope]]:
    for node in declared(body):
        if isinstance(node, n.Class):
            yield node, scope
            inner = tuple(m for m in node.body if isinstance(m, n.Class))
            yield from _classes(program, program.scope_of(node, scope), inner)


def lineage_of(program: Program, target: Target) -> Lineage:
    """A class with what it inherits from, as far as the source is at hand."""
    above = ((a.node, a.scope) for a in program.ancestry(target))
    return [(node, scope) for node, scope in above if isinstance(node, n.Class) and scope is not None]


def overrides(method: n.Function, above: n.Function, generic: bool) -> bool:
    """True where a method takes the place of one of a class above it: by its name and what it takes. `generic` where the one
    above may name its types by parameters of its class."""
    if method.name != above.name or len(method.params) != len(above.params):
        return False
    return generic or [_plain(p.type) for p in method.params] == [_plain(p.type) for p in above.params]


def is_done(method: n.Function, owner: n.Class, done: Iterable[tuple[n.Class, n.Function]]) -> bool:
    """True where a method of a class below, found before, takes the place of this one."""
    return any(o is not owner and overrides(m, method, bool(owner.type_params)) for o, m in done)


def implementation(program: Program, lineage: Lineage, method: n.Function) -> tuple[n.Function, Scope] | None:
    """The method with a body that is run where one of the lineage is called, with its class's scope: the lowest."""
    generic = any(m is method and bool(owner.type_params) for owner, _ in lineage for m in owner.methods)
    for owner, holder in lineage:
        there = [m for m in owner.methods if not any(dotted(x.name) == "abstract" for x in m.marks)]
        found = next((m for m in there if overrides(m, method, generic=False)), None)
        found = found or next((m for m in there if generic and overrides(m, method, generic)), None)
        if found is not None:
            return found, program.scope_of(owner, holder)
    return None


def _plain(type_: n.Expr | None) -> str:
    base = type_.value if isinstance(type_, n.Index) else type_
    return (dotted(base) or "").rpartition(".")[2]


def version(service: Service, names: Iterable[str]) -> tuple[int, int] | None:
    """The first two numbers of the version that the build asks for of any of the packages; None where it cannot be told."""
    for name in names:
        package = service.root.package(name)
        found = re.match(r"[\^~v]?(\d+)\.(\d+)", package.versions) if package is not None else None
        if found is not None:
            return int(found[1]), int(found[2])
    return None


def joined(*parts: str) -> str:
    """Paths put behind each other, each slash once."""
    return "/" + "/".join(p.strip("/") for p in parts if p.strip("/"))
