"""Which errors a service turns into an answer of its own: exception handlers, middleware, and wrapped routes."""

from collections.abc import Callable, Iterator

from mappu.flow.endings import error_names, status_name
from mappu.flow.words import Errors
from mappu.frameworks.base import Service
from mappu.frameworks.fastapi.sites import Sites
from mappu.symbols.program import Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import walk

# The responses of the framework, with the status they have when none is given.
_RESPONSES = ("Response", "JSONResponse", "PlainTextResponse", "HTMLResponse", "ORJSONResponse", "UJSONResponse")
ANSWERS = {f"{p}.responses.{name}": 200 for p in ("fastapi", "starlette") for name in _RESPONSES} | {
    "fastapi.Response": 200, "fastapi.responses.RedirectResponse": 307, "starlette.responses.RedirectResponse": 307,
}  # fmt: skip

# What code around every handler calls to go on: its errors are the handlers' errors.
_GOING_ON = (b"call_next", b"original_route_handler", b"get_route_handler")
_ROUTE_CLASS = "get_route_handler"
UNKNOWN = 0
_ANY = "*"

_Mapping = Iterator[tuple[str, int]]


def mapped(service: Service, sites: Sites, known: Errors) -> Callable[[Target | None, int | None], int | None]:
    """Return what tells the status an error class ends as: None where nothing maps it, 0 where that can't be told."""
    program = service.program
    mapping: dict[str, int] = {"fastapi.exceptions.RequestValidationError": 422}
    for name, status in (*_handlers(service, sites), *_around(service)):
        mapping.setdefault(name, status)

    def status_of(target: Target | None, own: int | None) -> int | None:
        if own is not None or target is None:
            return own
        found = next((mapping[n] for n in error_names(program, known, target) if n in mapping), None)
        # A handler for errors that can't be told may be for this one, unless it is the language's own.
        return mapping.get(_ANY) if found is None and target.name not in known.parents else found

    return status_of


def _handlers(service: Service, sites: Sites) -> _Mapping:
    """Handlers registered by decorator, by call, or in the app's arguments."""
    program = service.program
    for use in sites.uses:
        assert isinstance(use.call.func, n.Member)
        name, given = use.call.func.name, use.call.positional
        if name == "exception_handler" and use.function is not None and given:
            yield from _status(service, given[0], use.scope, *use.function)
        elif name == "add_exception_handler" and len(given) == 2:
            yield from _registered(service, given[0], given[1], use.scope)
    for site in sites.all:
        listed = program.value(site.call.keyword("exception_handlers"), site.scope)
        for key, value in listed[0].entries if listed is not None and isinstance(listed[0], n.Entries) else ():
            if listed is not None and key is not None:
                yield from _registered(service, key, value, listed[1])
        if site.call.keyword("exception_handlers") is not None and listed is None:
            yield _ANY, UNKNOWN


def _registered(service: Service, error: n.Expr, handler: n.Expr, scope: Scope) -> _Mapping:
    target = service.program.resolve(handler, scope)
    if target is not None and isinstance(target.node, n.Function) and target.scope is not None:
        yield from _status(service, error, scope, target.node, target.scope)
    else:
        yield _name(service, error, scope), UNKNOWN


def _status(service: Service, error: n.Expr, scope: Scope, handler: n.Function, holder: Scope) -> _Mapping:
    yield _name(service, error, scope), _answered(service, handler.body, service.program.scope_of(handler, holder))


def _name(service: Service, error: n.Expr, scope: Scope) -> str:
    target = service.program.resolve(error, scope)
    outside = target is not None and (target.node is None or isinstance(target.node, n.Class))
    return target.name if target is not None and outside else _ANY


def _answered(service: Service, body: tuple[n.Stmt, ...], scope: Scope) -> int:
    """The status a body answers with: the worst where there are several, as a 4xx is then not promised."""
    found = [200]
    for node in walk(*body):
        if not isinstance(node, n.Call):
            continue
        code = node.keyword("status_code")
        if code is None and service.program.name_of(node.func, scope) in ANSWERS:
            code = node.argument(1, "status_code")
        if code is not None:
            constant = service.program.constant(code, scope)
            status = constant.value if constant is not None else status_name(code)
            found.append(status if isinstance(status, int) else UNKNOWN)
    return UNKNOWN if UNKNOWN in found or len(found) == 1 else max(found)


def _around(service: Service) -> _Mapping:
    """Code that goes on to the handler inside a `try`: middleware, and route classes of the service's own."""
    for top in service.scopes:
        if not any(word in top.module.source for word in _GOING_ON):
            continue
        for function, holder in service.program.functions(top, _GOING_ON):
            inner = service.program.scope_of(function, holder)
            for node in walk(*function.body):
                if isinstance(node, n.Try) and (function.name == _ROUTE_CLASS or _goes_on(node.body)):
                    for catch in node.catches:
                        if not any(
                            isinstance(s, n.Leave) and s.kind == "raise" and s.value is None for s in catch.body
                        ):
                            for error in catch.types or (n.Name(catch.span, "Exception"),):
                                yield _name(service, error, inner), _answered(service, catch.body, inner)


def _goes_on(body: tuple[n.Stmt, ...]) -> bool:
    names = {node.id.encode() for node in walk(*body) if isinstance(node, n.Name)}
    return not names.isdisjoint(_GOING_ON)
