"""Where Next.js finds its routes: by the names of files, and by a directive in them."""

import re
from collections.abc import Iterator

from mappu.frameworks.base import Route, Service
from mappu.frameworks.base_links import link_of
from mappu.frameworks.base_sites import stub
from mappu.symbols.program import Scope
from mappu.syntax import nodes as n
from mappu.syntax.walk import own, walk

VERBS = ("GET", "POST", "PUT", "PATCH", "DELETE", "HEAD", "OPTIONS")
STATES = frozenset({"prevstate", "previousstate", "state", "initialstate", "prev", "currentstate"})
TOKENS = (b"next/server", b"NextApi", b"'use server'", b'"use server"', b"next/headers")
# Files that are routes by their names, whatever is in them.
PATHS = re.compile(r"(?:^|/)(?:app/(?:.*/)?route|pages/api(?:/.*)?)\.(?:ts|tsx|js|jsx|mjs)$")
_APP = re.compile(r"(?:^|.*/)(?:src/)?app/(?:(.*)/)?route\.(?:ts|tsx|js|jsx|mjs)$")
_PAGES = re.compile(r"(?:^|.*/)(?:src/)?pages/(api/.*|api)\.(?:ts|tsx|js|jsx|mjs)$")


def handlers(service: Service) -> Iterator[Route]:
    """Functions named after methods in `app/**/route.ts`."""
    for path in service.paths:
        found = _APP.match(path)
        scope = service.program.module_scope(path) if found is not None else None
        if found is None or scope is None:
            continue
        url = _url(found[1] or "")
        if url is None:
            continue
        for verb in VERBS:
            expr = _exported(scope, verb)
            if expr is not None:
                yield from _route(service, scope, expr, verb, url)


def _exported(scope: Scope, name: str) -> n.Expr | None:
    if name in scope.exports:
        return scope.exports[name].value
    binding = scope.names.get(name, [None])[0]
    if isinstance(binding, n.Function):
        return n.Name(binding.span, name)
    if isinstance(binding, n.Variable | n.Assign):
        return n.Name(binding.span, name) if isinstance(binding, n.Assign) else binding.value
    return None


def _route(service: Service, scope: Scope, expr: n.Expr, verb: str, url: str) -> Iterator[Route]:
    link = link_of(service.program, expr, scope)
    if link.function is None or link.holder is None:
        service.note(expr, scope, f"the handler of {verb} {url} could not be followed")
        link = stub(service.program, link)
    assert link.function is not None
    assert link.holder is not None
    yield Route("nextjs", "http", verb, url, link.function, link.holder, link.function.name or verb)


def pages(service: Service) -> Iterator[Route]:
    """The default export of `pages/api/**`; the methods are those that it asks for."""
    for path in service.paths:
        found = _PAGES.match(path)
        scope = service.program.module_scope(path) if found is not None else None
        given = scope.exports.get("default") or scope.exports.get("=") if scope is not None else None
        if found is None or scope is None or given is None:
            continue
        url = _url(re.sub(r"/?index$", "", found[1]))
        link = link_of(service.program, given.value, scope)
        if link.function is None or link.holder is None:
            service.note(given, scope, f"the handler of {url} could not be followed")
            continue
        for verb in _verbs(link.function) or ["ALL"]:
            yield Route("nextjs", "http", verb, url or "/", link.function, link.holder, link.function.name or "handler")


def _verbs(function: n.Function) -> list[str]:
    """The methods that a handler tells apart."""
    found: set[str] = set()
    refused: set[str] = set()
    for node in walk(*function.body):
        texts: list[n.Expr] = []
        if isinstance(node, n.Switch) and isinstance(node.subject, n.Member) and node.subject.name == "method":
            texts = [p for c in node.cases for p in c.patterns]
        elif isinstance(node, n.Binary) and node.op in ("==", "!=") and isinstance(node.left, n.Member):
            if node.left.name == "method":
                texts = [node.right]
                if node.op == "!=":
                    # Everything else is refused there.
                    refused |= {t.value for t in texts if isinstance(t, n.Literal) and isinstance(t.value, str)}
        found |= {t.value for t in texts if isinstance(t, n.Literal) and isinstance(t.value, str)}
    return [v for v in VERBS if v in found]


def _url(folder: str) -> str | None:
    """The path of a folder: groups and slots left out, brackets as braces; None for one that takes no part in routing."""
    steps = []
    for step in folder.split("/"):
        if step.startswith("_"):
            return None
        if not step or step.startswith("@") or re.fullmatch(r"\(.*\)", step):
            continue
        steps.append(re.sub(r"\[\[?(?:\.\.\.)?([\w-]+)\]?\]", r"{\1}", step))
    return "/" + "/".join(steps)


def actions(service: Service) -> Iterator[Route]:
    """Functions below the directive "use server": of a whole file, or each by itself."""
    for scope in service.scopes:
        source = scope.module.source
        if b"use server" not in source:
            continue
        whole = _directive(scope.module.body)
        for function, holder in _functions(service, scope, scope.module.body):
            inside = b"use server" in source[function.span.start : function.span.end] and _directive(function.body)
            if (whole and holder is scope and function.is_async and function.name) or inside:
                path = f"{scope.module.path}#{function.name or 'action'}"
                yield Route(
                    "nextjs", "server-action", "SERVER-ACTION", path, function, holder, function.name or "action"
                )


def _functions(service: Service, scope: Scope, body: tuple[n.Stmt, ...]) -> Iterator[tuple[n.Function, Scope]]:
    for node in own(*body, classes=False):
        if isinstance(node, n.Function):
            yield node, scope
            if b"use server" in scope.module.source[node.span.start : node.span.end]:
                yield from _functions(service, service.program.scope_of(node, scope), node.body)


def _directive(body: tuple[n.Stmt, ...]) -> bool:
    first = next((s for s in body if not isinstance(s, n.Import)), None)
    return isinstance(first, n.Do) and isinstance(first.value, n.Literal) and first.value.value == "use server"
