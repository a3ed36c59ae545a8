"""gin: one context a handler, a binder for every place, which runs the rules of its own tag."""

from typing import Any

import msgspec

from mappu.flow.words import Fill, Reply, Words
from mappu.frameworks import base_go
from mappu.frameworks.base import Route, Service, Taking
from mappu.frameworks.base_go_handlers import GoFramework
from mappu.frameworks.base_go_sites import ALL, GoRouterWords
from mappu.inventory.model import PlaceIn
from mappu.vocabularies.struct_tags.registered import GIN

_GIN = "github.com/gin-gonic/gin"
_VERBS = {v: v for v in ("GET", "POST", "PUT", "PATCH", "DELETE", "HEAD", "OPTIONS")} | {"Any": ALL}
_KEYS = frozenset({GIN})
_QUERY: tuple[tuple[PlaceIn, str], ...] = (("query", "form~"),)
_FROM: dict[str, tuple[tuple[PlaceIn, str], ...]] = {
    "JSON": (("body", "json"),), "XML": (("body", "xml~"),), "YAML": (("body", "yaml~"),), "TOML": (("body", "toml~"),),
    "Query": _QUERY, "Uri": (("path", "uri~"),), "Header": (("header", "header~"),), "": (("body", "json"),),
}  # fmt: skip
_BODILESS = {"GET": _QUERY}


def _fills() -> dict[str, Fill]:
    """The Bind family: those that begin with Should leave the answer to the handler."""
    found = {}
    for what, sources in _FROM.items():
        by_method = _BODILESS if not what else {}
        found[f"ShouldBind{what}"] = Fill(sources, by_method=by_method, keys=_KEYS)
        found[f"Bind{what}"] = Fill(sources, by_method=by_method, keys=_KEYS, answers=400)
    found["ShouldBindWith"] = found["ShouldBindBodyWith"] = Fill(_FROM["JSON"], keys=_KEYS)
    found["ShouldBindBodyWithJSON"] = Fill(_FROM["JSON"], keys=_KEYS)
    found["BindWith"] = found["MustBindWith"] = Fill(_FROM["JSON"], keys=_KEYS, answers=400)
    return found


_GETTERS: dict[str, PlaceIn] = {
    "Param": "path", "Query": "query", "DefaultQuery": "query", "GetQuery": "query", "QueryArray": "query",
    "GetQueryArray": "query",
    "PostForm": "form", "DefaultPostForm": "form", "GetPostForm": "form", "PostFormArray": "form", "GetHeader": "header",
    "Cookie": "cookie", "FormFile": "form", "QueryMap": "query", "PostFormMap": "form",
}  # fmt: skip
_SENDS = ("JSON", "IndentedJSON", "PureJSON", "SecureJSON", "JSONP", "AsciiJSON", "XML", "YAML", "String", "HTML", "Data",
          "AbortWithStatusJSON", "AbortWithStatus", "AbortWithError", "ProtoBuf", "TOML", "AbortWithStatusPureJSON")  # fmt: skip
_REPLIES = {
    **{name: Reply(status=0, sends=True, stops=name.startswith("Abort")) for name in _SENDS}, "Abort": Reply(stops=True),
    "Status": Reply(status=0, sends=True, opens=True),
    "Redirect": Reply(status=0, sends=True), "File": Reply(sends=True), "FileAttachment": Reply(sends=True),
    # A list of errors that some function behind the handler may answer.
    "Error": Reply(always=0, sends=True),
}  # fmt: skip
REMEDIES = {
    "refuse": "leave there: `c.JSON(http.StatusBadRequest, …)` and `return`",
    "act-on-it": "act on it: `if err != nil { c.JSON(http.StatusBadRequest, …); return }`",
    "check-first": "bind first and check after, both above the call that stores",
    "map-error": "answer it with a 4xx: `c.JSON(http.StatusBadRequest, …)`",
    "refuse-in-rule": "let the function return false instead of panicking",
    "catch-model-error": "answer the error with a 4xx: `c.JSON(http.StatusBadRequest, …)`",
    "catch-read-error": "use the form with two values, and answer a 4xx: `v, ok := x.(string)`",
    "bind-body": "bind it to a struct with `binding` rules on its fields: `c.ShouldBindJSON(&req)`",
    "bind-query": 'bind it with a limit: `form:"{name}" binding:"max=…"` and `c.ShouldBindQuery(&q)`',
    "bind-header": 'bind it with a limit: `header:"{name}" binding:"max=…"` and `c.ShouldBindHeader(&h)`',
    "bind-cookie": "check it before it is used: its length, and what it may hold",
    "bind-path": 'bind it with a limit: `uri:"{name}" binding:"uuid"` and `c.ShouldBindUri(&u)`',
    "bind-form": "bind it with a limit, and look at a file's size and type before it is used",
    "run-rules": "write the rules of {model} as `binding` tags, which gin's binder runs, or call a validator on it",
    "bind-plain-model": "write the rules of {model} as `binding` tags, which gin's binder runs",
    "parameter-model": "bind it to a struct with `binding` rules",
    "fit-type": "use a rule that fits the type, or change the type",
    "model-inside": "put `dive` on it: the rules behind it are those of each element",
    "check-type": "bind it to a struct, whose types the binder checks",
    "type-it": "bind it to a struct with `binding` rules",
    "limit-string": "add an upper limit: `max=…`",
    "limit-array": "add an upper limit to the number of its elements: `max=…`",
    "limit-number": "add an upper limit: `max=…`",
    "drop-unlisted": "refuse unknown fields: `binding.EnableDecoderDisallowUnknownFields`",
    "start-early": "check it when the service starts, before {name} is needed",
}  # fmt: skip


class Gin(GoFramework):
    """The framework."""

    name = "gin"
    tokens = (f'"{_GIN}'.encode(),)
    remedies = REMEDIES
    contexts = frozenset({f"{_GIN}.Context"})
    router_words = GoRouterWords(
        types={f"{_GIN}.Engine": True, f"{_GIN}.RouterGroup": False, f"{_GIN}.IRouter": False, f"{_GIN}.IRoutes": False},
        makers=frozenset({f"{_GIN}.Default", f"{_GIN}.New"}),
        verbs=_VERBS, named=frozenset({"Handle", "Match"}), groups=frozenset({"Group"}), same=frozenset({"Use"}),
    )  # fmt: skip

    def takes(self, service: Service, route: Route) -> Taking:
        """As ever; what stands in front of the handler goes on to it unless it aborts."""
        found = super().takes(service, route)
        first = tuple(msgspec.structs.replace(e, goes_on=True) for e in found.entries[:-1])
        return msgspec.structs.replace(found, entries=(*first, *found.entries[-1:]))

    def words(self, service: Service) -> Words:
        own: dict[str, Any] = {
            "request": {**base_go.REQUEST, "Request": "request"}, "getters": {**base_go.GETTERS, **_GETTERS}, "replies": _REPLIES,
            "pairs": {"GetQuery": "ok", "GetPostForm": "ok", "GetQueryArray": "ok", "Cookie": "error", "FormFile": "error"},
            "keeping": {"Set": "keep", "Get": "pair", "MustGet": "take"},
            "uploads": frozenset({"FormFile"}),
            "fills": _fills(), "defaulted": frozenset({"DefaultQuery", "DefaultPostForm"}), "one_object": True,
        }  # fmt: skip
        return base_go.words(service, base_go.by_itself, {}, **own)


framework = Gin()
