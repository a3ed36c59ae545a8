"""FastAPI's and Starlette's words for the flow engine, with those of the storage libraries used beside them."""

from mappu.flow.python import language
from mappu.flow.words import Words
from mappu.frameworks import base_storage
from mappu.frameworks.base import Service
from mappu.frameworks.base_words import casting, errors_of, house_rules, running, vocabularies_of
from mappu.frameworks.fastapi import errors
from mappu.frameworks.fastapi.sites import Sites
from mappu.inventory.model import PlaceIn
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
_CHECKERS = ("valid", "check", "verify", "ensure", "assert", "sanit", "clean", "parse", "require", "guard")


def words(service: Service, sites: Sites) -> Words:
    """Return the words for one service."""
    reader, used = service.reader, vocabularies_of("python")
    known = errors_of(language, used)
    return Words(
        language=language, request=_READS, request_types=REQUESTS, broken={"json": "json.JSONDecodeError"},
        known_errors=known,
        errors=_ERRORS, answers=errors.ANSWERS, status_member="status_code",
        mapped=errors.mapped(service, sites, known), runs=running(reader, used), casts=casting(reader, used),
        is_entity=lambda target: pydantic.is_entity(reader, target), stores=base_storage.STORES, stages=base_storage.STAGES,
        commits=base_storage.COMMITS, plain_stores=base_storage.PLAIN_STORES, storage_packages=base_storage.PACKAGES,
        storage_names=base_storage.NAMES,
        queries=base_storage.QUERIES, lookups=base_storage.LOOKUPS, checkers=_CHECKERS,
        dumps=frozenset({"model_dump", "dict", "model_dump_json", "json", "copy", "model_copy"}),
        house=house_rules(service.settings.rule),
    )  # fmt: skip
