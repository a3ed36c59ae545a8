"""Controllers: which classes serve which paths, with every prefix that goes in front."""

import re
from collections.abc import Iterable, Iterator

import msgspec

from mappu.frameworks.base import Route, Service
from mappu.frameworks.base_sites import joined
from mappu.symbols.program import Program, Scope, Target
from mappu.symbols.scopes import declared
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted, own

COMMON = "@nestjs/common."
VERBS = {"Get": "GET", "Post": "POST", "Put": "PUT", "Patch": "PATCH", "Delete": "DELETE", "Head": "HEAD", "Options": "OPTIONS",
         "All": "ALL", "Search": "SEARCH", "Sse": "GET"}  # fmt: skip


class Prefix(msgspec.Struct, frozen=True):
    """The prefix in front of all paths, and the paths it is left off."""

    text: str = ""
    excluded: tuple[str, ...] = ()


class Controllers:
    """The controllers of one service."""

    def __init__(self, service: Service) -> None:
        self.service, self.program = service, service.program
        self.prefix = Prefix()
        self.versions: str | None = None
        self.default_version: str | None = None
        self.modules: dict[int, list[str]] = {}
        self.listed: set[int] = set()
        self.any_listed = False
        for scope in service.scopes:
            if b"setGlobalPrefix" in scope.module.source or b"enableVersioning" in scope.module.source:
                for call, holder in calls(self.program, scope):
                    self._bootstrap(call, holder)
            if b"@Module" in scope.module.source:
                for class_ in classes(scope):
                    self._module(class_, scope)
            if b"RouterModule" in scope.module.source:
                for call, holder in calls(self.program, scope):
                    if (
                        isinstance(call.func, n.Member)
                        and dotted(call.func.value) == "RouterModule"
                        and call.positional
                    ):
                        self._tree(call.positional[0], holder, "")

    def _bootstrap(self, call: n.Call, scope: Scope) -> None:
        name = call.func.name if isinstance(call.func, n.Member) else ""
        if name == "setGlobalPrefix" and call.positional:
            text = self._text(call.positional[0], scope, call)
            excluded = []
            options = self.program.value(call.positional[1], scope) if len(call.positional) > 1 else None
            for key, value in options[0].entries if options is not None and isinstance(options[0], n.Entries) else ():
                if isinstance(key, n.Literal) and key.value == "exclude" and options is not None:
                    for expr, holder in self.program.elements(value, options[1]):
                        path = self.program.text(expr, holder)
                        if isinstance(expr, n.Entries):
                            path = next((self.program.text(v, holder) for k, v in expr.entries
                                         if isinstance(k, n.Literal) and k.value == "path"), None)  # fmt: skip
                        if path is not None:
                            excluded.append(joined(path))
            self.prefix = Prefix(text, tuple(excluded))
        if name == "enableVersioning":
            kind, prefix, default = "URI", "v", None
            options = self.program.value(call.positional[0], scope) if call.positional else None
            for key, value in options[0].entries if options is not None and isinstance(options[0], n.Entries) else ():
                if not isinstance(key, n.Literal) or options is None:
                    continue
                if key.value == "type":
                    kind = (dotted(value) or "").rpartition(".")[2]
                elif key.value == "prefix":
                    constant = self.program.constant(value, options[1])
                    prefix = str(constant.value) if constant is not None and constant.value is not False else ""
                elif key.value == "defaultVersion":
                    default = self.program.text(value, options[1])
            self.versions = prefix if kind == "URI" else None
            self.default_version = default

    def _module(self, class_: n.Class, scope: Scope) -> None:
        """Which controllers a module lists."""
        for mark in class_.marks:
            if self.program.name_of(mark.name, scope) != COMMON + "Module" or not mark.args:
                continue
            options = self.program.value(mark.args[0].value, scope)
            for key, value in options[0].entries if options is not None and isinstance(options[0], n.Entries) else ():
                if isinstance(key, n.Literal) and key.value == "controllers" and options is not None:
                    elements = self.program.elements(value, options[1])
                    if not elements and not (isinstance(value, n.Items) and not value.items):
                        # Put together at run time: any controller may be among them.
                        self.any_listed = True
                    for expr, holder in elements:
                        target = self.program.resolve(expr, holder)
                        if target is not None and target.node is not None:
                            self.listed.add(id(target.node))
                            self.modules.setdefault(id(class_), [])
                        else:
                            self.any_listed = True

    def _tree(self, expr: n.Expr, scope: Scope, above: str) -> None:
        """The paths that modules are put below."""
        for item, holder in self.program.elements(expr, scope):
            if not isinstance(item, n.Entries):
                continue
            entries = {k.value: v for k, v in item.entries if isinstance(k, n.Literal)}
            path = joined(above, self.program.text(entries.get("path"), holder) or "")
            target = self.program.resolve(entries.get("module"), holder)
            if target is not None and isinstance(target.node, n.Class):
                self.modules.setdefault(id(target.node), []).append(path)
                self._below(target, path)
            if "children" in entries:
                self._tree(entries["children"], holder, path)

    def _below(self, module: Target, path: str) -> None:
        assert isinstance(module.node, n.Class)
        scope = module.scope
        for mark in module.node.marks if scope is not None else ():
            options = mark.args[0].value if mark.args else None
            for key, value in options.entries if isinstance(options, n.Entries) else ():
                if isinstance(key, n.Literal) and key.value == "controllers" and scope is not None:
                    for expr, holder in self.program.elements(value, scope):
                        target = self.program.resolve(expr, holder)
                        if target is not None and target.node is not None:
                            self.modules.setdefault(id(target.node), []).append(path)

    # --- routes -------------------------------------------------------------------------------------------------------

    def routes(self) -> Iterable[Route]:
        for scope in self.service.scopes:
            if b"@Controller" not in scope.module.source:
                continue
            for class_ in classes(scope):
                mark = next(
                    (m for m in class_.marks if self.program.name_of(m.name, scope) == COMMON + "Controller"), None
                )
                if mark is None:
                    continue
                if self.listed and not self.any_listed and id(class_) not in self.listed:
                    self.service.note(class_, scope, f"no module lists {class_.name}: nothing serves its routes")
                    continue
                yield from self._of_class(class_, mark, scope)

    def _of_class(self, class_: n.Class, mark: n.Mark, scope: Scope) -> Iterator[Route]:
        paths, version = self._controller(mark, scope)
        target = Target(self.program.full_name(scope, class_.name), class_, scope)
        own_version = next((self._version(m, scope) for m in class_.marks if self._is(m, scope, "Version")), None)
        done: set[str] = set()
        for ancestor in self.program.ancestry(target):
            if not isinstance(ancestor.node, n.Class) or ancestor.scope is None:
                continue
            inner = self.program.scope_of(ancestor.node, ancestor.scope)
            for method in ancestor.node.methods:
                if method.name in done:
                    continue
                done.add(method.name)
                for each in method.marks:
                    name = (self.program.name_of(each.name, inner) or "").removeprefix(COMMON)
                    verb = VERBS.get(name)
                    if verb is None and name == "RequestMapping":
                        verb = self._mapping(each)
                    if verb is not None:
                        versions = next(
                            (self._version(m, inner) for m in method.marks if self._is(m, inner, "Version")), None
                        )  # fmt: skip
                        yield from self._endpoint(
                            method,
                            inner,
                            verb,
                            self._paths(each, inner),
                            paths,
                            versions or version or own_version,
                            class_,
                        )

    def _is(self, mark: n.Mark, scope: Scope, name: str) -> bool:
        return self.program.name_of(mark.name, scope) == COMMON + name

    def _mapping(self, mark: n.Mark) -> str:
        options = mark.args[0].value if mark.args else None
        for key, value in options.entries if isinstance(options, n.Entries) else ():
            if isinstance(key, n.Literal) and key.value == "method":
                return (dotted(value) or "GET").rpartition(".")[2]
        return "GET"

    def _endpoint(
        self, method: n.Function, scope: Scope, verb: str, own_paths: list[str], above: list[str],
        versions: list[str] | None, class_: n.Class,
    ) -> Iterator[Route]:  # fmt: skip
        modules = self.modules.get(id(class_)) or [""]
        given = versions or ([self.default_version] if self.default_version is not None else [])
        steps = [f"{self.versions}{v}" for v in given if v != "VERSION_NEUTRAL"] if self.versions is not None else []
        for module in modules:
            for top in above:
                for path in own_paths:
                    bare = joined(module, top, path)
                    prefix = (
                        "" if bare in self.prefix.excluded or _matches(bare, self.prefix.excluded) else self.prefix.text
                    )
                    for step in steps or [""]:
                        whole = re.sub(r":(\w+)(\([^)]*\))?\??", r"{\1}", joined(prefix, step, bare) or "/")
                        whole = re.sub(r"\*(\w+)", r"{\1}", whole)
                        symbol = f"{class_.name}.{method.name}"
                        yield Route("nestjs", "http", verb, whole, method, scope, symbol)

    def _controller(self, mark: n.Mark, scope: Scope) -> tuple[list[str], list[str] | None]:
        given = mark.args[0].value if mark.args else None
        if isinstance(given, n.Entries):
            entries = {k.value: v for k, v in given.entries if isinstance(k, n.Literal)}
            version = self._values(entries["version"], scope) if "version" in entries else None
            return (self._values(entries["path"], scope) if "path" in entries else [""]), version
        return (self._values(given, scope) if given is not None else [""]), None

    def _paths(self, mark: n.Mark, scope: Scope) -> list[str]:
        given = mark.args[0].value if mark.args else None
        if isinstance(given, n.Entries):
            entries = {k.value: v for k, v in given.entries if isinstance(k, n.Literal)}
            given = entries.get("path")
        return self._values(given, scope) if given is not None else [""]

    def _version(self, mark: n.Mark, scope: Scope) -> list[str]:
        return self._values(mark.args[0].value, scope) if mark.args else []

    def _values(self, expr: n.Expr, scope: Scope) -> list[str]:
        elements = self.program.elements(expr, scope)
        if not elements:
            return [self._text(expr, scope, expr)]
        return [self._text(e, s, e) for e, s in elements]

    def _text(self, expr: n.Expr, scope: Scope, at: n.Node) -> str:
        found = self.program.text(expr, scope)
        if found is not None:
            return found
        if isinstance(expr, n.Template | n.Binary):
            parts = expr.parts if isinstance(expr, n.Template) else (expr.left, expr.right)
            return "".join(self._text(p, scope, at) for p in parts)
        if (dotted(expr) or "").endswith("VERSION_NEUTRAL"):
            return "VERSION_NEUTRAL"
        source = scope.module.text(expr)
        self.service.note(at, scope, f"part of a path is built at run time: {source}")
        return f"<{source}>"


def _matches(path: str, patterns: tuple[str, ...]) -> bool:
    return any(re.fullmatch(re.sub(r"\\\(\.\*\\\)|\\\*\w*", ".*", re.escape(p)), path) for p in patterns)


def classes(scope: Scope) -> Iterator[n.Class]:
    """The classes declared in a file."""
    yield from (c for c in declared(scope.module.body) if isinstance(c, n.Class) and c.form == "class")


def calls(program: Program, scope: Scope) -> Iterator[tuple[n.Call, Scope]]:
    """Every call of a file, with the scope it stands in."""
    yield from _calls(program, scope, scope.module.body)


def _calls(program: Program, scope: Scope, body: Iterable[n.Stmt | n.Expr]) -> Iterator[tuple[n.Call, Scope]]:
    for node in own(*body, classes=False):
        if isinstance(node, n.Class):
            marks = [m.as_call() for m in node.marks]
            yield from ((c, scope) for c in own(*marks) if isinstance(c, n.Call))
        if isinstance(node, n.Function | n.Class):
            yield from _calls(program, program.scope_of(node, scope), node.body)
        elif isinstance(node, n.Call):
            yield node, scope
