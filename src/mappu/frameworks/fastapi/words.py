"""FastAPI's and Starlette's words for the flow engine, with those of the storage libraries used beside them."""

from collections.abc import Iterator

from mappu.flow.python import language
from mappu.flow.words import RunWord, Words
from mappu.frameworks.base import Service
from mappu.frameworks.fastapi.sites import Sites
from mappu.inventory.model import ConstraintKind, PlaceIn
from mappu.symbols.program import Scope, Target
from mappu.syntax import nodes as n
from mappu.vocabularies import vocabularies
from mappu.vocabularies.pydantic import vocabulary as pydantic

REQUESTS = frozenset({"fastapi.Request", "starlette.requests.Request", "fastapi.requests.Request",
                      "starlette.requests.HTTPConnection", "fastapi.requests.HTTPConnection"})  # fmt: skip
OTHER_SPECIAL = frozenset({
    "fastapi.Response", "starlette.responses.Response", "fastapi.responses.Response", "fastapi.BackgroundTasks",
    "starlette.background.BackgroundTasks", "fastapi.background.BackgroundTasks", "fastapi.WebSocket",
    "starlette.websockets.WebSocket", "fastapi.websockets.WebSocket", "fastapi.security.SecurityScopes",
})  # fmt: skip

_READS: dict[str, PlaceIn] = {
    "json": "body", "body": "body", "stream": "body", "form": "form", "query_params": "query", "headers": "header",
    "cookies": "cookie", "path_params": "path",
}  # fmt: skip
_ERRORS = {
    "fastapi.HTTPException": 0, "fastapi.exceptions.HTTPException": 0, "starlette.exceptions.HTTPException": 0,
}  # fmt: skip
_RESPONSES = ("Response", "JSONResponse", "PlainTextResponse", "HTMLResponse", "ORJSONResponse", "UJSONResponse")
_ANSWERS = {f"{p}.responses.{name}": 200 for p in ("fastapi", "starlette") for name in _RESPONSES} | {
    "fastapi.Response": 200
}

_STORES = frozenset({
    "insert_one", "insert_many", "update_one", "update_many", "replace_one", "find_one_and_update", "bulk_write",
    "find_one_and_replace", "bulk_create", "bulk_save_objects", "bulk_insert_mappings", "executemany", "execute",
    "exec", "save", "insert",
    "create", "upsert", "put_item", "update_item", "write", "write_text", "write_bytes", "hset", "lpush", "rpush", "set",
    "sadd", "publish", "put", "update", "scalar", "scalars",
})  # fmt: skip
_STAGES = frozenset({"add", "add_all", "merge", "sqlmodel_update"})
_COMMITS = frozenset({"commit", "flush"})
_LOOKUPS = frozenset({
    "get", "get_one", "find_one", "find", "find_by_id", "first", "one", "one_or_none", "scalar_one_or_none", "scalar_one",
    "scalars", "fetchone", "fetchall", "fetch_one", "fetch_all", "get_or_none", "filter", "filter_by", "query", "all",
    "where", "get_item", "hget", "hgetall", "exists", "get_by_id", "aggregate", "count_documents",
})  # fmt: skip
_CHECKERS = ("valid", "check", "verify", "ensure", "assert", "sanit", "clean", "parse", "require", "guard")


def words(service: Service, sites: Sites) -> Words:
    """Return the words for one service."""
    mapping = dict(_mapped(service, sites))
    reader = service.reader

    def mapped(target: Target) -> int | None:
        for ancestor in service.program.ancestry(target):
            if ancestor.name in mapping:
                return mapping[ancestor.name]
        name: str | None = target.name
        while name is not None and name not in mapping:
            name = language.parents.get(name)
        return mapping.get(name) if name is not None else None

    def runs(call: n.Call, scope: Scope) -> RunWord | None:
        return next((w for v in vocabularies() if (w := v.run(reader, call, scope)) is not None), None)

    def casts(type_: n.Expr, value: n.Expr, scope: Scope) -> RunWord | None:
        return next((w for v in vocabularies() if (w := v.cast(reader, type_, value, scope)) is not None), None)

    house: dict[str, dict[ConstraintKind, object]] = {
        r.function: dict(r.constraints) for r in service.settings.rule if r.function is not None
    }
    return Words(
        language=language, request=_READS, request_types=REQUESTS, broken={"json": "json.JSONDecodeError"},
        error_parents={**language.parents, **{k: p for v in vocabularies() for k, p in v.error_parents.items()}},
        error_aliases={k: a for v in vocabularies() for k, a in v.error_aliases.items()},
        errors=_ERRORS, answers=_ANSWERS, status_member="status_code", mapped=mapped, runs=runs, casts=casts,
        is_entity=lambda target: pydantic.is_entity(reader, target), stores=_STORES, stages=_STAGES, commits=_COMMITS,
        lookups=_LOOKUPS, checkers=_CHECKERS,
        dumps=frozenset({"model_dump", "dict", "model_dump_json", "json", "copy", "model_copy"}), house=house,
    )  # fmt: skip


def _mapped(service: Service, sites: Sites) -> Iterator[tuple[str, int]]:
    """Yield the error classes the service maps to a status: by decorator, by call, or in the app's arguments."""
    program = service.program
    yield "fastapi.exceptions.RequestValidationError", 422
    for use in sites.uses:
        assert isinstance(use.call.func, n.Member)
        name = use.call.func.name
        if name == "exception_handler" and use.function is not None and use.call.positional:
            yield from _status(service, use.call.positional[0], use.scope, *use.function)
        elif name == "add_exception_handler" and len(use.call.positional) == 2:
            handler = program.resolve(use.call.positional[1], use.scope)
            if handler is not None and isinstance(handler.node, n.Function) and handler.scope is not None:
                yield from _status(service, use.call.positional[0], use.scope, handler.node, handler.scope)
            else:
                error = program.resolve(use.call.positional[0], use.scope)
                yield (error.name if error is not None else "?"), 0
    for site in sites.all:
        given = program.value(site.call.keyword("exception_handlers"), site.scope)
        for key, value in given[0].entries if given is not None and isinstance(given[0], n.Entries) else ():
            handler = program.resolve(value, given[1]) if given is not None else None
            if (
                handler is not None
                and isinstance(handler.node, n.Function)
                and handler.scope is not None
                and given
                and key
            ):
                yield from _status(service, key, given[1], handler.node, handler.scope)


def _status(
    service: Service, error: n.Expr, scope: Scope, handler: n.Function, handler_scope: Scope
) -> Iterator[tuple[str, int]]:
    program = service.program
    inner = program.scope_of(handler, handler_scope)
    found = []
    for node in n.walk(*handler.body):
        code = node.keyword("status_code") if isinstance(node, n.Call) else None
        if code is None and isinstance(node, n.Call) and program.name_of(node.func, inner) in _ANSWERS:
            code = node.argument(1, "status_code")
        constant = program.constant(code, inner) if code is not None else None
        named = [p for p in (n.dotted(code) or "").split("_") if p.isdigit()]
        if constant is not None and isinstance(constant.value, int):
            found.append(constant.value)
        elif named:
            found.append(int(named[0]))
    target = program.resolve(error, scope)
    if target is not None:
        # The handler's worst answer counts: where it may end as a 5xx, a 4xx is not promised.
        yield target.name, max(found, default=0)
