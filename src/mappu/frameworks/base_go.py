"""What the Go frameworks share: their words for the flow engine, and what every handler of the standard library can do."""

from collections.abc import Callable, Mapping
from http import HTTPStatus
from typing import Any

from mappu.flow.go import language
from mappu.flow.words import Errors, Reply, RunWord, Words
from mappu.frameworks import base_storage_go as storage
from mappu.frameworks.base import Service
from mappu.frameworks.base_words import casting, errors_of, house_rules, running, vocabularies_of
from mappu.inventory.model import PlaceIn
from mappu.symbols.program import Scope, Target
from mappu.syntax import nodes as n
from mappu.vocabularies.struct_tags.structs import Reading

LANGUAGE = "go"
CHECKERS = ("valid", "check", "verify", "ensure", "assert", "sanit", "guard")
Mapped = Callable[[Target | None, int | None], int | None]
# What a request of the standard library gives, which most frameworks hand on.
REQUEST: dict[str, Any] = {
    "URL": "request", "Query": "query", "Header": "header", "Body": "body", "Form": "form", "PostForm": "form",
    "Cookies": "cookie",
    "WithContext": "request", "Clone": "request", "Trailer": "header",
}  # fmt: skip
GETTERS: dict[str, PlaceIn] = {"FormValue": "form", "PostFormValue": "form", "PathValue": "path", "Cookie": "cookie",
                                "FormFile": "form"}  # fmt: skip
REPLIES: dict[str, Reply] = {"WriteHeader": Reply(status=0, sends=True, opens=True), "Write": Reply(sends=True),
                             "Encode": Reply(sends=True), "WriteString": Reply(sends=True)}  # fmt: skip
ANSWERERS: dict[str, Reply] = {
    "net/http.Error": Reply(status=2, sends=True), "net/http.Redirect": Reply(status=3, sends=True),
    "net/http.NotFound": Reply(always=404, sends=True), "fmt.Fprintf": Reply(sends=True), "fmt.Fprint": Reply(sends=True),
    "fmt.Fprintln": Reply(sends=True), "io.WriteString": Reply(sends=True), "net/http.ServeContent": Reply(sends=True),
    "io.Copy": Reply(sends=True),
}  # fmt: skip
READERS: dict[str, tuple[PlaceIn, int | None]] = {
    "github.com/gorilla/mux.Vars": ("path", None), "github.com/go-chi/chi.URLParam": ("path", 1),
    "github.com/go-chi/chi.URLParamFromCtx": ("path", 1),
}  # fmt: skip


def words(service: Service, mapped: Mapped, errors: Mapping[str, int], **own: Any) -> Words:
    """Return the words of a Go framework; `own` are those it has itself."""
    reader = service.reader
    used = vocabularies_of(LANGUAGE)

    def fields_in(type_: n.Expr, scope: Scope, view: str) -> frozenset[str]:
        shape = Reading(reader, scope, view).of_type(type_, scope)
        return frozenset(f.name for f in shape.fields)

    def runs(call: n.Call, scope: Scope, refer: Any) -> RunWord | None:
        mine = own_runs(call, scope, refer) if own_runs is not None else None
        return mine or by_vocabulary(call, scope, refer)

    own_runs, by_vocabulary = own.pop("runs", None), running(reader, used)
    defaults: dict[str, Any] = {
        "request": REQUEST, "request_types": frozenset(), "broken": {}, "answers": {}, "status_member": "", "dumps": frozenset(),
        "pairs": {"Cookie": "error", "FormFile": "error"}, "uploads": frozenset({"FormFile"}),
        "getters": GETTERS, "replies": REPLIES, "answerers": ANSWERERS, "readers": READERS, "sends": True, "answers_errors": True,
        "status_members": frozenset({"Status", "StatusCode", "Code", "HTTPStatus", "HttpStatus", "HTTPCode", "HttpCode", "status",
                                     "code", "statusCode"}),
    }  # fmt: skip
    return Words(
        language=language, errors=errors, mapped=mapped, runs=runs, casts=casting(reader, used), known_errors=known_errors(),
        is_entity=lambda target: storage.is_entity(service.program, target), stores=storage.STORES, stages=frozenset(),
        commits=frozenset(), plain_stores=storage.PLAIN_STORES, storage_packages=storage.PACKAGES, storage_names=storage.NAMES,
        queries=storage.QUERIES, lookups=storage.LOOKUPS, lookup_prefixes=storage.LOOKUP_PREFIXES,
        setters=storage.SETTERS, generated=storage.GENERATED, keyed=storage.KEYED,
        checkers=CHECKERS, house=house_rules(service.settings.rule), fields_in=fields_in, **{**defaults, **own},
    )  # fmt: skip


def named_errors(package: str) -> dict[str, int]:
    """The errors that a framework keeps by the names of statuses: `ErrBadRequest`."""
    return {
        f"{package}.Err{''.join(w.capitalize() for w in s.name.split('_'))}": s.value
        for s in HTTPStatus
        if s.value >= 400
    }


def known_errors() -> Errors:
    """The error classes of the language and of the ways to write rules, with what each inherits from."""
    return errors_of(language, vocabularies_of(LANGUAGE))


def by_itself(target: Target | None, own: int | None) -> int | None:
    """The status of an error that a handler gives back to a function of the service around it: the error's own, or one that
    cannot be told."""
    return own if own is not None else 0
