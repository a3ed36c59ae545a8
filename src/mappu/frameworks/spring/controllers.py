"""Controllers: which methods of which classes serve which paths, with every prefix that goes in front."""

import re
from collections.abc import Iterator

import msgspec

from mappu.frameworks.base import Route, Service
from mappu.frameworks.base_java import Marked, classes, implementation, is_done, joined, lineage_of
from mappu.frameworks.base_paths import curly
from mappu.sources.properties import properties
from mappu.symbols.program import Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted
from mappu.vocabularies.bean_validation.constraints import argument

WEB = "org.springframework.web.bind.annotation."
_CONTROLLERS = (WEB + "RestController", "org.springframework.stereotype.Controller")
_VERBS = {
    "GetMapping": "GET",
    "PostMapping": "POST",
    "PutMapping": "PUT",
    "PatchMapping": "PATCH",
    "DeleteMapping": "DELETE",
}
_CONTEXT = (
    "server.servlet.context-path",
    "server.servlet.contextPath",
    "spring.webflux.base-path",
    "server.context-path",
)
_SETTING = re.compile(r"\$\{([^{}:]+)(?::([^{}]*))?\}")
# The annotations of these are looked for on what they annotate.
MAX_COMPOSED = 3


class Mapped(msgspec.Struct, frozen=True):
    """What a mapping annotation says: the verbs (none: any), and the paths."""

    verbs: tuple[str, ...]
    paths: tuple[str, ...]
    # Query parameters that must be there, and what else tells requests of one path apart.
    asks: str = ""
    only: str = ""


class Controllers(Marked):
    """The controllers of one service."""

    def __init__(self, service: Service) -> None:
        super().__init__(service)
        self.settings: dict[str, str] = {}
        for document in service.reader.documents:
            if document.path.rpartition("/")[2].startswith(("application.", "bootstrap.")):
                self.settings |= properties(document)
        found = self._filled(next((self.settings[k] for k in _CONTEXT if k in self.settings), ""))
        self.prefix = found if "${" not in found else ""

    def _filled(self, path: str) -> str:
        """The path with what it takes from the settings put in, or else the default that it names."""
        return _SETTING.sub(lambda m: self.settings.get(m[1], m[2] if m[2] is not None else m[0]), path)

    def routes(self) -> Iterator[Route]:
        for class_, scope in classes(self.service, (b"Controller", b"Mapping")):
            if class_.form == "class" and self._composed(class_.marks, scope, _CONTROLLERS) is not None:
                yield from self._of_class(class_, scope)

    def _composed(
        self, marks: tuple[n.Mark, ...], scope: Scope, names: tuple[str, ...], depth: int = 0
    ) -> n.Mark | None:
        """An annotation of one of the names: there, or on an annotation of the service's own that is there."""
        found = self.find(marks, scope, names)
        for mark in marks if found is None and depth < MAX_COMPOSED else ():
            target = self.program.resolve(mark.name, scope)
            if target is not None and isinstance(target.node, n.Class) and target.scope is not None:
                if self._composed(target.node.marks, target.scope, names, depth + 1) is not None:
                    return mark
        return found

    def _of_class(self, class_: n.Class, scope: Scope) -> Iterator[Route]:
        target = Target(self.program.full_name(scope, class_.name), class_, scope)
        lineage = lineage_of(self.program, target)
        above = next((m for c, s in lineage if (m := self._mapping(c.marks, s)) is not None), Mapped((), ("",)))
        done: list[tuple[n.Class, n.Function]] = []
        for owner, holder in lineage:
            inner = self.program.scope_of(owner, holder)
            for method in owner.methods:
                mapping = self._mapping(method.marks, inner)
                if mapping is None or is_done(method, owner, done):
                    continue
                done.append((owner, method))
                # A method that an interface maps is the class's own.
                real, at = implementation(self.program, lineage, method) or (method, inner)
                yield from self._routes(class_, real, at, above, mapping)

    def _routes(self, class_: n.Class, method: n.Function, scope: Scope, above: Mapped, own: Mapped) -> Iterator[Route]:
        symbol = f"{class_.name}.{method.name}"
        for top in above.paths:
            for path in own.paths:
                shown, rules = curly(joined(self.prefix, top, path))
                for verb in own.verbs or above.verbs or ("ALL",):
                    yield Route("spring", "http", verb, shown + own.asks, method, scope, symbol, only=own.only,
                                path_rules=rules)  # fmt: skip

    def _mapping(self, marks: tuple[n.Mark, ...], scope: Scope, depth: int = 0) -> Mapped | None:
        """What the mapping annotation among them says, composed ones of the service's own included."""
        for mark in marks:
            name = self.name(mark, scope)
            last = name.removeprefix(WEB)
            if name.startswith(WEB) and (last in _VERBS or last == "RequestMapping"):
                given = argument(mark, "path") or argument(mark, "value")
                verbs: tuple[str, ...] = (_VERBS[last],) if last in _VERBS else self._verbs(mark, scope)
                asks = [t for t in self.texts(argument(mark, "params"), scope) if not t.startswith("!")]
                told = [
                    f"{x} {scope.module.text(e)}"
                    for x in ("consumes", "produces", "headers", "params")
                    if (e := argument(mark, x)) is not None
                ]
                paths = tuple(self._filled(t) for t in self.texts(given, scope)) or ("",)
                return Mapped(verbs, paths, "?" + "&".join(asks) if asks else "", " and ".join(told))
            target = self.program.resolve(mark.name, scope) if depth < MAX_COMPOSED else None
            if target is not None and isinstance(target.node, n.Class) and target.scope is not None:
                inner = self._mapping(target.node.marks, target.scope, depth + 1)
                if inner is not None:
                    given = argument(mark, "path") or argument(mark, "value")
                    paths = tuple(self.texts(given, scope)) or inner.paths
                    return Mapped(inner.verbs, paths, inner.asks, inner.only)
        return None

    def _verbs(self, mark: n.Mark, scope: Scope) -> tuple[str, ...]:
        given = argument(mark, "method")
        listed = self.program.elements(given, scope) or ([(given, scope)] if given is not None else [])
        return tuple((dotted(e) or "").rpartition(".")[2] for e, _ in listed)
